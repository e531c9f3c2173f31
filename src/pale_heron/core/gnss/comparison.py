"""Two receivers over the same minutes, epoch by epoch: how far apart they say they are.

Epochs are matched by the moment that they are about (date and time of day), not by when they came: the lines, the load
and the computers may delay each as they like. A moment that only one reports is counted and left out. Where no date is
given, the day is that on which the time of day is nearest to its arrival.
"""

from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.epochs.log import UNKNOWN_COUNT, UNKNOWN_TIME, Epochs
from pale_heron.core.gnss.scatter import Numbers, at_share, mean_point, numbers, offsets_m
from pale_heron.core.independent import independent_samples
from pale_heron.core.utc import DAY

Times = NDArray[np.int64]
Rows = NDArray[np.intp]


@dataclass(frozen=True, slots=True)
class Spread:
    """Mean, standard deviation, least and most of one figure."""

    mean: float
    deviation: float
    least: float
    most: float


@dataclass(frozen=True, slots=True)
class ReceiverSide:
    """What one receiver has over the moments that both report; None where it has none."""

    epochs: int
    """All its epochs, matched or not."""
    fixed: int
    """Those with a position."""
    used: float | None
    """Mean number of satellites used in the matched ones."""
    cn0: float | None
    """Mean C/N0 of the best four in the matched ones, dB-Hz."""
    first_fix: int
    """The first moment (UTC) with a position."""


@dataclass(frozen=True, slots=True)
class Comparison:
    """Metres from the first to the second receiver."""

    matched: int
    span_s: float
    independent: float
    east: Spread
    north: Spread
    up: Spread | None
    distance: Spread
    distance95_m: float
    times: Times
    """Shape (matched,): nanoseconds UTC."""
    offsets_m: Numbers
    """Shape (matched, 3): east, north, up; up is NaN where a height is missing."""
    sides: tuple[ReceiverSide, ReceiverSide]


def compare(first: Epochs, second: Epochs) -> Comparison | None:
    """The comparison; None where the two have no moment with two positions in common."""
    here, there = _moments(first), _moments(second)
    times, rows, others = _matched(here, there)
    if not len(times):
        return None
    first_fixes = int(here.utc[0]), int(there.utc[0])
    # A day has so many that each column counts: they are read when they are wanted, and left when they were used.
    del here, there
    where, height = _positions(first, rows), _column(first, "altitude_m", rows)
    about = mean_point(*where, height)
    # One plane serves for both: they are near each other, or the answer is that they are not.
    offsets = np.empty((len(times), 3))
    flat, up = offsets[:, :2], offsets[:, 2]
    flat[:] = offsets_m(*_positions(second, others), about)
    flat -= offsets_m(*where, about)
    up[:] = _column(second, "altitude_m", others) - height
    del where, height
    distances = np.hypot(flat[:, 0], flat[:, 1])
    return Comparison(
        matched=len(times),
        span_s=float(times[-1] - times[0]) / SECOND,
        independent=independent_samples(flat),
        east=_spread(flat[:, 0]),
        north=_spread(flat[:, 1]),
        up=_spread(up[~np.isnan(up)]) if not np.isnan(up).all() else None,
        distance=_spread(distances),
        distance95_m=at_share(np.sort(distances), 0.95),
        times=times,
        offsets_m=offsets,
        sides=(_side(first, rows, first_fixes[0]), _side(second, others, first_fixes[1])),
    )


class _Moments(NamedTuple):
    """The moments of which one receiver gives a position, in their order, and their rows."""

    utc: Times
    rows: Rows


def _moments(epochs: Epochs) -> _Moments:
    utc, of_day, arrived = (numbers(epochs, name) for name in ("utc", "of_day", "arrived"))
    undated = (utc == UNKNOWN_TIME) & (of_day != UNKNOWN_TIME) & (arrived != UNKNOWN_TIME)
    utc = np.where(undated, arrived - (arrived - of_day + DAY // 2) % DAY + DAY // 2, utc)
    rows = np.flatnonzero(~np.isnan(numbers(epochs, "latitude")) & (utc != UNKNOWN_TIME))
    utc = utc[rows]
    if (utc[1:] > utc[:-1]).all():
        return _Moments(utc, rows)
    # A moment reported twice (a leap second, a repeated epoch) counts once.
    once, at = np.unique(utc, return_index=True)
    return _Moments(once, rows[at])


def _matched(here: _Moments, there: _Moments) -> tuple[Times, Rows, Rows]:
    """The moments of both, and the rows of each."""
    at = np.searchsorted(there.utc, here.utc)
    at[at == len(there.utc)] = 0
    both = there.utc[at] == here.utc if len(there.utc) else np.zeros(len(at), bool)
    return here.utc[both], here.rows[both], there.rows[at[both]]


def _column(epochs: Epochs, name: str, rows: Rows) -> NDArray[Any]:
    """Some rows of one."""
    found: NDArray[Any] = numbers(epochs, name)[rows]
    return found


def _positions(epochs: Epochs, rows: Rows) -> tuple[Numbers, Numbers]:
    return _column(epochs, "latitude", rows), _column(epochs, "longitude", rows)


def _side(epochs: Epochs, rows: Rows, first_fix: int) -> ReceiverSide:
    used, strength = _column(epochs, "used", rows), _column(epochs, "cn0", rows)
    used, strength = used[used != UNKNOWN_COUNT], strength[~np.isnan(strength)]
    return ReceiverSide(
        epochs=len(epochs),
        fixed=int((~np.isnan(numbers(epochs, "latitude"))).sum()),
        used=float(used.mean()) if used.size else None,
        cn0=float(strength.mean()) if strength.size else None,
        first_fix=first_fix,
    )


def _spread(values: Numbers) -> Spread:
    return Spread(float(values.mean()), float(values.std()), float(values.min()), float(values.max()))
