"""A copy of a capture that can be shared: what must not be told is found, masked, and looked for again in the copy.

    1. hear     the lanes' own framing cuts the streams; what lines tell is found (core/sharing), and whole positions
    2. look     what is secret anywhere, and what is left of positions, is found in the raw streams, however cut
    3. write    the copy, chunk by chunk, of the same lengths, with right checksums; stand-ins in what was noted
    4. check    the copy is heard and looked through like the original, and read as whoever gets it will

Memory holds the places that are changed and nothing of what is not.
"""

import re
import secrets
import tempfile
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Final

from pale_heron.bench.config.dialect_book import DialectBook
from pale_heron.bench.distance import distance_and_bearing
from pale_heron.bench.sources import Source
from pale_heron.capture.reader import CaptureReader, Record, open_file
from pale_heron.capture.writer import REDACTED, CaptureWriter
from pale_heron.core.frames import Chunk, Direction, Event
from pale_heron.core.sharing.edits import StreamCopy, merged
from pale_heron.core.sharing.finder import LaneFinder, ValueFinder
from pale_heron.core.sharing.kinds import NAMED, PLACES, POSITION, SECRET, counted
from pale_heron.core.sharing.offset import UNITS, PlaceOffset
from pale_heron.core.sharing.own_rules import OwnRules
from pale_heron.core.sharing.positions import KnownDigits, PlaceEditor, RestFinder, without_places
from pale_heron.core.sharing.stand_ins import StandIns
from pale_heron.core.streams import LaneStreams
from pale_heron.core.trouble import Trouble
from pale_heron.core.utc import clock

EXACT, COARSE, NONE, HIDDEN = "exact", "coarse", "none", "hidden"
HOW_PLACES_STAND: Final = (EXACT, COARSE, NONE)
"""What may be asked for. HIDDEN is for whoever makes something of the copy that tells no position: they are moved east
or west alone, so that distances stay as they are, to the last digit."""

LEAST_MOVED_M: Final = 1000.0
"""A position that was moved lies at least so far from where it was."""

PROMPT_BYTES: Final = 120
TOLD_EVERY: Final = 5000
SeeShare = Callable[[str, float], None]
"""Is told what is being done, and how much of it is."""

Stream = tuple[str, Direction]


@dataclass(frozen=True, slots=True)
class SharingWishes:
    """What may be shared, for a copy, a report and an export alike; secrets never are."""

    place: str = EXACT
    named: tuple[str, ...] = ()
    """Texts that must not stand anywhere."""
    dialects: Mapping[str, str] = field(default_factory=dict)
    """How the devices of lanes speak, by nickname, where nobody has said so."""
    also: OwnRules | None = None

    @property
    def finds_places(self) -> bool:
        return self.place != EXACT

    @property
    def hides(self) -> bool:
        """Whether anything is hidden beside the secrets, which nobody shows."""
        return self.finds_places or bool(self.named) or self.also is not None


AS_IT_WAS: Final = SharingWishes()


@dataclass(frozen=True, slots=True)
class RedactionCount:
    """What was masked, by its kind."""

    kinds: Mapping[str, int]
    torn: str
    unknown: tuple[str, ...]
    """Lanes with text whose dialect is not known: they may hold secrets that nobody can see."""

    @property
    def words(self) -> str:
        """`3 phone numbers, 812 positions`."""
        return counted(self.kinds)


class StillThere(Trouble):
    """Looked through again, the copy still tells something: it is not kept."""


def redact(
    source: Path,
    target: Path,
    wishes: SharingWishes = AS_IT_WAS,
    progress: SeeShare = lambda *_: None,
) -> RedactionCount:
    """Write the copy.

    Raises Trouble where it cannot be read or written, or a dialect or a lane is not there, StillThere where it is not
    clean; it is not kept then.
    """
    found = _Findings(source, wishes, progress)
    try:
        _write(source, target, found, progress)
        _check(source, target, wishes, progress)
    except BaseException:
        target.unlink(missing_ok=True)
        raise
    return RedactionCount(found.counts, found.torn, found.unknown)


@contextmanager
def shared_copy(
    capture: Path, wishes: SharingWishes, beside: Path, progress: SeeShare = lambda *_: None
) -> Iterator[Path]:
    """A capture as it may be shown to others, as long as something is made of it: a copy in a folder `beside`.

    It is the capture itself where all of it may be shown, apart from secrets, which nobody shows.
    """
    if not wishes.hides:
        yield capture
        return
    try:
        folder = tempfile.TemporaryDirectory(prefix=".shared-", dir=beside)
    except OSError as problem:
        raise Trouble(f"{beside} cannot be written: {problem.strerror}", "Choose another place") from None
    with folder:
        copy = Path(folder.name) / capture.name
        redact(capture, copy, wishes, progress)
        yield copy


class _Findings:
    """All that a capture tells and its copy must not: where it stands in the streams, and how much of each kind."""

    def __init__(self, source: Path, wishes: SharingWishes, progress: SeeShare = lambda *_: None) -> None:
        self._wishes = wishes
        self._known = KnownDigits()
        self._finders: dict[str, LaneFinder] = {}
        self._streams: dict[str, LaneStreams] = {}
        self._editors: dict[Stream, PlaceEditor] = {}
        self._events_counts: Counter[str] = Counter()
        self.offset = _drawn(source, wishes.place)
        self.torn = self._hear(source, progress)
        self._look(source, progress)

    def _hear(self, source: Path, progress: SeeShare) -> str:
        """What lines tell; gives why the capture is not whole, if it is not."""
        book, reader = DialectBook(), CaptureReader(source)
        for record in _records(reader, source, "looking for what must not be told", progress):
            if isinstance(record, Event):
                book.heed(record)
            if not record.lane:
                continue
            self._lane(record.lane, book)
            streams = self._streams[record.lane]
            frames = streams.event(record) if isinstance(record, Event) else streams.feed(record)
            waiting = streams.framing.received.waiting_text(PROMPT_BYTES)
            self._finders[record.lane].take(frames, book.sensitive, waiting)
            if isinstance(record, Chunk) and self._wishes.finds_places:
                self._editor((record.lane, record.direction)).feed(record.data)
        for name, streams in self._streams.items():
            self._finders[name].take(streams.finish(), book.sensitive, b"")
            self._finders[name].finish(book.sensitive)
        for editor in self._editors.values():
            editor.finish()
        strangers = self._wishes.dialects.keys() - reader.lanes.keys()
        if strangers:
            known = ", ".join(reader.lanes) or "none"
            raise Trouble(f"There is no lane {min(strangers)!r} in {source.name}", f"There are: {known}")
        return reader.torn

    def _lane(self, name: str, book: DialectBook) -> None:
        """What hears a lane, from its first record on."""
        if name not in self._streams:
            self._streams[name] = streams = LaneStreams(name, book)
            self._finders[name] = LaneFinder(self._wishes.also, places=self._wishes.finds_places)
            if name in self._wishes.dialects:
                streams.speak(book.named(self._wishes.dialects[name]), chosen=True)

    def _editor(self, stream: Stream) -> PlaceEditor:
        if stream not in self._editors:
            self._editors[stream] = PlaceEditor(self.offset, self._known)
        return self._editors[stream]

    def _look(self, source: Path, progress: SeeShare) -> None:
        """What is secret wherever it stands, and what is left of positions."""
        named = set(self._wishes.named)
        of_lane = {
            name: {*named, *finder.secrets, *self._streams[name].secrets} for name, finder in self._finders.items()
        }
        values: dict[Stream, ValueFinder] = {}
        rests: dict[Stream, RestFinder] = {}
        for record in _records(CaptureReader(source), source, "finding it wherever it stands", progress):
            if isinstance(record, Chunk):
                stream = record.lane, record.direction
                if stream not in values:
                    values[stream] = ValueFinder(of_lane[record.lane])
                    if self._wishes.finds_places:
                        rests[stream] = RestFinder(self._known, self._editors[stream].edits)
                values[stream].feed(record.data)
                if stream in rests:
                    rests[stream].feed(record.data)
        for each in rests.values():
            each.finish()
        self.secrets = frozenset().union(*of_lane.values(), named)
        self.edits = {}
        self.counts: Counter[str] = Counter()
        for finder in self._finders.values():
            self.counts += finder.counts
        for (lane, direction), found in values.items():
            told = self._finders[lane].stars[direction]
            for value, begin, end in found.found:
                self.counts[NAMED if value in named else SECRET] += not _covered(told, begin, end)
            stars = [*told, *((begin, end) for _, begin, end in found.found)]
            editor, rest = self._editors.get((lane, direction)), rests.get((lane, direction))
            if editor is not None and rest is not None:
                stars += rest.stars
                self.counts[POSITION] += editor.positions + rest.positions
            self.edits[lane, direction] = merged(editor.edits if editor is not None else (), stars)
        self.counts += Counter()

    @property
    def unknown(self) -> tuple[str, ...]:
        """Lanes that nobody knows to read."""
        return tuple(name for name, streams in self._streams.items() if streams.speaks_unknown())

    def stand_ins(self) -> StandIns:
        """For what was noted."""
        places = self._placeless if self._wishes.finds_places else None
        return StandIns(self.secrets, self._wishes.also, places)

    def _placeless(self, text: str) -> str:
        told, found = without_places(text)
        self.counts[POSITION] += found
        return told

    def event(self, event: Event, stand_ins: StandIns) -> Event:
        """What happened; the known point of a trial moves with all others, or is left out."""
        event = event._replace(details=stand_ins.details(dict(event.details)))
        place = event.details.get("place")
        if not self._wishes.finds_places or place is None:
            return event
        rest = {name: value for name, value in event.details.items() if name != "place"}
        numbers = isinstance(place, list) and len(place) == 2 and all(isinstance(each, int | float) for each in place)
        if self.offset is None or not numbers:
            return event._replace(details=rest)
        degrees = (each / UNITS / 60 for each in self.offset)
        return event._replace(details=rest | {"place": [have + add for have, add in zip(place, degrees, strict=True)]})


def _covered(stars: Iterable[tuple[int, int]], begin: int, end: int) -> bool:
    return any(first <= begin and end <= last for first, last in stars)


def _write(source: Path, target: Path, found: _Findings, progress: SeeShare) -> None:
    """Copy all records."""
    reader, stand_ins = CaptureReader(source), found.stand_ins()
    copies = {stream: StreamCopy(edits) for stream, edits in found.edits.items()}
    described: set[str] = set()
    writer = CaptureWriter(target, REDACTED)
    try:
        for record in _records(reader, source, "writing the copy", progress):
            for name, info in reader.lanes.items():
                if name not in described:
                    described.add(name)
                    writer.describe_lane(name, stand_ins.text(info.description), info.speed)
            if isinstance(record, Chunk):
                writer.chunk(record._replace(data=copies[record.lane, record.direction].of_chunk(record.data)))
            else:
                event = found.event(record, stand_ins)
                writer.event(event, comment=str(event.details.get("text", "")))
            if writer.failure:
                raise Trouble(f"{target} cannot be written: {writer.failure}", "Free some space")
    finally:
        writer.close()
    found.counts.update(stand_ins.counts)


def _records(
    reader: CaptureReader, path: Path, words: str = "", progress: SeeShare = lambda *_: None
) -> Iterator[Record]:
    """All records; `progress` is told now and then what is done, and how much of the file."""
    size = max(1, path.stat().st_size)
    with open_file(path) as file:
        for number, record in enumerate(reader.records_of(file)):
            if not number % TOLD_EVERY:
                progress(words, reader.position / size)
            yield record


def _check(source: Path, target: Path, wishes: SharingWishes, progress: SeeShare) -> None:
    """Hear, look and read the copy. Raises StillThere where it tells what it should not."""
    again = _Findings(
        target, replace(wishes, dialects={}), lambda _, share: progress("looking through the copy", share)
    )
    moved = wishes.place in (COARSE, HIDDEN)
    left = {kind: count for kind, count in again.counts.items() if not (moved and kind in PLACES)}
    if left:
        raise StillThere(
            f"The copy still holds {counted(left)}: it is not kept",
            "Name the text (--secret), or write a rule for it (--also); please report the form",
        )
    if wishes.finds_places:
        _check_epochs(source, target, moved=moved)


def _check_epochs(source: Path, target: Path, *, moved: bool) -> None:
    """What Fix makes of the copy: no position, or one that lies well away from where it was."""
    before = {lane.name: lane.fix.track for lane in Source(source).lanes()} if moved else {}
    for lane in Source(target).lanes():
        true = {
            each.arrived: (each.latitude, each.longitude)
            for each in before.get(lane.name, ())
            if each.latitude is not None and each.longitude is not None
        }
        for epoch in lane.fix.track:
            if epoch.latitude is None or epoch.longitude is None:
                continue
            was = true.get(epoch.arrived)
            far = moved and (
                was is None or distance_and_bearing(*was, epoch.latitude, epoch.longitude)[0] >= LEAST_MOVED_M
            )
            if not far:
                at = clock(epoch.arrived) if epoch.arrived is not None else "an unknown time"
                raise StillThere(
                    f"{lane.name} still tells a position at {at}: the copy is not kept",
                    "Name the dialect of that lane (--dialect), or the text (--secret); please report the form",
                )


def _drawn(source: Path, place: str) -> PlaceOffset | None:
    """An offset of 2 to 11 km towards the equator, and up to 40 km east or west: known to nobody, kept nowhere."""
    if place not in (COARSE, HIDDEN):
        return None
    minutes = 1 + secrets.randbelow(5 * UNITS) / UNITS, 4 + secrets.randbelow(16 * UNITS) / UNITS
    east = round(minutes[1] * UNITS) * secrets.choice((-1, 1))
    if place == HIDDEN:
        return PlaceOffset(0, east)
    chunks = (record for record in _records(CaptureReader(source), source) if isinstance(record, Chunk))
    south = any(re.search(rb"\d{4}(?:\.\d+)?,S,\d{5}", chunk.data) for chunk in chunks)
    return PlaceOffset(round(minutes[0] * UNITS) * (1 if south else -1), east)
