"""The whole session in a bounded number of columns: in each the worst that happened in its stretch of time.

Columns begin with a second each. When there are too many, neighbours are joined and all become twice as wide, so a
session of any length is drawn from the same amount of memory.
"""

from array import array
from math import inf, isinf
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from pale_heron.core.frames import SECOND

if TYPE_CHECKING:
    from pale_heron.core.nmea.columns import Numbers
    from pale_heron.core.wire.sentence_batch import Places

MOST: Final = 2048
SILENT: Final = -1
"""The level of a stretch in which no epoch came."""

NO_COUNT: Final = 32767


class Strip(NamedTuple):
    """Column i covers the time from begin + i·width on: the lowest level, fewest satellites used, weakest C/N0."""

    begin: int
    width: int
    levels: tuple[int, ...]
    used: tuple[int | None, ...]
    cn0: tuple[float | None, ...]

    @property
    def end(self) -> int:
        return self.begin + self.width * len(self.levels)

    def column(self, moment: int) -> int:
        """The place of a moment; it may lie outside."""
        return (moment - self.begin) // self.width


NO_STRIP: Final = Strip(0, SECOND, (), (), ())


class StripLog:
    """Takes every epoch, in the order of their times."""

    def __init__(self, most: int = MOST) -> None:
        self._most = most
        self._begin: int | None = None
        self._width = SECOND
        self._levels = array("b")
        self._used = array("h")
        self._cn0 = array("f")
        self._known: Strip | None = NO_STRIP

    def add(self, moment: int, level: int, used: int | None, cn0: float | None, after_gap: bool = False) -> None:
        """Take one epoch; one from before the start counts at the start.

        Columns between it and the one before are silent after a gap; else epochs are rarer than columns.
        """
        if self._begin is None:
            self._begin = moment // SECOND * SECOND
        index = max(0, (moment - self._begin) // self._width)
        while index >= self._most:
            self._widen()
            index = max(0, (moment - self._begin) // self._width)
        missing = index + 1 - len(self._levels)
        if missing > 0:
            self._levels.extend([SILENT] * missing if after_gap else [level] * missing)
            self._used.extend([NO_COUNT] * missing)
            self._cn0.extend([inf] * missing)
            self._levels[index] = level
        before = self._levels[index]
        self._levels[index] = min(before, level)
        if used is not None:
            self._used[index] = min(self._used[index], used)
        if cn0 is not None:
            self._cn0[index] = min(self._cn0[index], cn0)
        self._known = None

    def extend(self, moments: "Places", level: int, used: "Places", cn0: "Numbers") -> None:
        """Take many epochs of one level, which the one before them had too, in the order of their times, without a gap.

        Of each moment the least that was used, or NO_COUNT, and the weakest C/N0, or infinity.
        """
        import numpy as np

        begin = self._begin
        assert begin is not None, "there was one before"
        places = np.maximum(moments - begin, 0) // self._width
        while places[-1] >= self._most:
            self._widen()
            places = np.maximum(moments - begin, 0) // self._width
        missing = int(places[-1]) + 1 - len(self._levels)
        if missing > 0:
            self._levels.extend([level] * missing)
            self._used.extend([NO_COUNT] * missing)
            self._cn0.extend([inf] * missing)
        # Seen as columns, not copied.
        np.minimum.at(np.frombuffer(self._levels, np.int8), places, level)
        np.minimum.at(np.frombuffer(self._used, np.int16), places, used.astype(np.int16))
        np.minimum.at(np.frombuffer(self._cn0, np.float32), places, cn0.astype(np.float32))
        self._known = None

    def clock_stepped(self, by: int) -> None:
        """All of it was by another clock, which was so many nanoseconds behind: columns go on where they are."""
        if self._begin is not None:
            self._begin += by
            self._known = None

    def _widen(self) -> None:
        """Join neighbours. A silent stretch beside one that is not stays visible as silent: it is the worse one."""
        self._levels = array("b", map(min, *_pairs(self._levels)))
        self._used = array("h", map(min, *_pairs(self._used)))
        self._cn0 = array("f", map(min, *_pairs(self._cn0)))
        self._width *= 2

    def strip(self) -> Strip:
        """The columns as they are."""
        if self._known is None:
            self._known = Strip(
                self._begin or 0,
                self._width,
                tuple(self._levels),
                tuple(None if count == NO_COUNT else count for count in self._used),
                tuple(None if isinf(value) else value for value in self._cn0),
            )
        return self._known


def _pairs(column: "array[Any]") -> "tuple[array[Any], array[Any]]":
    """Even and odd places; an odd one out is its own neighbour."""
    odd = column[1::2]
    if len(column) % 2:
        odd.append(column[-1])
    return column[::2], odd
