"""The time that a stream gives itself, for a raw file that carries no arrival times.

Each frame gets the UTC of the latest sentence that said one. A date is believed where its sentence vouches for it (RMC
with status A; ZDA, unless RMC says that nothing is valid): what a receiver says before its first fix may be the default
of its maker. Until the first such date times count from the day that was said, else from 1970-01-01, and move to the
true day with it; `anchor` finds it ahead, so that nothing has to move. Where no date ever comes, times of day remain.
"""

from collections.abc import Iterable

from pale_heron.core import utc
from pale_heron.core.frames import Frame, Kind, Status
from pale_heron.core.nmea.sentence import parse, values

_WITH_TIME = {"GGA", "GNS", "RMC", "ZDA", "GLL", "GST"}


class OwnTime:
    """Reads times and dates off the sentences of one lane."""

    def __init__(self) -> None:
        self._midnight = 0
        self._time: int | None = None
        self._checksums = False
        self._valid = True
        """What RMC said last of all that it says."""
        self.begin: int | None = None
        self.dated = False
        self.believed = False
        """The date is one that its sentence vouches for."""

    def anchor(self, frames: Iterable[Frame]) -> None:
        """Begin with the day that follows from these frames, which will be read next."""
        scout = OwnTime()
        for frame in frames:
            scout.read(frame)
        if scout.begin is not None and scout.dated:
            self._midnight = scout.begin - scout.begin % utc.DAY
            self.dated, self.believed = True, scout.believed

    @property
    def vouched(self) -> bool:
        """Whether the time is one that its sentences vouch for now."""
        return self.believed and self._valid

    @property
    def time(self) -> int | None:
        """The latest time; None before the first."""
        return self._time

    @property
    def span_s(self) -> float | None:
        """Seconds between the first and the latest time; None before the first."""
        return (self._time - self.begin) / 1e9 if self._time is not None and self.begin is not None else None

    def read(self, frame: Frame) -> int | None:
        """The time as of `frame`: of this sentence where it gives one, else the latest.

        A sentence without checksum counts where no sentence has one (NMEA 0183 2.x: the checksum is optional).
        """
        if frame.kind is not Kind.NMEA:
            return self._time
        self._checksums = self._checksums or frame.status is Status.OK
        counts = frame.status is Status.OK or (frame.status is Status.NO_CHECKSUM and not self._checksums)
        formatter = frame.type[-3:]
        if counts and formatter in _WITH_TIME:
            fields = values(parse(frame.data))
            if formatter == "RMC":
                self._valid = fields.get("status") == "A"
            self._take(fields.get("time"), fields.get("date"))
        return self._time

    def _take(self, time: str | None, date: str | None) -> None:
        turned = date is not None and self._take_date(utc.midnight(date))
        if time is None:
            return
        now = self._midnight + utc.time_of_day(time)
        if not turned and self._time is not None and self._time - now > utc.DAY // 2:
            self._midnight += utc.DAY
            now += utc.DAY
        if self.begin is None:
            self.begin = now
        self._time = now

    def _take_date(self, midnight: int) -> bool:
        """Whether the date counts."""
        near = abs(midnight - self._midnight) <= utc.DAY
        if not self.dated or (self._valid and not self.believed):
            moved = midnight - self._midnight
            # From one day to the next there is nothing to move: midnight has passed.
            if not (self.dated and near):
                self.begin = None if self.begin is None else self.begin + moved
                self._time = None if self._time is None else self._time + moved
        elif not self._valid and not near:
            return False
        self.dated, self.believed = True, self.believed or self._valid
        self._midnight = midnight
        return True
