"""Who speaks for all systems together, and who for one."""

from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.gnss.states import held_ns
from pale_heron.core.nmea.raw import TIME_FIELD, time_of_day

REPEATED_NS: Final = SECOND // 2
"""What is said twice within this is one saying."""


MOST_ROUTES: Final = 200
_PER_SYSTEM: Final = frozenset(("GSA", "GSV"))
"""Formatters that carry something else from each talker; of the others the combined one speaks for all."""


class Route(NamedTuple):
    """Whether a type of sentence may be read, and whether it speaks for all systems, or only where none does."""

    read: bool
    formatter: str
    combined: bool
    shadowed: bool


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


class Talkers:
    """Knows who of one formatter is heard: of one epoch the combined talker, where it speaks."""

    def __init__(self) -> None:
        self.combined: dict[str, CombinedSaying] = {}
        self.paired: set[str] = set()
        """Formatters that come from one system and, behind it, from all together: the first is not heard."""
        self._single: dict[str, int | None] = {}
        """The time that a talker of one system told last, by formatter."""
        self._routes: dict[str, Route] = {}

    def route(self, kind: str) -> Route:
        """What becomes of a type of sentence, found out once."""
        route = self._routes.get(kind)
        if route is None:
            formatter, alone, combined = kind[2:], kind[2:] not in _PER_SYSTEM, kind[:2] == "GN"
            route = Route(len(kind) == 5 and kind[0] != "P", formatter, alone and combined, alone and not combined)
            if len(self._routes) < MOST_ROUTES:
                self._routes[kind] = route
        return route

    def hear_combined(self, formatter: str, frame: Frame) -> None:
        """One that speaks for all systems together."""
        told, before = time_told(formatter, frame), self.combined.get(formatter)
        time = frame.time or 0
        self.combined[formatter] = CombinedSaying(time, told, time - before.time if before is not None else 0)
        if told is not None and told == self._single.get(formatter):
            self.paired.add(formatter)

    def is_shadowed(self, formatter: str, frame: Frame) -> bool:
        """Whether the combined talker says the same for all systems together, of the same epoch."""
        combined, told = self.combined.get(formatter), time_told(formatter, frame)
        self._single[formatter] = told
        if combined is None:
            return False
        passed = (frame.time or 0) - combined.time
        if formatter in self.paired:
            return passed <= held_ns(combined.interval)
        return combined.told == told if told is not None else passed < REPEATED_NS
