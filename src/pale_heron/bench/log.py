"""The latest frames and events of all lanes in the order they came, numbered from 0 for ever."""

from collections.abc import Iterable

from pale_heron.core.frames import Event, Frame

CAPACITY = 20_000
Entry = Frame | Event


class TrafficLog:
    """A ring: the number of an entry never changes, old ones are forgotten.

    One thread appends, others read; a reader that asks for what was forgotten meanwhile gets None.
    """

    def __init__(self, capacity: int = CAPACITY, start: int = 0) -> None:
        """The first entry will have the number `start`."""
        self._capacity = capacity
        self._entries: list[Entry | None] = [None] * capacity
        self._start = self._end = start

    @property
    def end(self) -> int:
        """The number that the next entry will have."""
        return self._end

    @property
    def begin(self) -> int:
        """The oldest number still held."""
        return max(self._start, self._end - self._capacity)

    def extend(self, entries: Iterable[Entry]) -> None:
        """Append in order."""
        for entry in entries:
            self._entries[self._end % self._capacity] = entry
            self._end += 1

    def get(self, number: int) -> Entry | None:
        """The entry of that number; None where it is forgotten or not yet there."""
        return self._entries[number % self._capacity] if self.begin <= number < self._end else None
