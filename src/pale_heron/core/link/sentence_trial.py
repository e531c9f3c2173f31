"""A trial in which nothing is sent: what a receiver says is followed from lane to lane, or by its own times on one.

It takes lines in their order, not bytes: sentences are whole lines. Of two lanes, a type counts from when the second
one first carried it.
"""

from typing import Final

from pale_heron.core.frames import BACK_EVENTS, ENDING_EVENTS, IN, Event, Frame
from pale_heron.core.link.delivery import HearResult, ProbeResult
from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.own_times import OwnTimesTracker
from pale_heron.core.link.reach import RangeCounter
from pale_heron.core.link.sentences import Carried, SentenceMatcher
from pale_heron.core.link.trial import TrialSnapshot, range_counter

ALWAYS: Final = 2**62


class SentenceTrialTracker:
    """Takes the lines and events of a bench in their order."""

    def __init__(self, described: TrialDescription, begin: int, see: HearResult | None = None) -> None:
        """`see` is called with what became of each sentence."""
        self._see = see
        self.described = described
        self._begin = begin
        self._end: int | None = None
        self._ended = ""
        limit_ns = round(described.limit_s * 1e9)
        self._range: RangeCounter | None = range_counter(described, " ▸ ".join(described.lanes))
        self._matcher: SentenceMatcher | None = None
        self._own: OwnTimesTracker | None = None
        if len(described.lanes) == 2:
            there = Carried(begin, ALWAYS, frozenset())
            self._matcher = SentenceMatcher(*described.lanes, there, limit_ns, self._hear)
        else:
            self._own = OwnTimesTracker(described.lanes[0], limit_ns, self._hear)

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
        if frame.time is None or frame.direction is not IN or frame.lane not in self.described.lanes:
            return
        if self._own is not None:
            self._own.feed(frame)
        elif self._matcher is not None:
            self._matcher.learn(frame)
            self._matcher.feed(frame)

    def heed(self, event: Event) -> None:
        """Take what happened on its lanes."""
        if self._matcher is not None and event.lane == self.described.lanes[-1]:
            if event.name in ENDING_EVENTS:
                self._matcher.leave()
            elif event.name in BACK_EVENTS:
                self._matcher.away = False

    def advance(self, now: int) -> None:
        """All lines of before `now` have their place."""
        for each in (self._matcher, self._own):
            if each is not None:
                each.advance(now)

    def finish(self, now: int, why: str) -> None:
        """It ended."""
        for each in (self._matcher, self._own):
            if each is not None:
                each.finish(now)
        self._end, self._ended = now, why

    def snapshot(self) -> TrialSnapshot:
        """How it stands."""
        matched = self._matcher.snapshot() if self._matcher is not None else None
        return TrialSnapshot(
            described=self.described,
            begin=self._begin,
            end=self._end,
            ended=self._ended,
            directions=(matched.all,) if matched else self._own.snapshots() if self._own else (),
            exchange=None,
            round_trip=None,
            own_bytes_back=False,
            unanswered=0,
            types=matched.types if matched else (),
            clock_steps=self._own.clock_steps if self._own else 0,
            ranges=() if self._range is None else (self._range.snapshot(),),
        )
