"""Satellites on circular orbits, and where they stand in the sky of a place.

The orbits have the radius, inclination and number of planes of the real systems; which satellite is where is made up by
the seed. That gives rising, setting and paths across the sky as an observer sees them.
"""

import math
import random
from typing import NamedTuple

_MU = 3.986004418e14
_EARTH_RATE = 7.2921151467e-5
_EARTH_RADIUS_M = 6_371_000.0


class Orbit(NamedTuple):
    """A system's letter, and its satellites' radius, inclination, planes and number."""

    system: str
    radius_m: float
    inclination_deg: float
    planes: int
    satellites: int


SYSTEMS = (
    Orbit("G", 26_560_000.0, 55.0, 6, 30),
    Orbit("R", 25_510_000.0, 64.8, 3, 24),
    Orbit("E", 29_600_000.0, 56.0, 3, 24),
    Orbit("C", 27_906_000.0, 55.0, 3, 24),
)


class InSky(NamedTuple):
    """A satellite above the horizon; angles in degrees, the ideal C/N0 in dB-Hz."""

    system: str
    number: int
    elevation: float
    azimuth: float
    cn0: float


class Constellations:
    """All satellites of one world."""

    def __init__(self, seed: int) -> None:
        chance = random.Random(f"orbits {seed}")
        self._orbits: list[tuple[Orbit, int, float, float]] = []
        for orbit in SYSTEMS:
            turn = chance.uniform(0, 2 * math.pi)
            for place in range(orbit.satellites):
                plane = place % orbit.planes
                node = turn + 2 * math.pi * plane / orbit.planes
                phase = 2 * math.pi * (place // orbit.planes) / (orbit.satellites // orbit.planes)
                phase += 2 * math.pi * plane / orbit.satellites + chance.uniform(-0.1, 0.1)
                self._orbits.append((orbit, place + 1, node, phase))

    def above(self, latitude: float, longitude: float, seconds: float, lowest_deg: float = 3.0) -> list[InSky]:
        """Every satellite higher than `lowest_deg` at `seconds` of UTC, by system and number."""
        up, east, north = _axes(latitude, longitude)
        place = tuple(_EARTH_RADIUS_M * part for part in up)
        found = []
        for orbit, number, node, phase in self._orbits:
            where = _position(orbit, node, phase, seconds)
            line = tuple(a - b for a, b in zip(where, place, strict=True))
            distance = math.sqrt(_dot(line, line))
            elevation = math.degrees(math.asin(_dot(line, up) / distance))
            if elevation >= lowest_deg:
                azimuth = math.degrees(math.atan2(_dot(line, east), _dot(line, north))) % 360.0
                strength = 25.0 + 20.0 * math.sin(math.radians(elevation)) ** 0.7 + _own_strength(orbit.system, number)
                found.append(InSky(orbit.system, number, elevation, azimuth, strength))
        return found


def _own_strength(system: str, number: int) -> float:
    """Each satellite is a little stronger or weaker than its neighbours, always by the same."""
    return (ord(system) * 31 + number * 17) % 7 - 3.0


def _position(orbit: Orbit, node: float, phase: float, seconds: float) -> tuple[float, float, float]:
    """Metres in axes that turn with the Earth."""
    along = phase + math.sqrt(_MU / orbit.radius_m**3) * seconds
    tilt = math.radians(orbit.inclination_deg)
    turned = node - _EARTH_RATE * seconds
    x, y = math.cos(along), math.sin(along) * math.cos(tilt)
    return (
        orbit.radius_m * (x * math.cos(turned) - y * math.sin(turned)),
        orbit.radius_m * (x * math.sin(turned) + y * math.cos(turned)),
        orbit.radius_m * math.sin(along) * math.sin(tilt),
    )


def _axes(latitude: float, longitude: float) -> tuple[tuple[float, ...], tuple[float, ...], tuple[float, ...]]:
    """Up, east and north of a place."""
    phi, lam = math.radians(latitude), math.radians(longitude)
    up = (math.cos(phi) * math.cos(lam), math.cos(phi) * math.sin(lam), math.sin(phi))
    east = (-math.sin(lam), math.cos(lam), 0.0)
    north = (-math.sin(phi) * math.cos(lam), -math.sin(phi) * math.sin(lam), math.cos(phi))
    return up, east, north


def _dot(a: tuple[float, ...], b: tuple[float, ...]) -> float:
    return sum(x * y for x, y in zip(a, b, strict=True))
