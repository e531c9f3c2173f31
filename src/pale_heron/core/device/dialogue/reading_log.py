"""What the readings of a module were over time, so that something else can be held against them."""

import bisect
from array import array
from typing import Final

from pale_heron.core.strips import ColumnStrip, StripColumns

KEPT: Final = 20_000


class ReadingLog:
    """The numbers of one reading with their times, in nanoseconds; the last `KEPT` of them."""

    def __init__(self) -> None:
        self._times = array("q")
        self._values = array("d")
        self._columns = StripColumns()

    def add(self, time: int, value: float) -> None:
        """One more. One that is older than the one before takes its time."""
        self._columns.add(time, value)
        self._times.append(max(time, self._times[-1]) if self._times else time)
        self._values.append(value)
        if len(self._times) >= 2 * KEPT:
            del self._times[:KEPT], self._values[:KEPT]

    def strip(self) -> ColumnStrip:
        """All of them, also those that were forgotten, in columns of time."""
        return self._columns.strip()

    def first_since(self, begin: int, until: int) -> float | None:
        """The first one from `begin` to before `until`; None where there is none."""
        at = bisect.bisect_left(self._times, begin)
        return self._values[at] if at < len(self._times) and self._times[at] < until else None
