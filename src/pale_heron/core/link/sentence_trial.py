"""A trial in which nothing is sent: what is said anyway is followed from lane to lane, or on one by itself.

It takes lines in their order, not bytes: sentences are whole lines. Of two lanes both are there from the beginning, or
from when the record says that they were opened, until they are lost.
"""

from collections import deque

from pale_heron.core.frames import BACK_EVENTS, ENDING_EVENTS, IN, SECOND, Event, Frame
from pale_heron.core.link.beacon import BeaconCounter
from pale_heron.core.link.description import BEACON, TrialDescription
from pale_heron.core.link.fates import HearResult, ProbeResult
from pale_heron.core.link.own_times import OwnTimesTracker
from pale_heron.core.link.reach import RangeCounter
from pale_heron.core.link.sentences import SentenceMatcher
from pale_heron.core.link.trial import AWAY_KEPT, range_counter
from pale_heron.core.link.trial_snapshot import AwayPeriod, TrialEnd, TrialSnapshot


class SentenceTrialTracker:
    """Takes the lines and events of a bench in their order."""

    def __init__(self, described: TrialDescription, begin: int, see: HearResult | None = None) -> None:
        """`see` is called with what became of each sentence."""
        self._see = see
        self.described = described
        self._begin = begin
        self._end: TrialEnd | None = None
        self._ended_at: int | None = None
        self._away: deque[AwayPeriod] = deque(maxlen=AWAY_KEPT)
        limit_ns = round(described.limit_s * SECOND)
        self._range: RangeCounter | None = range_counter(described, " ▸ ".join(described.lanes))
        self._counter: SentenceMatcher | OwnTimesTracker | BeaconCounter
        if described.kind == BEACON:
            every_ns = round(described.every_s * SECOND)
            self._counter = BeaconCounter(described.lanes[0], limit_ns, described.line, every_ns, self._hear)
        elif len(described.lanes) == 2:
            self._counter = SentenceMatcher(*described.lanes, limit_ns, self._hear)
        else:
            self._counter = OwnTimesTracker(described.lanes[0], limit_ns, self._hear)

    def _hear(self, result: ProbeResult) -> None:
        if self._see is not None:
            self._see(result)
        if self._range is not None:
            self._range.settle(result.sent, result.result)

    @property
    def ranges(self) -> tuple[RangeCounter, ...]:
        """Those whose places are to be looked up."""
        return () if self._range is None else (self._range,)

    def hear(self, frame: Frame) -> None:
        """Take one line."""
        if frame.time is not None and frame.direction is IN and frame.lane in self.described.lanes:
            self._counter.feed(frame)

    def heed(self, event: Event) -> None:
        """Take what happened on its lanes."""
        if event.lane not in self.described.lanes:
            return
        away = next((each for each in self._away if each.lane == event.lane and each.end is None), None)
        listens = event.lane == self.described.lanes[-1]
        if event.name in ENDING_EVENTS and away is None:
            self._away.append(AwayPeriod(event.lane, event.time, None))
            if listens:
                self._counter.leave(event.time)
        elif event.name in BACK_EVENTS:
            if away is not None:
                self._away[self._away.index(away)] = away._replace(end=event.time)
            if listens and isinstance(self._counter, SentenceMatcher):
                self._counter.open()

    def sent_out(self, now: int) -> None:
        """What is said from now on is not asked about; what is under way is listened for."""
        self._counter.stop(now)

    def advance(self, now: int) -> None:
        """All lines of before `now` have their place."""
        self._counter.advance(now)

    def finish(self, now: int, end: TrialEnd) -> None:
        """It ended."""
        self._counter.finish(now, listened=end.listened)
        self._ended_at, self._end = now, end

    def snapshot(self) -> TrialSnapshot:
        """How it stands."""
        counter, end = self._counter, self._end
        matched = counter.snapshot() if isinstance(counter, SentenceMatcher) else None
        own = None if isinstance(counter, SentenceMatcher) else counter
        return TrialSnapshot(
            described=self.described,
            begin=self._begin,
            end=self._ended_at,
            ended=end.why if end is not None else "",
            ended_by=end.by if end is not None else "",
            directions=(matched.all,) if matched is not None else own.snapshots() if own else (),
            exchange=None,
            trip=None,
            own_bytes_back=False,
            types=matched.types if matched is not None else (),
            left_out=matched.left_out if matched is not None else (),
            clock_steps=own.clock_steps if own else 0,
            ranges=() if self._range is None else (self._range.snapshot(),),
            away=tuple(self._away),
            recent=counter.recent() if isinstance(counter, BeaconCounter) else None,
        )
