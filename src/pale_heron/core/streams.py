"""Both streams of one lane: cut into frames, and listened to as exchanges with a module.

A lane has a module from the moment at which its dialect is known: a person chose one, something that is no sentence
was sent (then the standards' own), or the device said what it is. What came just before is kept, so that the module is
understood from its first words on. Three ways lead there (`Recognition`): at once; reported, and then taken from the
record as an event, so that live and replay switch at the same place; or from the record alone.
"""

from collections import deque
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from enum import Enum, auto
from typing import TYPE_CHECKING, Any, Final, Protocol

from pale_heron.core.frames import NMEA, OK, OUT, SECRET_FOLLOWS, TEXT, Chunk, Event, Frame
from pale_heron.core.framing import Framing
from pale_heron.core.line.typed import is_sentence_like
from pale_heron.core.wire.probe import is_probe
from pale_heron.core.wire.visible import safe_text

if TYPE_CHECKING:
    # Loaded with the first module that a lane speaks to: most lanes never do, and the first picture need not wait.
    from pale_heron.core.device.dialogue.tracker import ModuleTracker
    from pale_heron.core.device.schema.dialect import Dialect
    from pale_heron.core.gnss.reported import ReportedPosition
    from pale_heron.core.sharing.dialect_tables import DialectTables
    from pale_heron.core.sharing.scanner import LineScanner
    from pale_heron.core.wire.batcher import Stretch, WholeRun
    from pale_heron.core.wire.sentence_batch import Addresses, Flags, SentenceBatch

MODES: Final = ("", "command", "data")
LINES_TRIED: Final = 400
"""So many lines of a lane are looked at; a device says what it is at its start, or when it is asked."""

LONGEST: Final = 120
PROMPT_BYTES: Final = 120
TEXT_SENTENCE: Final = "TXT"
"""The sentence that holds words (NMEA 0183, TXT)."""

MOST_AHEAD: Final = 64
MOST_SECRET: Final = 4096
BEFORE_BYTES: Final = 4096
WAITING_BYTES: Final = 1 << 16
"""What is kept at least for a module of which nothing is known yet: of what came before, and once it was sent to."""


class Recognition(Enum):
    """Who decides that a lane's device speaks a dialect."""

    AT_ONCE = auto()
    ON_REPORT = auto()
    RECORDED = auto()


class DialectSource(Protocol):
    """Where dialects come from."""

    @property
    def recognition(self) -> Recognition: ...

    def named(self, name: str, table: Mapping[str, Any] | None = None) -> "Dialect":
        """The dialect of that name, of this table where there is one; the standards' own where it is not known."""
        ...

    def recognised(self, line: str) -> str:
        """The name of the dialect of whoever says this line; empty for nobody."""
        ...

    def announces(self, line: str) -> bool:
        """Whether the standards' own explain a line that comes unasked."""
        ...

    @property
    def sensitive(self) -> "DialectTables":
        """What any that is known calls a secret: it is masked where none was recognised."""
        ...

    @property
    def standard(self) -> str:
        """The name of the standards' own."""
        ...


class _SecretAhead:
    """Bytes that are to be sent, and must not be shown: behind how many others, and those of them that were sent."""

    def __init__(self, skip: int, count: int) -> None:
        self._skip = skip
        self._count = count
        self._taken = b""

    def take(self, data: bytes) -> str:
        """What is sent next; gives the secret once all of it was."""
        passed, self._skip = data[self._skip :], max(0, self._skip - len(data))
        self._taken += passed[: self._count - len(self._taken)]
        return self._taken.decode("latin-1") if len(self._taken) == self._count else ""


class LaneStreams:
    """Feed it chunks and events of one lane, in the order of recording. Without `dialects` it hears of no module."""

    def __init__(self, name: str, dialects: DialectSource | None = None) -> None:
        self.name = name
        self.framing = Framing(name)
        self.module: ModuleTracker | None = None
        self.found = ""
        """The dialect that was recognised and is not spoken yet."""
        self._dialects = dialects
        self._chosen = False
        self._paired_by_standards = False
        """Whether what was said is kept, to be paired again when the dialect becomes known."""
        self._tried = 0
        self._before: deque[Chunk] = deque()
        self._before_bytes = 0
        self._sent = False
        self._asked = False
        """A trial asks messages: what it sends is no command, unless it is written as one."""
        self._byte_ns = 0
        self._ahead: list[_SecretAhead] = []
        self._scanner: LineScanner | None = None
        self.reported: list[ReportedPosition] = []
        """The positions that the module reported, until somebody takes them."""

    @property
    def secrets(self) -> frozenset[str]:
        """Values that must not be shown, by what the lines are, whoever speaks."""
        return frozenset(self._scanner.values) if self._scanner is not None else frozenset()

    @property
    def secret_asked(self) -> bool:
        """Whether what is sent next answers a question for a secret."""
        if self._scanner is None and not self.framing.received.waiting:
            return False
        waiting = self.framing.received.waiting_text(PROMPT_BYTES).decode("latin-1")
        return self._lines.secret_asked(waiting)

    def speaks_unknown(self) -> bool:
        """Whether what the device calls a secret may not be seen: its dialect is not known, or it stands in frames."""
        spoken = self._tried > 0 or self._sent
        known = self.module is not None and self._dialects and self.module.dialect.name != self._dialects.standard
        return (spoken and not known) or (self.module is not None and self.module.dialect.hides_in_frames)

    def _scan(self, frames: Iterable[Frame], dialects: DialectSource) -> None:
        """Look for secrets in text that went over the lane."""
        for frame in frames:
            sent = frame.direction is OUT
            if not sent and (frame.type[-3:] != TEXT_SENTENCE if frame.kind is NMEA else frame.kind is not TEXT):
                continue
            waiting = self.framing.received.waiting_text(PROMPT_BYTES).decode("latin-1") if sent else ""
            # The words of a sentence are none that a dialect describes; to know them all takes a moment.
            tables = dialects.sensitive if sent or frame.kind is TEXT else None
            self._lines.take(frame.data.decode("latin-1"), tables, sent=sent, waiting=waiting)

    @property
    def _lines(self) -> "LineScanner":
        if self._scanner is None:
            from pale_heron.core.sharing.scanner import LineScanner

            self._scanner = LineScanner()
        return self._scanner

    def _take_ahead(self, data: bytes) -> None:
        """Bytes are sent of which somebody has said that some are secret."""
        told = [(ahead, ahead.take(data)) for ahead in self._ahead]
        for _, secret in told:
            self._lines.keep(secret)
        self._ahead = [ahead for ahead, secret in told if not secret]

    @property
    def spoken_to(self) -> bool:
        """Whether there is a module, or a dialect for one was found."""
        return self.module is not None or bool(self.found)

    def feed(self, chunk: Chunk, byte_ns: int = 0) -> list[Frame]:
        """The frames that a chunk completes. A byte takes `byte_ns` on the line; 0 where that is not known."""
        self._byte_ns = byte_ns
        if self._ahead and chunk.direction is OUT:
            self._take_ahead(chunk.data)
        frames = self.framing.feed(chunk)
        if self._dialects is None or self.framing.bulk:
            return frames
        if self.module is None:
            self._keep(chunk)
        else:
            self.reported += self.module.feed(chunk, byte_ns)
            self._keep_for_pairing(chunk)
        if self._tried <= LINES_TRIED and not self._chosen:
            self._recognise(frames, self._dialects)
        if frames:
            self._scan(frames, self._dialects)
        return frames

    @property
    def takes_batches(self) -> bool:
        """Whether nobody waits for single chunks: no module is listened to, and lines are cut."""
        return self.module is None and not self.framing.bulk

    def stretches(
        self, chunks: Sequence[Chunk], addresses: "Addresses", is_odd: "Callable[[SentenceBatch], Flags]"
    ) -> "Iterator[Stretch]":
        """Received chunks, many of them together: those without a batch are still to be fed, one by one."""
        from pale_heron.core.wire.batcher import stretches

        for stretch in stretches(self.framing.received, chunks, addresses, is_odd):
            if stretch.batch is not None and self._dialects is not None:
                self._hear(stretch, self._dialects)
            yield stretch

    def whole_run(
        self, chunks: Sequence[Chunk], addresses: "Addresses", is_odd: "Callable[[SentenceBatch], Flags]", soon_ns: int
    ) -> "WholeRun | None":
        """Received chunks as one batch, where they are nothing but sentences; to be taken by `take_run`."""
        from pale_heron.core.wire.batcher import whole_run

        return whole_run(self.framing.received, chunks, addresses, is_odd, soon_ns)

    def take_run(self, run: "WholeRun") -> "Stretch":
        """Let the streams stand behind it."""
        stretch = run.take()
        if self._dialects is not None:
            self._hear(stretch, self._dialects)
        return stretch

    def _hear(self, stretch: "Stretch", dialects: DialectSource) -> None:
        self._keep_last(stretch.chunks)
        self._recognise(stretch.frames, dialects)
        self._scan(stretch.frames, dialects)

    def _keep_last(self, chunks: Iterable[Chunk]) -> None:
        """Keep the last chunks."""
        most = WAITING_BYTES if self._sent else BEFORE_BYTES
        for chunk in chunks:
            self._before.append(chunk)
            self._before_bytes += len(chunk.data)
            if self._before_bytes > 2 * most:
                while self._before_bytes > most:
                    self._before_bytes -= len(self._before.popleft().data)

    def take(self, frames: Iterable[Frame]) -> None:
        """Frames that were cut before: there is nothing to do with them here."""

    def event(self, event: Event) -> list[Frame]:
        """The frames that an event ends."""
        if event.name == "dialect" and self._dialects is not None:
            table = event.details.get("table")
            dialect = self._dialects.named(
                str(event.details.get("name", "")), table if isinstance(table, Mapping) else None
            )
            self.speak(dialect, chosen=event.details.get("by") != "recognised")
        if event.name == SECRET_FOLLOWS and len(self._ahead) < MOST_AHEAD:
            skip, count = event.details.get("skip"), event.details.get("bytes")
            if isinstance(skip, int) and isinstance(count, int) and skip >= 0 and 0 < count <= MOST_SECRET:
                self._ahead.append(_SecretAhead(skip, count))
        if event.name in ("trial", "trial-ended"):
            self._asked = event.details.get("kind") == "exchange"
        if event.name == "mode-said" and self.module is not None and event.details.get("mode") in MODES:
            self.module.say_mode(event.details["mode"], event.time)
            # The bytes alone do not tell it: they are not paired again.
            self._forget_pairing()
        if event.name in ("lost", "closed") and self.module is not None:
            self.module.lane_gone(event.time)
            self._forget_pairing()
        frames = self.framing.event(event)
        if self._dialects is not None:
            self._scan(frames, self._dialects)
        return frames

    def tick(self, now: int) -> list[Frame]:
        """The frames that a pause up to `now` ends."""
        if self.module is not None:
            self.module.tick(now)
        frames = self.framing.tick(now)
        if frames and self._dialects is not None:
            self._scan(frames, self._dialects)
        return frames

    def finish(self) -> list[Frame]:
        """What is left at the end of the streams."""
        frames = self.framing.finish()
        if self._dialects is not None:
            self._scan(frames, self._dialects)
        return frames

    def speak(self, dialect: "Dialect", *, chosen: bool = False) -> None:
        """From now on the lane's module speaks this dialect, until a person chooses another.

        One that is chosen stays; one that was only recognised gives way to what is recognised later.
        """
        if not dialect.commands_modules or (self._chosen and not chosen):
            return
        self._chosen = self._chosen or chosen
        self.found = ""
        if self.module is not None and not self._paired_by_standards:
            self.module.speak(dialect)
            return
        from pale_heron.core.device.dialogue.tracker import ModuleTracker

        before, self.module = self.module, ModuleTracker(dialect, self.module)
        for chunk in self._before:
            reported = self.module.feed(chunk, self._byte_ns)
            self.reported += reported if before is None else []
        self.module.begun()
        if self._dialects is not None and not self._chosen and dialect.name == self._dialects.standard:
            self._paired_by_standards = True
        else:
            self._forget_pairing()

    def _keep_for_pairing(self, chunk: Chunk) -> None:
        """Keep what is said as long as only the standards explain it: another dialect may pair it better."""
        if not self._paired_by_standards:
            return
        self._before.append(chunk)
        self._before_bytes += len(chunk.data)
        if self._before_bytes > 2 * WAITING_BYTES:
            self._forget_pairing()

    def _forget_pairing(self) -> None:
        self._paired_by_standards = False
        self._before.clear()
        self._before_bytes = 0

    def _keep(self, chunk: Chunk) -> None:
        """Keep what a module would have to know; whoever is sent something other than sentences is one."""
        assert self._dialects is not None, "nothing is kept without dialects"
        spoken_to = chunk.direction is OUT and not is_sentence_like(chunk.data) and not is_probe(chunk.data)
        spoken_to = spoken_to and (not self._asked or chunk.data[:2].upper() == b"AT")
        self._sent = self._sent or spoken_to
        self._keep_last((chunk,))
        if spoken_to and not self.found:
            self._find(self._dialects.standard, self._dialects)

    def _recognise(self, frames: Iterable[Frame], dialects: DialectSource) -> None:
        """Look at what a lane says, until it is known or too much was said."""
        for frame in frames:
            if frame.kind is not TEXT or frame.status is not OK or frame.direction is OUT or len(frame.data) > LONGEST:
                continue
            self._tried += 1
            line = safe_text(frame.data.strip())
            name = dialects.recognised(line)
            if not name and self.module is None and not self.found and dialects.announces(line):
                self._find(dialects.standard, dialects)
            if name and (self.module is None or self.module.dialect.name != name):
                self._tried = 0
                self._find(name, dialects)

    def _find(self, name: str, dialects: DialectSource) -> None:
        """A dialect was recognised."""
        if dialects.recognition is Recognition.AT_ONCE:
            self.speak(dialects.named(name))
        elif dialects.recognition is Recognition.ON_REPORT:
            self.found = name
