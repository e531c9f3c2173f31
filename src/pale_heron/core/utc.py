"""UTC as nanoseconds since 1970-01-01, to and from the forms that sentences, JSON and screens use."""

from datetime import UTC, date, datetime
from functools import lru_cache
from typing import Any

from pale_heron.core.frames import SECOND

DAY = 86_400 * SECOND


def moved(time: int | None, by: int) -> int | None:
    """A moment by a clock that was so many nanoseconds behind, by the one that counts now; None where it is unknown."""
    return None if time is None else time + by


def turned(difference: Any) -> Any:
    """A difference of two times of day, to within half a day; a number, or a column of them."""
    return (difference + DAY // 2) % DAY - DAY // 2


@lru_cache(maxsize=64)
def iso(time: int) -> str:
    """`2031-05-04T09:41:07.041250000Z`; the years 1678 to 2262 are what nanoseconds can say in general."""
    seconds, rest = divmod(time, SECOND)
    return f"{_iso_second(seconds)}.{rest:09d}Z"


@lru_cache(maxsize=256)
def _iso_second(seconds: int) -> str:
    """Many lines share their second."""
    return f"{datetime.fromtimestamp(seconds, UTC):%Y-%m-%dT%H:%M:%S}"


def from_iso(text: str) -> int:
    """Nanoseconds of `2031-05-04T09:41:07Z` (ISO 8601; without a zone it is UTC). ValueError where it is not one."""
    moment = datetime.fromisoformat(text)
    if moment.tzinfo is None:
        moment = moment.replace(tzinfo=UTC)
    return int(moment.timestamp()) * SECOND + moment.microsecond * 1000


def clock(time: int, decimals: int = 3) -> str:
    """`09:41:07.041`, UTC."""
    seconds, rest = divmod(time, SECOND)
    fraction = f".{rest:09d}"[: decimals + 1] if decimals else ""
    return f"{seconds // 3600 % 24:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}{fraction}"


def time_of_day(text: str) -> int:
    """Nanoseconds since midnight of a decoded sentence time, `09:41:07.25`; a leap second counts as the next day."""
    hours, minutes, seconds = text.split(":")
    whole, _, fraction = seconds.partition(".")
    return (int(hours) * 3600 + int(minutes) * 60 + int(whole)) * SECOND + int((fraction + "0" * 9)[:9])


def midnight(day: str) -> int:
    """Midnight of a decoded sentence date, `2031-05-04`. ValueError where there is no such day."""
    return (date.fromisoformat(day) - date(1970, 1, 1)).days * DAY
