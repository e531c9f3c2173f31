"""The state that screens and summaries are drawn from: lanes and their traffic, fed with what was recorded.

One thread owns a model: it alone feeds it and lets its time pass. It publishes what there is to see as values that
never change; whoever looks takes the newest, and waits for nobody. Lanes that are looked at are published as often as
that is asked for, the others twice a second; what did not change is the same object as before.
"""

import pickle
import threading
import zlib
from collections.abc import Iterable, Iterator, Sequence
from itertools import groupby
from typing import TYPE_CHECKING, Final, NamedTuple, cast

from pale_heron.bench.config.dialect_book import DialectBook
from pale_heron.bench.frame_tap import FrameTap
from pale_heron.bench.lane_pickle import pickled_lanes, unpickled_lanes
from pale_heron.bench.lane_pipeline import LanePipeline
from pale_heron.bench.pipeline import Record
from pale_heron.bench.traffic_log import CAPACITY, TrafficLog
from pale_heron.core.clock.events import PULSE_SOURCE
from pale_heron.core.clock.own_time import OwnTime
from pale_heron.core.clock.tracker import NOTHING_KNOWN, ClockSnapshot, ClockTracker
from pale_heron.core.frames import SECOND, Chunk, Event, Frame
from pale_heron.core.gnss.fix import EPOCHS_KEPT
from pale_heron.core.lane import Lane, LaneSnapshot
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.link.tracker import BEGUN, LinkTracker, SeeProbe
from pale_heron.core.order import WINDOW_NS
from pale_heron.core.proof.chronicle import NOTHING_HAPPENED, Chronicle, ChronicleSnapshot
from pale_heron.core.proof.marks import Mark, MarkBook
from pale_heron.core.raw_lane import RawLaneFeeder
from pale_heron.core.runs import Entries

if TYPE_CHECKING:
    from pale_heron.core.device.dialogue.tracker import ModuleSnapshot, ModuleTracker
    from pale_heron.core.link.description import TrialDescription
    from pale_heron.core.link.fates import ProbeResult
    from pale_heron.core.link.trial_snapshot import TrialSnapshot

TYING: Final = frozenset({BEGUN, PULSE_SOURCE})
"""Events from which on the lines of one lane say something of another."""

FEW: Final = 16
NEVER: Final = 1 << 63
"""Later than any time."""

UNLOOKED_NS: Final = SECOND // 2
"""How old the picture of a lane may be at which nobody looks closely."""


class RestartPoint(NamedTuple):
    """A place from which all lines could be framed again that are not whole there."""

    position: int
    lines: int
    """How many were whole before it."""
    before: int
    """Each of them stands before this."""
    state: bytes
    """The pipeline as it stood, without the lines that had no number yet."""


class ModelSnapshot(NamedTuple):
    """What there was to see at `now`."""

    now: int | None
    lanes: tuple[LaneSnapshot, ...]
    marks: tuple[Mark, ...] = ()
    """What was noted, and when."""
    trials: "tuple[TrialSnapshot, ...]" = ()
    """Counted tests of links, the oldest first."""
    clock: ClockSnapshot = NOTHING_KNOWN
    """What is known of time besides how late sentences come."""
    chronicle: ChronicleSnapshot = NOTHING_HAPPENED
    """What happened over all of it."""


class Model:
    """Lanes by nickname and the log of their traffic."""

    def __init__(
        self,
        *,
        log_lines: int = CAPACITY,
        start: int = 0,
        book: DialectBook | None = None,
        epochs_kept: int | None = EPOCHS_KEPT,
        probes: SeeProbe | None = None,
        lines: bool = True,
    ) -> None:
        """The first line will have the number `start`. `probes` is called with what became of each one of a trial.

        Without `lines` nobody looks at them: lanes are fed faster, and the log stays empty.
        """
        self._book = book or DialectBook()
        self._epochs_kept = epochs_kept
        self._start = start
        self._lines = lines
        self._pipeline = LanePipeline(self._new_lane, see=self._hear, heed=self._note)
        self._ears: tuple[FrameTap, ...] = ()
        self._marks = MarkBook()
        self._chronicle = Chronicle()
        self._probes = probes
        self._link = LinkTracker(self._chronicle.see if probes is None else self._see)
        self._clock = ClockTracker()
        self.far: frozenset[str] = frozenset()
        """Lanes whose chunks another model is fed, which hands them over later."""
        self._touched: set[str] = set()
        self._speakers: set[str] = set()
        """The lanes of modules."""
        self._unheard: set[str] = set()
        """Those of them on which something was said since `module_of` gave its last answer."""
        self._wanted: frozenset[str] | None = None
        self._pictures: dict[str, tuple[int | None, LaneSnapshot]] = {}
        self._modules: dict[str, tuple[tuple[int, int, str, str], ModuleSnapshot]] = {}
        self.recognised: dict[str, str] = {}
        """Lanes whose dialect was recognised and is not spoken yet, with its name."""
        self.news = threading.Condition()
        """Called whenever something was said on the lane of a module."""
        self.unseen_news = False
        """Whether that was since the newest picture."""
        self.published = ModelSnapshot(None, ())
        """The newest that there is to see."""
        self._log_lines = log_lines
        self.log = TrafficLog(log_lines, start)
        self._placed_from: int | None = None
        """Lines before this moment may have other places than they stand at; None where all have their own."""
        self._hurried_to = 0

    # For the thread that owns it

    def add(
        self, name: str, settings: LineSettings | None = None, *, role: str = "", address: str = "", raw: bool = False
    ) -> None:
        """Add a lane of which more is known than its nickname."""
        self._pipeline.lanes[name] = Lane(
            name,
            settings,
            role=role,
            address=address,
            raw=raw,
            epochs_kept=self._epochs_kept,
            dialects=self._book,
        )

    def raw_feeder(self, name: str, own: OwnTime) -> RawLaneFeeder:
        """What feeds a lane with the bytes of a raw file, where nobody wants its lines."""
        return RawLaneFeeder(self._pipeline.lane(name), own)

    def know(self, names: Iterable[str]) -> None:
        """Add the lanes that are not known yet, in this order."""
        for name in names:
            if name not in self._pipeline.lanes:
                self._pipeline.lane(name)

    def feed(self, *records: Record) -> Entries:
        """Take what was recorded, many at a time or few; gives the lines that have their number now."""
        if not self._lines:
            return self._feed_lanes(records)
        if self._placed_from == NEVER:
            # Time has passed as far as if each of them had been placed.
            self._pipeline.advance(self._hurried_to)
            self._placed_from = self._hurried_to + 2 * WINDOW_NS
        settled = Entries()
        at = 0
        while self._placed_from is not None and at < len(records):
            # A few at a time: what has its place with these is not among the lines.
            settled += self._feed(records[at : at + FEW])
            at += FEW
        return settled + self._feed(records[at:]) if at else self._feed(records)

    def hurry(self, *records: Record) -> None:
        """Take records whose lines nobody will look at; lines are there again a moment after others are fed."""
        if self._placed_from is None:
            self.log = TrafficLog(self._log_lines, self.log.settled)
        self._placed_from = NEVER
        self._hurried_to = max(self._hurried_to, *(record.time or 0 for record in records))
        self._feed_lanes(records)

    def _feed_lanes(self, records: Sequence[Record]) -> Entries:
        """Take records whose lines nobody looks at, but for those that a trial, a pulse or an ear is looked for in."""
        settled = Entries()
        for kind, group in groupby(records, type):
            run = list(group)
            if kind is Chunk:
                settled += self._feed_run(cast("list[Chunk]", run))
                continue
            if any(isinstance(record, Event) and record.name in TYING for record in run):
                # What came before is heard by nobody, whenever it is fed.
                self._pipeline.settle()
            settled += self._feed(run)
        return settled

    def _feed_run(self, run: Sequence[Chunk]) -> Entries:
        link = self._link
        if link.active or link.follows_lines or self._clock.listens or self._ears:
            self._pipeline.settle()
            return self._feed(run)
        far = self.far
        self._pipeline.gather([chunk for chunk in run if chunk.lane not in far] if far else run)
        self._chronicle.feed(run)
        return Entries()

    def _feed(self, records: Sequence[Record]) -> Entries:
        settled = self._pipeline.feed(records)
        self._feed_link(records)
        if self._link.locates and records:
            self._link.locate(records[-1].time or 0, self._pipeline.lanes.get)
        touched = {record.lane for record in records}
        self._touched |= touched
        if not touched <= self._speakers:
            lanes = self._pipeline.lanes
            self._speakers |= {name for name in touched if name in lanes and lanes[name].streams.spoken_to}
        self._unheard |= touched & self._speakers
        return self._log(settled)

    def _feed_link(self, records: Iterable[Record]) -> None:
        link = self._link
        for record in records:
            if isinstance(record, Event):
                link.heed(record)
            elif link.active and isinstance(record, Chunk):
                link.feed(record)
        self._chronicle.feed(record for record in records if isinstance(record, Chunk))

    def _see(self, described: "TrialDescription", begin: int, result: "ProbeResult") -> None:
        self._chronicle.see(described, begin, result)
        if self._probes is not None:
            self._probes(described, begin, result)

    def tick(self, now: int) -> Entries:
        """Nothing of before `now` will be fed any more."""
        if self._link.active:
            self._link.advance(now)
        if self._link.locates:
            self._link.locate(now, self._pipeline.lanes.get)
        return self._log(self._pipeline.advance(now))

    def finish(self) -> Entries:
        """The end of all streams."""
        settled = self._pipeline.finish()
        if self._placed_from is not None:
            self._placed_from = None
            self.log = TrafficLog(self._log_lines, self._pipeline.order.settled_count + self._start - len(settled))
        return self._log(settled)

    def end_trials(self, now: int) -> None:
        """The record ends here."""
        self._link.finish(now)
        self._link.locate(None, self._pipeline.lanes.get)

    def mark(self, position: int) -> RestartPoint:
        """Where things stand before the record at a position of the capture."""
        framings = {name: lane.streams.framing for name, lane in self._pipeline.lanes.items()}
        order = self._pipeline.order
        state = pickle.dumps(self._pipeline.state(framings, order.bare()))
        return RestartPoint(position, order.count + self._start, order.ceiling, state)

    @property
    def awaited(self) -> bool:
        """Whether the answer of a module is waited for."""
        return any(module.busy for _, module in self._modules.values())

    @property
    def numbered_until(self) -> int:
        """Every line whose place lies before this has its number."""
        return self._pipeline.order.floor

    def saved(self) -> bytes:
        """All of it but the log; `restored` takes it up again."""
        state = (
            self._book,
            self._marks,
            self._link,
            self._clock,
            self._chronicle,
            self._pipeline.state(self._pipeline.lanes),
        )
        return zlib.compress(pickle.dumps(state), 1)

    @classmethod
    def restored(cls, saved: bytes, start: int) -> "Model":
        """A model that stands as it was saved, by this program, in this run; its next line is `start`."""
        book, marks, link, clock, chronicle, state = pickle.loads(zlib.decompress(saved))
        model = cls(start=start, book=book)
        model._start = 0
        model._marks, model._link, model._clock, model._chronicle = marks, link, clock, chronicle
        model._pipeline.take_up(state)
        lanes = model._pipeline.lanes.items()
        model._speakers = {name for name, lane in lanes if lane.streams.spoken_to}
        return model

    def part_with(self, names: frozenset[str]) -> None:
        """Take no more chunks of these lanes, until they are handed over."""
        self.far = names

    def hand_over(self, names: Iterable[str]) -> bytes:
        """These lanes as they stand, to be taken by a model that was fed the same events."""
        self._pipeline.settle()
        return pickled_lanes({name: self._pipeline.lane(name) for name in names}, self._book)

    def take_over(self, handed: bytes) -> None:
        """Go on with lanes that another model hands over."""
        self._pipeline.settle()
        for name, lane in unpickled_lanes(handed, self._book).items():
            self._pipeline.adopt(name, lane)
            if lane.streams.spoken_to:
                self._speakers.add(name)
            self.far -= {name}

    def publish(self, now: int | None) -> None:
        """Let others see how things stand at `now`."""
        self.log.show_latest(self._pipeline.unsettled() if self._placed_from is None else ())
        self.unseen_news = False
        wanted, lanes = self._wanted, []
        for name, lane in list(self._pipeline.lanes.items()):
            made, picture = self._pictures.get(name, (None, None))
            old = made is None or now is None or abs(now - made) >= UNLOOKED_NS
            looked = wanted is None or name in wanted
            if picture is None or old or (looked and (name in self._touched or now != made)):
                picture = lane.snapshot(now)
                self._pictures[name] = now, picture
                self._touched.discard(name)
            lanes.append(picture)
        self.published = ModelSnapshot(
            now,
            tuple(lanes),
            self._marks.marks(),
            self._link.snapshot(),
            self._clock.snapshot(),
            self._chronicle.snapshot(),
        )

    def secrets_of(self, lane: str) -> frozenset[str]:
        """What went over a lane and must not be shown."""
        found = self._pipeline.lanes.get(lane)
        return frozenset(found.streams.secrets) if found is not None else frozenset()

    def modules(self) -> "Iterator[tuple[str, ModuleTracker]]":
        """The lanes of modules, with what is known of each."""
        for name in sorted(self._speakers):
            module = self._pipeline.lanes[name].module
            if module is not None:
                yield name, module

    def snapshots(self, now: int | None) -> tuple[LaneSnapshot, ...]:
        """All lanes as of `now`."""
        self._pictures.clear()
        self.publish(now)
        return self.published.lanes

    # For everybody

    def look(self, lanes: Iterable[str]) -> None:
        """Which lanes are looked at closely; all of them where none is named."""
        self._wanted = frozenset(lanes) or None

    def listen(self, lane: str) -> FrameTap:
        """Hear what comes on a lane from now on, until `leave`."""
        ear = FrameTap(lane)
        with self.news:
            self._ears = (*self._ears, ear)
        return ear

    def leave(self, ear: FrameTap) -> None:
        """Hear no more."""
        with self.news:
            self._ears = tuple(each for each in self._ears if each is not ear)

    def module_of(self, lane: str) -> "ModuleSnapshot | None":
        """What is known of the module of a lane."""
        found = self._modules.get(lane)
        return found[1] if found else None

    def _new_lane(self, name: str) -> Lane:
        return Lane(name, epochs_kept=self._epochs_kept, dialects=self._book)

    def _hear(self, frames: Sequence[Frame]) -> None:
        for ear in self._ears:
            ear.hear(frames)
        if self._clock.listens:
            self._clock.hear(frames)

    def _note(self, event: Event) -> None:
        """What concerns the whole bench."""
        self._book.heed(event)
        self._clock.heed(event)
        self._marks.heed(event)
        self._chronicle.heed(event)

    def _log(self, settled: Entries) -> Entries:
        if self._placed_from is not None:
            self._find_place()
        elif settled:
            self.log.extend(settled)
        if self._link.follows_lines:
            self._link.hear(settled)
            self._link.settled(self._pipeline.order.floor)
        if self._speakers:
            self._publish_modules()
        return settled

    def _find_place(self) -> None:
        """Go on with the log where lines have their own places again.

        All that was taken in a hurry stands before that; so what comes has the same number as if each had been placed.
        """
        order = self._pipeline.order
        if self._placed_from is not None and order.floor >= self._placed_from:
            self._placed_from = None
            self.log = TrafficLog(self._log_lines, order.settled_count + self._start)

    def _publish_modules(self) -> None:
        """Whoever waits for an answer sees it at once."""
        news = False
        lanes = [(name, self._pipeline.lanes[name]) for name in self._speakers]
        found = {name: lane.streams.found for name, lane in lanes if lane.streams.found}
        if found != self.recognised:
            self.recognised, news = found, True
        for name, lane in lanes:
            module = lane.module
            if module is None:
                continue
            seen = self._modules.get(name)
            if seen is None or name in self._unheard or seen[0] != module.version:
                self._modules[name] = module.version, module.snapshot(lane.streams.secrets)
                news = True
        self._unheard.clear()
        if news:
            self.unseen_news = True
            with self.news:
                self.news.notify_all()
