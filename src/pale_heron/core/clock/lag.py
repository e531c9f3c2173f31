"""How late what a receiver says reaches us: the arrival of each sentence after the UTC that it tells.

A lag is arrival by this computer's clock minus the told time, so it holds the error of that clock too. Times of day are
compared, turned to within half a day: that the date is another one is for others to say.
"""

from array import array
from collections import deque
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Final, NamedTuple

from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.nmea.raw import TIME_FIELD, time_of_day
from pale_heron.core.samples import Sample, Times, TwoGroups
from pale_heron.core.utc import DAY

if TYPE_CHECKING:
    from pale_heron.core.clock.lag_batch import TypeLags
    from pale_heron.core.wire.sentence_batch import Places, SentenceBatch

KEPT: Final = 1 << 12
"""So many lags of a type are kept; their percentiles are as good as such a sample is, least and most are exact."""

MOST_TYPES: Final = 24
STEP_NS: Final = SECOND // 2
"""A lag that jumps by so much, and stays there, means that one of the two clocks was set."""

STAYS: Final = 5
FEW_STEPS: Final = 3
OFTEN_NS: Final = 60 * SECOND
"""Nobody sets a clock more than a few times, once a minute: what is told then runs at another pace."""

QUIET_SHARE: Final = 0.25
LEAST_QUIET_NS: Final = 20_000_000
"""After a pause of this share of the interval, and at least this, a sentence belongs to the next round."""

BUCKET_NS: Final = 10 * SECOND
BUCKETS: Final = 360
LAG_HOUR_NS: Final = 3600 * SECOND


class LagPoint(NamedTuple):
    """Ten seconds of lags: when they began, how many, and their mean in seconds."""

    time: int
    samples: int
    mean: float


class LagStanding(NamedTuple):
    """The lag of a type that was taken last, nanoseconds, and how many since then were a step away from it."""

    last: int
    astray: int


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
    def groups(self) -> TwoGroups | None:
        """Where it comes at two times by turns, with nothing between."""
        return self.lag.groups

    @property
    def holds(self) -> bool | None:
        """Whether every ten seconds of the last hour lie where nine tenths of all do; None while there are too few.

        What comes at two times by turns does not hold.
        """
        if self.groups is not None:
            return False
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


@dataclass(frozen=True)
class LagSnapshot:
    """What a lane says of time. `steps` is how often a clock was set; figures count `since` the last of them.

    It holds what was counted; percentiles take a moment, and are made where somebody looks at them.
    """

    counted: tuple[tuple[str, Sample, tuple[LagPoint, ...]], ...] = ()
    rounds: tuple[Sample, Sample, Sample] | None = None
    """When rounds began and ended, seconds after the told time, and their bytes."""
    interval_s: float = 0.0
    since: int | None = None
    steps: int = 0
    until: int | None = None
    """When the last sentence came."""
    stepped_from: int | None = None
    """When the first step was."""
    vouched: bool | None = None
    """Whether the receiver has a fix, so that its time is the true one; None where nobody says. Counted since then."""

    @property
    def keeps_pace(self) -> bool:
        """Whether what is told runs at the pace of this computer's clock: a log that is played does not."""
        if self.steps < FEW_STEPS or self.since is None or self.stepped_from is None:
            return True
        return self.since - self.stepped_from >= (self.steps - 1) * OFTEN_NS

    @cached_property
    def types(self) -> tuple[TypeLag, ...]:
        """Of each type, in the order in which they come."""
        found = ((name, sample.times(), points) for name, sample, points in self.counted)
        types = [TypeLag(name, times, points) for name, times, points in found if times is not None]
        return tuple(sorted(types, key=lambda each: each.lag.median))

    @cached_property
    def burst(self) -> BurstLag | None:
        """A round as a whole; None while there is none."""
        if self.rounds is None or not self.interval_s:
            return None
        begin, end, size = (each.times() for each in self.rounds)
        if begin is None or end is None or size is None:
            return None
        return BurstLag(begin, end, size.median, self.interval_s)


EMPTY: Final = LagSnapshot()


class _LagTotals:
    """One type; its history stays bounded."""

    __slots__ = ("_bucket", "_count", "_points", "_sum", "astray", "last", "sample")

    def __init__(self) -> None:
        self.sample = Sample(KEPT)
        self.last = 0
        self.astray = 0
        self._points: deque[LagPoint] = deque(maxlen=BUCKETS - 1)
        self._bucket = self._count = self._sum = 0

    def add(self, lag_ns: int, arrived: int) -> None:
        self.last = lag_ns
        self.sample.add(lag_ns / SECOND)
        self._into(arrived // BUCKET_NS)
        self._count += 1
        self._sum += lag_ns

    def _into(self, bucket: int) -> None:
        """Go on in a stretch of ten seconds."""
        if bucket != self._bucket:
            if self._count:
                self._points.append(self._open)
            self._bucket, self._count, self._sum = bucket, 0, 0

    def extend(self, lags: "TypeLags") -> None:
        """Many, none of them a step."""
        self.last, self.astray = int(lags.lags[-1]), 0
        self.sample.extend(lags.seconds())
        for bucket, count, total in lags.buckets():
            self._into(bucket)
            self._count += count
            self._sum += total

    @property
    def _open(self) -> LagPoint:
        return LagPoint(self._bucket * BUCKET_NS, self._count, self._sum / self._count / SECOND)

    @property
    def points(self) -> tuple[LagPoint, ...]:
        """Its history, with the ten seconds under way."""
        return (*self._points, self._open) if self._count else ()


class LagTracker:
    """Feed it the sentences of a lane that are believed, as they came; it can be pickled."""

    def __init__(self) -> None:
        self._vouched: bool | None = None
        self._steps = 0
        self._stepped_from: int | None = None
        self._places: dict[str, int] = {}
        """Where in a type of sentence the time stands; 0 for those without one."""
        self._begin_again()

    def vouch(self, vouched: bool) -> None:
        """The receiver has its fix from now on, or no more: a time that nobody vouches for says nothing of one."""
        if vouched != self._vouched:
            self._vouched = vouched
            self._steps, self._stepped_from = 0, None
            self._begin_again()

    def _begin_again(self) -> None:
        self._types: dict[str, _LagTotals] = {}
        self._since: int | None = None
        self._told: int | None = None
        self._interval = 0
        self._gap = LEAST_QUIET_NS
        self._quiet_from = 0
        self._first: int | None = None
        """When the round under way began."""
        self._whole = False
        """The interval was known when the round began, so where it begins is known too."""
        self._end = self._last = 0
        self._bytes = 0
        self._begins, self._ends, self._sizes = Sample(KEPT), Sample(KEPT), Sample(KEPT)

    def feed(self, frame: Frame, byte_ns: int) -> None:
        """One sentence; a byte takes `byte_ns` on its line, 0 where that is not known."""
        # This runs for every sentence: most tell no time, and pass quickly.
        arrived, data, kind = frame.time, frame.data, frame.type
        if arrived is None:
            return
        self._hear(arrived, len(data), byte_ns)
        place = self._places.get(kind)
        if place is None:
            place = self._places[kind] = TIME_FIELD.get(kind[-3:], 0)
        if place:
            fields = data.split(b",", place + 1)
            told = time_of_day(fields[place]) if len(fields) > place + 1 else None
            if told is not None:
                self._take(kind, told, arrived)

    def _hear(self, arrived: int, size: int, byte_ns: int) -> None:
        """A sentence of a round: of the one under way, or the first of the next."""
        if arrived > self._quiet_from or self._first is None:
            self._end_round()
            self._first, self._whole = arrived, self._interval > 0
        self._last, self._end = arrived, arrived + size * byte_ns
        self._quiet_from = self._end + self._gap
        self._bytes += size

    def feed_batch(self, batch: "SentenceBatch", told: "Places", byte_ns: int) -> None:
        """Many sentences, one after the other; `told` is the time of day that each tells, or NONE."""
        from pale_heron.core.clock.lag_batch import RoundStanding, rounds, type_lags

        lags = type_lags(batch, told)
        known = {each.type: self._types.get(each.type) for each in lags}
        steady = all(each.is_steady(totals.last if (totals := known[each.type]) else None) for each in lags)
        if not steady or len(self._types | known) > MOST_TYPES:
            self._feed_steps(batch, told, byte_ns)
            return
        before = RoundStanding(
            self._first, self._whole, self._end, self._quiet_from, self._bytes, self._told, self._interval, self._gap
        )
        ended, behind = rounds(batch, told, byte_ns, before)
        for sample, values in zip((self._begins, self._ends, self._sizes), ended, strict=True):
            sample.extend(array("d", values.tobytes()))
        self._first, self._whole, self._end, self._quiet_from = behind[:4]
        self._bytes, self._told, self._interval, self._gap = behind[4:]
        self._last = int(batch.time[-1])
        if self._since is None and lags:
            # The first that told; times may go back behind it.
            self._since = int(lags[0].arrived[0])
        for each in lags:
            self._types.setdefault(each.type, _LagTotals()).extend(each)

    def _feed_steps(self, batch: "SentenceBatch", told: "Places", byte_ns: int) -> None:
        """Many sentences between which a clock may have been set, or that were said long before they came."""
        from pale_heron.core.clock.lag_batch import steps_among

        standing = {kind: LagStanding(each.last, each.astray) for kind, each in self._types.items()}
        found = steps_among(batch, told, standing)
        if not found:
            self._feed_rows(batch, told, byte_ns)
            return
        # Behind a step all begins again: of what came before the last one only the steps count.
        first, last = found[0], found[-1]
        self._steps += len(found)
        if self._stepped_from is None:
            self._stepped_from = int(batch.time[first])
        self._begin_again()
        self._last = int(batch.time[last])
        self._take(batch.names[int(batch.type[last])], int(told[last]), self._last)
        if last + 1 < len(batch):
            self.feed_batch(batch.part(last + 1, len(batch)), told[last + 1 :], byte_ns)

    def _feed_rows(self, batch: "SentenceBatch", told: "Places", byte_ns: int) -> None:
        """Many sentences, each by itself: a clock may have been set between them."""
        kinds = (batch.names[each] for each in batch.type.tolist())
        rows = zip(kinds, batch.time.tolist(), batch.size.tolist(), told.tolist(), strict=True)
        for kind, arrived, size, time in rows:
            self._hear(arrived, size, byte_ns)
            if time >= 0:
                self._take(kind, time, arrived)

    def _take(self, kind: str, told: int, arrived: int) -> None:
        if told != self._told:
            if self._told is not None:
                self._interval = (told - self._told) % DAY
                self._gap = max(LEAST_QUIET_NS, int(QUIET_SHARE * self._interval))
                self._quiet_from = self._end + self._gap
            self._told = told
        lag = (arrived - told + DAY // 2) % DAY - DAY // 2
        totals = self._types.get(kind)
        if totals is None:
            if len(self._types) >= MOST_TYPES:
                return
            totals = self._types[kind] = _LagTotals()
        elif not -STEP_NS <= lag - totals.last <= STEP_NS:
            totals.astray += 1
            if totals.astray < STAYS:
                return
            self._steps += 1
            self._stepped_from = arrived if self._stepped_from is None else self._stepped_from
            self._begin_again()
            self._take(kind, told, arrived)
            return
        if self._since is None:
            self._since = arrived
        totals.astray = 0
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

    def snapshot(self) -> LagSnapshot:
        """How it stands."""
        if not self._types:
            return EMPTY
        return LagSnapshot(
            counted=tuple((name, each.sample.copied(), each.points) for name, each in self._types.items()),
            rounds=(self._begins.copied(), self._ends.copied(), self._sizes.copied()),
            interval_s=self._interval / SECOND,
            since=self._since,
            steps=self._steps,
            until=self._last,
            stepped_from=self._stepped_from,
            vouched=self._vouched,
        )


def _turn(difference: int) -> int:
    """A difference of two times of day, to within half a day."""
    return (difference + DAY // 2) % DAY - DAY // 2
