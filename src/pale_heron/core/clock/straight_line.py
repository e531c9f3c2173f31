"""Mean and spread, and a straight line through points, from sums alone: what is kept does not grow."""

import math
from typing import Final, NamedTuple

FEW: Final = 10
"""From so many points on a slope is told."""


class Drift(NamedTuple):
    """By how many parts in a million a clock runs fast, with its standard error."""

    ppm: float
    error_ppm: float


class StraightLine:
    """Least squares."""

    def __init__(self) -> None:
        self.count = 0
        self._x = self._y = self._xx = self._xy = self._yy = 0.0

    def add(self, x: float, y: float) -> None:
        """One point."""
        self.count += 1
        dx, dy = x - self._x, y - self._y
        self._x += dx / self.count
        self._y += dy / self.count
        self._xx += dx * (x - self._x)
        self._yy += dy * (y - self._y)
        self._xy += dx * (y - self._y)

    def slope(self) -> tuple[float, float] | None:
        """Of y over x, with its standard error; None of too few."""
        if self.count < FEW or self._xx <= 0:
            return None
        slope = self._xy / self._xx
        rest = max(0.0, self._yy - slope * self._xy)
        return slope, math.sqrt(rest / (self.count - 2) / self._xx)

    def drift(self) -> Drift | None:
        """Of nanoseconds over seconds."""
        found = self.slope()
        return None if found is None else Drift(found[0] / 1000, found[1] / 1000)


class MeanAndDeviation:
    """Welford 1962."""

    def __init__(self) -> None:
        self.count = 0
        self.mean = self._squares = 0.0
        self.least, self.most = math.inf, -math.inf

    def add(self, value: float) -> None:
        """One more."""
        self.count += 1
        apart = value - self.mean
        self.mean += apart / self.count
        self._squares += apart * (value - self.mean)
        self.least, self.most = min(self.least, value), max(self.most, value)

    @property
    def deviation(self) -> float:
        return math.sqrt(self._squares / (self.count - 1)) if self.count > 1 else 0.0
