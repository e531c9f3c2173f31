"""The made-up world: a salt marsh with a tidal channel, a hut on the dyke and a buoy that drifts.

Everything follows from the seed and the seconds since the start, so a run can be repeated.
"""

import math
from dataclasses import dataclass, replace
from typing import Final

from pale_heron.core.gnss.earth.geodesy import moved

BEGIN_UTC = 1_935_654_000
"""2031-05-04 09:40:00 UTC, when the made-up time begins: seconds since 1970."""

PLOVER_PIN: Final = "2718"
"""Of the SIM in the cellular module."""

HUT = (-46.1170000, -67.3060000)
GEOID_SEPARATION_M = 11.2


@dataclass(frozen=True, slots=True)
class MarshPlace:
    """Where something truly is: degrees, metres above sea level, metres a second, degrees from north."""

    latitude: float
    longitude: float
    altitude_m: float
    speed_m_s: float
    course_deg: float


def hide(_seconds: float) -> MarshPlace:
    """The roof of the hut on the dyke: at rest."""
    return MarshPlace(*HUT, 9.2, 0.0, 0.0)


def buoy(seconds: float) -> MarshPlace:
    """Buoy 7: drifts down the bends of the channel with the ebb, lifted by a slow swell."""
    along = 0.21 * seconds
    across = 18.0 * math.sin(along / 70.0)
    heading = math.radians(212.0)
    east = -52.0 + along * math.sin(heading) + across * math.cos(heading)
    north = -34.0 + along * math.cos(heading) - across * math.sin(heading)
    latitude, longitude = moved(*HUT, east, north)
    sideways = 0.21 * 18.0 / 70.0 * math.cos(along / 70.0)
    course = math.degrees(heading + math.atan2(sideways, 0.21)) % 360.0
    height = 3.4 - 0.0002 * seconds + 0.12 * math.sin(seconds / 2.3)
    return MarshPlace(latitude, longitude, height, math.hypot(0.21, sideways), course)


TOW_M_S: Final = 6.0


def tow(seconds: float) -> MarshPlace:
    """Buoy 7 on its way out to its mooring, towed by a boat: down the channel, away from the hide."""
    along, heading = 60.0 + TOW_M_S * seconds, math.radians(205.0)
    across = 25.0 * math.sin(along / 130.0)
    east = along * math.sin(heading) + across * math.cos(heading)
    north = along * math.cos(heading) - across * math.sin(heading)
    latitude, longitude = moved(*HUT, east, north)
    sideways = TOW_M_S * 25.0 / 130.0 * math.cos(along / 130.0)
    course = math.degrees(heading + math.atan2(sideways, TOW_M_S)) % 360.0
    return MarshPlace(latitude, longitude, 3.1 + 0.2 * math.sin(seconds / 1.7), math.hypot(TOW_M_S, sideways), course)


PLACES: Final = {"buoy": buoy, "hide": hide, "tow": tow}


def antenna(place: str, lever_m: tuple[float, float, float], seconds: float) -> MarshPlace:
    """Where an antenna truly is that stands so many metres east, north and up of a place."""
    here = PLACES[place](seconds)
    east, north, up = lever_m
    if not (east or north):
        return here
    latitude, longitude = moved(here.latitude, here.longitude, east, north)
    return replace(here, latitude=latitude, longitude=longitude, altitude_m=here.altitude_m + up)
