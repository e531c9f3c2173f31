"""How far positions lie from their mean, or from a point that is known.

CEP50 and CEP95 are the radii within which half and 95 % of the positions lie; 2DRMS is twice the root mean square of
the distances. The errors of a receiver come and go in minutes, so neighbouring positions are no independent samples:
their number is estimated from how alike neighbours are, n(1-r)/(1+r) with r the correlation of one with the next.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.earth.geodesy import earth_fixed, on_surface, plane
from pale_heron.core.gnss.earth.points import Point
from pale_heron.core.gnss.epochs.log import UNKNOWN_TIME, Epochs
from pale_heron.core.gnss.states import LEVELS
from pale_heron.core.independent import independent_samples

Numbers = NDArray[np.float64]
FEW_INDEPENDENT: Final = 10
AT_A_TIME: Final = 1 << 15


class KindScatter(NamedTuple):
    """The positions of one kind, a name of LEVELS: within which distance of `about` so many of them lie, metres."""

    level: str
    samples: int
    cep50_m: float
    cep95_m: float


@dataclass(frozen=True, slots=True)
class Scatter:
    """All figures in metres, of the positions of one kind: what RTK does says nothing of a single fix.

    `about` is the point from which distances count, the mean or a given one.
    """

    samples: int
    span_s: float | None
    """Seconds from the first to the last; None where no times are known."""
    independent: float
    about: Point
    from_reference: bool
    mean: tuple[float, float, float | None]
    """East, north and up of the mean, from `about`: the bias where that is a known point."""
    cep50_m: float
    cep95_m: float
    drms2_m: float
    vertical95_m: float | None
    deviations_m: tuple[float, float, float | None]
    """Standard deviations east, north, up, about the mean."""
    claimed_drms_m: float | None
    """The root mean square of the horizontal errors that the receiver itself expected; None where it gives none."""
    level: str
    """The kind, by its name in LEVELS: the one that most of the positions have."""
    others: tuple[KindScatter, ...]
    """The other kinds among the positions, most frequent first, each by itself; of fewer than two nothing is said."""
    offsets_m: Numbers
    """Shape (samples, 2): metres east and north of `about`, oldest first."""

    @property
    def drms_m(self) -> float:
        return self.drms2_m / 2

    @property
    def claim_holds(self) -> bool | None:
        """Whether the distances are no larger than claimed; None without a claim, or with too few samples to judge."""
        if self.claimed_drms_m is None or self.independent < FEW_INDEPENDENT:
            return None
        margin = 1 + 1.5 / math.sqrt(self.independent)
        return self.drms_m <= self.claimed_drms_m * margin


def numbers(epochs: Epochs, name: str) -> NDArray[Any]:
    """One column of epochs, as the log keeps it."""
    column = epochs.column(name)
    return np.frombuffer(column, np.dtype(column.typecode))


def scatter(epochs: Epochs, reference: Point | None = None) -> Scatter | None:
    """The scatter of all epochs with a position of the kind that most have; None below two."""
    latitude, level = numbers(epochs, "latitude"), numbers(epochs, "level")
    counts = np.bincount(level[~np.isnan(latitude)], minlength=len(LEVELS))
    main, *others = sorted(np.flatnonzero(counts > 1).tolist(), key=lambda each: (-counts[each], -each)) or [0]
    known = ~np.isnan(latitude) & (level == main)
    samples = int(known.sum())
    if samples < 2:
        return None
    apart = tuple(_kind(epochs, each, reference) for each in others)
    latitude, longitude = latitude[known], numbers(epochs, "longitude")[known]
    altitude = numbers(epochs, "altitude_m")[known]
    about = reference or mean_point(latitude, longitude, altitude)
    offsets = offsets_m(latitude, longitude, about)
    del latitude, longitude
    distances = np.sort(np.hypot(offsets[:, 0], offsets[:, 1]))
    mean = offsets.mean(axis=0)
    height = about.altitude_m
    ups = altitude[~np.isnan(altitude)] - height if height is not None else np.empty(0)
    claims = numbers(epochs, "error_m")[known].astype(np.float64)
    claims = claims[~np.isnan(claims)]
    arrived = numbers(epochs, "arrived")[known]
    first, last = arrived[0], arrived[-1]
    return Scatter(
        samples=samples,
        span_s=None if UNKNOWN_TIME in (first, last) else float(last - first) / SECOND,
        independent=independent_samples(offsets),
        about=about,
        from_reference=reference is not None,
        mean=(float(mean[0]), float(mean[1]), float(ups.mean()) if ups.size else None),
        cep50_m=at_share(distances, 0.50),
        cep95_m=at_share(distances, 0.95),
        drms2_m=2 * math.sqrt(float((distances**2).mean())),
        vertical95_m=at_share(np.sort(np.abs(ups)), 0.95) if ups.size > 1 else None,
        deviations_m=(
            float(offsets[:, 0].std()),
            float(offsets[:, 1].std()),
            float(ups.std()) if ups.size > 1 else None,
        ),
        claimed_drms_m=math.sqrt(float((claims**2).mean())) if claims.size > samples / 2 else None,
        level=LEVELS[main],
        others=apart,
        offsets_m=offsets,
    )


def _kind(epochs: Epochs, level: int, reference: Point | None) -> KindScatter:
    latitude = numbers(epochs, "latitude")
    known = ~np.isnan(latitude) & (numbers(epochs, "level") == level)
    here = latitude[known], numbers(epochs, "longitude")[known]
    about = reference or mean_point(*here, numbers(epochs, "altitude_m")[known])
    distances = np.sort(np.hypot(*offsets_m(*here, about).T))
    return KindScatter(LEVELS[level], len(distances), at_share(distances, 0.50), at_share(distances, 0.95))


def _fixed(latitude: Numbers, longitude: Numbers) -> Iterator[tuple[slice, Numbers]]:
    """Points of the ellipsoid's surface in axes that turn with the Earth, metres; shape (n, 3), some rows at a time.

    Of a day at 10 Hz all at once would take a hundred megabytes.
    """
    for begin in range(0, len(latitude), AT_A_TIME):
        rows = slice(begin, begin + AT_A_TIME)
        yield rows, np.column_stack(earth_fixed(latitude[rows], longitude[rows], np))


def mean_point(latitude: Numbers, longitude: Numbers, altitude: Numbers) -> Point:
    """The mean of near points, right across the date line and at a pole."""
    # The mean of near points lies so little below the surface that the latitude of the surface holds.
    whole = sum((points.sum(axis=0) for _, points in _fixed(latitude, longitude)), np.zeros(3))
    north, east = on_surface(*whole / len(latitude))
    known = altitude[~np.isnan(altitude)]
    mean_altitude = float(known.mean()) if known.size else None
    return Point(north, east, mean_altitude)


def offsets_m(latitude: Numbers, longitude: Numbers, about: Point) -> Numbers:
    """Metres east and north of a point, in the plane that touches the ellipsoid there; shape (n, 2)."""
    origin = np.array(earth_fixed(about.latitude, about.longitude))
    east, north, _ = plane(about.latitude, about.longitude)
    axes = np.column_stack((east, north))
    found: Numbers = np.empty((len(latitude), 2))
    for rows, points in _fixed(latitude, longitude):
        found[rows] = (points - origin) @ axes
    return found


def at_share(ordered: Numbers, share: float) -> float:
    """The smallest distance within which at least `share` of all lie."""
    return float(ordered[max(0, math.ceil(share * len(ordered)) - 1)])
