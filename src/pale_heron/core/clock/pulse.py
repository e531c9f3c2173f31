"""Pulses, one a second: how many came, were missed or doubled, how even they are, and how a clock drifts against them.

An interval counts where it lies between half a second and one and a half: shorter is a pulse too many, longer one or
more that are missing. The first interval is left out: what was switched on in the middle of it is cut short.
"""

import math
import re
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.patterns import limited
from pale_heron.core.samples import Sample, quantile

UNITS_NS: Final = {"ns": 1, "us": 1_000, "ms": 1_000_000, "s": SECOND}
USUAL: Final = re.compile(r"(?<![\w.])(?P<number>\d+(?:\.\d+)?)\s*(?P<unit>ns|us|ms|s)\b")
"""A number with its unit, anywhere in a line: the pulse's own time."""

FEW: Final = 10
"""From so many pulses on a drift is told."""


class PulseInterval(NamedTuple):
    """Seconds from one pulse to the next: least, mean, most, and the standard deviation."""

    least: float
    mean: float
    most: float
    deviation: float


class HostOffset(NamedTuple):
    """Nanoseconds from the nearest second of this computer's clock to the pulse: least, median, most, deviation."""

    least: float
    median: float
    most: float
    deviation: float


class Drift(NamedTuple):
    """By how many parts in a million a clock runs fast against the pulses, with its standard error."""

    ppm: float
    error_ppm: float


class PulseSnapshot(NamedTuple):
    """One source. `own` is the drift of the counter that it prints, where it prints one."""

    source: str
    pulses: int
    missed: int
    doubled: int
    intervals: int
    interval: PulseInterval | None
    host_offset: HostOffset | None
    drift: Drift | None
    own: Drift | None
    last: int | None


class _Fit:
    """A line through points by least squares, from sums alone."""

    def __init__(self) -> None:
        self.count = 0
        self._x = self._y = self._xx = self._xy = self._yy = 0.0

    def add(self, x: float, y: float) -> None:
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


class _MeanAndDeviation:
    """Mean and deviation, from sums alone (Welford 1962)."""

    def __init__(self) -> None:
        self.count = 0
        self.mean = self._squares = 0.0
        self.least, self.most = math.inf, -math.inf

    def add(self, value: float) -> None:
        self.count += 1
        apart = value - self.mean
        self.mean += apart / self.count
        self._squares += apart * (value - self.mean)
        self.least, self.most = min(self.least, value), max(self.most, value)

    @property
    def deviation(self) -> float:
        return math.sqrt(self._squares / (self.count - 1)) if self.count > 1 else 0.0


class PulseTracker:
    """Takes the moments of pulses, in their order; what it keeps does not grow."""

    def __init__(self, source: str) -> None:
        self._source = source
        self._count = self._missed = self._doubled = 0
        self._first: int | None = None
        self._last: int | None = None
        self._number = 0
        """Of the last pulse, those that were missed counted too."""
        self._begun = False
        """Whether an interval was left out already."""
        self._intervals, self._offsets = _MeanAndDeviation(), _MeanAndDeviation()
        self._offset_sample = Sample()
        self._drift, self._own_drift = _Fit(), _Fit()
        self._own_first: tuple[int, int] | None = None

    def take(self, moment: int, own: int | None = None) -> None:
        """A pulse, when it came and what its own counter says (nanoseconds)."""
        self._count += 1
        if self._last is None or self._first is None:
            self._first = self._last = moment
            self._note(moment, own)
            return
        interval = moment - self._last
        seconds = round(interval / SECOND)
        if seconds < 1:
            self._doubled += 1
            return
        self._missed += seconds - 1
        self._number += seconds
        self._last = moment
        if seconds == 1 and self._begun:
            self._intervals.add(interval / SECOND)
        self._begun = True
        self._note(moment, own)

    def _note(self, moment: int, own: int | None) -> None:
        """Where it lies against this computer's clock, and against the counter of its own."""
        assert self._first is not None, "it was taken"
        offset = (moment + SECOND // 2) % SECOND - SECOND // 2
        self._offsets.add(float(offset))
        self._offset_sample.add(float(offset))
        self._drift.add(float(self._number), float(moment - self._first - self._number * SECOND))
        if own is None:
            return
        if self._own_first is None:
            self._own_first = own, self._number
        begin, number = self._own_first
        passed = self._number - number
        self._own_drift.add(float(passed), float(own - begin - passed * SECOND))

    def snapshot(self) -> PulseSnapshot:
        """How it stands."""
        spread, offsets = self._intervals, self._offsets
        ordered = sorted(self._offset_sample.values)
        return PulseSnapshot(
            source=self._source,
            pulses=self._count,
            missed=self._missed,
            doubled=self._doubled,
            intervals=spread.count,
            interval=PulseInterval(spread.least, spread.mean, spread.most, spread.deviation) if spread.count else None,
            host_offset=(
                HostOffset(offsets.least, quantile(ordered, 0.5), offsets.most, offsets.deviation) if ordered else None
            ),
            drift=_drift(self._drift),
            own=_drift(self._own_drift),
            last=self._last,
        )


def _drift(fit: _Fit) -> Drift | None:
    """Nanoseconds a second are thousandths of parts in a million."""
    found = fit.slope()
    return None if found is None else Drift(found[0] / 1000, found[1] / 1000)


class PrintedPulse:
    """Which lines of a board are pulses, and what their own counter says.

    Without a pattern each line is one, and a number with a unit in it is its own time. A pattern is a regular
    expression that a line must hold; a group of it named ns, us, ms or s is the own time.
    """

    def __init__(self, pattern: str = "") -> None:
        """Raises ValueError for a pattern that is none."""
        self._pattern = limited(pattern) if pattern else None

    def read(self, line: str) -> tuple[bool, int | None]:
        """Whether a line is a pulse, and its own time in nanoseconds where it tells one."""
        if not line.strip():
            return False, None
        if self._pattern is None:
            found = USUAL.search(line)
            return True, None if found is None else _own(found["number"], found["unit"])
        match = self._pattern.search(line)
        if match is None:
            return False, None
        named = next(((unit, text) for unit, text in match.groupdict().items() if unit in UNITS_NS and text), None)
        return True, None if named is None else _own(named[1], named[0])


def _own(number: str, unit: str) -> int | None:
    whole, _, part = number.partition(".")
    if not whole.isdecimal() or (part and not part.isdecimal()) or len(whole) > 20:
        return None
    scale = UNITS_NS[unit]
    return int(whole) * scale + (int(part[:9].ljust(9, "0")) * scale // SECOND if part else 0)
