"""How well a simulated receiver knows where it is: dilution of precision from the real geometry, and its errors."""

import math
import random
from collections.abc import Sequence

import numpy as np

from pale_heron.core.gnss.earth.geodesy import moved
from pale_heron.sim.marsh import MarshPlace

RANGE_ERROR_M = 1.1
MEMORY = 0.97
"""How much of an epoch's error is still there in the next one: errors of a receiver come and go in minutes."""


def dilution(directions: Sequence[tuple[float, float]]) -> tuple[float, float, float] | None:
    """PDOP, HDOP and VDOP of satellites at these elevations and azimuths, degrees.

    None below four satellites or where they stand in one plane.
    """
    if len(directions) < 4:
        return (3.9, 3.1, 2.4) if len(directions) == 3 else None
    angles = np.radians(np.array(directions))
    elevation, azimuth = angles[:, 0], angles[:, 1]
    lines = np.column_stack(
        (
            np.cos(elevation) * np.sin(azimuth),
            np.cos(elevation) * np.cos(azimuth),
            np.sin(elevation),
            np.ones(len(directions)),
        )
    )
    try:
        east, north, up, _ = np.diag(np.linalg.inv(lines.T @ lines))
    except np.linalg.LinAlgError:
        return None
    pdop, hdop, vdop = (min(99.9, math.sqrt(part)) for part in (east + north + up, east + north, up))
    return pdop, hdop, vdop


class Errors:
    """The error of the position, which wanders from epoch to epoch."""

    def __init__(self, seed: int) -> None:
        self._chance = random.Random(f"errors {seed}")
        self._wander = [0.0, 0.0, 0.0]

    def found(
        self, truth: MarshPlace, dops: tuple[float, float, float], scale: float = 1.0
    ) -> tuple[float, float, float, tuple[float, float, float]]:
        """Latitude, longitude and altitude as found, and their expected errors north, east and up in metres.

        `scale` makes them smaller, as corrections do.
        """
        _, hdop, vdop = dops
        side, up = scale * RANGE_ERROR_M * hdop / math.sqrt(2), scale * RANGE_ERROR_M * vdop
        fresh = math.sqrt(1 - MEMORY**2)
        self._wander = [MEMORY * old + fresh * self._chance.gauss(0, 1) for old in self._wander]
        east, north, height = (
            (wander + 0.15 * self._chance.gauss(0, 1)) * scale
            for wander, scale in zip(self._wander, (side, side, up), strict=True)
        )
        latitude, longitude = moved(truth.latitude, truth.longitude, east, north)
        return latitude, longitude, truth.altitude_m + height, (side, side, up)
