"""Distances on the ellipsoid WGS 84: to a millimetre over some kilometres, at the poles and the date line too."""

import math
from typing import Any, Final, NamedTuple

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


def earth_fixed(latitude: Any, longitude: Any, maths: Any = math) -> tuple[Any, Any, Any]:
    """A point of the ellipsoid's surface in axes that turn with the Earth, metres.

    `maths` is the module whose functions are used: `math` for one point, `numpy` for columns of them.
    """
    phi, lam = maths.radians(latitude), maths.radians(longitude)
    prime = SEMI_MAJOR_M / maths.sqrt(1 - ECCENTRICITY_2 * maths.sin(phi) ** 2)
    across = prime * maths.cos(phi)
    return across * maths.cos(lam), across * maths.sin(lam), prime * (1 - ECCENTRICITY_2) * maths.sin(phi)


def on_surface(x: float, y: float, z: float) -> tuple[float, float]:
    """Latitude and longitude of a point on the ellipsoid's surface, or so little off it that this is no matter."""
    return math.degrees(math.atan2(z, math.hypot(x, y) * (1 - ECCENTRICITY_2))), math.degrees(math.atan2(y, x))


def plane(latitude: float, longitude: float) -> tuple[tuple[float, float, float], ...]:
    """The directions east, north and up at a point, in axes fixed to the Earth."""
    phi, lam = math.radians(latitude), math.radians(longitude)
    sin_phi, cos_phi, sin_lam, cos_lam = math.sin(phi), math.cos(phi), math.sin(lam), math.cos(lam)
    return (
        (-sin_lam, cos_lam, 0.0),
        (-sin_phi * cos_lam, -sin_phi * sin_lam, cos_phi),
        (cos_phi * cos_lam, cos_phi * sin_lam, sin_phi),
    )


def offset_m(latitude: float, longitude: float, from_latitude: float, from_longitude: float) -> tuple[float, float]:
    """Metres east and north of a point, in the plane that touches the ellipsoid there.

    Through axes fixed to the Earth, because differences of longitude mean nothing at a pole.
    """
    there, here = earth_fixed(latitude, longitude), earth_fixed(from_latitude, from_longitude)
    x, y, z = there[0] - here[0], there[1] - here[1], there[2] - here[2]
    east, north, _ = plane(from_latitude, from_longitude)
    return x * east[0] + y * east[1], x * north[0] + y * north[1] + z * north[2]


def moved(latitude: float, longitude: float, east_m: float, north_m: float) -> tuple[float, float]:
    """The point that lies so many metres east and north (within some ten kilometres); the inverse of `offset_m`."""
    meridian, prime = radii_m(latitude)
    # So far the surface falls away below the plane that touches it.
    drop = (east_m**2 / prime + north_m**2 / meridian) / 2
    axes = plane(latitude, longitude)
    x, y, z = (
        here + east_m * east + north_m * north - drop * up
        for here, east, north, up in zip(earth_fixed(latitude, longitude), *axes, strict=True)
    )
    return on_surface(x, y, z)
