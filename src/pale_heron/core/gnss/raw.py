"""Raw fields of sentences as numbers, quickly, where a tracker needs them for every epoch; None for what is none."""

from functools import lru_cache
from math import isfinite, nan
from typing import Final

from pale_heron.core.frames import SECOND
from pale_heron.core.nmea.degrees import unpack
from pale_heron.core.utc import midnight

MOST: Final = 1e12
"""No figure of a receiver is as large."""


@lru_cache(maxsize=64)
def gsa_words(data: bytes) -> tuple[str, bytes, bytes] | None:
    """Fix mode, first satellite and system id; None of a sentence too short. GSA often repeats itself to the letter."""
    fields = data.partition(b"*")[0].split(b",")
    if len(fields) < 16:
        return None
    return fields[2].decode("latin-1"), fields[3], fields[18] if len(fields) > 18 else b""


@lru_cache(maxsize=8)
def midnight_of(date: bytes) -> int | None:
    """Nanoseconds of the begin of a raw date, ddmmyy (or ddmmyyyy); None where there is no such day."""
    day, month, year = date[:2].decode("latin-1"), date[2:4].decode("latin-1"), date[4:].decode("latin-1")
    if not (year.isdecimal() and len(year) in (2, 4)):
        return None
    full = int(year) if len(year) == 4 else int(year) + (1900 if int(year) >= 80 else 2000)
    try:
        return midnight(f"{full:04d}-{month}-{day}")
    except ValueError:
        return None


def time_of_day(raw: bytes) -> int | None:
    """Nanoseconds since midnight of a raw time, hhmmss with any decimals; None where it is none."""
    try:
        seconds = int(raw[:2]) * 3600 + int(raw[2:4]) * 60 + int(raw[4:6])
        return seconds * SECOND + int((raw[7:] + b"000000000")[:9])
    except ValueError:
        return None


def number(raw: bytes) -> float | None:
    """A raw decimal number; None where it is none (or is called infinite)."""
    try:
        number = float(raw) if raw else nan
    except ValueError:
        return None
    return number if isfinite(number) and abs(number) < MOST else None


def count(raw: bytes) -> int | None:
    return int(raw) if raw.isdigit() and len(raw) <= 3 else None


def unpacked(where: "list[bytes] | tuple[bytes, ...]") -> tuple[float, float] | None:
    """Latitude and longitude of four raw fields; None where they are unreadable or empty."""
    try:
        latitude = unpack(where[0].decode("ascii"), where[1].decode("ascii"))
        longitude = unpack(where[2].decode("ascii"), where[3].decode("ascii"))
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
