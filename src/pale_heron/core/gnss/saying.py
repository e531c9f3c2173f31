"""Who speaks for all systems together, and who for one."""

from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.nmea.raw import TIME_FIELD, time_of_day

REPEATED_NS: Final = SECOND // 2
"""What is said twice within this is one saying."""


class CombinedSaying(NamedTuple):
    """When the talker of all systems spoke last, the time of day that it told, and its interval; 0 where unknown."""

    time: int
    told: int | None
    interval: int


def raw_time(formatter: str, frame: Frame) -> bytes:
    """The time of day that a sentence tells, as it stands there; empty where it tells none."""
    place = TIME_FIELD.get(formatter)
    fields = frame.data.split(b",", place + 1) if place is not None else ()
    return fields[place] if place is not None and len(fields) > place + 1 else b""


def time_told(formatter: str, frame: Frame) -> int | None:
    """The same in nanoseconds; None where there is none."""
    return time_of_day(raw_time(formatter, frame))
