"""Fields of many sentences as columns of numbers: exactly what `raw` reads of each, all at once.

A decimal number of up to fifteen digits is a whole number over a power of ten, and both are exact: their quotient is
the nearest double, which is what reading the text gives. What is longer is read one by one.
"""

from collections.abc import Callable
from functools import cached_property
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from pale_heron.core.frames import SECOND
from pale_heron.core.nmea import raw
from pale_heron.core.nmea.codecs import MOST
from pale_heron.core.nmea.degrees import DECIMALS, unpack
from pale_heron.core.wire.sentence_batch import Bytes, Flags, Places, SentenceBatch

Numbers = NDArray[np.float64]

EXACT_DIGITS: Final = 15
NONE: Final = -1
"""No time of day, no count."""

_TENS: Final = 10.0 ** np.arange(EXACT_DIGITS + 1)
_WHOLE_TENS: Final = 10 ** np.arange(EXACT_DIGITS + 1, dtype=np.int64)
_LIMITS: Final = {"NS": 90.0, "EW": 180.0}


class _Digits(NamedTuple):
    """Texts read as digits with at most one point among them."""

    value: Places
    """All digits together."""
    digits: NDArray[np.int8]
    decimals: NDArray[np.int8]
    has_point: Flags
    negative: Flags
    plain: Flags
    """Digits, point and sign alone, and not too many."""


class FieldColumn:
    """One field of some sentences: where it lies in each."""

    def __init__(self, data: Bytes, begin: Places, end: Places) -> None:
        self._data = data
        self.begin = begin
        self.size = end - begin

    def __len__(self) -> int:
        return len(self.begin)

    def matrix(self, width: int) -> Bytes:
        """The first `width` bytes of each, a column each, zero behind its end."""
        steps = np.arange(width)[:, None]
        found: Bytes = self._data.take(self.begin + steps, mode="clip")
        # Most fields have the same width in all sentences.
        return found if self.size.min(initial=width) >= width else np.where(steps < self.size, found, np.uint8(0))

    @cached_property
    def letter(self) -> Bytes:
        """The byte of those that have just one; zero for all others."""
        found: Bytes = self._data[self.begin]
        return np.where(self.size == 1, found, np.uint8(0))

    def texts(self, width: int) -> NDArray[np.bytes_]:
        """Each as text of up to `width` bytes."""
        found = np.ascontiguousarray(self.matrix(width).T).view(f"S{width}")
        return found.ravel()

    def text(self, row: int) -> bytes:
        """One of them."""
        begin = int(self.begin[row])
        return self._data[begin : begin + int(self.size[row])].tobytes()

    def equals(self, text: bytes) -> Flags:
        """Which are just that text."""
        same: Flags = self.size == len(text)
        for place, byte in enumerate(text):
            same &= self._data[np.minimum(self.begin + place, len(self._data) - 1)] == byte
        return same

    @cached_property
    def _digits(self) -> _Digits:
        width = min(int(self.size.max(initial=0)), EXACT_DIGITS)
        letters = self.matrix(width)
        digit = letters - 48
        is_digit, is_point = digit < 10, letters == 46
        value = np.zeros(len(self), np.int64)
        decimals = np.zeros(len(self), np.int8)
        behind_point = np.zeros(len(self), np.bool_)
        for place in range(width):
            here = is_digit[place]
            if here.all():
                value *= 10
                value += digit[place]
            else:
                value = np.where(here, value * 10 + digit[place], value)
                behind_point |= is_point[place]
            decimals += here & behind_point
        digits, points = is_digit.sum(axis=0, dtype=np.int8), is_point.sum(axis=0, dtype=np.int8)
        negative = letters[0] == 45 if width else np.zeros(len(self), np.bool_)
        sign = (negative | (letters[0] == 43)) if width else negative
        # All that is there is a digit, the one point, or the sign in front.
        plain = (self.size <= EXACT_DIGITS) & (points <= 1) & (digits + points + sign == self.size)
        return _Digits(value, digits, decimals, points > 0, negative, plain)

    def numbers(self) -> Numbers:
        """As `raw.number`; NaN for what is none."""
        read = self._digits
        found = np.where(read.negative, -1.0, 1.0) * (read.value / _TENS[read.decimals])
        found[~read.plain | (read.digits == 0)] = np.nan
        with np.errstate(invalid="ignore"):
            found[~(np.abs(found) < MOST)] = np.nan
        self._one_by_one(found, self.size > EXACT_DIGITS, lambda row: raw.number(self.text(row)), np.nan)
        return found

    def counts(self) -> Places:
        """As `raw.count`; NONE for what is none."""
        read = self._digits
        fits = read.plain & (read.digits == self.size) & (self.size >= 1) & (self.size <= 3)
        return np.where(fits, read.value, NONE)

    def times_of_day(self) -> Places:
        """As `raw.time_of_day`, nanoseconds; NONE for what is none."""
        read = self._digits
        whole, decimals = np.divmod(read.value, _WHOLE_TENS[read.decimals])
        hours, rest = np.divmod(whole, 10_000)
        minutes, seconds = np.divmod(rest, 100)
        fits = read.plain & (read.digits - read.decimals == 6) & (hours <= 23) & (minutes <= 59) & (seconds <= 60)
        fits &= self.size == read.digits + (read.decimals > 0)
        fits &= read.decimals <= 9
        nanoseconds = decimals * _WHOLE_TENS[np.minimum(9 - np.minimum(read.decimals, 9), 9)]
        found = np.where(fits, (hours * 3600 + minutes * 60 + seconds) * SECOND + nanoseconds, NONE)
        self._one_by_one(found, ~fits & (self.size > 6), lambda row: raw.time_of_day(self.text(row)), NONE)
        return found

    def angles(self, letters: "FieldColumn", pair: str) -> Numbers:
        """As `degrees.unpack` with the field of their letters; NaN where that gives none, or raises."""
        read = self._digits
        tens = _TENS[read.decimals]
        degrees, rest = np.divmod(read.value, 100 * _WHOLE_TENS[np.minimum(read.decimals, EXACT_DIGITS - 2)])
        minutes = rest / tens
        whole = read.digits - read.decimals
        angle = degrees + minutes / 60.0
        simple = read.plain & (self.size == read.digits + read.has_point) & (whole >= 3) & (whole <= 5)
        simple &= (letters.letter == ord(pair[0])) | (letters.letter == ord(pair[1]))
        fits = simple & (minutes < 60.0) & (angle <= _LIMITS[pair])
        signed = np.where(letters.letter == ord(pair[1]), -angle, angle)
        found = _rounded(signed)
        found[~fits] = np.nan
        self._one_by_one(found, self.size > EXACT_DIGITS, lambda row: self._unpacked(letters, row, pair), np.nan)
        return found

    def _unpacked(self, letters: "FieldColumn", row: int, pair: str) -> float | None:
        try:
            return unpack(self.text(row).decode("ascii"), letters.text(row).decode("ascii"), pair)
        except ValueError:
            return None

    def _one_by_one(self, found: NDArray[Any], which: Flags, read: Callable[[int], Any], none: Any) -> None:
        """Read the few that are not read all at once."""
        for row in np.flatnonzero(which).tolist():
            value = read(row)
            found[row] = none if value is None else value


def _rounded(angles: Numbers) -> Numbers:
    """As `round(angle, DECIMALS)`: the nearest decimal, not the nearest product."""
    scaled = angles * 10.0**DECIMALS
    units = np.rint(scaled)
    found = units / 10.0**DECIMALS
    # Where the product is so near to the middle that it may lie on its other side, each is rounded by itself.
    for row in np.flatnonzero(np.abs(scaled - units) > 0.499).tolist():
        found[row] = round(float(angles[row]), DECIMALS)
    return found


def times_told(batch: SentenceBatch) -> Places:
    """The time of day that each row tells, nanoseconds; NONE for those that tell none."""
    told = np.full(len(batch), NONE)
    for place in sorted(set(raw.TIME_FIELD.values())):
        wanted = [raw.TIME_FIELD.get(name[-3:]) == place for name in batch.names]
        # With a field behind it, so that it is whole.
        rows = np.flatnonzero(batch.of_types(wanted) & (batch.comma_count > place))
        told[rows] = field_of(batch.rows(rows), place).times_of_day()
    return told


def field_of(batch: SentenceBatch, number: int) -> FieldColumn:
    """A field of each row, counted from the address, which is 0. Rows that do not have it are empty there."""
    ends = batch.separators
    at = batch.first_separator + number
    there = batch.comma_count >= number
    if there.all():
        return FieldColumn(batch.data, ends[at - 1] + 1, ends[at])
    at = np.where(there, at, 1)
    begin, end = np.where(there, ends[at - 1] + 1, batch.star), np.where(there, ends[at], batch.star)
    return FieldColumn(batch.data, begin, end)


def last_field(batch: SentenceBatch) -> FieldColumn:
    """The last field of each row, in front of the checksum."""
    begin = batch.separators[batch.first_separator + batch.comma_count - 1] + 1
    return FieldColumn(batch.data, begin, batch.star)


def joined_dates(zda: SentenceBatch) -> tuple[NDArray[np.bytes_], Flags]:
    """Day, month and year of ZDA as one text, and whether they have the digits for it."""
    day, month, year = (field_of(zda, number) for number in (2, 3, 4))
    whole = (day.size == 2) & (month.size == 2) & (year.size == 4)
    empty = (day.size == 0) & (month.size == 0) & (year.size == 0)
    letters = np.concatenate((day.matrix(2), month.matrix(2), year.matrix(4)))
    texts = np.ascontiguousarray(letters.T).view("S8").ravel()
    return np.where(whole, texts, np.where(empty, b"", b"?")), whole
