"""How many independent values say as much of their mean as values that are alike near each other.

The variance of a mean of n values is their variance times τ/n; τ is the sum of their autocorrelation on both sides,
up to where it is noise: the first lag that is five times the sum so far (Sokal 1989). What the record's own mean takes
away from each correlation is given back. Errors of a receiver come and go in minutes while its noise is new each
second: the correlation of neighbours alone would see the noise, and miss the rest.

A record shows of its memory what fits into it: where it is fewer than ten times as long, up to three times too many are
counted.
"""

from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

WINDOW: Final = 5.0
MOST_VALUES: Final = 1 << 15
"""Longer records are taken as means of neighbours."""


def independent_samples(values: NDArray[Any]) -> float:
    """Between 1 and their number; 0 of none. Shape (n,), or (n, k) for values of k parts, which are taken together."""
    count = len(values)
    if count < 3:
        return float(min(count, 1))
    parts = np.asarray(values, np.float64).reshape(count, -1)
    variance = float(parts.var(axis=0).sum())
    if variance <= 0:
        return 1.0
    length = -(-count // MOST_VALUES)
    blocks = parts[: count // length * length].reshape(-1, length, parts.shape[1]).mean(axis=1)
    covariance = _covariance(blocks - blocks.mean(axis=0))
    taken = min(_of_mean(covariance), float(covariance[0]))
    of_mean = _of_mean(covariance + taken)
    return float(np.clip((variance + taken) / of_mean, 1.0, count)) if of_mean > 0 else float(count)


def _of_mean(covariance: NDArray[np.float64]) -> float:
    """The variance of the mean of as many values as there are lags."""
    sums = 2 * np.cumsum(covariance) - covariance[0]
    times = np.maximum(sums / covariance[0], 0.0)
    ends = np.flatnonzero(np.arange(len(sums)) >= WINDOW * times)
    return max(0.0, float(sums[int(ends[0]) if len(ends) else -1])) / len(sums)


def _covariance(blocks: NDArray[np.float64]) -> NDArray[np.float64]:
    """Of each lag, summed over the parts; by way of the spectrum (Wiener and Khinchin)."""
    number = len(blocks)
    spectrum = np.abs(np.fft.rfft(blocks, 2 * number, axis=0)) ** 2
    found: NDArray[np.float64] = np.fft.irfft(spectrum, axis=0)[:number].sum(axis=1) / number
    return found
