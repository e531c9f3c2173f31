"""Numbers one after the other, from samples of bounded size: where they lie, and how often each was seen."""

import math
from array import array
from bisect import bisect_left
from collections.abc import Sequence
from itertools import pairwise
from typing import Final, NamedTuple

MOST_SAMPLES: Final = 1 << 13

HISTOGRAM_BINS: Final = 40
OUTLYING: Final = 3.0
"""Where the longest is this many times as long as nearly all, the last bin stands for all that is longer."""


class Histogram(NamedTuple):
    """Counts of equal bins from `low` to `high` seconds; with `open_ended` the last one holds all longer ones too."""

    low: float
    high: float
    counts: tuple[int, ...]
    open_ended: bool


class Times(NamedTuple):
    """Seconds: how many samples, and where they lie."""

    samples: int
    least: float
    p5: float
    median: float
    p95: float
    most: float
    histogram: Histogram


class Sample:
    """Numbers one after the other, kept evenly thinned where they become too many; least and most stay exact."""

    def __init__(self, most: int = MOST_SAMPLES) -> None:
        self._most = most
        self._every = 1
        self.count = 0
        self._least, self._largest = math.inf, -math.inf
        self._kept = array("d")

    def add(self, value: float) -> None:
        """One more."""
        if self.count % self._every == 0:
            self._kept.append(value)
            if len(self._kept) >= self._most:
                self._kept = self._kept[::2]
                self._every *= 2
        self.count += 1
        self._least, self._largest = min(self._least, value), max(self._largest, value)

    def extend(self, values: "array[float]") -> None:
        """Many, one after the other."""
        at = 0
        while at < len(values):
            first = at + -self.count % self._every
            room = self._most - len(self._kept)
            taken = values[first :: self._every][:room]
            self._kept.extend(taken)
            if len(taken) < room:
                self.count += len(values) - at
                break
            behind = first + (room - 1) * self._every + 1
            self.count += behind - at
            at = behind
            self._kept = self._kept[::2]
            self._every *= 2
        if values:
            self._least, self._largest = min(self._least, *values), max(self._largest, *values)

    def copied(self) -> "Sample":
        """One that does not change with this."""
        other = Sample(self._most)
        other._every, other.count, other._kept = self._every, self.count, self._kept[:]
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
        return Times(self.count, self._least, p5, median, p95, self._largest, histogram(ordered, p95))


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
