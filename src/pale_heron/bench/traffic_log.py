"""The latest frames and events of all lanes in the order of their times, numbered from 0 for ever."""

from collections.abc import Iterable
from typing import NamedTuple

from pale_heron.core.order import Entry

CAPACITY = 20_000


class _LogEnds(NamedTuple):
    """What is numbered for good ends at `settled`; the `latest` stand behind it for the time being."""

    settled: int
    latest: tuple[Entry, ...]


class TrafficLog:
    """A ring: the number of a settled entry never changes, old ones are forgotten.

    The latest entries have numbers too, but a line of another lane may still come between them. One thread appends,
    others read; a reader that asks for what was forgotten meanwhile gets None.
    """

    def __init__(self, capacity: int = CAPACITY, start: int = 0) -> None:
        """The first entry will have the number `start`."""
        self._capacity = capacity
        self._entries: list[Entry | None] = [None] * capacity
        self._start = start
        self._ends = _LogEnds(start, ())

    @property
    def end(self) -> int:
        """The number behind the last entry."""
        settled, latest = self._ends
        return settled + len(latest)

    @property
    def settled(self) -> int:
        """The number behind the last entry whose number is for good."""
        return self._ends.settled

    @property
    def begin(self) -> int:
        """The oldest number still held."""
        return max(self._start, self._ends.settled - self._capacity)

    def extend(self, entries: Iterable[Entry]) -> None:
        """Append in order, for good. As many of the latest are taken for them until somebody shows others."""
        begin, latest = self._ends
        end = begin
        for entry in entries:
            self._entries[end % self._capacity] = entry
            end += 1
        self._ends = _LogEnds(end, latest[end - begin :])

    def show_latest(self, latest: tuple[Entry, ...]) -> None:
        """Those behind the others, whose places may still change."""
        self._ends = _LogEnds(self._ends.settled, latest)

    def get(self, number: int) -> Entry | None:
        """The entry of that number; None where it is forgotten or not yet there."""
        settled, latest = self._ends
        if number >= settled:
            return latest[number - settled] if number - settled < len(latest) else None
        return self._entries[number % self._capacity] if self.begin <= number else None
