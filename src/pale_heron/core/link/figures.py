"""Shares with their intervals, and round times that many samples lie at."""

import math
from bisect import bisect_left, bisect_right
from collections.abc import Iterable
from typing import Final, NamedTuple

Z_95: Final = 1.959963984540054
"""The standard normal deviate of a two-sided 95 % interval."""


def wilson(count: float, of: float) -> tuple[float, float] | None:
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


BY_CHANCE: Final = 0.05


def more_than_chance(run: int, bad: int, of: int) -> bool:
    """Whether so many bad ones in a row, of `bad` among `of`, are hardly explained by each being bad by itself.

    Independent faults of share p give on average n · (1 - p) · p^k runs of at least k among n (Feller, An Introduction
    to Probability Theory, vol. 1, XIII.7). A run is more than chance where less than 0.05 such runs are expected, with
    p taken from all but the run itself (rule of succession: one bad and one good more than were seen).
    """
    share = (bad - run + 1) / (of - run + 2)
    return run >= 2 and of * (1 - share) * share**run < BY_CHANCE


ROUND_S: Final = (2.0, 1.0, 0.5, 0.25, 0.2, 0.1)
"""Times that people choose for a time-out or a rest."""

CLUSTER_LEAST: Final = 3
EXCESS: Final = 4.0
"""So many standard deviations more than its surroundings have lie in a cluster."""


class Cluster(NamedTuple):
    """So many samples lie just above a round time."""

    at_s: float
    samples: int


def clusters(seconds: Iterable[float]) -> tuple[Cluster, ...]:
    """Round times just behind which more samples lie than around them; the fullest one.

    A time-out ends at its time or a little later, never earlier; what a link takes is round by chance alone. A cluster
    is therefore narrow: within 1 % below and 8 % above its time, but for 20 ms that a busy machine may add. It is one
    where the two stretches beside it, as wide together as itself twice over, would let less be expected by four
    standard deviations of a count (Poisson).
    """
    values = sorted(seconds)
    found = []
    for at in ROUND_S:
        low, high = 0.99 * at, 1.08 * at + 0.02 * (at >= 0.2)
        width = high - low
        inside = bisect_right(values, high) - bisect_left(values, low)
        around = bisect_right(values, high + width) - bisect_left(values, low - width) - inside
        expected = around / 2
        if inside >= CLUSTER_LEAST and inside > expected + EXCESS * math.sqrt(max(expected, 0.25)):
            found.append(Cluster(at, inside))
    # 0.20 and 0.25 s do not overlap, but a loose sample may fall in both: the fuller one counts.
    return tuple(sorted(found, key=lambda each: -each.samples)[:1])
