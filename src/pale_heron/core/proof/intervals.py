"""Within what a figure lies at 95 %, two-sided, given the sample that it was taken from.

    shares        Wilson 1927, of as many as are worth independent ones
    means         Student's t, of as many as are worth independent ones (`core/independent.py`)
    percentiles   order statistics by the binomial distribution (Wilks 1948), of as many as are worth independent ones
    rates         one more or less at the ends of the time that they were counted over
    deviations    chi-squared by Wilson and Hilferty 1931

An end that the sample is too small for is infinite.
"""

import math
from collections.abc import Sequence
from typing import Any, Final

from pale_heron.core.link.figures import Z_95, wilson

Interval = tuple[float, float]

EXACT_BELOW: Final = 200
"""Of fewer the binomial distribution is summed up; of more its normal form is as good."""


def worth(values: Any) -> float:
    """As how many independent ones these count, which came one by one. Of equal ones nothing shows a memory."""
    import numpy as np

    from pale_heron.core.independent import independent_samples

    taken = np.asarray(values, np.float64)
    return independent_samples(taken) if len(taken) and np.ptp(taken) > 0 else float(len(taken))


def share_95(count: float, of: float, memory: float = 1.0) -> Interval | None:
    """Of `count` among `of`, where so many neighbours say what one says; None of nothing."""
    return wilson(count / memory, of / memory)


def mean_95(values: Sequence[float] | Any) -> Interval | None:
    """Of the mean of values that came one after the other; None of fewer than two."""
    import numpy as np

    taken = np.asarray(values, np.float64)
    if len(taken) < 2:
        return None
    freedom = worth(taken) - 1
    deviation, mean = float(taken.std(ddof=1)), float(taken.mean())
    if not deviation:
        return mean, mean
    if freedom < 1:
        return -math.inf, math.inf
    # Close to Student's 97.5 % point for so many degrees of freedom.
    half = (Z_95 + 2.4 / freedom + 3.0 / freedom**2) * deviation / math.sqrt(freedom + 1)
    return mean - half, mean + half


def quantile_95(values: Sequence[float] | Any, share: float, independent: float | None = None) -> Interval | None:
    """Of the value below which a share lies; values as they came, or with how many `independent` ones they count."""
    if not len(values):
        return None
    ordered = sorted(values)
    count = max(1, int(worth(values) if independent is None else independent))
    low, high = _ranks(count, share)
    scale = len(ordered) / count
    begin = ordered[max(0, math.ceil(low * scale) - 1)] if low >= 1 else -math.inf
    end = ordered[min(len(ordered) - 1, math.ceil(high * scale) - 1)] if high <= count else math.inf
    return float(begin), float(end)


def _ranks(count: int, share: float) -> tuple[int, int]:
    """Of so many in order, from 1 on, those between which the value lies; 0, or one more than all, for an open end."""
    middle, spread = count * share, math.sqrt(count * share * (1 - share))
    if count >= EXACT_BELOW:
        return math.floor(middle - Z_95 * spread), math.ceil(middle + Z_95 * spread) + 1
    low, high, below = 0, count + 1, 0.0
    for rank in range(count + 1):
        # `below` is the chance that fewer than `rank` lie below the value.
        low = rank if below <= 0.025 else low
        if below >= 0.975:
            high = rank
            break
        below += math.comb(count, rank) * share**rank * (1 - share) ** (count - rank)
    return low, high


def rate_95(rate: float, one: float) -> Interval:
    """Of so much a second, where one thing more or less at the ends is `one` a second."""
    return max(0.0, rate - one), rate + one


def deviation_95(deviation: float, count: int) -> Interval | None:
    """Of a standard deviation of so many independent values; None of fewer than two."""
    freedom = count - 1
    if freedom < 1:
        return None
    part = 2 / (9 * freedom)
    low, high = ((1 - part + sign * Z_95 * math.sqrt(part)) ** 3 for sign in (1, -1))
    return deviation / math.sqrt(low), deviation / math.sqrt(high) if high > 0 else math.inf
