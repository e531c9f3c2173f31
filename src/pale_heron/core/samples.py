"""Numbers one after the other, from samples of bounded size: where they lie, and how often each was seen."""

import math
from array import array
from bisect import bisect_left
from collections.abc import Sequence
from itertools import pairwise
from typing import Any, Final, NamedTuple

MOST_SAMPLES: Final = 1 << 13

HISTOGRAM_BINS: Final = 40
OUTLYING: Final = 3.0
"""Where the longest is this many times as long as nearly all, the last bin stands for all that is longer."""


FEW_FOR_GROUPS: Final = 27
LEAST_GROUP: Final = 0.1
LEAST_GAP: Final = 0.02
"""Seconds; what lies closer together is one place."""

FEW: Final = 16
"""So many are taken faster one by one than together."""

KEY_BITS: Final = 32
_WORD: Final = (1 << 64) - 1


class Histogram(NamedTuple):
    """Counts of equal bins from `low` to `high` seconds; with `open_ended` the last one holds all longer ones too."""

    low: float
    high: float
    counts: tuple[int, ...]
    open_ended: bool


class TwoGroups(NamedTuple):
    """Numbers that lie in two places with nothing between: the middle of each, and the share of the first."""

    first: float
    second: float
    share: float


class Times(NamedTuple):
    """Seconds: how many samples, and where they lie."""

    samples: int
    least: float
    p5: float
    median: float
    p95: float
    most: float
    histogram: Histogram
    groups: TwoGroups | None = None
    kept: Sequence[float] = ()
    """The values that the percentiles are taken of, as they came."""


class Sample:
    """Numbers one after the other; where they become too many, some of them by chance. Least and most stay exact.

    A number is kept whose key lies below a bound that is halved whenever there are too many (Bernoulli sampling). Keys
    follow from the place of a number alone, its bits mixed (SplitMix64, Steele et al. 2014), so that the same numbers
    give the same sample, one by one or many together, and no rhythm among them can fall in step with it. About half of
    `most` are left at least: with 2 048 the share of all numbers that lie below a told percentile is off by no more
    than 0.043 in 999 of 1 000 samples (Dvoretzky, Kiefer, Wolfowitz; Massart 1990).
    """

    def __init__(self, most: int = MOST_SAMPLES) -> None:
        self._most = most
        self._below = 1 << KEY_BITS
        self.count = 0
        self._least, self._largest = math.inf, -math.inf
        self._kept, self._keys = array("d"), array("I")

    def add(self, value: float) -> None:
        """One more."""
        key = _key(self.count)
        self.count += 1
        self._least, self._largest = min(self._least, value), max(self._largest, value)
        if key < self._below:
            self._kept.append(value)
            self._keys.append(key)
            if len(self._kept) >= self._most:
                self._thin()

    def extend(self, values: "array[float]") -> None:
        """Many, one after the other."""
        if len(values) < FEW:
            for value in values:
                self.add(value)
            return
        import numpy as np

        keys = _key(np.arange(self.count, self.count + len(values), dtype=np.uint64))
        self.count += len(values)
        self._least, self._largest = min(self._least, *values), max(self._largest, *values)
        numbers, at = np.frombuffer(values, np.float64), 0
        while at < len(values):
            room = self._most - len(self._kept)
            taken = at + np.flatnonzero(keys[at:] < self._below)[:room]
            self._kept.frombytes(numbers[taken].tobytes())
            self._keys.extend(keys[taken].tolist())
            if len(taken) < room:
                return
            at = int(taken[-1]) + 1
            self._thin()

    def _thin(self) -> None:
        self._below //= 2
        kept = [each for each in zip(self._kept, self._keys, strict=True) if each[1] < self._below]
        self._kept, self._keys = array("d", (value for value, _ in kept)), array("I", (key for _, key in kept))

    def copied(self) -> "Sample":
        """One that does not change with this."""
        other = Sample(self._most)
        other._below, other.count, other._kept, other._keys = self._below, self.count, self._kept[:], self._keys[:]
        other._least, other._largest = self._least, self._largest
        return other

    @property
    def values(self) -> Sequence[float]:
        """Those that are kept."""
        return self._kept

    def times(self) -> Times | None:
        """Their figures; None where there are none."""
        if not self._kept:
            return None
        ordered = sorted(self._kept)
        p95 = quantile(ordered, 0.95)
        p5, median = quantile(ordered, 0.05), quantile(ordered, 0.5)
        shape, groups = histogram(ordered, p95), two_groups(ordered)
        return Times(self.count, self._least, p5, median, p95, self._largest, shape, groups, self._kept[:])


def _key(place: Any) -> Any:
    """The bits of a place, mixed (SplitMix64): any two places have keys as of chance. A number, or unsigned columns."""
    mixed = (place + 1) * 0x9E3779B97F4A7C15 & _WORD
    mixed = (mixed ^ mixed >> 30) * 0xBF58476D1CE4E5B9 & _WORD
    mixed = (mixed ^ mixed >> 27) * 0x94D049BB133111EB & _WORD
    return mixed >> 64 - KEY_BITS


def two_groups(ordered: Sequence[float]) -> TwoGroups | None:
    """Whether values in order lie in two places; None where they do not, or are few.

    They do where the widest gap among the middle nine tenths is half as wide as all of these lie apart, and wide
    against how each group lies by itself.
    """
    low, high = round(0.05 * len(ordered)), round(0.95 * len(ordered))
    middle = ordered[low:high]
    if len(middle) < FEW_FOR_GROUPS:
        return None
    at = max(range(1, len(middle)), key=lambda place: middle[place] - middle[place - 1])
    gap = middle[at] - middle[at - 1]
    sides = middle[:at], middle[at:]
    lone = min(map(len, sides)) < LEAST_GROUP * len(middle)
    widest = max(quantile(side, 0.75) - quantile(side, 0.25) for side in sides)
    if lone or gap < LEAST_GAP or gap < 0.5 * (middle[-1] - middle[0]) or gap < 2 * widest:
        return None
    return TwoGroups(quantile(sides[0], 0.5), quantile(sides[1], 0.5), (low + at) / len(ordered))


def histogram(ordered: Sequence[float], p95: float) -> Histogram:
    """Of values in order, at least one."""
    low, high = ordered[0], ordered[-1]
    outlying = high - low > OUTLYING * (p95 - low) > 0
    if outlying:
        high = low + (p95 - low) * 2
    step = (high - low) / HISTOGRAM_BINS
    if step <= 0:
        return Histogram(low, high, (len(ordered),), open_ended=False)
    edges = [bisect_left(ordered, low + step * index) for index in range(HISTOGRAM_BINS)]
    counts = tuple(later - before for before, later in pairwise([*edges, len(ordered)]))
    return Histogram(low, high, counts, open_ended=outlying)


def quantile(ordered: Sequence[float], share: float) -> float:
    """Of values in order: the middle between neighbours for the median, else interpolated between them."""
    at = share * (len(ordered) - 1)
    low = int(at)
    high = min(low + 1, len(ordered) - 1)
    return ordered[low] + (ordered[high] - ordered[low]) * (at - low)
