"""Shares with their intervals, and times with their spread, from samples of bounded size."""

import math
from array import array
from bisect import bisect_left
from collections.abc import Iterable, Sequence
from itertools import pairwise
from typing import Final, NamedTuple

Z_95: Final = 1.959963984540054
"""The standard normal deviate of a two-sided 95 % interval."""

MOST_SAMPLES: Final = 1 << 13


def wilson(count: int, of: int) -> tuple[float, float] | None:
    """The two-sided 95 % interval of a share, 0 to 1 (Wilson 1927, score interval); None of nothing."""
    if of <= 0:
        return None
    share, square = count / of, Z_95 * Z_95
    middle = (share + square / (2 * of)) / (1 + square / of)
    half = Z_95 / (1 + square / of) * math.sqrt(share * (1 - share) / of + square / (4 * of * of))
    # The ends are exact where nothing, or everything, was counted: rounding must not say otherwise.
    return 0.0 if count == 0 else max(0.0, middle - half), 1.0 if count == of else min(1.0, middle + half)


def probes_for(share: float) -> int:
    """How many probes, none of them lost, show that less than a share is lost (95 %, two-sided). `share` in (0, 1)."""
    if not 0 < share < 1:
        raise ValueError(f"a share of {share} is not between 0 and 1")
    return math.ceil(Z_95 * Z_95 * (1 - share) / share)


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
        return Times(self.count, self._least, quantile(ordered, 0.5), p95, self._largest, histogram(ordered, p95))


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


ROUND_S: Final = (2.0, 1.0, 0.5, 0.25, 0.2, 0.1)
"""Times that people choose for a time-out or a rest."""

CLUSTER_SHARE: Final = 0.5
CLUSTER_LEAST: Final = 3


class Cluster(NamedTuple):
    """So many samples lie just above a round time."""

    at_s: float
    samples: int


def clusters(seconds: Iterable[float]) -> tuple[Cluster, ...]:
    """Round times just behind which at least half of the samples lie, close together.

    A time-out ends at its time or a little later, never earlier; what a link takes is round by chance alone. A cluster
    is therefore narrow: within 1 % below and 8 % above its time, but for 20 ms that a busy machine may add.
    """
    values = list(seconds)
    found = []
    for at in ROUND_S:
        inside = sum(0.99 * at <= value <= 1.08 * at + 0.02 * (at >= 0.2) for value in values)
        if inside >= max(CLUSTER_LEAST, CLUSTER_SHARE * len(values)):
            found.append(Cluster(at, inside))
    # 0.20 and 0.25 s do not overlap, but a loose sample may fall in both: the fuller one counts.
    return tuple(sorted(found, key=lambda each: -each.samples)[:1])
