"""The clock of a module, as the network set it: `yy/MM/dd,hh:mm:ss±zz`, local time and its zone (3GPP 27.007, 8.15)."""

import re
from datetime import UTC, datetime, timedelta
from typing import Final, NamedTuple

from pale_heron.core.figures import age, duration
from pale_heron.core.frames import SECOND

READING: Final = "network time"
"""What dialects call that reading."""

QUARTER_S: Final = 900
CENTURY: Final = 2000
LAST_CENTURY_FROM: Final = 70
"""Two digits of a year from here on are those of the century before: defaults such as 80/01/06."""

DEFAULT_BEFORE: Final = 2020
"""A clock that nobody has set counts from the start of an earlier year."""

NEAR_S: Final = 2.0
_FORM: Final = re.compile(
    r"(\d{2}|\d{4})/(\d{2})/(\d{2}),(\d{2}):(\d{2}):(\d{2})(?:([+-])(\d{2}))?", re.ASCII
).fullmatch


class ModuleClock(NamedTuple):
    """What it told at a moment of ours: UTC, both nanoseconds since 1970; its zone in seconds east, or None."""

    utc: int
    zone_s: int | None
    told: int

    @property
    def ahead_s(self) -> float:
        """How far this computer is ahead of it at least; at most a second more, for it counts whole seconds."""
        return (self.told - self.utc) / SECOND - 1.0


def module_clock(text: str, told: int) -> ModuleClock | None:
    """As it was read; None where it is no time."""
    match = _FORM(text.strip())
    if match is None:
        return None
    year, month, day, hour, minute, second = (int(part) for part in match.groups()[:6])
    try:
        local = datetime(_whole_year(year), month, day, hour, minute, second, tzinfo=UTC)
    except ValueError:
        return None
    zone_s = None if match[7] is None else int(match[7] + match[8]) * QUARTER_S
    moment = local - timedelta(seconds=zone_s or 0)
    return ModuleClock(round(moment.timestamp()) * SECOND, zone_s, told)


def _whole_year(year: int) -> int:
    if year >= 100:
        return year
    return year + CENTURY - (100 if year >= LAST_CENTURY_FROM else 0)


def zone_words(zone_s: int | None) -> str:
    """`UTC+01:00`; what people know a zone by."""
    if zone_s is None:
        return "no zone"
    hours, minutes = divmod(abs(zone_s) // 60, 60)
    return f"UTC{'-' if zone_s < 0 else '+'}{hours:02d}:{minutes:02d}"


def clock_words(found: ModuleClock, now: int) -> str:
    """When it was asked, and how far this computer is from it, with the cause that fits."""
    least = found.ahead_s
    asked = f"{zone_words(found.zone_s)}, asked {age((now - found.told) / SECOND)}"
    if datetime.fromtimestamp(found.utc // SECOND, UTC).year < DEFAULT_BEFORE:
        return f"{asked}: nobody has set it; it counts from a default"
    if -NEAR_S <= least <= NEAR_S:
        return f"{asked}: the same as this computer, to the second that it counts"
    where = "ahead of it" if least > 0 else "behind it"
    apart = f"{asked}: this computer is {duration(abs(least))} {where}"
    if found.zone_s and abs(abs(least) - abs(found.zone_s)) <= NEAR_S:
        return f"{apart}: as much as its zone, which was applied twice or not at all"
    return apart
