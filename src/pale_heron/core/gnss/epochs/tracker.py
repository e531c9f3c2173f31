"""Epochs as they arrive: what is open, and what ends it.

    sentence ─▶ the open epoch ─▶ (another time comes) ─▶ whole, and handed back

Sentences are one epoch when they carry the same time; those that carry none belong to the epoch that is open, unless
GSA comes so late that it must be the next one's.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from math import sqrt
from typing import Final

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.epochs.log import UNKNOWN_TIME, Epoch
from pale_heron.core.gnss.states import FixState
from pale_heron.core.nmea.raw import believed_day, count, midnight_of, number, short_date, time_of_day, unpacked
from pale_heron.core.utc import DAY

AHEAD_SHARE: Final = 0.6
"""A GSA that comes after so much of the usual time between epochs precedes the time of its own epoch."""

SHORTEST_NS: Final = SECOND // 100
"""No receiver computes more often: epochs that come faster are a log that is played, and their arrival says nothing."""


@dataclass(slots=True)
class OpenEpoch:
    """What was heard of the epoch that is arriving."""

    time: bytes
    arrived: int | None
    date: bytes = b""
    where: tuple[bytes, ...] = ()
    latitude: float | None = None
    longitude: float | None = None
    altitude: bytes = b""
    separation: bytes = b""
    used: bytes = b""
    hdop: bytes = b""
    speed: bytes = b""
    course: bytes = b""
    errors: tuple[bytes, bytes] = (b"", b"")
    fixed_by_gga: bool | None = None
    fixed_by_rmc: bool | None = None
    where_by_rmc: tuple[bytes, ...] = ()
    where_by_gll: tuple[bytes, ...] = ()
    told_by: set[str] = field(default_factory=set)
    """Which formatters have told its time."""


class EpochTracker:
    """Takes times and places as sentences bring them. `open` is what was heard of the epoch that is arriving."""

    def __init__(self) -> None:
        self.open = OpenEpoch(b"", None)
        self.raw_time = b""
        self.begun = 0
        """How many epochs have begun."""
        self._epoch = b""
        self._midnight: int | None = None
        self._of_day = 0

    def ends_with(self, time: bytes, date: bytes = b"") -> bool:
        """Whether a sentence with this raw time, and date where it carries one, ends the epoch that is open."""
        if time != self.raw_time and _same(time) != self._epoch:
            return True
        return bool(date) and self._is_another_day(date)

    def _is_another_day(self, date: bytes) -> bool:
        return bool(date) and bool(self.open.date) and short_date(date) != short_date(self.open.date)

    def begin(self, time: bytes, arrived: int | None, date: bytes = b"") -> OpenEpoch | None:
        """A sentence with this raw time came; gives the epoch that another time, or day, has ended."""
        another = self._is_another_day(date)
        if time and time == self.raw_time and not another:
            return None
        self.raw_time = time
        same = _same(time)
        if same == self._epoch and not another:
            return None
        whole = self.close()
        self._epoch = same
        if time:
            self.open.time = time
            self.begun += 1
            if self.open.arrived is None:
                self.open.arrived = arrived
        return whole

    def take_back(self, time: bytes) -> None:
        """Whoever began the epoch that is open was early: that of another raw time is still arriving."""
        self.open = OpenEpoch(b"", None)
        self.begun -= 1
        is_whole = self.begun > 0 and time_of_day(time) == self._of_day
        # What comes of one that is whole already is late, and begins nothing.
        self.raw_time = time if is_whole else b""
        self._epoch = _same(self.raw_time)

    def close(self) -> OpenEpoch | None:
        """The epoch that was open is whole; None where none was."""
        if not self.open.time:
            return None
        if self.open.where_by_gll:
            # Nobody else has said where.
            self.place(self.open.where_by_gll)
        whole, self.open = self.open, OpenEpoch(b"", None)
        return whole

    @property
    def day(self) -> tuple[int, int]:
        """Midnight of the last whole epoch, UNKNOWN_TIME while no date is known, and its time of day."""
        return UNKNOWN_TIME if self._midnight is None else self._midnight, self._of_day

    def leap(self, raw_time: bytes, epochs: int, midnight: int | None, of_day: int) -> None:
        """So many epochs more have begun and are whole; the last had this time, on the day that began at `midnight`."""
        self.open = OpenEpoch(b"", None)
        self.raw_time, self._epoch = raw_time, _same(raw_time)
        self.begun += epochs
        self._midnight = self._midnight if midnight is None else midnight
        self._of_day = of_day

    def row(self, epoch: OpenEpoch, state: FixState, seen: int | None, cn0: float | None) -> Epoch:
        """The figures of a whole epoch; `state` was judged at its end, `seen` and `cn0` are of its satellites."""
        of_day = time_of_day(epoch.time)
        fixed = epoch.latitude is not None
        north, east = number(epoch.errors[0]), number(epoch.errors[1])
        return Epoch(
            arrived=epoch.arrived,
            utc=self._utc_of(epoch.date, of_day),
            of_day=of_day,
            level=state.level,
            made=state.made,
            latitude=epoch.latitude,
            longitude=epoch.longitude,
            altitude_m=number(epoch.altitude) if fixed else None,
            separation_m=number(epoch.separation) if fixed else None,
            used=count(epoch.used),
            seen=seen,
            hdop=number(epoch.hdop) if fixed else None,
            cn0=cn0,
            speed_knots=number(epoch.speed) if fixed else None,
            course_deg=number(epoch.course) if fixed else None,
            error_m=None if north is None or east is None else sqrt(north * north + east * east),
        )

    def displace(self) -> None:
        """There is no position in this epoch after all."""
        epoch = self.open
        epoch.latitude = epoch.longitude = None
        epoch.where = ()

    def place(self, where: Sequence[bytes], altitude: bytes = b"", separation: bytes = b"") -> None:
        """One position an epoch, from whichever sentence has it first."""
        found = unpacked(tuple(where)) if self.open.latitude is None else None
        if found is not None:
            self.place_at(found, tuple(where), altitude, separation)

    def place_at(
        self, place: tuple[float, float], where: tuple[bytes, ...], altitude: bytes, separation: bytes = b""
    ) -> None:
        """The same for a place in degrees, read from the digits `where`."""
        epoch = self.open
        if not self._epoch or epoch.latitude is not None or not epoch.time:
            return
        epoch.where = where
        epoch.latitude, epoch.longitude = place
        epoch.altitude, epoch.separation = altitude, separation

    def is_ahead(self, time: int | None, usual: int) -> bool:
        """Whether the next epoch has begun before its time came; `usual` is the time from one to the next."""
        begun = self.open.arrived
        if not self.open.time or time is None or begun is None:
            return False
        return usual >= SHORTEST_NS and time - begun > AHEAD_SHARE * usual

    def _utc_of(self, date: bytes, of_day: int | None) -> int | None:
        """The moment of an epoch, with the date that it carries, or that of the one before."""
        if of_day is None:
            return None
        begin = midnight_of(date) if date else None
        if self._midnight is not None and self._of_day - of_day > DAY // 2:
            self._midnight += DAY
        if begin is not None:
            self._midnight = begin if self._midnight is None else believed_day(begin, self._midnight, of_day)
        self._of_day = of_day
        return None if self._midnight is None else self._midnight + of_day


def _same(time: bytes) -> bytes:
    """A raw time without the zeros that say nothing."""
    return time.rstrip(b"0").rstrip(b".") if b"." in time else time
