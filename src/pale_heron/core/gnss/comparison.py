"""Two receivers over the same minutes, epoch by epoch: how far apart they say they are.

Epochs are matched by the moment that they are about (date and time of day), not by when they came: the lines, the load
and the computers may delay each as they like. A moment that only one reports is counted and left out.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.epochs.log import UNKNOWN_COUNT, UNKNOWN_TIME, Epochs
from pale_heron.core.gnss.scatter import Numbers, at_share, independent_samples, mean_point, numbers, offsets_m

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
    first_fix: int | None
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
    here, there = _Moments(first), _Moments(second)
    at = np.minimum(np.searchsorted(there.utc, here.utc), max(0, len(there.utc) - 1))
    both = there.utc[at] == here.utc if len(there.utc) else np.zeros(len(here.utc), bool)
    times, rows, others = here.utc[both], here.rows[both], there.rows[at[both]]
    if not len(times):
        return None
    del at, both
    where, height = here.positions(rows), here.column("altitude_m", rows)
    about = mean_point(*where, height)
    # One plane serves for both: they are near each other, or the answer is that they are not.
    flat = offsets_m(*there.positions(others), about)
    flat -= offsets_m(*where, about)
    del where
    up = there.column("altitude_m", others) - height
    offsets = np.column_stack((flat, up))
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
        sides=(here.side(rows), there.side(others)),
    )


class _Moments:
    """The moments of which one receiver gives a position, in their order, and their rows."""

    def __init__(self, epochs: Epochs) -> None:
        self._epochs = epochs
        utc, positioned = numbers(epochs, "utc"), ~np.isnan(numbers(epochs, "latitude"))
        self._positions = int(positioned.sum())
        known = np.flatnonzero(positioned & (utc != UNKNOWN_TIME))
        self.utc: Times = utc[known]
        self.rows: Rows = known
        if not (self.utc[1:] > self.utc[:-1]).all():
            # A moment reported twice (a leap second, a repeated epoch) counts once.
            self.utc, at = np.unique(self.utc, return_index=True)
            self.rows = known[at]

    def column(self, name: str, rows: Rows) -> NDArray[Any]:
        """Some rows of one; read when it is wanted, for a day has many."""
        found: NDArray[Any] = numbers(self._epochs, name)[rows]
        return found

    def positions(self, rows: Rows) -> tuple[Numbers, Numbers]:
        """Latitudes and longitudes."""
        return self.column("latitude", rows), self.column("longitude", rows)

    def side(self, rows: Rows) -> ReceiverSide:
        used = self.column("used", rows)
        used = used[used != UNKNOWN_COUNT]
        strength = self.column("cn0", rows)
        strength = strength[~np.isnan(strength)]
        return ReceiverSide(
            epochs=len(self._epochs),
            fixed=self._positions,
            used=float(used.mean()) if used.size else None,
            cn0=float(strength.mean()) if strength.size else None,
            first_fix=int(self.utc[0]) if len(self.utc) else None,
        )


def _spread(values: Numbers) -> Spread:
    return Spread(float(values.mean()), float(values.std()), float(values.min()), float(values.max()))
