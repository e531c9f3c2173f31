"""How single values stand in a sentence: the codecs that the table of sentences is made of.

`read(fields, at)` takes the raw fields and a place in them and gives the value, None where the field is empty; a field
that cannot be read raises ValueError with the reason. `write(value)` gives the raw fields back. `width` is how many raw
fields a value takes.
"""

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from functools import lru_cache
from typing import Any, Final, TypeVar

from pale_heron.core.nmea import degrees

Reader = Callable[[Sequence[str], int], Any]
Writer = Callable[[Any], list[str]]

NUMBER_FORM = r"[+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)"
WHOLE_FORM = r"[+-]?[0-9]+"
COUNT_FORM = r"[0-9]{1,3}"
TIME_FORM = r"([01][0-9]|2[0-3])([0-5][0-9])([0-5][0-9]|60)(?:\.([0-9]+))?"
"""How numbers, counts of satellites, and times are written: hours, minutes, seconds, decimals."""

_ESCAPED = re.compile(r"\^([0-9A-Fa-f]{2})")
"""A character that has a meaning of its own in a sentence, as its code (5.1.3): `^2C` is a comma."""

_RESERVED = re.compile(r"[\r\n$*,!\\^~]")
_NUMBER = re.compile(NUMBER_FORM).fullmatch
_WHOLE = re.compile(WHOLE_FORM).fullmatch
_COUNT = re.compile(COUNT_FORM).fullmatch
_HEX = re.compile(r"[0-9A-Fa-f]+").fullmatch
_TIME = re.compile(TIME_FORM).fullmatch
_DATE = re.compile(r"(0[1-9]|[12][0-9]|3[01])(0[1-9]|1[0-2])([0-9][0-9])").fullmatch


YEARS: Final = (1970, 2199)
"""Of dates that are believed: no receiver gives another, and times are counted from the first on."""

MOST = 1e12
"""No figure of a device is as large."""

REMEMBERED: Final = 1 << 10
LONGEST_REMEMBERED: Final = 24
"""So many fields are remembered of each kind, and of these none that is longer."""

Value = TypeVar("Value")


@dataclass(frozen=True, slots=True)
class Codec:
    """One way of writing a value into raw fields."""

    read: Reader
    write: Writer
    width: int = 1
    codes: Mapping[str, str] = field(default_factory=dict)


def single(read: Callable[[str], Value]) -> Callable[[Sequence[str], int], Value | None]:
    """What reads one field, None where it is empty. Fields repeat all the time: what was read lately is remembered."""
    remembered = lru_cache(maxsize=REMEMBERED)(read)

    def read_at(fields: Sequence[str], at: int) -> Value | None:
        raw = fields[at]
        if not raw:
            return None
        return remembered(raw) if len(raw) <= LONGEST_REMEMBERED else read(raw)

    return read_at


def _number_of(raw: str) -> float:
    if not _NUMBER(raw):
        raise ValueError("not a number")
    number = float(raw)
    if abs(number) >= MOST:
        raise ValueError("a number beyond any that a device has")
    return number


def _count_of(raw: str) -> int:
    if not _COUNT(raw):
        raise ValueError("not a count of 0 to 999")
    return int(raw)


def _whole_of(raw: str) -> int:
    if not _WHOLE(raw):
        raise ValueError("not a whole number")
    return int(raw)


_read_number, _read_count, _read_whole = single(_number_of), single(_count_of), single(_whole_of)


def _read_zone_minutes(fields: Sequence[str], at: int) -> int | None:
    """The minutes of a zone have the sign of its hours, also where these are -00 (ZDA, 8.3.106)."""
    value = _read_whole(fields, at)
    behind = at > 0 and fields[at - 1][:1] == "-"
    return -abs(value) if value is not None and behind else value


def _hex_of(raw: str) -> int:
    if not _HEX(raw):
        raise ValueError("not a hexadecimal number")
    return int(raw, 16)


def _read_text(fields: Sequence[str], at: int) -> str | None:
    return _ESCAPED.sub(lambda found: chr(int(found[1], 16)), fields[at]) or None


def _time_of(raw: str) -> str:
    if not _TIME(raw):
        raise ValueError("not a time hhmmss.ss")
    return f"{raw[:2]}:{raw[2:4]}:{raw[4:]}"


def _date_of(raw: str) -> str:
    parts = _DATE(raw)
    if not parts:
        raise ValueError("not a date ddmmyy")
    year = int(parts[3])
    return _day(year + (1900 if year >= 80 else 2000), int(parts[2]), int(parts[1]))


def _read_day_month_year(fields: Sequence[str], at: int) -> str | None:
    day, month, year = fields[at : at + 3]
    if not day and not month and not year:
        return None
    if not all(part.isascii() and part.isdigit() and len(part) <= 2 for part in (day, month)):
        raise ValueError("not a day and a month")
    if not (year.isascii() and year.isdigit() and len(year) == 4 and YEARS[0] <= int(year) <= YEARS[1]):
        raise ValueError(f"not a year of four digits from {YEARS[0]} to {YEARS[1]}")
    return _day(int(year), int(month), int(day))


def _day(year: int, month: int, day: int) -> str:
    """A day that there is, as ISO 8601 writes it."""
    try:
        return date(year, month, day).isoformat()
    except ValueError:
        raise ValueError(f"there is no day {day} in month {month} of {year}") from None


def _blank_or(write: Callable[[Any], str]) -> Writer:
    return lambda value: [""] if value is None else [write(value)]


def number(decimals: int, digits: int = 1) -> Codec:
    """A decimal number; `decimals` and leading `digits` (of the whole part) are used when writing."""
    width = digits + decimals + 1 if decimals else digits
    return Codec(_read_number, _blank_or(lambda value: f"{value:0{width}.{decimals}f}"))


def whole(digits: int = 1, codes: Mapping[str, str] | None = None) -> Codec:
    """A whole number, written with at least `digits`; `codes` say in words what single values mean."""
    return Codec(_read_whole, _blank_or(lambda value: f"{value:0{digits}d}"), codes=codes or {})


def letter(codes: Mapping[str, str]) -> Codec:
    """A letter out of a list, or several (one a satellite system); unknown ones are given as they are."""
    return Codec(_read_text, _blank_or(str), codes=codes)


TEXT = Codec(_read_text, _blank_or(lambda value: _RESERVED.sub(lambda found: f"^{ord(found[0]):02X}", str(value))))
NUMBER = number(1)
COUNT = Codec(_read_count, _blank_or(lambda value: f"{value:02d}"))
ZONE_MINUTES = Codec(_read_zone_minutes, _blank_or(lambda value: f"{abs(value):02d}"))
HEX = Codec(single(_hex_of), _blank_or(lambda value: f"{value:X}"))
TIME = Codec(single(_time_of), _blank_or(lambda value: str(value).replace(":", "")))
DATE = Codec(single(_date_of), _blank_or(lambda value: f"{value[8:10]}{value[5:7]}{value[2:4]}"))
DAY_MONTH_YEAR = Codec(
    _read_day_month_year,
    lambda value: ["", "", ""] if value is None else [value[8:10], value[5:7], value[:4]],
    width=3,
)


def angle(pair: str, decimals: int = 5) -> Codec:
    """Packed degrees-minutes and their letter; `pair` is "NS" or "EW"."""

    remembered = lru_cache(maxsize=REMEMBERED)(degrees.unpack)

    def read(fields: Sequence[str], at: int) -> float | None:
        digits, letter = fields[at], fields[at + 1]
        unpack = remembered if len(digits) + len(letter) <= LONGEST_REMEMBERED else degrees.unpack
        return unpack(digits, letter, pair)

    return Codec(read, lambda value: ["", ""] if value is None else degrees.pack(value, pair, decimals), width=2)


def with_unit(unit: str, decimals: int) -> Codec:
    """A number with its unit letter in the field after it; the letter stands alone where the value is missing.

    A value with another letter is another quantity: feet are not metres.
    """
    inner = number(decimals)

    def read(fields: Sequence[str], at: int) -> float | None:
        value, letter = _read_number(fields, at), fields[at + 1]
        if value is not None and letter not in (unit, ""):
            raise ValueError(f"its unit is {letter[:8]!r}, not {unit}")
        return value

    return Codec(read, lambda value: [*inner.write(value), unit], width=2)


def with_sign(positive: str, negative: str, decimals: int) -> Codec:
    """A number with a letter in the field after it that gives the sign, such as E and W of the magnetic variation."""
    signs = {positive: 1.0, negative: -1.0}
    inner = number(decimals)

    def read(fields: Sequence[str], at: int) -> float | None:
        value = _read_number(fields, at)
        if value is None:
            return None
        sign = signs.get(fields[at + 1])
        if sign is None:
            raise ValueError(f"no letter {positive} or {negative}")
        return sign * value

    def write(value: float | None) -> list[str]:
        return ["", ""] if value is None else [*inner.write(abs(value)), negative if value < 0 else positive]

    return Codec(read, write, width=2)


def listed(item: Codec, count: int, *, by_place: bool = False) -> Codec:
    """`count` places for values of one kind. Empty ones are left out, unless their place says what they belong to.

    Those are None; what is empty at the end is left out all the same.
    """

    def read(fields: Sequence[str], at: int) -> list[Any]:
        values = [item.read(fields, index) for index in range(at, at + count)]
        if not by_place:
            return [value for value in values if value is not None]
        while values and values[-1] is None:
            values.pop()
        return values

    def write(values: Sequence[Any]) -> list[str]:
        filled = [raw for value in values[:count] for raw in item.write(value)]
        return filled + [""] * (count - len(filled))

    return Codec(read, write, width=count)
