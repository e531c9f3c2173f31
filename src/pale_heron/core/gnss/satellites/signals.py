"""C/N0 of every satellite over the whole session, in bounded memory.

A point is what the first list of each signal says in a stretch of time, a second at first: the strongest of them. When
there are too many, every other one is dropped and stretches become twice as long, so that a day is drawn from as many
points as an hour.
"""

from array import array
from collections.abc import Iterable
from typing import Any, Final, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.satellites.names import SatelliteName, satellite_name, system_of

MOST_POINTS: Final = 1024
MOST_SATELLITES: Final = 160
SPACING_NS: Final = SECOND

Place = tuple[str, bytes]
"""A satellite: the type of the sentences that name it, and its raw number."""

ListKey = tuple[str, bytes]
"""The lists that replace each other: their type and signal."""


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
        self.most = most_points
        """When a satellite has twice as many points, every other one is dropped."""
        self.spacing = SPACING_NS
        self.columns: dict[Place, tuple[array[Any], array[Any]]] = {}
        """Times and C/N0 of each satellite."""
        self.taken: dict[ListKey, int] = {}
        """When a list was last taken."""

    def is_due(self, key: ListKey, time: int) -> bool:
        """Whether a list under this key is the first of its stretch."""
        last = self.taken.get(key)
        return last is None or last // self.spacing != time // self.spacing

    def take(self, key: ListKey, strengths: Iterable[tuple[bytes, int]], time: int) -> None:
        """Add a point for each satellite of a list, given by its raw number and C/N0."""
        self.taken[key] = time
        for number, strength in strengths:
            place = key[0], number
            if place not in self.columns and len(self.columns) >= MOST_SATELLITES:
                continue
            times, values = self.columns_of(place)
            if times and times[-1] // self.spacing == time // self.spacing:
                # Another signal of the same satellite: the stronger one counts.
                values[-1] = max(values[-1], strength)
                continue
            times.append(time)
            values.append(strength)
            if len(times) >= 2 * self.most:
                self._thin()

    def columns_of(self, place: Place) -> "tuple[array[Any], array[Any]]":
        """Those of a satellite, to be added to; new ones where it is new."""
        found = self.columns.get(place)
        if found is None:
            found = self.columns[place] = array("q"), array("b")
        return found

    def _thin(self) -> None:
        """Drop every other point, in new columns: those given out stay as they are."""
        self.spacing *= 2
        self.columns = {place: (times[::2], values[::2]) for place, (times, values) in self.columns.items()}

    def series(self) -> dict[SatelliteName, Series]:
        """Every satellite that was ever seen, by name."""
        found: dict[SatelliteName, Series] = {}
        for (kind, number), (times, values) in self.columns.items():
            if number.isdigit():
                name = satellite_name(system_of(kind[:2]), int(number))
                if name not in found or found[name].length < len(times):
                    found[name] = Series(times, values, len(times))
        return found
