"""Distances over the ellipsoid, however far."""


def distance_and_bearing(
    from_latitude: float, from_longitude: float, latitude: float, longitude: float
) -> tuple[float, float]:
    """Metres along the geodesic on WGS 84, and degrees from north in which it begins, 0 to 360."""
    # Needed only where there is a reference.
    from geographiclib.geodesic import Geodesic

    found = Geodesic.WGS84.Inverse(from_latitude, from_longitude, latitude, longitude)
    return float(found["s12"]), float(found["azi1"]) % 360.0
