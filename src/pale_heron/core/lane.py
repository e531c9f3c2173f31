"""One lane: its framers and trackers put together. Live, on replay and for a raw file the same code runs."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import pairwise
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from pale_heron.core.believed import BelievedSentences
from pale_heron.core.clock.events import OWN_CLOCK_STEP, seconds_of
from pale_heron.core.clock.lag import EMPTY, LagSnapshot
from pale_heron.core.figures import several
from pale_heron.core.frames import (
    BY_USER,
    BYTES,
    NMEA,
    NO_CHECKSUM,
    OK,
    OUT,
    SECOND,
    SETTING_EVENTS,
    TEXT,
    WAITED,
    Chunk,
    Event,
    Frame,
)
from pale_heron.core.gnss.course import ACTION, BANNER, MODES
from pale_heron.core.gnss.epochs.log import Epochs
from pale_heron.core.gnss.epochs.plausibility import CONTRADICTED, PlausibilityFinding
from pale_heron.core.gnss.fix import EPOCHS_KEPT
from pale_heron.core.gnss.snapshot import FixSnapshot
from pale_heron.core.gnss.starting import start_mode
from pale_heron.core.line.diagnosis.causes import REFUSALS
from pale_heron.core.line.diagnosis.evidence import DriverErrors, Evidence
from pale_heron.core.line.diagnosis.findings import Finding, findings
from pale_heron.core.line.diagnosis.stages import LaneOpening, LinkStage, StageStatus, steps
from pale_heron.core.line.dialogue_stats import DialogueSnapshot, DialogueStats
from pale_heron.core.line.rates import BaudResult
from pale_heron.core.line.settings import LineSettings, settings_of
from pale_heron.core.line.snapshot import LineSnapshot
from pale_heron.core.line.tracker import LineTracker, Pieces
from pale_heron.core.nmea.talk import is_talk
from pale_heron.core.order import SLACK_NS
from pale_heron.core.streams import DialectSource, LaneStreams
from pale_heron.core.wire.visible import safe_label

if TYPE_CHECKING:
    # Loaded with the first module that a lane speaks to.
    from pale_heron.core.device.dialogue.reading_log import ReadingLog
    from pale_heron.core.device.dialogue.tracker import ModuleSnapshot, ModuleTracker
    from pale_heron.core.wire.batcher import Stretch, WholeRun
    from pale_heron.core.wire.sentence_batch import Addresses, Places, SentenceBatch

STREAM_NS: Final = 10 * SECOND
"""Sentences that came not longer ago go on."""

FEW_BYTES: Final = 32_768
"""So little is taken as fast chunk by chunk."""


class LaneSnapshot(NamedTuple):
    """Everything there is to say of one lane at one time."""

    name: str
    role: str
    address: str
    settings: LineSettings | None
    opening: LaneOpening
    open_error: str
    listening: tuple[str, ...]
    """Where it waits for a client: addresses to give to the far side; empty for other lanes."""
    client: str
    """Who is connected to a lane that waits for clients; empty where nobody is."""
    opened: int | None
    returns: int
    dropped_bytes: int
    """Received and lost: neither recorded nor shown."""
    skipped_bytes: int
    """Recorded, but not decoded, because decoding was too slow."""
    errors: DriverErrors | None
    """None where the driver counts none."""
    tried: tuple[BaudResult, ...]
    """What each rate gave when rates were tried last."""
    lag: LagSnapshot
    asked_only: bool
    """It speaks when it is spoken to, as far as was seen: its silence is no fault."""
    settings_error: str
    """Why the last change of settings, or the last sending, could not be done; empty while all is well."""
    line: LineSnapshot
    dialogue: DialogueSnapshot
    fix: FixSnapshot
    secrets: frozenset[str]
    """Values that went over the lane and must not be shown."""
    secret_asked: bool
    """Whether what is sent next answers a question for a password, a key or a PIN."""
    steps: tuple[LinkStage, ...]
    module: "ModuleSnapshot | None"
    """What is known of its module; None where it speaks no dialect of commands."""
    findings: tuple[Finding, ...]


class Lane:
    """Feed it chunks and events of one lane, in the order of their times.

    A raw file has no chunks: its frames carry the times that its sentences say, and it is open all the time. A lane
    can be pickled: its state depends on nothing but what it was fed.
    """

    def __init__(
        self,
        name: str,
        settings: LineSettings | None = None,
        *,
        role: str = "",
        address: str = "",
        raw: bool = False,
        epochs_kept: int | None = EPOCHS_KEPT,
        dialects: DialectSource | None = None,
    ) -> None:
        self.name = name
        self._settings = settings
        self._byte_ns = settings.byte_ns if settings else 0
        self._role = role
        self._address = address
        self.streams = LaneStreams(name, dialects)
        self.framing = self.streams.framing
        self._line = LineTracker()
        self._dialogue = DialogueStats()
        self._errors: DriverErrors | None = None
        self._tried: tuple[BaudResult, ...] = ()
        self._settings_error = self._refusal = ""
        self._checksums_seen = False
        self._opening = LaneOpening.OPEN if raw else LaneOpening.OPENING
        self._raw = raw
        self._open_error = self._hint = ""
        self._believed = BelievedSentences(epochs_kept)
        self._believed.byte_ns = self._byte_ns
        self._listening: tuple[str, ...] = ()
        self._client = ""
        self._opened: int | None = None
        self._returns = 0
        self._dropped = self._skipped = 0
        self._addresses: Addresses | None = None

    def feed(self, chunk: Chunk) -> list[Frame]:
        """The frames that a chunk completes; the trackers have seen them."""
        if chunk.direction is not OUT and not self._line.has_bytes:
            self._believed.fix.first_byte(chunk.time)
            if self._opening is LaneOpening.OPENING:
                # A record may not hold how the port was opened; what came in came through an open one.
                self._opening = LaneOpening.OPEN
        if self.framing.bulk:
            self._line.feed_bulk(chunk)
            return []
        self._line.feed_chunk(chunk)
        if chunk.direction is not OUT and chunk.time is not None and chunk.data:
            self._believed.arrived(chunk.time)
        frames = self.streams.feed(chunk, self._byte_ns)
        if self.streams.reported:
            self._take_positions()
        return self._take(frames) if frames else frames

    @property
    def takes_batches(self) -> bool:
        """Whether what is received may be fed many chunks at a time."""
        return self._line.has_bytes and self._line.takes_batches and self.streams.takes_batches

    def feed_many(self, chunks: Sequence[Chunk]) -> int:
        """Received chunks, in order: as if each were fed when it came, and faster. Gives the number of their frames."""
        single = 0 if self.takes_batches else 1
        count = sum(map(self._feed_in_time, chunks[:single]))
        many = chunks[single:]
        if not self.takes_batches or sum(len(chunk.data) for chunk in many) < FEW_BYTES:
            return count + sum(map(self._feed_in_time, many))
        from pale_heron.core.lane_batches import Addresses, starts

        self._addresses = self._addresses or Addresses()
        for stretch in self.streams.stretches(many, self._addresses, starts):
            if stretch.batch is not None:
                self._feed_stretch(stretch, stretch.batch)
                count += len(stretch.batch) + len(stretch.frames)
            else:
                # What is damaged in it parts the lines; of the sentences that are believed it parts nothing.
                self._believed.within(stretch.lines)
                count += sum(map(self._feed_in_time, stretch.chunks))
                self._believed.within(None)
        self._believed.settle()
        return count

    def _feed_in_time(self, chunk: Chunk) -> int:
        """What a pause has ended before it comes first, as where time passes beside the chunks; how many frames."""
        now, count = chunk.time, 0
        while now is not None and (held := self.framing.held) is not None and held.until + SLACK_NS < now:
            count += len(self.tick(held.until + 1))
        return count + len(self.feed(chunk))

    def whole_run(self, chunks: Sequence[Chunk], soon_ns: int) -> "WholeRun | None":
        """Received chunks as one batch, where they are nothing but sentences that are whole soon; for `take_run`."""
        from pale_heron.core.lane_batches import Addresses, starts

        self._addresses = self._addresses or Addresses()
        return self.streams.whole_run(chunks, self._addresses, starts, soon_ns)

    def take_run(self, run: "WholeRun") -> "Iterator[Sequence[Frame]]":
        """As `feed` of each of its chunks: the frames that each completes, once all have been taken."""
        stretch = self.streams.take_run(run)
        assert stretch.batch is not None, "it is one batch"
        self._feed_stretch(stretch, stretch.batch)
        self._believed.settle()
        frames = stretch.batch.run()
        pieces: list[Sequence[Frame]] = [frames[begin:end] for begin, end in pairwise((0, *stretch.ended))]
        if stretch.frames:
            pieces[-1] = [*pieces[-1], *stretch.frames]
        return iter(pieces)

    def _feed_stretch(self, stretch: "Stretch", batch: "SentenceBatch") -> None:
        """Chunks in which every line is a good sentence."""
        chunks = stretch.chunks
        self._believed.arrived(chunks[0].time or 0)
        pieces = Pieces([chunk.time or 0 for chunk in chunks], [len(chunk.data) for chunk in chunks], stretch.ended)
        self._count_batch(batch, pieces)
        self._believed.many(batch, chunks[-1].time or 0)
        self._take(list(stretch.frames))

    def take_batch(self, batch: "SentenceBatch", told: "Places", pieces: Pieces) -> None:
        """Sentences that came in these pieces; `told` is the time of day that each tells, or NONE."""
        self._count_batch(batch, pieces)
        self._believed.take(batch, told)

    def _count_batch(self, batch: "SentenceBatch", pieces: Pieces) -> None:
        from pale_heron.core.lane_batches import talk_rows

        self._line.feed_batch(pieces, batch)
        self._checksums_seen = True
        for row in talk_rows(batch):
            self._dialogue.feed(batch.frame(row))

    def take(self, frames: Iterable[Frame]) -> None:
        """Frames that were cut before, of a raw file: nothing else is known of it."""
        for frame in frames:
            if not self._line.has_bytes:
                self._believed.fix.first_byte(frame.time)
            self._line.feed_chunk(frame)
            if frame.time is not None and (frame.bad or frame.kind is BYTES):
                self._believed.fix.damaged(frame.time)
            self._take([frame])

    @property
    def epochs(self) -> Epochs:
        """Where its receiver was, as long as that is kept; oldest first."""
        return self._believed.fix.track

    def reading(self, name: str) -> "ReadingLog | None":
        """What a reading of its module was over time; None where it has none."""
        module = self.module
        return module.log_of(name) if module is not None else None

    @property
    def module(self) -> "ModuleTracker | None":
        """What is known of its module; None while nobody speaks to one."""
        return self.streams.module

    def tick(self, now: int) -> list[Frame]:
        """The frames that a pause up to `now` ends."""
        frames = self.streams.tick(now)
        return self._take(frames) if frames else frames

    def finish(self) -> list[Frame]:
        """What is left at the end of the streams."""
        left = self._take(self.streams.finish())
        self._believed.finish()
        return left

    def event(self, event: Event) -> list[Frame]:
        """Take what happened to the lane; names that concern nobody here pass.

        A stream that ends leaves what was waiting for more bytes: those frames come back.
        """
        details = event.details
        left = self._take(self.streams.event(event))
        self._take_positions()
        if event.name in ("opened", "returned"):
            self._opening = LaneOpening.OPEN
            self._open_error = ""
            self._opened = self._opened or event.time
            self._returns += event.name == "returned"
            self._dialogue.connected()
        if event.name in SETTING_EVENTS:
            self._role = safe_label(str(details.get("role", self._role)))
            self._address = safe_label(str(details.get("address", self._address)))
            self._set(settings_of(details))
            self._settings_error = ""
        elif event.name in ("lost", "refused"):
            self._opening = LaneOpening(event.name)
            self._refusal = str(details.get("cause", ""))
            self._open_error = safe_label(str(details.get("reason", "")))
            self._hint = safe_label(str(details.get("way_out", "")))
        elif event.name == "closed":
            self._opening = LaneOpening.LET_GO if details.get("by") == BY_USER else LaneOpening.CLOSED
        elif event.name == "listening":
            self._listening, self._client = _texts(details.get("at")), ""
        elif event.name in ("client", "client-gone"):
            self._client = safe_label(str(details.get("from", ""))) if event.name == "client" else ""
            self._dialogue.connected()
        elif event.name in ("settings-refused", "not-sent"):
            self._settings_error = safe_label(str(details.get("reason", "")))
        elif event.name == "start":
            mode = str(details.get("mode", ""))
            self._believed.fix.start(mode if mode in MODES else "unknown", ACTION, event.time)
        elif event.name == WAITED:
            # It says nothing of the line as it is set, nor of how late anything comes.
            self._line.begin_again()
            self._believed.forget_lags()
        elif event.name == OWN_CLOCK_STEP:
            self._believed.settle()
            self._believed.fix.clock_stepped(seconds_of(details), event.time)
        elif event.name == "driver-errors":
            self._errors = DriverErrors(*(_count(details, name) for name in DriverErrors._fields))
        elif event.name == "rates-tried":
            self._tried = _baud_results(details.get("rates"))
        elif event.name == "dropped":
            self._dropped += _count(details, "bytes")
        elif event.name == "skipped":
            self._skipped += _count(details, "bytes")
        return left

    def _set(self, settings: LineSettings | None) -> None:
        """Take new settings; at another rate the line is judged from the start."""
        before, self._settings = self._settings, settings or self._settings
        self._byte_ns = self._believed.byte_ns = self._settings.byte_ns if self._settings else 0
        if before and settings and (before.rate, before.framing) != (settings.rate, settings.framing):
            self._line.begin_again()

    def snapshot(self, now: int | None) -> LaneSnapshot:
        """The lane as of `now`; for a raw file as of its own latest time."""
        line = self._line.snapshot(now)
        dialogue = self._dialogue.snapshot(now)
        fix = self._believed.snapshot(now)
        module = self.module
        answering = module.stage_status if module and not _streams(line, module, now) else None
        asked_only = dialogue.waits_to_be_asked and not line.valid
        evidence = Evidence(
            opening=self._opening,
            refusal=self._refusal if self._refusal in REFUSALS else "",
            open_error=self._open_error,
            hint=self._hint,
            opened=self._opened,
            networked="://" in self._address,
            waits_at=self._listening if not self._client else (),
            settings=self._settings,
            line=line,
            dialogue=dialogue,
            errors=self._errors,
            tried=self._tried,
            time_known=fix.fresh("time") is not None,
            satellites_seen=len(fix.sky.satellites) if fix.sky.heard else None,
            empty_fix=fix.positions == 0
            and CONTRADICTED.isdisjoint(each.id for each in fix.remarks)
            and "latitude" in fix.facts,
            now=now,
            asked_only=answering is StageStatus.REACHED or asked_only,
        )
        return LaneSnapshot(
            name=self.name,
            role=self._role,
            address=self._address,
            settings=self._settings,
            opening=self._opening,
            open_error=self._open_error,
            listening=self._listening,
            client=self._client,
            opened=self._opened,
            returns=self._returns,
            dropped_bytes=self._dropped,
            skipped_bytes=self._skipped,
            errors=self._errors,
            tried=self._tried,
            settings_error=self._settings_error,
            line=line,
            dialogue=dialogue,
            fix=fix,
            # Where nobody saw when anything came, nothing says how late it was.
            lag=EMPTY if self._raw else self._believed.lag.snapshot(),
            secrets=self.streams.secrets,
            secret_asked=self.streams.secret_asked,
            asked_only=asked_only,
            steps=steps(
                self._opening, line, fix.state.is_fix, dialogue.answered, now, answering, asked_only=asked_only
            ),
            module=module.snapshot(self.streams.secrets) if module else None,
            findings=_joined((*findings(evidence), *self._refused()), fix.remarks),
        )

    def _refused(self) -> tuple[Finding, ...]:
        """What could not be taken, where anything was."""
        times = self._believed.refused
        if not times:
            return ()
        again = "Its sentences could not be read on: that began again behind the one that failed."
        wanted = "Figures may lack a moment there. Send the sentence along with this line."
        return (Finding("not-decoded", again, f"{several(times, 'time')}: {self._believed.fault}", wanted, 0.9),)

    def _take(self, frames: list[Frame]) -> list[Frame]:
        line, dialogue, believed = self._line.feed, self._dialogue.feed, self._believed.one
        for frame in frames:
            line(frame)
            if frame.direction is OUT or frame.kind is TEXT:
                dialogue(frame)
                if frame.direction is not OUT:
                    self._hear_start(frame)
                continue
            if frame.kind is not NMEA:
                continue
            if is_talk(frame.type):
                dialogue(frame)
                if frame.type[0] != "P":
                    self._hear_start(frame)
            # The checksum is optional in NMEA 0183 2.x: it is not asked of a device that never sent one.
            if frame.status is OK or (frame.status is NO_CHECKSUM and not self._checksums_seen):
                self._checksums_seen = self._checksums_seen or frame.status is OK
                believed(frame)
        return frames

    def _hear_start(self, frame: Frame) -> None:
        """Begin the stopwatch where a line announces a start."""
        mode = start_mode(frame.data)
        if mode:
            self._believed.settle()
            self._believed.fix.start(mode, BANNER, frame.time)

    def _take_positions(self) -> None:
        """Where the module says that it is."""
        given, self.streams.reported = self.streams.reported, []
        for position in given:
            self._believed.fix.feed_position(position)


def _streams(line: LineSnapshot, module: "ModuleTracker", now: int | None) -> bool:
    """Whether a lane on which commands are answered is that of a receiver: its sentences go on, or came last."""
    heard = [each.last for each in line.types if each.kind is NMEA and each.count > each.bad and not is_talk(each.type)]
    last = max((time for time in heard if time is not None), default=None)
    if last is None or now is None:
        return bool(heard)
    return now - last <= STREAM_NS or last > (module.answered_at or 0)


def _joined(found: tuple[Finding, ...], remarks: tuple[PlausibilityFinding, ...]) -> tuple[Finding, ...]:
    """What is wrong with the line, and with what is said on it; most likely first."""
    if not remarks:
        return found
    return tuple(sorted((*found, *(Finding(*remark) for remark in remarks)), key=lambda each: -each.weight))


def _count(details: Mapping[str, Any], name: str) -> int:
    """A number that an event holds; 0 where it holds none (a capture may hold anything)."""
    given = details.get(name)
    return given if isinstance(given, int) and given > 0 else 0


def _texts(given: object) -> tuple[str, ...]:
    """A list of texts in an event; what is none is left out."""
    return tuple(safe_label(each) for each in given if isinstance(each, str)) if isinstance(given, list) else ()


def _baud_results(given: object) -> tuple[BaudResult, ...]:
    """What an event says of the rates that were tried; what cannot be read is left out."""
    found = []
    for row in given if isinstance(given, list) else []:
        try:
            result = BaudResult(**row)
        except TypeError:
            continue
        if all(isinstance(number, int) for number in (*result[:5], result.unended)):
            found.append(result._replace(sample=safe_label(str(result.sample)), fits=bool(result.fits)))
    return tuple(found)
