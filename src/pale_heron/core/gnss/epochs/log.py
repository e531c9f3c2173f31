"""Epochs: what a receiver said of one moment, one row each, in columns.

A day of 10 Hz is 864 000 epochs; as objects they would fill a gigabyte, as columns of numbers they take 109 bytes each.
Rows are only ever added at the end, so a snapshot is a view: the columns as they are, and how far they were filled.
"""

import bisect
from array import array
from collections.abc import Iterator
from math import isnan, nan
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from pale_heron.core.gnss.states import LEVELS

if TYPE_CHECKING:
    from pale_heron.core.gnss.batches.rows import EpochRows

UNKNOWN_TIME: Final = -(2**63)
UNKNOWN_COUNT: Final = -1


class Epoch(NamedTuple):
    """One epoch. Times are nanoseconds since 1970; angles signed degrees; heights, errors in metres."""

    arrived: int | None
    """When its first sentence came."""
    utc: int | None
    """The moment that it is about; None while the date is unknown."""
    of_day: int | None
    """Its time of day, nanoseconds; known before any date."""
    level: int
    """Place in LEVELS."""
    made: int
    """Place in MADE."""
    latitude: float | None
    longitude: float | None
    altitude_m: float | None
    """Above mean sea level."""
    separation_m: float | None
    used: int | None
    seen: int | None
    hdop: float | None
    cn0: float | None
    """Mean of the four strongest satellites, dB-Hz."""
    speed_knots: float | None
    course_deg: float | None
    error_m: float | None
    """What the receiver itself expects of the horizontal error (one sigma)."""

    @property
    def state(self) -> str:
        return LEVELS[self.level]

    @property
    def has_position(self) -> bool:
        return self.latitude is not None


_COLUMNS: Final = {
    "arrived": "q",
    "utc": "q",
    "of_day": "q",
    "level": "b",
    "made": "b",
    "latitude": "d",
    "longitude": "d",
    "altitude_m": "d",
    "separation_m": "d",
    "used": "h",
    "seen": "h",
    "hdop": "d",
    "cn0": "f",
    "speed_knots": "f",
    "course_deg": "f",
    "error_m": "f",
}
"""Each column with its type code. Unknown times and counts are numbers that none has, other unknowns NaN."""

_MISSING: Final = {"q": UNKNOWN_TIME, "h": UNKNOWN_COUNT, "b": 0, "d": nan, "f": nan}
_FILL: Final = tuple(_MISSING[code] for code in _COLUMNS.values())


class Epochs:
    """Rows `begin` to `end` of columns that may grow behind `end`; nothing in it ever changes."""

    __slots__ = ("_begin", "_columns", "_end")

    def __init__(self, columns: dict[str, "array[Any]"], begin: int, end: int) -> None:
        self._columns = columns
        self._begin = begin
        self._end = end

    @property
    def stamp(self) -> tuple[int, int, int]:
        """Differs where there are other rows: their places, and when the newest came."""
        newest = self._columns["arrived"][self._end - 1] if self._end else UNKNOWN_TIME
        return self._begin, self._end, newest

    def __len__(self) -> int:
        return self._end - self._begin

    def __eq__(self, other: object) -> bool:
        """Equal rows; two unknowns are equal."""
        return isinstance(other, Epochs) and all(
            self.column(name).tobytes() == other.column(name).tobytes() for name in _COLUMNS
        )

    __hash__ = None  # type: ignore[assignment]  # as with every sequence that compares by its content

    def __iter__(self) -> Iterator[Epoch]:
        return (self[index] for index in range(len(self)))

    def __getitem__(self, index: int) -> Epoch:
        """One row; negative places count from the end. Raises IndexError."""
        at = self._begin + index if index >= 0 else self._end + index
        if not self._begin <= at < self._end:
            raise IndexError(index)
        return Epoch(*(_read(column[at], column.typecode) for column in self._columns.values()))

    def last(self, count: int) -> "Epochs":
        """The newest `count` rows."""
        return Epochs(self._columns, max(self._begin, self._end - count), self._end)

    def since(self, moment: int) -> "Epochs":
        """The rows whose first sentence came at or after a moment; rows come in the order of their times."""
        begin = bisect.bisect_left(self._columns["arrived"], moment, self._begin, self._end)
        return Epochs(self._columns, begin, self._end)

    def column(self, name: str) -> "array[Any]":
        """A copy of one column, as numbers in which unknowns are UNKNOWN_TIME, UNKNOWN_COUNT or NaN."""
        return self._columns[name][self._begin : self._end]


def _read(value: Any, code: str) -> Any:
    if code in "df":
        return None if isnan(value) else value
    return None if value == _MISSING[code] and code != "b" else value


class EpochLog:
    """Takes rows. `kept` limits how many stay; None keeps all."""

    def __init__(self, kept: int | None = None) -> None:
        self._kept = kept
        self._columns = _empty()
        self._appends = [column.append for column in self._columns.values()]
        self._count = 0
        self.total = 0
        """How many rows there ever were, and how many of them have a position."""
        self.with_position = 0

    def append(self, epoch: Epoch) -> None:
        """Add one row."""
        for append, value, fill in zip(self._appends, epoch, _FILL, strict=True):
            append(fill if value is None else value)
        self._count += 1
        self.total += 1
        self.with_position += epoch.latitude is not None
        if self._kept is not None and self._count >= 2 * self._kept:
            # New columns, so that the views that were given out stay as they are.
            self._columns = {name: column[-self._kept :] for name, column in self._columns.items()}
            self._appends = [column.append for column in self._columns.values()]
            self._count = self._kept

    def extend(self, rows: "EpochRows") -> None:
        """Add many rows."""
        count = self._count + len(rows)
        if self._kept is not None and count >= 2 * self._kept:
            # As many as would be left if they had come one by one; in new columns, as above.
            left = self._kept + (count - 2 * self._kept) % self._kept
            old = self._columns
            self._columns = {name: (old[name] + more)[-left:] for name, more in rows.columns(_COLUMNS)}
            self._appends = [column.append for column in self._columns.values()]
            count = left
        else:
            for name, more in rows.columns(_COLUMNS):
                self._columns[name].extend(more)
        self._count = count
        self.total += len(rows)
        self.with_position += int(rows.positioned.sum())

    def view(self) -> Epochs:
        """What there is now."""
        begin = max(0, self._count - self._kept) if self._kept is not None else 0
        return Epochs(self._columns, begin, self._count)

    def __getstate__(self) -> dict[str, object]:
        """Without the rows that nobody sees any more."""
        begin = 0 if self._kept is None else max(0, self._count - self._kept)
        columns = {name: column[begin:] for name, column in self._columns.items()} if begin else self._columns
        return {
            "_kept": self._kept,
            "_columns": columns,
            "_count": self._count - begin,
            "total": self.total,
            "with_position": self.with_position,
        }

    def __setstate__(self, state: dict[str, object]) -> None:
        self.__dict__.update(state)
        self._appends = [column.append for column in self._columns.values()]


def _empty() -> dict[str, "array[Any]"]:
    return {name: array(code) for name, code in _COLUMNS.items()}


NO_EPOCHS: Final = Epochs(_empty(), 0, 0)
