"""A quantity over a whole record in a bounded number of columns: sums and counts, so that it can be added or averaged.

Columns begin with a second each. When there are too many, neighbours are joined and all become twice as wide: a record
of any length is drawn from the same amount of memory, and nothing of it is left out.
"""

from array import array
from collections.abc import Sequence
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND

MOST: Final = 1024


class ColumnStrip(NamedTuple):
    """Column i covers the time from begin + i·width on, nanoseconds: what was added there, and how often."""

    begin: int
    width: int
    sums: "array[float]"
    counts: "array[int]"

    @property
    def end(self) -> int:
        return self.begin + self.width * len(self.sums)

    def over(self, begin: int, end: int, until: int) -> tuple[float, float]:
        """Sum and count from `begin` to before `end` of a record that ends at `until`.

        Of a column that lies there in part its part counts: what is in it is taken to be spread evenly, over as much
        of it as the record has. Stretches that lie side by side therefore have together what both have.
        """
        total = count = 0.0
        first = max(0, (begin - self.begin) // self.width)
        for place in range(first, min(len(self.sums), -(-(end - self.begin) // self.width))):
            left = self.begin + place * self.width
            right = max(left + 1, min(left + self.width, until))
            share = (min(end, right) - max(begin, left)) / (right - left)
            if share > 0:
                total += self.sums[place] * share
                count += self.counts[place] * share
        return total, count


NO_COLUMNS: Final = ColumnStrip(0, SECOND, array("d"), array("q"))


class StripColumns:
    """Takes values with their times, nanoseconds; one from before the first counts with it."""

    def __init__(self, most: int = MOST) -> None:
        self._most = most
        self._begin: int | None = None
        self._width = SECOND
        self._sums = array("d")
        self._counts = array("q")

    def add(self, moment: int, value: float) -> None:
        """One more."""
        self.extend(((moment, value),))

    def extend(self, values: Sequence[tuple[int, float]]) -> None:
        """Many more: moments and what is added at each."""
        if not values:
            return
        begin = self._begin
        if begin is None:
            begin = self._begin = values[0][0] // SECOND * SECOND
        passed = max(0, max(values)[0] - begin)
        while passed // self._width >= self._most:
            self._widen()
        width, sums, counts = self._width, self._sums, self._counts
        missing = passed // width + 1 - len(sums)
        if missing > 0:
            sums.extend([0.0] * missing)
            counts.extend([0] * missing)
        for moment, value in values:
            place = (moment - begin) // width if moment > begin else 0
            sums[place] += value
            counts[place] += 1

    def _widen(self) -> None:
        self._width *= 2
        for column in (self._sums, self._counts):
            if len(column) % 2:
                column.append(0)
        self._sums = array("d", map(sum, zip(self._sums[::2], self._sums[1::2], strict=True)))
        self._counts = array("q", map(sum, zip(self._counts[::2], self._counts[1::2], strict=True)))

    def strip(self) -> ColumnStrip:
        """As it stands; it does not change any more."""
        return ColumnStrip(self._begin or 0, self._width, self._sums[:], self._counts[:])
