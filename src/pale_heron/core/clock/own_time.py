"""The time that a stream gives itself, for a raw file that carries no arrival times.

Each frame gets the UTC of the latest sentence that said one. Before the first date the day is unknown; such times count
from 1970-01-01, which keeps differences right, and move to the true day with the first date.
"""

from pale_heron.core import utc
from pale_heron.core.frames import Frame, Kind, Status
from pale_heron.core.nmea.sentence import parse, values

_WITH_TIME = {"GGA", "GNS", "RMC", "ZDA", "GLL", "GST"}


class OwnTime:
    """Reads times and dates off the sentences of one lane."""

    def __init__(self) -> None:
        self._midnight = 0
        self._time: int | None = None
        self.begin: int | None = None
        self.dated = False

    @property
    def time(self) -> int | None:
        """The latest time; None before the first."""
        return self._time

    @property
    def span_s(self) -> float | None:
        """Seconds between the first and the latest time; None before the first."""
        return (self._time - self.begin) / 1e9 if self._time is not None and self.begin is not None else None

    def read(self, frame: Frame) -> int | None:
        """The time as of `frame`: of this sentence where it gives one, else the latest."""
        if frame.kind is Kind.NMEA and frame.status is Status.OK and frame.type[-3:] in _WITH_TIME:
            fields = values(parse(frame.data))
            self._take(fields.get("time"), fields.get("date"))
        return self._time

    def _take(self, time: str | None, date: str | None) -> None:
        if date is not None:
            self._take_date(date)
        if time is None:
            return
        now = self._midnight + utc.time_of_day(time)
        if date is None and self._time is not None and self._time - now > utc.DAY // 2:
            self._midnight += utc.DAY
            now += utc.DAY
        if self.begin is None:
            self.begin = now
        self._time = now

    def _take_date(self, date: str) -> None:
        try:
            midnight = utc.midnight(date)
        except ValueError:
            return
        if not self.dated:
            moved = midnight - self._midnight
            self.begin = None if self.begin is None else self.begin + moved
            self._time = None if self._time is None else self._time + moved
        self.dated = True
        self._midnight = midnight
