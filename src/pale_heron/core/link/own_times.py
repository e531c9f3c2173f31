"""Sentences heard on one lane alone: the times that they tell are numbers, so gaps are losses and repeats are doubles.

The time from one sentence to the next is learnt from those that come. A step of the sender's own clock is no loss: it
is known by its lag, the arrival minus the time told, which then falls below anything that a link could do.

A later sentence proves a gap at once, as a line keeps its order. Silence to the end is an outage too: while the lane is
open, what the interval makes due is taken for said. While it is not, what would have been said is not known.
"""

from collections import Counter
from typing import Final

from pale_heron.core.frames import NMEA, SECOND, Frame
from pale_heron.core.link.fates import AWAY, CUT, LOST, STRIP, UNDER_WAY, DeliverySnapshot, HearResult, LinkOutage
from pale_heron.core.link.ledger import Ledger
from pale_heron.core.nmea.raw import TIME_FIELD, fields_of, time_of_day
from pale_heron.core.samples import Sample
from pale_heron.core.utc import DAY, turned

MOST_TYPES: Final = 16
LEARNT_FROM: Final = 3
"""So often a difference must come before it is taken for the time between sentences."""

STEP_NS: Final = 3 * SECOND
"""A sentence whose lag lies so far below the least one before it was stamped by a clock that was set."""

SHORTEST_NS: Final = SECOND // 100
LONGEST_LIMIT_NS: Final = 60 * SECOND
TOLERANCE: Final = 0.1
MOST_BACK: Final = 64
EVER: Final = 1 << 62


class OwnTimes:
    """The sentences of one type on one lane."""

    def __init__(self, kind: str, lane: str, limit_ns: int, hear: HearResult | None = None) -> None:
        self._limit_ns = min(limit_ns, LONGEST_LIMIT_NS)
        self._ledger = Ledger(kind, lane, self._limit_ns, hear, in_order=True)
        self._steps: Counter[int] = Counter()
        self._interval = 0
        self._number = 0
        self._last: int | None = None
        """The time of day that was told last."""
        self._least_lag: int | None = None
        self._moment = 0
        """When the last one that is taken for said would have come with the least lag."""
        self._left_at: int | None = None
        self._until = EVER
        self._now = 0
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
        if self._left_at is not None:
            self._return(of_day, arrived)
            return
        self._watch(of_day)
        self._count(of_day, arrived)

    def take_ahead(self, ahead: int, arrived: int, interval: int) -> None:
        """A whole one came that tells no time, and whose place is known: so many behind the last, one each interval."""
        self._interval = interval
        if self._last is None or self._left_at is not None:
            if self._left_at is not None:
                self._pass_what_was_away(arrived)
            self._begin(0, arrived, 0)
        else:
            self._place(ahead, arrived, arrived, 0)

    def _learn(self, of_day: int, arrived: int) -> None:
        if self._waiting:
            step = turned(of_day - self._waiting[-1][0])
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
        step = turned(of_day - self._last) if self._last is not None else 0
        if SHORTEST_NS <= step < (1 - 2 * TOLERANCE) * self._interval:
            self._steps[step] += 1
            if self._steps[step] >= LEARNT_FROM:
                self._interval = step
                self._steps.clear()

    def _count(self, of_day: int, arrived: int) -> None:
        lag = turned(arrived % DAY - of_day)
        if self._last is None:
            self._begin(of_day, arrived, lag)
            return
        step = turned(of_day - self._last)
        ahead = round(step / self._interval)
        uneven = abs(step - ahead * self._interval) > TOLERANCE * self._interval
        set_ahead = self._least_lag is not None and lag < self._least_lag - STEP_NS
        if uneven or set_ahead or step < -self._limit_ns:
            self.clock_steps += 1
            self._begin(of_day, arrived, lag)
            return
        self._least_lag = lag if self._least_lag is None else min(self._least_lag, lag)
        if self._place(ahead, arrived, arrived - (lag - self._least_lag), of_day):
            self._lags.add(lag / SECOND)

    def _place(self, ahead: int, arrived: int, moment: int, of_day: int) -> bool:
        """Enter one that was said so many behind the last; False where nobody asks about it."""
        number = self._number + ahead
        if ahead > 0:
            asked = self._send_missing(number, moment)
            self._number, self._last = number, of_day
            if not asked:
                return False
        elif number < 1:
            return False
        self._ledger.deliver(number, arrived)
        return True

    def _begin(self, of_day: int, arrived: int, lag: int) -> None:
        """Afresh, by a clock that was set."""
        self._least_lag = lag
        self._last = of_day
        self._number = max(self._number, self._ledger.last_sent) + 1
        self._moment = arrived
        self._lags.add(lag / SECOND)
        self._ledger.send(self._number, arrived)
        self._ledger.deliver(self._number, arrived)

    def _send_missing(self, number: int, moment: int) -> bool:
        """All from the last one to this one, said at a moment, were said; those between have not come.

        The moment is when it would have come with the least lag: what the two clocks differ by makes nothing late.
        False where this one was said when nothing was asked about any more: it only shows what became of the others.
        """
        every = self._interval
        first, asked = self._number + 1, moment <= self._until
        if not asked:
            behind = -(-(moment - self._until) // every)
            number, moment = number - behind, moment - behind * every
        # What was said longer ago than the limit is lost for sure: it is counted at once, however much it is.
        gone = max(0, number - first - self._limit_ns // every - 1)
        if gone:
            self._ledger.miss(first, gone, moment - (number - first) * every, every)
        for each in range(first + gone, number + 1):
            self._ledger.send(each, moment - (number - each) * every)
            if self._bad and (each < number or not asked):
                self._bad -= 1
                self._ledger.spoil(each)
        self._bad = 0
        self._moment = moment
        if not asked:
            self._ledger.settle_all(number)
        return asked

    def stop(self, now: int) -> None:
        """What is said from now on is not asked about; it may show what became of what was said before."""
        self._until = now

    def leave(self, now: int) -> None:
        """The lane is gone: what is said meanwhile nobody hears."""
        if self._left_at is None:
            self._settle_silence(now, AWAY)
            self._ledger.leave()
            self._left_at = now

    def _return(self, of_day: int, arrived: int) -> None:
        """The first one after the lane was gone: those between would have been said, and nobody could hear them."""
        self._pass_what_was_away(arrived)
        self._begin(of_day, arrived, turned(arrived % DAY - of_day))

    def _pass_what_was_away(self, arrived: int) -> None:
        self._left_at = None
        self._ledger.pass_over(round((arrived - self._moment) / self._interval) - 1, AWAY)
        self._ledger.back()
        self._bad = 0

    def _silent(self, now: int) -> tuple[int, int]:
        """How many are due since the last one, as the interval has it, and of how many of these the limit is over."""
        if not self._interval or self._left_at is not None or self._last is None:
            return 0, 0
        due = max(0, min(now, self._until) - self._moment) // self._interval
        return due, min(due, max(0, now - self._limit_ns - self._moment) // self._interval)

    def overdue(self, now: int) -> int:
        """How many are due since the last one, and have not come within the limit."""
        return self._silent(now)[1]

    def _settle_silence(self, now: int, reason: str) -> None:
        """It will not be heard any more: what was due for longer than the limit is lost, the rest is not known."""
        due, gone = self._silent(now)
        if gone:
            self._ledger.miss(self._number + 1, gone, self._moment + self._interval, self._interval)
        self._ledger.pass_over(due - gone, reason)
        self._moment += due * self._interval

    def advance(self, now: int) -> None:
        """Time passes. What is due meanwhile counts once the next one shows it, or it is silent for long."""
        self._now = now
        self._ledger.advance(now)

    def finish(self, now: int, *, listened: bool) -> None:
        """It was heard to its end."""
        self._settle_silence(now, CUT)
        self._ledger.finish(now, listened=listened)
        self._interval = 0

    def snapshot(self) -> DeliverySnapshot:
        """How it stands; its latency is the lag, arrival minus the time told, whatever the two clocks differ by."""
        found = self._ledger.snapshot()._replace(latency=self._lags.times())
        due, gone = self._silent(self._now)
        if not due:
            return found
        # It may still be shown otherwise: so it stands in the picture alone.
        begin = self._moment + self._interval
        outages = (*found.outages, LinkOutage(begin, None, gone)) if gone >= 2 else found.outages
        return found._replace(
            sent=found.sent + due,
            lost=found.lost + gone,
            outages=outages,
            longest_run=max(found.longest_run, gone),
            strip=(*found.strip, *([LOST] * min(gone, STRIP)), *([UNDER_WAY] * min(due - gone, STRIP)))[-STRIP:],
            under_way=found.under_way + due - gone,
            awaited=found.awaited + due - gone,
        )


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

    def stop(self, now: int) -> None:
        """What is said from now on is not asked about."""
        for each in self._types.values():
            each.stop(now)

    def leave(self, now: int) -> None:
        """The lane is gone; the next sentence shows that it is back."""
        for each in self._types.values():
            each.leave(now)

    def finish(self, now: int, *, listened: bool) -> None:
        for each in self._types.values():
            each.finish(now, listened=listened)

    @property
    def clock_steps(self) -> int:
        """How often the clock of the sender was set, at most by any type."""
        return max((each.clock_steps for each in self._types.values()), default=0)

    def snapshots(self) -> tuple[DeliverySnapshot, ...]:
        """One a type that keeps a time between its sentences."""
        found = (each.snapshot() for each in self._types.values())
        return tuple(each for each in found if each.sent)
