"""What flows through everything: chunks of bytes as they came, and the frames they are cut into.

Times are whole nanoseconds since 1970-01-01 00:00:00 UTC, or None where the bytes carry no arrival time (a raw file).
"""

from collections.abc import Mapping
from enum import StrEnum
from typing import Any, Final, NamedTuple

SECOND = 1_000_000_000
"""Nanoseconds in one second."""


class Direction(StrEnum):
    """Which way bytes went, seen from this host."""

    IN = "in"
    OUT = "out"


class Kind(StrEnum):
    """What a frame is."""

    NMEA = "nmea"
    TEXT = "text"
    RTCM3 = "rtcm3"
    BYTES = "bytes"


class Status(StrEnum):
    """Whether a frame is whole and undamaged."""

    OK = "ok"
    BAD_CHECKSUM = "bad-checksum"
    NO_CHECKSUM = "no-checksum"
    MALFORMED = "malformed"
    PARTIAL = "partial"


# Looking a member up in its class costs as much as a dictionary of our own would; what runs for every frame uses these.
IN, OUT = Direction.IN, Direction.OUT
NMEA, TEXT, RTCM3, BYTES = Kind.NMEA, Kind.TEXT, Kind.RTCM3, Kind.BYTES
OK, BAD_CHECKSUM, NO_CHECKSUM, PARTIAL = Status.OK, Status.BAD_CHECKSUM, Status.NO_CHECKSUM, Status.PARTIAL


class Chunk(NamedTuple):
    """Bytes of one lane and direction as they were handed over; `time` is that of the first byte.

    What is sent is whole at the end of its chunk, whatever line end it has or lacks, unless the chunk is `continued`.
    """

    lane: str
    direction: Direction
    time: int | None
    data: bytes
    continued: bool = False


class Event(NamedTuple):
    """What happened to a lane that is no line data: opened, lost, returned, closed, dropped, a mark.

    `details` holds what JSON can say. `lane` is empty where the whole bench is meant.
    """

    time: int
    lane: str
    name: str
    details: Mapping[str, Any]


SETTING_EVENTS = ("added", "opened", "returned", "settings")
BY_USER = "the user"
"""By whom a lane was closed that is closed before the record ends."""
WAITED = "waited"
"""So many `bytes` had waited before the port was opened: nobody knows when they came, and at which settings."""

ENDING_EVENTS = ("lost", "closed", "client-gone")
BACK_EVENTS = ("opened", "returned", "client")
HELD, HELD_ENDED = "held", "held-ended"
"""Events with the settings of a lane; those with which its streams end; those with which they begin again.

A line that is held takes nothing that is sent, until that has ended."""

SECRET_FOLLOWS: Final = "secret-follows"
"""The event in front of what is sent where some of it is secret: `bytes` of it, behind `skip` others."""


class Frame(NamedTuple):
    """One piece of a stream. `data` holds every byte of it, line ends included: joined frames give the stream back.

    `offset` counts bytes from the start of the lane and direction; `time` is the arrival of the chunk that holds the
    first byte; `type` is what the inventory counts it under: `GNGGA`, `RTCM 1077`, `text`, `bytes`.
    """

    lane: str
    direction: Direction
    time: int | None
    offset: int
    data: bytes
    kind: Kind
    status: Status
    reason: str | None
    type: str

    @property
    def bad(self) -> bool:
        """True where the bytes are damaged; a partial piece or a sentence without checksum is not."""
        return self.status in (Status.BAD_CHECKSUM, Status.MALFORMED)
