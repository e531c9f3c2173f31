"""Distances on the ellipsoid WGS 84: to a millimetre over some kilometres, at the poles and the date line too."""

import math
from typing import Final, NamedTuple

SEMI_MAJOR_M: Final = 6_378_137.0
ECCENTRICITY_2: Final = 6.694_379_990_14e-3
"""Of WGS 84: half of the longest diameter, and the eccentricity squared."""


class Offset(NamedTuple):
    """Metres from one point to another."""

    east: float
    north: float
    up: float

    @property
    def horizontal(self) -> float:
        return math.hypot(self.east, self.north)

    @property
    def bearing_deg(self) -> float:
        """Degrees from north, clockwise, 0 to 360."""
        return math.degrees(math.atan2(self.east, self.north)) % 360.0


def radii_m(latitude: float) -> tuple[float, float]:
    """Radius of curvature in the meridian and in the prime vertical, metres, at a latitude in degrees."""
    curve = 1 - ECCENTRICITY_2 * math.sin(math.radians(latitude)) ** 2
    return SEMI_MAJOR_M * (1 - ECCENTRICITY_2) / curve**1.5, SEMI_MAJOR_M / math.sqrt(curve)


def earth_fixed(latitude: float, longitude: float) -> tuple[float, float, float]:
    """A point of the ellipsoid's surface in axes that turn with the Earth, metres."""
    phi, lam = math.radians(latitude), math.radians(longitude)
    prime = SEMI_MAJOR_M / math.sqrt(1 - ECCENTRICITY_2 * math.sin(phi) ** 2)
    across = prime * math.cos(phi)
    return across * math.cos(lam), across * math.sin(lam), prime * (1 - ECCENTRICITY_2) * math.sin(phi)


def offset_m(latitude: float, longitude: float, from_latitude: float, from_longitude: float) -> tuple[float, float]:
    """Metres east and north of a point, in the plane that touches the ellipsoid there.

    Through axes fixed to the Earth, because differences of longitude mean nothing at a pole.
    """
    x, y, z = (
        there - here
        for there, here in zip(
            earth_fixed(latitude, longitude), earth_fixed(from_latitude, from_longitude), strict=True
        )
    )
    phi, lam = math.radians(from_latitude), math.radians(from_longitude)
    east = -math.sin(lam) * x + math.cos(lam) * y
    north = -math.sin(phi) * (math.cos(lam) * x + math.sin(lam) * y) + math.cos(phi) * z
    return east, north


def moved(latitude: float, longitude: float, east_m: float, north_m: float) -> tuple[float, float]:
    """The point that lies so many metres east and north (within some ten kilometres); the inverse of `offset_m`."""
    phi, lam = math.radians(latitude), math.radians(longitude)
    meridian, prime = radii_m(latitude)
    # So far the surface falls away below the plane that touches it.
    drop = (east_m**2 / prime + north_m**2 / meridian) / 2
    axes = (
        (-math.sin(lam), math.cos(lam), 0.0),
        (-math.sin(phi) * math.cos(lam), -math.sin(phi) * math.sin(lam), math.cos(phi)),
        (math.cos(phi) * math.cos(lam), math.cos(phi) * math.sin(lam), math.sin(phi)),
    )
    x, y, z = (
        here + east_m * east + north_m * north - drop * up
        for here, east, north, up in zip(earth_fixed(latitude, longitude), *axes, strict=True)
    )
    return math.degrees(math.atan2(z, math.hypot(x, y) * (1 - ECCENTRICITY_2))), math.degrees(math.atan2(y, x))
