"""Small distances on the ellipsoid WGS 84."""

import math

_A = 6_378_137.0
_E2 = 6.694_379_990_14e-3


def radii_m(latitude: float) -> tuple[float, float]:
    """Radius of curvature in the meridian and in the prime vertical, metres, at a latitude in degrees."""
    curve = 1 - _E2 * math.sin(math.radians(latitude)) ** 2
    return _A * (1 - _E2) / curve**1.5, _A / math.sqrt(curve)


def offset_m(latitude: float, longitude: float, from_latitude: float, from_longitude: float) -> tuple[float, float]:
    """Metres east and north of a near point (within a few kilometres); right across the date line."""
    meridian, prime = radii_m(from_latitude)
    turn = (longitude - from_longitude + 180.0) % 360.0 - 180.0
    east = math.radians(turn) * prime * math.cos(math.radians(from_latitude))
    return east, math.radians(latitude - from_latitude) * meridian


def moved(latitude: float, longitude: float, east_m: float, north_m: float) -> tuple[float, float]:
    """The point that lies so many metres east and north (within a few kilometres)."""
    meridian, prime = radii_m(latitude)
    turn = longitude + math.degrees(east_m / (prime * math.cos(math.radians(latitude))))
    return latitude + math.degrees(north_m / meridian), (turn + 180.0) % 360.0 - 180.0
