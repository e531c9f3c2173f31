"""Dunlin, a small board that prints a line at each pulse, with a counter of its own that runs off."""

import math
import random
from typing import Final

from pale_heron.sim.actors import Mute

PPM: Final = -23.0
"""Its crystal is slow by so much."""

JITTER_US: Final = 2.0
STARTED_US: Final = 3_141_592


class Dunlin(Mute):
    """One board; power comes at the beginning of a second."""

    def __init__(self, seed: int, ppm: float = PPM) -> None:
        self._ppm = ppm
        self._chance = random.Random(f"dunlin {seed}")
        self._second = -1

    def say(self, seconds: float) -> bytes:
        said = b""
        while self._second < math.floor(seconds):
            self._second += 1
            own = self._second * (1e6 + self._ppm) + self._chance.gauss(0, JITTER_US)
            said += f"pulse {self._second}, {STARTED_US + round(own)} us\r\n".encode("ascii")
        return said
