"""How late what a receiver says reaches us: the arrival of each sentence after the UTC that it tells.

A lag is arrival by this computer's clock minus the told time, so it holds the error of that clock too. Times of day are
compared, turned to within half a day: that the date is another one is for others to say.
"""

from collections import deque
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.nmea.raw import TIME_FIELD, time_of_day
from pale_heron.core.samples import Sample, Times
from pale_heron.core.utc import DAY

KEPT: Final = 1 << 11
"""So many lags of a type are kept; their percentiles are as good as such a sample is, least and most are exact."""

MOST_TYPES: Final = 24
STEP_NS: Final = SECOND // 2
"""A lag that jumps by so much, and stays there, means that one of the two clocks was set."""

STAYS: Final = 5
QUIET_SHARE: Final = 0.25
LEAST_QUIET_NS: Final = 20_000_000
"""After a pause of this share of the interval, and at least this, a sentence belongs to the next round."""

BUCKET_NS: Final = 10 * SECOND
BUCKETS: Final = 360
LAG_HOUR_NS: Final = 3600 * SECOND
ANEW_NS: Final = SECOND
"""Figures are made afresh no oftener."""


class LagPoint(NamedTuple):
    """Ten seconds of lags: when they began, how many, their mean, least and most, in seconds."""

    time: int
    samples: int
    mean: float
    least: float
    most: float


class TypeLag(NamedTuple):
    """The lags of one type of sentence, in seconds."""

    type: str
    lag: Times
    history: tuple[LagPoint, ...]

    @property
    def spread_s(self) -> float:
        """Between the 5th and the 95th of a hundred."""
        return self.lag.p95 - self.lag.p5

    @property
    def holds(self) -> bool | None:
        """Whether every ten seconds of the last hour lie where nine tenths of all do; None while there are too few."""
        recent = [each for each in self.history if each.time > self.history[-1].time - LAG_HOUR_NS]
        if len(recent) < 3:
            return None
        return all(self.lag.p5 <= each.mean <= self.lag.p95 for each in recent)


class BurstLag(NamedTuple):
    """A round of sentences: first and last byte after the told time, seconds; its bytes, and how often it comes."""

    begin: Times
    end: Times
    bytes: float
    interval_s: float


class LagSnapshot(NamedTuple):
    """What a lane says of time. `steps` is how often a clock was set; figures count `since` the last of them."""

    types: tuple[TypeLag, ...]
    burst: BurstLag | None
    since: int | None
    steps: int


EMPTY: Final = LagSnapshot((), None, None, 0)


class _LagTotals:
    """One type; its history stays bounded."""

    def __init__(self) -> None:
        self.sample = Sample(KEPT)
        self.last = 0
        self.astray = 0
        self.points: deque[LagPoint] = deque(maxlen=BUCKETS)

    def add(self, lag_ns: int, arrived: int) -> None:
        lag = lag_ns / SECOND
        self.last, self.astray = lag_ns, 0
        self.sample.add(lag)
        bucket = arrived - arrived % BUCKET_NS
        if self.points and self.points[-1].time == bucket:
            _, count, mean, least, most = self.points[-1]
            mean += (lag - mean) / (count + 1)
            self.points[-1] = LagPoint(bucket, count + 1, mean, min(least, lag), max(most, lag))
        else:
            self.points.append(LagPoint(bucket, 1, lag, lag, lag))


class LagTracker:
    """Feed it the sentences of a lane that are believed, as they came; it can be pickled."""

    def __init__(self) -> None:
        self._steps = 0
        self._cached: tuple[int, LagSnapshot] | None = None
        self._begin_again()

    def _begin_again(self) -> None:
        self._types: dict[str, _LagTotals] = {}
        self._since: int | None = None
        self._told: int | None = None
        self._interval = 0
        self._first: int | None = None
        """When the round under way began."""
        self._whole = False
        """The interval was known when the round began, so where it begins is known too."""
        self._end = self._last = 0
        self._bytes = 0
        self._begins, self._ends, self._sizes = Sample(KEPT), Sample(KEPT), Sample(KEPT)

    def feed(self, frame: Frame, byte_ns: int) -> None:
        """One sentence; a byte takes `byte_ns` on its line, 0 where that is not known."""
        arrived = frame.time
        if arrived is None:
            return
        if arrived - self._end > max(LEAST_QUIET_NS, QUIET_SHARE * self._interval) or self._first is None:
            self._end_round()
            self._first, self._whole = arrived, self._interval > 0
        self._last = arrived
        self._end = arrived + len(frame.data) * byte_ns
        self._bytes += len(frame.data)
        place = TIME_FIELD.get(frame.type[-3:])
        if place is None:
            return
        fields = frame.data.split(b",", place + 1)
        told = time_of_day(fields[place]) if len(fields) > place + 1 else None
        if told is not None:
            self._take(frame.type, told, arrived)

    def _take(self, kind: str, told: int, arrived: int) -> None:
        if told != self._told:
            if self._told is not None:
                self._interval = (told - self._told) % DAY
            self._told = told
        lag = _turn(arrived % DAY - told)
        totals = self._types.get(kind)
        if totals is None:
            if len(self._types) >= MOST_TYPES:
                return
            totals = self._types[kind] = _LagTotals()
        elif abs(lag - totals.last) > STEP_NS:
            totals.astray += 1
            if totals.astray < STAYS:
                return
            self._steps += 1
            self._begin_again()
            self._take(kind, told, arrived)
            return
        if self._since is None:
            self._since = arrived
        totals.add(lag, arrived)

    def _end_round(self) -> None:
        """The round before is whole: nothing came for a while."""
        if self._first is not None and self._told is not None and self._whole:
            begin, end = (_turn(moment % DAY - self._told) for moment in (self._first, self._end))
            # One that stands over a step of a clock tells nothing.
            if abs(end - begin) < max(SECOND, 2 * self._interval):
                self._begins.add(begin / SECOND)
                self._ends.add(end / SECOND)
                self._sizes.add(float(self._bytes))
        self._bytes = 0

    def snapshot(self, now: int | None) -> LagSnapshot:
        """How it stands; made afresh once a second, since percentiles take a moment."""
        moment = self._last if now is None else now
        if self._cached is not None and 0 <= moment - self._cached[0] < ANEW_NS:
            return self._cached[1]
        found = self._figures()
        self._cached = moment, found
        return found

    def _figures(self) -> LagSnapshot:
        types = []
        for name, totals in self._types.items():
            times = totals.sample.times()
            if times is not None:
                types.append(TypeLag(name, times, tuple(totals.points)))
        begin, end, size = self._begins.times(), self._ends.times(), self._sizes.times()
        burst = None
        if begin is not None and end is not None and size is not None and self._interval:
            burst = BurstLag(begin, end, size.median, self._interval / SECOND)
        types.sort(key=lambda each: each.lag.median)
        return LagSnapshot(tuple(types), burst, self._since, self._steps)


def _turn(difference: int) -> int:
    """A difference of two times of day, to within half a day."""
    return (difference + DAY // 2) % DAY - DAY // 2
