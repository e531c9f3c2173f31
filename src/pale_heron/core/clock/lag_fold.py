"""Lags, rounds and steps of a clock in columns of sentences, whether they came singly or many together."""

from array import array
from collections.abc import Mapping, Sequence
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from pale_heron.core.frames import SECOND
from pale_heron.core.nmea.columns import NONE
from pale_heron.core.utc import DAY, turned
from pale_heron.core.wire.sentence_batch import Places, steps

MOST_TYPES: Final = 24
STEP_NS: Final = SECOND // 2
"""A lag that jumps by so much, and stays there, means that one of the two clocks was set."""

STAYS: Final = 5
QUIET_SHARE: Final = 0.25
LEAST_QUIET_NS: Final = 20_000_000
"""After a pause of this share of the interval, and at least this, a sentence belongs to the next round."""

BUCKET_NS: Final = 10 * SECOND


class LagRows(NamedTuple):
    """Sentences: the number of the type of each in `names`, its arrival, its bytes, the time of day told or NONE."""

    names: Sequence[str]
    type: Places
    time: Places
    size: Places
    told: Places

    @classmethod
    def of(cls, names: Sequence[str], columns: "Sequence[array[int]]") -> "LagRows":
        """From arrays, which may change afterwards."""
        return cls(names, *(np.array(each, np.int64) for each in columns))

    def behind(self, row: int) -> "LagRows":
        """From a row on."""
        return LagRows(self.names, *(each[row:] for each in self[1:]))

    def lags(self, rows: Places) -> Places:
        """Of some that tell the time: the arrival after it, turned to within half a day."""
        found: Places = turned(self.time[rows] - self.told[rows])
        return found


class Decided(NamedTuple):
    """At which rows a clock was set, which tell a lag that counts; and of which types how many at the end do not."""

    steps: Sequence[int]
    counted: Places
    astray: Mapping[str, int]


class RoundStanding(NamedTuple):
    """The round under way, as it stands before a row, or behind it; times and durations in nanoseconds."""

    first: int | None
    """When it began, and whether the interval was known then, so that where it begins is known too."""
    whole: bool
    end: int
    """When its last byte came; a sentence behind `quiet_from` is of the next one."""
    quiet_from: int
    bytes: int
    told: int | None
    """The time of day that was told last, and the interval between the last two; 0 while it is unknown."""
    interval: int
    gap: int
    """What pause ends a round."""


BEFORE_ALL: Final = RoundStanding(None, False, 0, 0, 0, None, 0, LEAST_QUIET_NS)


class Rounds(NamedTuple):
    """Rounds that ended, one row each: seconds from the told time to their beginnings and ends; their bytes."""

    begins: NDArray[np.float64]
    ends: NDArray[np.float64]
    sizes: NDArray[np.float64]


class TypeLags(NamedTuple):
    """Lags of one type of sentence, nanoseconds, one after the other, and when each came."""

    type: str
    arrived: Places
    lags: Places

    def seconds(self) -> "array[float]":
        return array("d", (self.lags / SECOND).tobytes())

    def buckets(self) -> list[tuple[int, int, int]]:
        """Those that follow each other in one stretch of BUCKET_NS: its number, how many, and their sum."""
        numbers = self.arrived // BUCKET_NS
        starts = np.flatnonzero(steps(numbers, int(numbers[0]) - 1))
        counts = np.diff(starts, append=len(numbers))
        sums = np.add.reduceat(self.lags, starts)
        return list(zip(numbers[starts].tolist(), counts.tolist(), sums.tolist(), strict=True))


def type_lags(rows: LagRows, counted: Places) -> list[TypeLags]:
    """Of every type among these rows, in the order in which they first come."""
    kinds = rows.type[counted]
    _, first = np.unique(kinds, return_index=True)
    found = []
    for kind in kinds[np.sort(first)].tolist():
        own = counted[kinds == kind]
        found.append(TypeLags(rows.names[kind], rows.time[own], rows.lags(own)))
    return found


def sizes_of(rows: LagRows) -> list[tuple[str, int, int]]:
    """Of each type, in the order in which they first come, how many there are, and their bytes."""
    counts, sizes = np.bincount(rows.type), np.bincount(rows.type, rows.size)
    kinds, first = np.unique(rows.type, return_index=True)
    return [(rows.names[kind], int(counts[kind]), int(sizes[kind])) for kind in kinds[np.argsort(first)].tolist()]


def decide(rows: LagRows, standing: Mapping[str, tuple[int, int]]) -> Decided:
    """What counts, given the last lag of each type before the first row, and how many since were a step away from it.

    A lag that jumps does not count, until it has stayed there: then a clock was set, and all begins again.
    """
    told = np.flatnonzero(rows.told != NONE)
    kinds, lags = rows.type[told], rows.lags(told)
    if _are_steady(rows.names, kinds, lags, standing):
        return Decided((), told, {rows.names[kind]: 0 for kind in set(kinds.tolist())})
    last, astray = ({kind: each[place] for kind, each in standing.items()} for place in (0, 1))
    found, counted = [], []
    for row, number, lag in zip(told.tolist(), kinds.tolist(), lags.tolist(), strict=True):
        kind = rows.names[number]
        before = last.get(kind)
        if before is None:
            if len(last) >= MOST_TYPES:
                continue
        elif not -STEP_NS <= lag - before <= STEP_NS:
            astray[kind] += 1
            if astray[kind] < STAYS:
                continue
            found.append(row)
            last, astray = {}, {}
        last[kind], astray[kind] = lag, 0
        counted.append(row)
    return Decided(found, np.array(counted, np.int64), astray)


def _are_steady(names: Sequence[str], kinds: Places, lags: Places, standing: Mapping[str, tuple[int, int]]) -> bool:
    """Whether no lag is a step away from the one before of its type, and none is of a type too many."""
    present = {names[kind]: kind for kind in set(kinds.tolist())}
    if len(present.keys() | standing.keys()) > MOST_TYPES:
        return False
    for name, kind in present.items():
        own = lags[kinds == kind]
        before = standing[name][0] if name in standing else int(own[0])
        if (np.abs(steps(own, before)) > STEP_NS).any():
            return False
    return True


def rounds(rows: LagRows, byte_ns: int, before: RoundStanding) -> tuple[Rounds, int, RoundStanding]:
    """The rounds that end among these rows, how many begin, and how things stand behind them."""
    arrived, size, told = rows.time, rows.size, rows.told
    end = arrived + size * byte_ns
    now_told, interval = _carried(told, np.flatnonzero(told != NONE), before)
    pause = np.maximum(LEAST_QUIET_NS, (QUIET_SHARE * interval).astype(np.int64))
    gap = np.where(interval > 0, pause, before.gap)
    quiet_from = np.concatenate(([before.quiet_from], (end + gap)[:-1]))
    new = arrived > quiet_from
    new[0] |= before.first is None
    starts = np.flatnonzero(new)
    standing = _standing(rows, starts, end, gap, now_told, interval, before)
    if not len(starts):
        none = np.empty(0)
        return Rounds(none, none, none), 0, standing
    sums = np.concatenate(([0], np.cumsum(size)))
    # Of the round that each start ends: it began with the start before, or before the first row.
    first = np.concatenate(([before.first if before.first is not None else 0], arrived[starts[:-1]]))
    held = steps(sums[starts], -before.bytes)
    at = starts - 1
    interval_before = np.where(at < 0, before.interval, interval[at])
    told_before = np.where(at < 0, NONE if before.told is None else before.told, now_told[at])
    end_before = np.where(at < 0, before.end, end[at])
    whole = np.concatenate(([before.whole and before.first is not None], interval_before[:-1] > 0))
    begins, ends = (turned(moment % DAY - told_before) for moment in (first, end_before))
    fits = whole & (told_before != NONE) & (np.abs(ends - begins) < np.maximum(SECOND, 2 * interval_before))
    return Rounds(begins[fits] / SECOND, ends[fits] / SECOND, held[fits].astype(np.float64)), len(starts), standing


def _carried(told: Places, known: Places, before: RoundStanding) -> tuple[Places, Places]:
    """The time told last and the interval between the last two, behind each row."""
    values = told[known]
    earlier = np.concatenate(([NONE if before.told is None else before.told], values[:-1]))
    changed = (values != earlier) & (earlier != NONE)
    steps = np.where(changed, (values - earlier) % DAY, 0)
    last_known = np.cumsum(told != NONE)
    now_told = np.concatenate(([NONE if before.told is None else before.told], values))[last_known]
    places = np.maximum.accumulate(np.where(changed, np.arange(1, len(values) + 1), 0)) if len(values) else values
    intervals = np.concatenate(([before.interval], steps))[places]
    return now_told, np.concatenate(([before.interval], intervals))[last_known]


def _standing(
    rows: LagRows,
    starts: Places,
    end: Places,
    gap: Places,
    told: Places,
    interval: Places,
    before: RoundStanding,
) -> RoundStanding:
    """How things stand behind the last row."""
    began = int(starts[-1]) if len(starts) else 0
    held = int(rows.size[began:].sum())
    first, whole = before.first, before.whole
    if len(starts):
        first = int(rows.time[began])
        whole = (int(interval[began - 1]) if began else before.interval) > 0
    else:
        held += before.bytes
    return RoundStanding(
        first,
        whole,
        int(end[-1]),
        int(end[-1] + gap[-1]),
        held,
        None if told[-1] == NONE else int(told[-1]),
        int(interval[-1]),
        int(gap[-1]),
    )
