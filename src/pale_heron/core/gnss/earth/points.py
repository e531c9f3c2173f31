"""A point on or near the surface of the Earth."""

from typing import NamedTuple


class Point(NamedTuple):
    """Signed degrees, and metres above mean sea level where they are known."""

    latitude: float
    longitude: float
    altitude_m: float | None = None
