"""Rows of the log of epochs that have come long ago, packed: nothing is lost, and a day takes a fifth of the room.

Times go on in even steps, positions move little, and most other columns stand still. So times are written as
differences of their differences, and fractions by how their bits differ; then the first bytes of all values stand
together, then the second ones, and so on, and what repeats is left to zlib.
"""

import zlib
from array import array
from collections.abc import Mapping
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

DIFFERENCES: Final = {"q": 2, "d": 1}
"""So many times differences are taken of the columns with these type codes; all others are packed as they are."""

_WHOLE: Final = {"q": np.dtype(np.int64), "d": np.dtype(np.int64)}
_LEVEL: Final = 1
"""Of zlib: more of it takes three times as long and saves a tenth."""


class PackedRows:
    """Some rows of all columns. Nothing in it ever changes; it can be pickled."""

    __slots__ = ("_columns", "count")

    def __init__(self, columns: "Mapping[str, array[Any]]") -> None:
        self.count = len(next(iter(columns.values())))
        self._columns = {name: (column.typecode, pack(column)) for name, column in columns.items()}

    def column(self, name: str) -> "array[Any]":
        """One column as it was."""
        code, packed = self._columns[name]
        return unpack(packed, code)

    def columns(self) -> "dict[str, array[Any]]":
        """All of them."""
        return {name: self.column(name) for name in self._columns}


def pack(column: "array[Any]") -> bytes:
    """The numbers of a column in fewer bytes."""
    values: NDArray[Any] = np.frombuffer(column, _WHOLE.get(column.typecode, np.dtype(column.typecode)))
    for _ in range(DIFFERENCES.get(column.typecode, 0)):
        # Beyond the largest number they go on with the smallest, and back again in `unpack`.
        values = np.diff(values, prepend=values.dtype.type(0))
    apart = values.view(np.uint8).reshape(len(column), column.itemsize).T
    return zlib.compress(apart.tobytes(), _LEVEL)


def unpack(packed: bytes, code: str) -> "array[Any]":
    """The column of this type code that was packed."""
    column = array(code)
    apart = np.frombuffer(zlib.decompress(packed), np.uint8).reshape(column.itemsize, -1)
    values = np.ascontiguousarray(apart.T).view(_WHOLE.get(code, np.dtype(code))).ravel()
    for _ in range(DIFFERENCES.get(code, 0)):
        values = np.cumsum(values, dtype=values.dtype)
    column.frombytes(values.tobytes())
    return column
