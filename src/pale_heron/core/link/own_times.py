"""Sentences heard on one lane alone: the times that they tell are numbers, so gaps are losses and repeats are doubles.

The time from one sentence to the next is learnt from those that come. A step of the sender's own clock is no loss: it
is known by its lag, the arrival minus the time told, which then falls below anything that a link could do.
"""

from collections import Counter
from typing import Final

from pale_heron.core.frames import NMEA, SECOND, Frame
from pale_heron.core.link.delivery import DeliveryCounter, DeliverySnapshot, HearResult
from pale_heron.core.nmea.raw import TIME_FIELD, fields_of, time_of_day
from pale_heron.core.samples import Sample
from pale_heron.core.utc import DAY

MOST_TYPES: Final = 16
LEARNT_FROM: Final = 3
"""So often a difference must come before it is taken for the time between sentences."""

STEP_NS: Final = 3 * SECOND
"""A sentence whose lag lies so far below the least one before it was stamped by a clock that was set."""

SHORTEST_NS: Final = SECOND // 100
LONGEST_LIMIT_NS: Final = 60 * SECOND
TOLERANCE: Final = 0.1
MOST_BACK: Final = 64


class OwnTimes:
    """The sentences of one type on one lane."""

    def __init__(self, kind: str, lane: str, limit_ns: int, hear: HearResult | None = None) -> None:
        self._limit_ns = min(limit_ns, LONGEST_LIMIT_NS)
        self._counter = DeliveryCounter(kind, lane, _nothing, self._limit_ns, hear)
        self._steps: Counter[int] = Counter()
        self._interval = 0
        self._number = 0
        self._last: int | None = None
        """The time of day that was told last."""
        self._least_lag: int | None = None
        self._bad = 0
        self._lags = Sample()
        self._waiting: list[tuple[int, int]] = []
        """What came before the time between sentences was known: time of day and arrival."""
        self.clock_steps = 0

    def spoilt(self) -> None:
        """A damaged one of this type came: it stands for one of those that are missing."""
        self._bad += 1

    def take(self, of_day: int, arrived: int) -> None:
        """A whole one came, which tells this time of day (nanoseconds)."""
        if not self._interval:
            self._learn(of_day, arrived)
            return
        self._watch(of_day)
        self._count(of_day, arrived)

    def _learn(self, of_day: int, arrived: int) -> None:
        if self._waiting:
            step = _turn(of_day - self._waiting[-1][0])
            if step >= SHORTEST_NS:
                self._steps[step] += 1
        self._waiting.append((of_day, arrived))
        known = [step for step, count in self._steps.items() if count >= LEARNT_FROM]
        if not known:
            if len(self._waiting) > MOST_BACK:
                # It keeps no time between its sentences: nothing can be said of what is missing.
                del self._waiting[0]
            return
        self._interval = min(known)
        waiting, self._waiting = self._waiting, []
        self._steps.clear()
        for each in waiting:
            self._count(*each)

    def _watch(self, of_day: int) -> None:
        """The receiver may be set to speak more often: then that counts from then on."""
        step = _turn(of_day - self._last) if self._last is not None else 0
        if SHORTEST_NS <= step < (1 - 2 * TOLERANCE) * self._interval:
            self._steps[step] += 1
            if self._steps[step] >= LEARNT_FROM:
                self._interval = step
                self._steps.clear()

    def _count(self, of_day: int, arrived: int) -> None:
        lag = _turn(arrived % DAY - of_day)
        if self._last is None:
            self._begin(of_day, arrived, lag)
            return
        step = _turn(of_day - self._last)
        ahead = round(step / self._interval)
        uneven = abs(step - ahead * self._interval) > TOLERANCE * self._interval
        set_ahead = self._least_lag is not None and lag < self._least_lag - STEP_NS
        if uneven or set_ahead or step < -self._limit_ns:
            self.clock_steps += 1
            self._begin(of_day, arrived, lag)
            return
        self._least_lag = lag if self._least_lag is None else min(self._least_lag, lag)
        number = self._number + ahead
        if ahead > 0:
            self._send_missing(number, arrived - (lag - self._least_lag))
            self._number, self._last = number, of_day
        elif number < 1:
            return
        self._lags.add(lag / SECOND)
        self._counter.take(number, arrived)

    def _begin(self, of_day: int, arrived: int, lag: int) -> None:
        """Afresh, by a clock that was set."""
        self._least_lag = lag
        self._last = of_day
        self._number += 1
        self._lags.add(lag / SECOND)
        self._counter.send(self._number, arrived)
        self._counter.take(self._number, arrived)

    def _send_missing(self, number: int, moment: int) -> None:
        """All from the last one to this one, said at a moment, were said; those between have not come.

        The moment is when it would have come with the least lag: what the two clocks differ by makes nothing late.
        """
        every = self._interval
        first = self._number + 1
        # What was said longer ago than the limit is lost for sure: it is counted at once, however much it is.
        gone = max(0, number - first - self._limit_ns // every - 1)
        if gone:
            self._counter.miss(first, gone, moment - (number - first) * every, every)
        for each in range(first + gone, number):
            self._counter.send(each, moment - (number - each) * every)
            if self._bad:
                self._bad -= 1
                self._counter.spoil(each)
        self._bad = 0
        self._counter.send(number, moment)

    def advance(self, now: int) -> None:
        """Time passes. What would have been said meanwhile counts when the next one shows that it was."""
        self._counter.advance(now)

    def finish(self, now: int) -> None:
        """It was heard to its end."""
        self._counter.finish(now)

    def snapshot(self) -> DeliverySnapshot:
        """How it stands; its latency is the lag, arrival minus the time told, whatever the two clocks differ by."""
        return self._counter.snapshot()._replace(latency=self._lags.times())


class OwnTimesTracker:
    """All timed types of one lane."""

    def __init__(self, lane: str, limit_ns: int, hear: HearResult | None = None) -> None:
        self._lane = lane
        self._limit_ns = limit_ns
        self._hear = hear
        self._types: dict[str, OwnTimes] = {}

    def feed(self, frame: Frame) -> None:
        """Take one frame of the lane; what tells no time counts for nothing."""
        place = TIME_FIELD.get(frame.type[-3:]) if frame.kind is NMEA else None
        if place is None or frame.time is None:
            return
        found = self._types.get(frame.type)
        if frame.bad:
            if found is not None:
                found.spoilt()
            return
        fields = fields_of(frame.data)
        of_day = time_of_day(fields[place]) if len(fields) > place else None
        if of_day is None:
            return
        if found is None:
            if len(self._types) >= MOST_TYPES:
                return
            found = self._types[frame.type] = OwnTimes(frame.type, self._lane, self._limit_ns, self._hear)
        found.take(of_day, frame.time)

    def advance(self, now: int) -> None:
        for each in self._types.values():
            each.advance(now)

    def finish(self, now: int) -> None:
        for each in self._types.values():
            each.finish(now)

    @property
    def clock_steps(self) -> int:
        """How often the clock of the sender was set, at most by any type."""
        return max((each.clock_steps for each in self._types.values()), default=0)

    def snapshots(self) -> tuple[DeliverySnapshot, ...]:
        """One a type that keeps a time between its sentences."""
        found = (each.snapshot() for each in self._types.values())
        return tuple(each for each in found if each.sent)


def _turn(nanoseconds: int) -> int:
    """A difference of two times of day, the short way round."""
    return (nanoseconds + DAY // 2) % DAY - DAY // 2


def _nothing(_number: int) -> bytes:
    """What was said in a sentence that never came is not known."""
    return b""
