"""How far positions at rest lie from their mean."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from pale_heron.core.gnss.geodesy import offset_m


class Position(NamedTuple):
    """One epoch's position: arrival time, signed degrees, metres above sea level."""

    time: int | None
    latitude: float
    longitude: float
    altitude_m: float | None


@dataclass(frozen=True, slots=True)
class Scatter:
    """Half and 95 % of the positions lie within `cep50_m` and `cep95_m` of the mean; 2DRMS is twice the RMS distance.

    Consecutive positions of a receiver are correlated: the figures of a short time flatter it.
    """

    samples: int
    cep50_m: float
    cep95_m: float
    drms2_m: float
    offsets_m: tuple[tuple[float, float], ...]
    """Metres east and north of the mean, oldest first."""


def scatter(positions: Sequence[Position]) -> Scatter | None:
    """The scatter about the mean; None below two positions."""
    if len(positions) < 2:
        return None
    first = positions[0]
    near = [offset_m(each.latitude, each.longitude, first.latitude, first.longitude) for each in positions]
    mean_east = sum(east for east, _ in near) / len(near)
    mean_north = sum(north for _, north in near) / len(near)
    offsets = tuple((east - mean_east, north - mean_north) for east, north in near)
    distances = sorted(math.hypot(east, north) for east, north in offsets)
    return Scatter(
        samples=len(offsets),
        cep50_m=_at_share(distances, 0.50),
        cep95_m=_at_share(distances, 0.95),
        drms2_m=2 * math.sqrt(sum(distance**2 for distance in distances) / len(distances)),
        offsets_m=offsets,
    )


def _at_share(ordered: Sequence[float], share: float) -> float:
    """The smallest distance within which at least `share` of all lie."""
    return ordered[max(0, math.ceil(share * len(ordered)) - 1)]
