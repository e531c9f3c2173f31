"""Distances over the ellipsoid, however far."""


def distance_and_bearing(
    from_latitude: float, from_longitude: float, latitude: float, longitude: float
) -> tuple[float, float]:
    """Metres along the geodesic on WGS 84, and degrees from north in which it begins, 0 to 360."""
    # Slow to load, and needed only where there is a reference.
    from pyproj import Geod

    bearing, _, metres = Geod(ellps="WGS84").inv(from_longitude, from_latitude, longitude, latitude)
    return float(metres), float(bearing) % 360.0
