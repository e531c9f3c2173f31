"""Raw fields of sentences as numbers, quickly, where a tracker needs them for every epoch; None for what is not one."""

import re
from functools import lru_cache
from typing import Final

from pale_heron.core.frames import SECOND
from pale_heron.core.nmea.codecs import COUNT_FORM, DATE, DAY_MONTH_YEAR, MOST, NUMBER_FORM, TIME_FORM, WHOLE_FORM
from pale_heron.core.nmea.degrees import unpack
from pale_heron.core.utc import DAY, midnight

LATE_DATE_NS: Final = 60 * SECOND
"""For so long behind midnight a date may be that of yesterday: sentences are of two solutions."""

SHORT_DATE, LONG_DATE = 6, 8
TIME_FIELD: Final = {"GGA": 1, "GNS": 1, "RMC": 1, "GLL": 5, "ZDA": 1, "GST": 1, "GBS": 1, "GRS": 1}
"""Where the time stands in a sentence (NMEA 0183, by formatter)."""

_NUMBER = re.compile(NUMBER_FORM.encode()).fullmatch
_TIME = re.compile(TIME_FORM.encode()).fullmatch
_WHOLE = re.compile(WHOLE_FORM.encode()).fullmatch
_COUNT = re.compile(COUNT_FORM.encode()).fullmatch


def fields_of(data: bytes) -> list[bytes]:
    """The raw fields of a sentence, the address first; without checksum, and without line end where it has none."""
    body, star, _ = data.partition(b"*")
    return (body if star else body.rstrip(b"\r\n")).split(b",")


@lru_cache(maxsize=64)
def gsa_words(data: bytes) -> tuple[str, bytes, bytes] | None:
    """Fix mode, first satellite and system id; None of a sentence too short. GSA often repeats itself to the letter."""
    fields = fields_of(data)
    if len(fields) < 16:
        return None
    return fields[2].decode("latin-1"), fields[3], fields[18] if len(fields) > 18 else b""


def date_of(day: bytes, month: bytes, year: bytes) -> bytes:
    """The three fields of ZDA (8.3.106) as one date, ddmmyyyy, whether or not they have leading zeros.

    Empty where they are, and `?` where they are none that is believed.
    """
    if not day and not month and not year:
        return b""
    one = b"%b%b%b" % (day.rjust(2, b"0"), month.rjust(2, b"0"), year)
    return one if len(one) == LONG_DATE and midnight_of(one) is not None else b"?"


@lru_cache(maxsize=8)
def midnight_of(date: bytes) -> int | None:
    """Nanoseconds of the start of a raw date, ddmmyy (or ddmmyyyy); None where there is no such day."""
    text = date.decode("latin-1")
    if len(text) not in (SHORT_DATE, LONG_DATE):
        return None
    parts = [text] if len(text) == SHORT_DATE else [text[:2], text[2:4], text[4:]]
    try:
        day = (DATE if len(parts) == 1 else DAY_MONTH_YEAR).read(parts, 0)
        return None if day is None else midnight(day)
    except ValueError:
        return None


def short_date(date: bytes) -> bytes:
    """A raw date without its century: RMC has none, ZDA has."""
    return date[:4] + date[-2:]


def believed_day(said: int, today: int, of_day: int) -> int:
    """Midnight of the day that a date says: for a moment behind midnight some still say the day before `today`."""
    return today if said == today - DAY and of_day < LATE_DATE_NS else said


@lru_cache(maxsize=16)
def time_of_day(raw: bytes) -> int | None:
    """Nanoseconds since midnight of a raw time, hhmmss with any decimals; None where it is not one."""
    parts = _TIME(raw)
    if parts is None:
        return None
    hours, minutes, seconds, decimals = parts.groups()
    whole = (int(hours) * 3600 + int(minutes) * 60 + int(seconds)) * SECOND
    return whole + int(decimals[:9].ljust(9, b"0")) if decimals else whole


def number(raw: bytes) -> float | None:
    """A raw decimal number; None where it is not one, just as the table of sentences reads it."""
    if not _NUMBER(raw):
        return None
    found = float(raw)
    return found if abs(found) < MOST else None


@lru_cache(maxsize=2048)
def whole(raw: bytes) -> int | None:
    """A raw whole number with or without a sign; None where it is not one, just as the table of sentences reads it."""
    return int(raw) if _WHOLE(raw) else None


def count(raw: bytes) -> int | None:
    """A raw count of satellites; None where it is not one, just as the table of sentences reads it."""
    return int(raw) if _COUNT(raw) else None


@lru_cache(maxsize=8)
def unpacked(where: tuple[bytes, ...]) -> tuple[float, float] | None:
    """Latitude and longitude of four raw fields; None where they are unreadable or empty."""
    try:
        latitude = unpack(where[0].decode("ascii"), where[1].decode("ascii"), "NS")
        longitude = unpack(where[2].decode("ascii"), where[3].decode("ascii"), "EW")
    except (ValueError, IndexError):
        return None
    return None if latitude is None or longitude is None else (latitude, longitude)


def is_near(one: tuple[bytes, ...], other: tuple[bytes, ...]) -> bool:
    """Whether two places are the same but for the last digit of the coarser one."""
    here, there = unpacked(one), unpacked(other)
    if here is None or there is None:
        return True
    digits = min(len(raw.partition(b".")[2]) for raw in (one[0], one[2], other[0], other[2]))
    step = 1.01 / 60 / 10**digits
    turn = abs(here[1] - there[1])
    return bool(abs(here[0] - there[0]) <= step and min(turn, 360 - turn) <= step)
