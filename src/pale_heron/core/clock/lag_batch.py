"""The lags and the rounds of a batch of sentences, by the rules of `LagTracker`."""

from array import array
from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from pale_heron.core.clock.lag import BUCKET_NS, LEAST_QUIET_NS, MOST_TYPES, QUIET_SHARE, STAYS, STEP_NS, LagStanding
from pale_heron.core.frames import SECOND
from pale_heron.core.nmea.columns import NONE
from pale_heron.core.utc import DAY
from pale_heron.core.wire.sentence_batch import Places, SentenceBatch, steps


class RoundStanding(NamedTuple):
    """How a lane stands before a row, or behind it; see `LagTracker` for what each means."""

    first: int | None
    whole: bool
    end: int
    quiet_from: int
    bytes: int
    told: int | None
    interval: int
    gap: int


class Rounds(NamedTuple):
    """Rounds that a batch ends, one row each: seconds from the told time to their beginnings and ends; their bytes."""

    begins: NDArray[np.float64]
    ends: NDArray[np.float64]
    sizes: NDArray[np.float64]


class TypeLags(NamedTuple):
    """Lags of one type of sentence, nanoseconds, one after the other, and when each came."""

    type: str
    arrived: Places
    lags: Places

    def is_steady(self, last: int | None) -> bool:
        """Whether none is a step away from the one before; `last` is the one before the first."""
        away = steps(self.lags, int(self.lags[0]) if last is None else last)
        return bool((np.abs(away) <= STEP_NS).all())

    def seconds(self) -> "array[float]":
        return array("d", (self.lags / SECOND).tobytes())

    def buckets(self) -> list[tuple[int, int, int]]:
        """Those that follow each other in one stretch of BUCKET_NS: its number, how many, and their sum."""
        numbers = self.arrived // BUCKET_NS
        starts = np.flatnonzero(steps(numbers, int(numbers[0]) - 1))
        counts = np.diff(starts, append=len(numbers))
        sums = np.add.reduceat(self.lags, starts)
        return list(zip(numbers[starts].tolist(), counts.tolist(), sums.tolist(), strict=True))


def type_lags(batch: SentenceBatch, told: Places) -> list[TypeLags]:
    """Of every type that tells the time, in the order in which they first come."""
    rows = np.flatnonzero(told != NONE)
    kinds = batch.type[rows]
    _, first = np.unique(kinds, return_index=True)
    found = []
    for place in np.sort(first).tolist():
        own = rows[kinds == kinds[place]]
        arrived = batch.time[own]
        found.append(TypeLags(batch.names[int(kinds[place])], arrived, _turned(arrived - told[own])))
    return found


def steps_among(batch: SentenceBatch, told: Places, standing: Mapping[str, LagStanding]) -> list[int]:
    """The rows at which a clock was set, by the rules of `LagTracker`, given how its types stand before the first."""
    rows = np.flatnonzero(told != NONE)
    lags = _turned(batch.time[rows] - told[rows])
    numbers = {name: place for place, name in enumerate(batch.names)}
    others = sum(name not in numbers for name in standing)
    known = {numbers[name]: each for name, each in standing.items() if name in numbers}
    last, astray = ({kind: each[place] for kind, each in known.items()} for place in (0, 1))
    found = []
    for row, kind, lag in zip(rows.tolist(), batch.type[rows].tolist(), lags.tolist(), strict=True):
        before = last.get(kind)
        if before is None:
            if len(last) + others >= MOST_TYPES:
                continue
        elif not -STEP_NS <= lag - before <= STEP_NS:
            astray[kind] += 1
            if astray[kind] < STAYS:
                continue
            found.append(row)
            last, astray, others = {}, {}, 0
        last[kind], astray[kind] = lag, 0
    return found


def rounds(batch: SentenceBatch, told: Places, byte_ns: int, before: RoundStanding) -> tuple[Rounds, RoundStanding]:
    """The rounds that end in a batch, and how things stand behind it."""
    arrived, size = batch.time, batch.size
    end = arrived + size * byte_ns
    now_told, interval = _carried(told, np.flatnonzero(told != NONE), before)
    pause = np.maximum(LEAST_QUIET_NS, (QUIET_SHARE * interval).astype(np.int64))
    gap = np.where(interval > 0, pause, before.gap)
    quiet_from = np.concatenate(([before.quiet_from], (end + gap)[:-1]))
    new = arrived > quiet_from
    new[0] |= before.first is None
    starts = np.flatnonzero(new)
    standing = _standing(batch, starts, end, gap, now_told, interval, before)
    if not len(starts):
        none = np.empty(0)
        return Rounds(none, none, none), standing
    sums = np.concatenate(([0], np.cumsum(size)))
    # Of the round that each start ends: it began with the start before, or before the batch.
    first = np.concatenate(([before.first if before.first is not None else 0], arrived[starts[:-1]]))
    held = steps(sums[starts], -before.bytes)
    at = starts - 1
    interval_before = np.where(at < 0, before.interval, interval[at])
    told_before = np.where(at < 0, NONE if before.told is None else before.told, now_told[at])
    end_before = np.where(at < 0, before.end, end[at])
    whole = np.concatenate(([before.whole and before.first is not None], interval_before[:-1] > 0))
    begins, ends = (_turned(moment % DAY - told_before) for moment in (first, end_before))
    fits = whole & (told_before != NONE) & (np.abs(ends - begins) < np.maximum(SECOND, 2 * interval_before))
    return Rounds(begins[fits] / SECOND, ends[fits] / SECOND, held[fits].astype(np.float64)), standing


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
    batch: SentenceBatch,
    starts: Places,
    end: Places,
    gap: Places,
    told: Places,
    interval: Places,
    before: RoundStanding,
) -> RoundStanding:
    """How things stand behind the last row."""
    began = int(starts[-1]) if len(starts) else 0
    held = int(batch.size[began:].sum())
    first, whole = before.first, before.whole
    if len(starts):
        first = int(batch.time[began])
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


def _turned(difference: Places) -> Places:
    found: Places = (difference + DAY // 2) % DAY - DAY // 2
    return found
