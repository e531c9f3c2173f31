"""Epochs as they are told: what is open, what ends it, and where a whole one goes.

    sentence ─▶ the open epoch ─▶ (another time comes) ─▶ log, strip, history, sanity

Sentences are one epoch when they carry the same time; those that carry none belong to the epoch that is open, unless
GSA comes so late that it must be the next one's.
"""

from dataclasses import dataclass
from typing import Final

from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.gnss.epochs import EpochLog, Epochs
from pale_heron.core.gnss.history import History, Reception
from pale_heron.core.gnss.raw import count, is_near, midnight_of, number, time_of_day, unpacked
from pale_heron.core.gnss.sanity import Moment, Sanity
from pale_heron.core.gnss.sky import SkyTracker
from pale_heron.core.gnss.states import FixState
from pale_heron.core.gnss.strip import Strip, StripLog
from pale_heron.core.utc import DAY

SILENT_NS: Final = 3 * SECOND
UNTIMED_NS: Final = SECOND // 2
"""Sentences without a time that are closer together are of one burst."""

AHEAD_SHARE: Final = 0.6
"""A GSA that comes after so much of the usual time between epochs precedes the time of its own epoch."""

BURST_SHARE: Final = 0.35
"""What comes within so much of the usual time between epochs is of one burst."""


@dataclass(slots=True)
class OpenEpoch:
    """What was heard of the moment that is being told."""

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


class EpochTracker:
    """Told of times, places and figures as sentences bring them. `open` is what was heard of the moment being told."""

    def __init__(self, history: History, sky: SkyTracker, sanity: Sanity, kept: int | None) -> None:
        self._history = history
        self._sky = sky
        self._sanity = sanity
        self._strip = StripLog()
        self._log = EpochLog(kept)
        self.open = OpenEpoch(b"", None)
        self.raw_time = b""
        self._epoch = b""
        self._midnight: int | None = None
        self._time_of_day = 0
        self._gaps = (0, 0)
        self._last_arrived: int | None = None
        self._told: dict[str, tuple[bytes, int | None]] = {}
        self.count = 0
        self.with_fix = 0

    def track(self) -> Epochs:
        """The last whole epochs."""
        return self._log.view()

    def strip(self) -> Strip:
        """The whole session."""
        return self._strip.strip()

    def begin(self, time: bytes, arrived: int | None, state: FixState) -> None:
        """A sentence with this raw time came: another time ends the epoch that is open."""
        if time == self.raw_time:
            if time:
                return
            self._untimed(arrived, state)
        self.raw_time = time
        if b"." in time:
            time = time.rstrip(b"0").rstrip(b".")
        if time == self._epoch:
            return
        self.close(state)
        self._epoch = time
        if time:
            self.open.time = time
            if self.open.arrived is None:
                self.open.arrived = arrived
            self.count += 1

    def close(self, state: FixState) -> None:
        """The epoch that was open is whole: into the log, the strip, the history and the checks."""
        epoch = self.open
        if not epoch.time:
            return
        self.open = OpenEpoch(b"", None)
        arrived = epoch.arrived
        silent = self._note_gap(arrived)
        seen, cn0 = self._sky.reception(arrived)
        used = count(epoch.used)
        altitude, separation, speed = number(epoch.altitude), number(epoch.separation), number(epoch.speed)
        time = time_of_day(epoch.time)
        utc = self._utc_of(epoch.date, time)
        level = state.level
        north, east = number(epoch.errors[0]), number(epoch.errors[1])
        error = None if north is None or east is None else (north * north + east * east) ** 0.5
        fixed = epoch.latitude is not None
        self._log.append(
            (
                arrived,
                utc,
                level,
                epoch.latitude,
                epoch.longitude,
                altitude if fixed else None,
                separation if fixed else None,
                used,
                seen,
                number(epoch.hdop) if fixed else None,
                cn0,
                speed if fixed else None,
                number(epoch.course) if fixed else None,
                error,
            )
        )
        if arrived is not None:
            self._strip.add(arrived, level, used, cn0, silent)
        self._history.epoch(state, Reception(used, cn0))
        where = b",".join(epoch.where)
        kind = state.kind
        moment = (arrived, utc, time, fixed, kind, epoch.latitude, epoch.longitude, altitude, separation, speed, where)
        self._sanity.epoch(Moment(*moment))
        self._compare(epoch)

    def place(self, where: list[bytes], altitude: bytes = b"", separation: bytes = b"") -> None:
        """One position an epoch, from whichever sentence has it first."""
        epoch = self.open
        if not self._epoch or epoch.latitude is not None or not epoch.time:
            return
        found = unpacked(where)
        if found is None:
            return
        self.with_fix += 1
        epoch.where = tuple(where)
        epoch.latitude, epoch.longitude = found
        epoch.altitude, epoch.separation = altitude, separation

    def is_ahead(self, time: int | None) -> bool:
        """Whether the next epoch has begun before its time was told."""
        begun = self.open.arrived
        if not self.open.time or time is None or begun is None:
            return False
        ahead = AHEAD_SHARE * min(self._gaps)
        return 0 < ahead < time - begun

    def compare_times(self, frame: Frame, time: bytes, other: str) -> None:
        """GGA and RMC of one burst tell one time; a burst is short against the time between epochs."""
        self._told[frame.type[2:]] = time, frame.time
        told, before = self._told.get(other, (b"", None))
        if told and time and before is not None and frame.time is not None:
            near = BURST_SHARE * min(self._gaps)
            if 0 <= frame.time - before < near:
                self._sanity.compared("time", told == time)

    def silent_since(self, now: int | None) -> int | None:
        """Since when nothing of the fix came, where that is longer than usual."""
        last = self._last_arrived
        return last if last is not None and now is not None and self._is_silence(now - last) else None

    def _is_silence(self, gap: int) -> bool:
        usual = min(self._gaps)
        return usual > 0 and gap > max(3 * usual, SILENT_NS)

    def _untimed(self, arrived: int | None, state: FixState) -> None:
        """A receiver that knows no time yet has no epochs; the strip shows that it was there."""
        last = self._last_arrived
        if arrived is not None and (last is None or arrived - last > UNTIMED_NS):
            self._note_gap(arrived)
            self._strip.add(arrived, state.level, None, self._sky.reception(arrived)[1])

    def _note_gap(self, arrived: int | None) -> bool:
        """Whether there was silence before this time."""
        last, self._last_arrived = self._last_arrived, arrived
        if last is None or arrived is None or arrived <= last:
            return False
        silent = self._is_silence(arrived - last)
        if silent:
            self._history.silence(last, arrived)
        self._gaps = self._gaps[1], arrived - last
        return silent

    def _utc_of(self, date: bytes, time: int | None) -> int | None:
        """The moment of an epoch, with the date that it tells, or that of the one before."""
        if time is None:
            return None
        begin = midnight_of(date) if date else None
        if begin is not None:
            self._midnight = begin
        elif self._midnight is not None and self._time_of_day - time > DAY // 2:
            self._midnight += DAY
        self._time_of_day = time
        return None if self._midnight is None else self._midnight + time

    def _compare(self, epoch: OpenEpoch) -> None:
        """GGA and RMC of one epoch, where both came."""
        if epoch.fixed_by_gga is None or epoch.fixed_by_rmc is None:
            return
        self._sanity.compared("validity", epoch.fixed_by_gga == epoch.fixed_by_rmc)
        if epoch.where and epoch.where_by_rmc:
            self._sanity.compared(
                "position", epoch.where == epoch.where_by_rmc or is_near(epoch.where, epoch.where_by_rmc)
            )
