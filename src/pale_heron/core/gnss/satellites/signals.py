"""C/N0 of every satellite over the whole session, in bounded memory.

Points are taken a second apart at first. When there are too many, every other one is dropped and they are taken twice
as far apart, so that a day is drawn from as many points as an hour.
"""

from array import array
from collections.abc import Iterable
from typing import Any, Final, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.satellites.names import SatelliteName, satellite_name, system_of

MOST_POINTS: Final = 1024
MOST_SATELLITES: Final = 160
SPACING_NS: Final = SECOND


class Series(NamedTuple):
    """The first `length` of growing columns: times (nanoseconds) and C/N0 (dB-Hz, 0 where it was not followed)."""

    times: "array[Any]"
    strengths: "array[Any]"
    length: int

    def points(self) -> tuple["array[Any]", "array[Any]"]:
        """Copies of both columns."""
        return self.times[: self.length], self.strengths[: self.length]


class SignalLog:
    """Takes every complete list of satellites."""

    def __init__(self, most_points: int = MOST_POINTS) -> None:
        self._most = most_points
        self._spacing = SPACING_NS
        self._columns: dict[tuple[str, bytes], tuple[array[Any], array[Any]]] = {}
        self._taken: dict[tuple[str, bytes], int] = {}

    def is_due(self, key: tuple[str, bytes], time: int) -> bool:
        """Whether a list under this key is far enough from the one before to be taken."""
        last = self._taken.get(key)
        return last is None or time - last >= self._spacing

    def take(self, key: tuple[str, bytes], strengths: Iterable[tuple[bytes, int]], time: int) -> None:
        """Add a point for each satellite of a list; `key` is its type and signal, satellites have raw numbers."""
        self._taken[key] = time
        for number, strength in strengths:
            place = key[0], number
            columns = self._columns.get(place)
            if columns is None:
                if len(self._columns) >= MOST_SATELLITES:
                    continue
                columns = self._columns[place] = array("q"), array("b")
            times, values = columns
            if times and time - times[-1] < self._spacing:
                # Another signal of the same satellite: the stronger one counts.
                values[-1] = max(values[-1], strength)
                continue
            times.append(time)
            values.append(strength)
            if len(times) >= 2 * self._most:
                self._thin()

    def _thin(self) -> None:
        """Drop every other point, in new columns: those given out stay as they are."""
        self._spacing *= 2
        self._columns = {place: (times[::2], values[::2]) for place, (times, values) in self._columns.items()}

    def series(self) -> dict[SatelliteName, Series]:
        """Every satellite that was ever seen, by name."""
        found: dict[SatelliteName, Series] = {}
        for (kind, number), (times, values) in self._columns.items():
            if number.isdigit():
                name = satellite_name(system_of(kind[:2]), int(number))
                if name not in found or found[name].length < len(times):
                    found[name] = Series(times, values, len(times))
        return found
