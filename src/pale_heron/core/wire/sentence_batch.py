"""Many whole sentences at once: where each lies in one stretch of bytes, of what type it is, and when it came.

A batch holds nothing but sentences that are whole and undamaged, one behind the other; what is anything else goes
through the framer, which stays the definition of all (`Batcher`). A Frame is made of a sentence only where somebody
looks at it.
"""

import re
from array import array
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from pale_heron.core.frames import IN, NMEA, OK, Frame
from pale_heron.core.runs import FrameRun, SentenceColumns
from pale_heron.core.wire.framer import LIMIT

Bytes = NDArray[np.uint8]
Places = NDArray[np.int64]
Flags = NDArray[np.bool_]

LF, CR, STAR, COMMA, START = 10, 13, ord("*"), ord(","), b"$!"
KEY_BYTES: Final = 8
MOST_TYPES: Final = 100
"""So many types are told apart here; a stream of noise could name millions, which the framer takes one at a time."""

_HEX: Final = np.full(256, 256, np.int64)
for _digit in "0123456789ABCDEFabcdef":
    _HEX[ord(_digit)] = int(_digit, 16)

_KEY_MASKS: Final = np.array([(1 << 8 * size) - 1 for size in range(KEY_BYTES + 1)], np.uint64)
_ADDRESS: Final = re.compile(r"[A-Z][A-Z0-9]{3,7}")
_LEAST: Final = 4
NO_TYPE: Final = -1
_START, _END, _STAR, _TIME, _TYPE, _FIRST_SEPARATOR, _COMMA_COUNT = range(7)
"""Which column of a batch is which."""


class Addresses:
    """The addresses that were met, each with its number: what stands in a column for it."""

    def __init__(self) -> None:
        self.names: list[str] = []
        self._numbers: dict[int, int] = {}
        self._sorted: NDArray[np.uint64] = np.empty(0, np.uint64)
        self._by_key: Places = np.empty(0, np.int64)

    def numbers(self, keys: NDArray[np.uint64]) -> Places:
        """The number of each address, given as its letters in one integer; NO_TYPE for what is none."""
        found = self._look_up(keys)
        fresh = np.unique(keys[found < NO_TYPE])
        if len(fresh):
            for key in fresh[:MOST_TYPES].tolist():
                self._add(key)
            self._sorted = np.array(sorted(self._numbers), np.uint64)
            self._by_key = np.array([self._numbers[key] for key in sorted(self._numbers)], np.int64)
            found = self._look_up(keys)
        return np.maximum(found, NO_TYPE)

    def _look_up(self, keys: NDArray[np.uint64]) -> Places:
        if not len(self._sorted):
            return np.full(len(keys), NO_TYPE - 1)
        place = np.minimum(np.searchsorted(self._sorted, keys), len(self._sorted) - 1)
        return np.where(self._sorted[place] == keys, self._by_key[place], NO_TYPE - 1)

    def _add(self, key: int) -> None:
        name = key.to_bytes(KEY_BYTES, "little").rstrip(b"\0").decode("latin-1")
        if len(self._numbers) >= MOST_TYPES:
            return
        if _ADDRESS.fullmatch(name):
            self._numbers[key] = len(self.names)
            self.names.append(name)
        else:
            self._numbers[key] = NO_TYPE


@dataclass(frozen=True)
class SentenceBatch:
    """Sentences without a gap between them; all columns have a row for each, or for each byte of `raw`.

    `raw[0]` is the byte `offset` of its lane. Times are nanoseconds.
    """

    lane: str
    raw: bytes
    offset: int
    data: Bytes
    names: Sequence[str]
    separators: Places
    """What ends fields: where the commas and stars stand, of all sentences."""
    columns: Places
    """What is said of each row, a column for each; they are together, so that some of the rows are taken at once."""

    @classmethod
    def of(
        cls,
        place: tuple[str, bytes, int],
        lines: "LineColumns",
        time: Places,
        names: Sequence[str],
    ) -> "SentenceBatch":
        """All of these lines; `place` is their lane, their bytes, and where in it these begin."""
        ends = lines.newline + 1
        columns = (lines.start, ends, lines.star, time, lines.type, lines.first_separator, lines.comma_count)
        return cls(*place, lines.data, names, lines.separators, np.stack(columns))

    @classmethod
    def joined(cls, parts: "Sequence[SentenceBatch]") -> "SentenceBatch":
        """Parts of one batch, one behind the other, as one."""
        return replace(parts[0], columns=np.concatenate([each.columns for each in parts], axis=1))

    def one(self, frame: Frame) -> "SentenceBatch | None":
        """A whole sentence in these bytes, be it in the middle of a line; None where its type is not known."""
        start, star = frame.offset - self.offset, frame.data.find(b"*")
        if frame.data[:1] not in (b"$", b"!") or frame.type not in self.names or start < 0:
            return None
        first, commas = int(np.searchsorted(self.separators, start)), frame.data.count(b",", 0, star)
        kind = self.names.index(frame.type)
        row = start, start + len(frame.data), start + star, frame.time or 0, kind, first, commas
        return replace(self, columns=np.array(row, np.int64).reshape(-1, 1))

    @property
    def start(self) -> Places:
        return self._column(_START)

    @property
    def end(self) -> Places:
        """Behind its line end."""
        return self._column(_END)

    @property
    def star(self) -> Places:
        return self._column(_STAR)

    @property
    def time(self) -> Places:
        return self._column(_TIME)

    @property
    def type(self) -> Places:
        """Its number in `names`."""
        return self._column(_TYPE)

    @property
    def first_separator(self) -> Places:
        """Which of `separators` is the first of a sentence: the comma behind its address."""
        return self._column(_FIRST_SEPARATOR)

    @property
    def comma_count(self) -> Places:
        """How many commas each has; the separator behind them is its star."""
        return self._column(_COMMA_COUNT)

    def _column(self, place: int) -> Places:
        found: Places = self.columns[place]
        return found

    def __len__(self) -> int:
        return len(self.start)

    def timed(self, time: Places) -> "SentenceBatch":
        """The same sentences at other times."""
        columns = self.columns.copy()
        columns[_TIME] = time
        return replace(self, columns=columns)

    def frame(self, row: int) -> Frame:
        """One of them as the framer would have cut it; negative rows count from the end."""
        start, end, _, time, kind, _, _ = self.columns[:, row].tolist()
        return Frame(self.lane, IN, time, self.offset + start, self.raw[start:end], NMEA, OK, None, self.names[kind])

    def run(self) -> FrameRun:
        """All of them; each is made a Frame where somebody looks at it."""
        start, end, time, kind = (
            array("q", np.ascontiguousarray(each).tobytes()) for each in (self.start, self.end, self.time, self.type)
        )
        columns = SentenceColumns(self.lane, self.raw, self.offset, self.names, start, end, time, kind)
        return FrameRun(columns, 0, len(self))

    def part(self, begin: int, end: int) -> "SentenceBatch":
        """The rows from one to before another, of the same bytes."""
        return self.rows(slice(begin, end))

    def rows(self, chosen: "slice | Flags | Places") -> "SentenceBatch":
        """Some of the rows, of the same bytes."""
        if isinstance(chosen, slice):
            columns = self.columns[:, chosen]
        else:
            columns = self.columns.take(np.flatnonzero(chosen) if chosen.dtype == np.bool_ else chosen, axis=1)
        return SentenceBatch(self.lane, self.raw, self.offset, self.data, self.names, self.separators, columns)

    @cached_property
    def size(self) -> Places:
        """Bytes of each."""
        return self.end - self.start

    def of_types(self, wanted: Sequence[bool]) -> Flags:
        """Which rows are of the types that are `wanted`, a truth for each of `names`."""
        flags: Any = np.array(wanted, np.bool_)
        return flags[self.type] if len(flags) else np.zeros(len(self), np.bool_)


@dataclass(frozen=True)
class LineColumns:
    """The lines of a stretch of bytes that end with LF, and which of them are whole and undamaged sentences."""

    data: Bytes
    start: Places
    newline: Places
    star: Places
    type: Places
    good: Flags
    separators: Places
    first_separator: Places
    comma_count: Places


def present(numbers: Places) -> list[int]:
    """Which small numbers, none of them negative, there are."""
    found: list[int] = np.flatnonzero(np.bincount(numbers)).tolist()
    return found


def steps(values: Places, before: int) -> Places:
    """The difference of each to the one before it, which for the first is `before`."""
    found = np.empty(len(values), np.int64)
    found[:1] = values[:1] - before
    np.subtract(values[1:], values[:-1], out=found[1:])
    return found


def lines_of(raw: bytes, addresses: Addresses) -> LineColumns:
    """What `sentence.WHOLE` finds, for all lines together."""
    data = np.frombuffer(raw, np.uint8)
    # What stands nowhere in a sentence but at its ends (`sentence.WHOLE`); below a space the difference wraps around.
    special = np.flatnonzero(((data - 0x20) > 0x5E) | (data == STAR) | (data == START[0]) | (data == START[1]))
    what = data[special]
    at = np.flatnonzero(what == LF)
    newline = special[at]
    begin = np.concatenate((np.zeros(1, np.int64), newline[:-1] + 1)) if len(newline) else newline
    count = steps(at, -1)
    carriage = (count == 4) & (what[at - 1] == CR) & (special[at - 1] == newline - 1)
    star = newline - carriage - 3
    good = carriage | (count == 3)
    last = at - carriage
    good &= (what[last - 1] == STAR) & (special[last - 1] == star)
    # What would be in front of all is none: a line with so few of them is no sentence.
    opening = special[np.maximum(last - 2, 0)]
    good &= (opening == begin) & ((data[begin] == START[0]) | (data[begin] == START[1]))
    good &= (newline - begin < LIMIT) & (star > begin)
    separators = np.flatnonzero((data == COMMA) | (data == STAR))
    edges = np.searchsorted(separators, np.append(begin, newline[-1] if len(newline) else 0))
    first, commas = edges[:-1], edges[1:] - edges[:-1] - 1
    named = np.append(separators, len(data))[first] - begin - 1
    good &= (named >= _LEAST) & (named <= KEY_BYTES) & (begin + 1 + named < star)
    kind = np.full(len(newline), NO_TYPE)
    rows = np.flatnonzero(good)
    if len(rows):
        # The eight bytes from each place on; those of the last line go on behind its end.
        windows = np.ndarray(len(data), "<u8", raw + bytes(KEY_BYTES), strides=(1,))
        keys = windows[begin[rows] + 1] & _KEY_MASKS[named[rows]]
        checked = np.column_stack((begin[rows] + 1, star[rows])).ravel()
        computed = np.bitwise_xor.reduceat(data, checked)[::2]
        told = (_HEX[data[star[rows] + 1]] << 4) | _HEX[data[star[rows] + 2]]
        kind[rows] = addresses.numbers(keys)
        good[rows] = (computed == told) & (kind[rows] != NO_TYPE)
    return LineColumns(data, begin, newline, star, kind, good, separators, first, commas)
