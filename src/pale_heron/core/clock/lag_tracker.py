"""How late the sentences of a lane come, as they come.

    sentence ─▶ a row that waits ─▶ (many wait, or a second is over) ─▶ columns: steps of a clock, rounds, lags by type

Rows of live bytes and batches of a file are folded by the same columns (`lag_fold`). A fold costs as much as twenty
rounds taken by hand, so that live figures are made once a second, and whoever looks more often gets the same ones.
"""

from array import array
from collections import deque
from typing import TYPE_CHECKING, Final

from pale_heron.core.clock.lag import EMPTY, LagPoint, LagSnapshot
from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.nmea.raw import TIME_FIELD, time_of_day
from pale_heron.core.samples import Sample

if TYPE_CHECKING:
    from pale_heron.core.clock.lag_fold import LagRows, RoundStanding, TypeLags
    from pale_heron.core.wire.sentence_batch import Places, SentenceBatch

KEPT: Final = 1 << 12
"""So many lags of a type are kept; their percentiles are as good as such a sample is, least and most are exact."""

BUCKETS: Final = 360
FOLD_AT: Final = 256
FOLD_NS: Final = SECOND
"""So many rows wait at most, and so long."""

NO_TIME: Final = -1
MOST_NAMES: Final = 200
"""So many types are told apart; a stream of noise could name millions."""


class LagTotals:
    """One type; its history stays bounded."""

    __slots__ = ("_bucket", "_count", "_points", "_sum", "astray", "last", "sample")

    def __init__(self) -> None:
        self.sample = Sample(KEPT)
        self.last = 0
        """The lag that was taken last, nanoseconds, and how many since then were a step away from it."""
        self.astray = 0
        self._points: deque[LagPoint] = deque(maxlen=BUCKETS - 1)
        self._bucket = self._count = self._sum = 0

    def extend(self, lags: "TypeLags") -> None:
        """Take these."""
        self.last = int(lags.lags[-1])
        self.sample.extend(lags.seconds())
        for bucket, count, total in lags.buckets():
            if bucket != self._bucket:
                self._points.extend(self._open)
                self._bucket, self._count, self._sum = bucket, 0, 0
            self._count += count
            self._sum += total

    @property
    def _open(self) -> tuple[LagPoint, ...]:
        """The stretch of time under way."""
        from pale_heron.core.clock.lag_fold import BUCKET_NS

        mean = self._sum / self._count / SECOND if self._count else 0.0
        return (LagPoint(self._bucket * BUCKET_NS, self._count, mean),) if self._count else ()

    @property
    def points(self) -> tuple[LagPoint, ...]:
        """Its history, with the stretch under way."""
        return (*self._points, *self._open)


class LagTracker:
    """Feed it the sentences of a lane that are believed, as they came; it can be pickled."""

    def __init__(self) -> None:
        self._vouched: bool | None = None
        self._steps = 0
        self._stepped_from: int | None = None
        self._names: dict[str, tuple[int, int]] = {}
        """Of each type its number, and where in it the time stands; 0 for those without one."""
        self._byte_ns = 0
        self._waiting = tuple(array("q") for _ in range(4))
        """Rows that are not folded yet: number of the type, arrival, size, time of day or NO_TIME."""
        self._shown: LagSnapshot | None = None
        self._begin_again()

    def _begin_again(self) -> None:
        self._types: dict[str, LagTotals] = {}
        self._since: int | None = None
        self._last = 0
        self._round: RoundStanding | None = None
        self._rounds = tuple(Sample(KEPT) for _ in range(3))
        self._sizes: dict[str, tuple[int, int]] = {}
        """Of each type how many came, and their bytes, in `_begun` rounds."""
        self._begun = 0

    def vouch(self, vouched: bool) -> None:
        """The receiver has its fix from now on, or no more: a time that nobody vouches for says nothing of one."""
        if vouched != self._vouched:
            self.settle()
            self._vouched, self._shown = vouched, None
            self._steps, self._stepped_from = 0, None
            self._begin_again()

    def feed(self, frame: Frame, byte_ns: int) -> None:
        """One sentence; a byte takes `byte_ns` on its line, 0 where that is not known."""
        # This runs for every sentence: most tell no time, and pass quickly.
        arrived, data, kind = frame.time, frame.data, frame.type
        if arrived is None:
            return
        if byte_ns != self._byte_ns:
            self.settle()
            self._byte_ns = byte_ns
        known = self._names.get(kind)
        if known is None:
            if len(self._names) >= MOST_NAMES:
                return
            known = self._names[kind] = len(self._names), TIME_FIELD.get(kind[-3:], 0)
        number, place = known
        told = None
        if place:
            fields = data.split(b",", place + 1)
            told = time_of_day(fields[place]) if len(fields) > place + 1 else None
        types, times, sizes, of_day = self._waiting
        types.append(number)
        times.append(arrived)
        sizes.append(len(data))
        of_day.append(NO_TIME if told is None else told)
        if len(types) >= FOLD_AT:
            self.settle()

    def feed_batch(self, batch: "SentenceBatch", told: "Places", byte_ns: int) -> None:
        """Many sentences, one after the other; `told` is the time of day that each tells, or NO_TIME."""
        from pale_heron.core.clock.lag_fold import LagRows

        self.settle()
        self._byte_ns = byte_ns
        self._fold(LagRows(batch.names, batch.type, batch.time, batch.size, told))

    def settle(self) -> None:
        """Fold what waits: somebody wants all of it, or it is the end."""
        if self._waiting[0]:
            from pale_heron.core.clock.lag_fold import LagRows

            rows = LagRows.of(tuple(self._names), self._waiting)
            for column in self._waiting:
                del column[:]
            self._fold(rows)

    def _fold(self, rows: "LagRows") -> None:
        from pale_heron.core.clock.lag_fold import BEFORE_ALL, decide, rounds, sizes_of, type_lags

        self._shown = None
        decided = decide(rows, {kind: (each.last, each.astray) for kind, each in self._types.items()})
        if decided.steps:
            # Behind a step all begins again: of what came before the last one only the steps count.
            self._steps += len(decided.steps)
            if self._stepped_from is None:
                self._stepped_from = int(rows.time[decided.steps[0]])
            self._begin_again()
            self._fold(rows.behind(decided.steps[-1]))
            return
        ended, begun, self._round = rounds(rows, self._byte_ns, self._round or BEFORE_ALL)
        self._begun += begun
        for name, count, size in sizes_of(rows):
            known = self._sizes.get(name, (0, 0))
            self._sizes[name] = known[0] + count, known[1] + size
        for sample, values in zip(self._rounds, ended, strict=True):
            sample.extend(array("d", values.tobytes()))
        self._last = int(rows.time[-1])
        for each in type_lags(rows, decided.counted):
            if self._since is None:
                # The first that told; times may go back behind it.
                self._since = int(each.arrived[0])
            self._types.setdefault(each.type, LagTotals()).extend(each)
        for kind, astray in decided.astray.items():
            self._types[kind].astray = astray

    def snapshot(self) -> LagSnapshot:
        """How it stands, or stood within the last second."""
        times = self._waiting[1]
        if times and abs(times[-1] - times[0]) >= FOLD_NS:
            self.settle()
        if self._shown is None:
            self._shown = self._snapshot()
        return self._shown

    def _snapshot(self) -> LagSnapshot:
        if not self._types or self._round is None:
            return EMPTY
        begins, ends, sizes = self._rounds
        return LagSnapshot(
            counted=tuple((name, each.sample.copied(), each.points) for name, each in self._types.items()),
            rounds=(begins.copied(), ends.copied(), sizes.copied()),
            interval_s=self._round.interval / SECOND,
            since=self._since,
            steps=self._steps,
            until=self._last,
            stepped_from=self._stepped_from,
            sizes=tuple((name, *counts) for name, counts in self._sizes.items()),
            all_rounds=self._begun,
            vouched=self._vouched,
        )
