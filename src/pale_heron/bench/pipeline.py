"""The one way from records to what is made of them: live, replayed, read back, decoded, summed up, redacted.

    records ──▶ the stage of their lane ──▶ frames ──▶ the order of their times ──▶ lines

What a *stage* does with a lane's records is the consumer's choice: `Framing` cuts frames, `LaneStreams` also listens to
a module, `Lane` tracks everything. Which pauses have ended what follows from the times of the records alone, so the
result is the same however many records are taken at a time, and whether a clock runs beside them (`advance`) or not.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Final, Generic, Protocol, TypeVar, cast

from pale_heron.core.clock.events import UNLISTED
from pale_heron.core.frames import SECOND, Chunk, Event, Frame
from pale_heron.core.framing import Framing
from pale_heron.core.order import SLACK_NS, WINDOW_NS, Order
from pale_heron.core.runs import Entries, FrameRun
from pale_heron.core.wire.framer import HeldBytes

Record = Chunk | Event | Frame
"""A raw file has frames for records: only they know times."""

LATE_NS: Final = SLACK_NS
"""A pause is believed so much later: bytes may be on their way for so long."""

TICK_NS: Final = SECOND // 50


class LaneStage(Protocol):
    """What is done with the records of one lane."""

    @property
    def framing(self) -> Framing:
        """What cuts its streams."""
        ...

    def feed(self, chunk: Chunk) -> list[Frame]: ...

    def event(self, event: Event) -> list[Frame]: ...

    def tick(self, now: int) -> list[Frame]: ...

    def finish(self) -> list[Frame]: ...

    def take(self, frames: Iterable[Frame]) -> None: ...


Kind = TypeVar("Kind", bound=LaneStage)
State = tuple[Mapping[str, LaneStage], Order, dict[str, HeldBytes], int, int]


class Pipeline(Generic[Kind]):
    """`make` gives the stage of a lane that is new. Not for several threads at once."""

    def __init__(
        self,
        make: Callable[[str], Kind],
        lanes: Mapping[str, Kind] | None = None,
        see: Callable[[Sequence[Frame]], None] | None = None,
        heed: Callable[[Event], None] | None = None,
    ) -> None:
        """`see` is shown frames as they become whole, before they have their place; `heed` events before all others."""
        self._make = make
        self._see = see
        self._heed = heed
        self.lanes: dict[str, Kind] = dict(lanes or {})
        self._order = Order()
        self._waiting: dict[str, HeldBytes] = {}
        self._now = 0
        self._ticked = 0

    def feed(self, records: Iterable[Record]) -> Entries:
        """Take records, many or few; gives the lines that have their place for good."""
        for record in records:
            now = record.time
            if now is not None and now > self._now:
                self._pass(now)
            if isinstance(record, Chunk):
                self._take_chunk(record)
            elif isinstance(record, Event):
                self._take_event(record)
            else:
                self.lane(record.lane).take((record,))
                self._add((record,))
        return self._order.settled()

    def advance(self, now: int) -> Entries:
        """No record of before `now` will come any more: what pauses end until then."""
        self._pass(now)
        return self._order.settled()

    def finish(self) -> Entries:
        """The end of all streams."""
        for lane in self.lanes.values():
            self._add(lane.finish())
        self._waiting.clear()
        return self._order.finish()

    def unsettled(self) -> Entries:
        """The latest lines, whose places may still change, and behind them those that grow."""
        framings = (self.lanes[name].framing for name in self._waiting)
        growing = [frame for each in framings if (frame := each.growing(self._now)) is not None]
        return self._order.unsettled() + Entries(growing)

    def lane(self, name: str) -> Kind:
        """The stage of a lane, made where it is new."""
        found = self.lanes.get(name)
        if found is None:
            found = self.lanes[name] = self._make(name)
        return found

    def adopt(self, name: str, lane: Kind) -> None:
        """Go on with the stage of a lane that was fed elsewhere."""
        self.lanes[name] = lane
        self._note(name, lane)

    def state(self, stages: Mapping[str, LaneStage], order: Order | None = None) -> "State":
        """This moment, to be pickled; with these stages, which have cut the same frames as its own."""
        return stages, order or self._order, self._waiting, self._now, self._ticked

    @property
    def order(self) -> Order:
        """Where lines get their places; to be looked at."""
        return self._order

    def take_up(self, state: "State") -> None:
        """Go on from a moment whose stages are of this pipeline's kind."""
        stages, self._order, self._waiting, self._now, self._ticked = state
        self.lanes = cast("dict[str, Kind]", dict(stages))

    def _take_chunk(self, chunk: Chunk) -> None:
        name = chunk.lane
        lane = self.lanes.get(name) or self.lane(name)
        frames = lane.feed(chunk)
        if frames:
            self._add(frames)
        if lane.framing.waiting or name in self._waiting:
            self._note(name, lane)

    def _take_event(self, event: Event) -> None:
        if self._heed is not None:
            self._heed(event)
        lane = self.lane(event.lane) if event.lane else None
        if lane is not None:
            self._add(lane.event(event))
            self._note(event.lane, lane)
        if "table" in event.details:
            # The tables of a dialect are for the lane alone.
            shown = {name: value for name, value in event.details.items() if name != "table"}
            event = event._replace(details=shown)
        if event.name not in UNLISTED:
            self._order.add((event,))

    def _add(self, frames: Sequence[Frame]) -> None:
        if isinstance(frames, FrameRun):
            self._order.add_run(frames)
        else:
            self._order.add(frames)
        if self._see is not None:
            self._see(frames)

    def _note(self, name: str, lane: Kind) -> None:
        """Remember what waits on a lane."""
        held = lane.framing.held
        if held is not None:
            self._waiting[name] = held
        elif name in self._waiting:
            del self._waiting[name]

    def _up_to_date(self) -> Iterable[Kind]:
        """The lanes that were fed everything so far: those for which time may pass."""
        return self.lanes.values()

    def _pass(self, now: int) -> None:
        """Let time pass: pauses end what waited, one after the other, and lines get their places."""
        if now <= self._now:
            return
        waiting = self._waiting
        if not waiting and now - self._ticked < TICK_NS:
            # As for nearly every record: nothing ends by itself.
            self._now = now
            self._order.rise(now - SLACK_NS)
            return
        while waiting:
            name, held = min(waiting.items(), key=lambda each: each[1].until)
            due = held.until + LATE_NS + 1
            if due > now:
                break
            self._rise(due)
            lane = self.lanes[name]
            self._add(lane.tick(held.until + 1))
            self._note(name, lane)
        if now - self._ticked >= TICK_NS:
            self._ticked = now
            for lane in self._up_to_date():
                frames = lane.tick(now - LATE_NS)
                if frames:
                    self._add(frames)
        self._now = now
        self._rise(now)

    def _rise(self, now: int) -> None:
        low = now - SLACK_NS
        for held in self._waiting.values():
            low = min(low, held.since)
        self._order.rise(max(low, now - WINDOW_NS))
