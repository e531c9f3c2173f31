"""Epochs: what a receiver said of one moment, one row each, in columns.

A day of 10 Hz is 864 000 epochs; as objects they would fill a gigabyte, as columns of numbers they take 109 bytes each,
and packed, as they are in a log that keeps all of them, 1 to 20. Rows are only ever added at the end, so a snapshot is
a view: the rows as they are, and how far they were filled.
"""

import bisect
from array import array
from collections.abc import Iterator, Sequence
from functools import lru_cache
from itertools import accumulate
from math import nan
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from pale_heron.core.gnss.states import LEVELS, is_fix

if TYPE_CHECKING:
    from pale_heron.core.gnss.batches.rows import EpochRows
    from pale_heron.core.gnss.epochs.packed import PackedRows

UNKNOWN_TIME: Final = -(2**63)
UNKNOWN_COUNT: Final = -1

PACKED_ROWS: Final = 1 << 12
"""So many rows are packed together."""


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

SINGLE: Final = frozenset(name for name, code in _COLUMNS.items() if code == "f")
"""Columns of single precision: seven digits of them count."""

_MISSING: Final = {"q": UNKNOWN_TIME, "h": UNKNOWN_COUNT, "b": 0, "d": nan, "f": nan}
_FILL: Final = tuple(_MISSING[code] for code in _COLUMNS.values())


class Epochs:
    """Rows `begin` to `end` of those that are packed and of columns that may grow; nothing in it ever changes."""

    __slots__ = ("_begin", "_columns", "_end", "_packed", "_starts")

    def __init__(
        self, columns: "dict[str, array[Any]]", begin: int, end: int, packed: "Sequence[PackedRows]" = ()
    ) -> None:
        """The rows that are `packed` come before those of the columns."""
        self._columns = columns
        self._begin = begin
        self._end = end
        self._packed = packed
        self._starts = tuple(accumulate((rows.count for rows in packed), initial=0))
        """The place of the first row of each that are packed, and at last of the columns."""

    @property
    def stamp(self) -> tuple[int, int, int]:
        """Differs where there are other rows: their places, and when the newest came."""
        newest = self._value("arrived", self._end - 1) if self._end else UNKNOWN_TIME
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
        at = self._begin
        while at < self._end:
            columns, place = self._where(at)
            count = min(PACKED_ROWS, self._end - at, *(start - at for start in self._starts if start > at))
            values = [_listed(column[place : place + count]) for column in columns.values()]
            yield from map(Epoch._make, zip(*values, strict=True))
            at += count

    def __getitem__(self, index: int) -> Epoch:
        """One row; negative places count from the end. Raises IndexError."""
        at = self._begin + index if index >= 0 else self._end + index
        if not self._begin <= at < self._end:
            raise IndexError(index)
        return self._row(at)

    def part(self, begin: int, end: int) -> "Epochs":
        """The rows from one place to before another, counted from the first; as many as there are."""
        first, behind = (min(self._end, self._begin + place) for place in (begin, end))
        return Epochs(self._columns, first, behind, self._packed)

    def last(self, count: int) -> "Epochs":
        """The newest `count` rows."""
        return Epochs(self._columns, max(self._begin, self._end - count), self._end, self._packed)

    def since(self, moment: int) -> "Epochs":
        """The rows whose first sentence came at or after a moment; rows come in the order of their times."""
        places = range(self._begin, self._end)
        found = bisect.bisect_left(places, moment, key=lambda at: self._value("arrived", at))
        return Epochs(self._columns, self._begin + found, self._end, self._packed)

    def column(self, name: str) -> "array[Any]":
        """A copy of one column, as numbers in which unknowns are UNKNOWN_TIME, UNKNOWN_COUNT or NaN."""
        begin, end, behind = self._begin, self._end, self._starts[-1]
        found = self._columns[name][max(0, begin - behind) : max(0, end - behind)]
        if begin >= behind:
            return found
        whole = array(found.typecode)
        for rows, start in zip(self._packed, self._starts, strict=False):
            if start < end and start + rows.count > begin:
                whole.extend(rows.column(name)[max(0, begin - start) : end - start])
        whole.extend(found)
        return whole

    def _row(self, at: int) -> Epoch:
        columns, place = self._where(at)
        return Epoch(*(_listed(column[place : place + 1])[0] for column in columns.values()))

    def _value(self, name: str, at: int) -> Any:
        columns, place = self._where(at)
        return columns[name][place]

    def _where(self, at: int) -> "tuple[dict[str, array[Any]], int]":
        """The columns that hold a row, and its place in them."""
        behind = self._starts[-1]
        if at >= behind:
            return self._columns, at - behind
        part = bisect.bisect_right(self._starts, at) - 1
        return _unpacked(self._packed[part]), at - self._starts[part]


@lru_cache(maxsize=2)
def _unpacked(rows: "PackedRows") -> "dict[str, array[Any]]":
    """Whoever wants one row mostly wants the next one too."""
    return rows.columns()


def _listed(column: "array[Any]") -> list[Any]:
    """The values of a column; None for the unknown."""
    code, values = column.typecode, column.tolist()
    if code == "b":
        return values
    missing = _MISSING[code]
    # What is no number differs from itself.
    return [None if value == missing or value != value else value for value in values]


class EpochLog:
    """Takes rows. `kept` limits how many stay; None keeps all, and packs those that came long ago."""

    def __init__(self, kept: int | None = None) -> None:
        self._kept = kept
        self._packed: list[PackedRows] = []
        self._columns = _empty()
        self._appends = [column.append for column in self._columns.values()]
        self._count = 0
        """Of rows that are not packed."""
        self.total = 0
        """How many rows there ever were, how many of them have a position, and how many of these are a fix."""
        self.with_position = 0
        self.with_fix = 0

    def append(self, epoch: Epoch) -> None:
        """Add one row."""
        for append, value, fill in zip(self._appends, epoch, _FILL, strict=True):
            append(fill if value is None else value)
        self._count += 1
        self.total += 1
        self.with_position += epoch.latitude is not None
        self.with_fix += epoch.latitude is not None and is_fix(epoch.level)
        if self._kept is not None and self._count >= 2 * self._kept:
            self._begin_columns({name: column[-self._kept :] for name, column in self._columns.items()}, self._kept)
        elif self._kept is None and self._count >= PACKED_ROWS:
            self._pack()

    def extend(self, rows: "EpochRows") -> None:
        """Add many rows."""
        count = self._count + len(rows)
        if self._kept is not None and count >= 2 * self._kept:
            # As many as would be left if they had come one by one.
            left = self._kept + (count - 2 * self._kept) % self._kept
            old = self._columns
            self._begin_columns({name: (old[name] + more)[-left:] for name, more in rows.columns(_COLUMNS)}, left)
        else:
            for name, more in rows.columns(_COLUMNS):
                self._columns[name].extend(more)
            self._count = count
        self.total += len(rows)
        positioned = int(rows.positioned.sum())
        self.with_position += positioned
        self.with_fix += positioned if is_fix(rows.level) else 0
        if self._kept is None and self._count >= PACKED_ROWS:
            self._pack()

    def _pack(self) -> None:
        # Brings numpy, for which the first picture should not wait.
        from pale_heron.core.gnss.epochs.packed import PackedRows

        self._packed.append(PackedRows(self._columns))
        self._begin_columns(_empty(), 0)

    def _begin_columns(self, columns: "dict[str, array[Any]]", count: int) -> None:
        """Go on with other columns, so that the views that were given out stay as they are."""
        self._columns, self._count = columns, count
        self._appends = [column.append for column in columns.values()]

    def view(self) -> Epochs:
        """What there is now."""
        begin = max(0, self._count - self._kept) if self._kept is not None else 0
        packed = tuple(self._packed)
        return Epochs(self._columns, begin, sum(rows.count for rows in packed) + self._count, packed)

    def __getstate__(self) -> dict[str, object]:
        """Without the rows that nobody sees any more."""
        begin = 0 if self._kept is None else max(0, self._count - self._kept)
        columns = {name: column[begin:] for name, column in self._columns.items()} if begin else self._columns
        return {
            "_kept": self._kept,
            "_packed": self._packed,
            "_columns": columns,
            "_count": self._count - begin,
            "total": self.total,
            "with_position": self.with_position,
            "with_fix": self.with_fix,
        }

    def __setstate__(self, state: dict[str, object]) -> None:
        self.__dict__.update(state)
        self._appends = [column.append for column in self._columns.values()]


def _empty() -> dict[str, "array[Any]"]:
    return {name: array(code) for name, code in _COLUMNS.items()}


NO_EPOCHS: Final = Epochs(_empty(), 0, 0)
