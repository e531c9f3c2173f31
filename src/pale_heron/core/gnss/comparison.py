"""Two receivers over the same minutes, epoch by epoch: how far apart they say they are.

Epochs are matched by the moment that they are about (date and time of day), not by when they came: the lines, the load
and the computers may delay each as they like. A moment that only one reports is counted and left out.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.epochs.log import UNKNOWN_COUNT, UNKNOWN_TIME, Epochs
from pale_heron.core.gnss.scatter import Numbers, at_share, independent_samples, mean_point, offsets_m

Times = NDArray[np.int64]


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
    here, there = _Columns(first), _Columns(second)
    times, at_here, at_there = np.intersect1d(here.fixed_utc, there.fixed_utc, return_indices=True)
    if not len(times):
        return None
    rows, others = here.fixed_rows[at_here], there.fixed_rows[at_there]
    about = mean_point(here.latitude[rows], here.longitude[rows], here.altitude[rows])
    # One plane serves for both: they are near each other, or the answer is that they are not.
    flat = offsets_m(there.latitude[others], there.longitude[others], about) - offsets_m(
        here.latitude[rows], here.longitude[rows], about
    )
    up = there.altitude[others] - here.altitude[rows]
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


class _Columns:
    """The columns of one receiver as arrays."""

    def __init__(self, epochs: Epochs) -> None:
        self.utc = np.frombuffer(epochs.column("utc"), dtype=np.int64)
        self.latitude = np.frombuffer(epochs.column("latitude"), dtype=np.float64)
        self.longitude = np.frombuffer(epochs.column("longitude"), dtype=np.float64)
        self.altitude = np.frombuffer(epochs.column("altitude_m"), dtype=np.float64)
        self._used = np.frombuffer(epochs.column("used"), dtype=np.int16)
        self._cn0 = np.frombuffer(epochs.column("cn0"), dtype=np.float32)
        known = ~np.isnan(self.latitude) & (self.utc != UNKNOWN_TIME)
        self._positions = int((~np.isnan(self.latitude)).sum())
        # A moment reported twice (a leap second, a repeated epoch) counts once.
        self.fixed_utc, first = np.unique(self.utc[known], return_index=True)
        self.fixed_rows = np.flatnonzero(known)[first]

    def side(self, rows: NDArray[np.intp]) -> ReceiverSide:
        used = self._used[rows]
        used = used[used != UNKNOWN_COUNT]
        strength = self._cn0[rows]
        strength = strength[~np.isnan(strength)]
        return ReceiverSide(
            epochs=len(self.utc),
            fixed=self._positions,
            used=float(used.mean()) if used.size else None,
            cn0=float(strength.mean()) if strength.size else None,
            first_fix=int(self.fixed_utc[0]) if len(self.fixed_utc) else None,
        )


def _spread(values: Numbers) -> Spread:
    return Spread(float(values.mean()), float(values.std()), float(values.min()), float(values.max()))
