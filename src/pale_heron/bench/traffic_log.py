"""The latest frames and events of all lanes in the order of their times, numbered from 0 for ever."""

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from pale_heron.core.runs import Entries, Entry, FrameRun

CAPACITY = 20_000


class _RunAt(NamedTuple):
    """A run of frames, and the number of its first."""

    number: int
    run: FrameRun


_Slot = Entry | _RunAt | None


class _LogEnds(NamedTuple):
    """What is numbered for good ends at `settled`; the `latest` stand behind it for the time being."""

    settled: int
    latest: Sequence[_Slot]


class TrafficLog:
    """A ring: the number of a settled entry never changes, old ones are forgotten.

    The latest entries have numbers too, but a line of another lane may still come between them. One thread appends,
    others read; a reader that asks for what was forgotten meanwhile gets None.
    """

    def __init__(self, capacity: int = CAPACITY, start: int = 0) -> None:
        """The first entry will have the number `start`."""
        self._capacity = capacity
        self._slots: list[_Slot] = [None] * capacity
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
        slots = _slots(entries, begin)
        end = begin + len(slots)
        kept = slots[-self._capacity :]
        place = (end - len(kept)) % self._capacity
        room = self._capacity - place
        self._slots[place : place + len(kept)] = kept[:room]
        self._slots[: max(0, len(kept) - room)] = kept[room:]
        self._ends = _LogEnds(end, latest[end - begin :])

    def show_latest(self, latest: Iterable[Entry]) -> None:
        """Those behind the others, whose places may still change."""
        settled = self._ends.settled
        self._ends = _LogEnds(settled, _slots(latest, settled))

    def get(self, number: int) -> Entry | None:
        """The entry of that number; None where it is forgotten or not yet there."""
        slot = self._slot(number)
        if not isinstance(slot, _RunAt):
            return slot
        place = number - slot.number
        return slot.run[place] if 0 <= place < len(slot.run) else None

    def parts(self, begin: int, end: int) -> Iterator[tuple[int, Entry | FrameRun]]:
        """What is there from one number to before another, each with its number, a run with that of its first frame."""
        number = begin
        while number < end:
            slot = self._slot(number)
            if isinstance(slot, _RunAt) and 0 <= number - slot.number < len(slot.run):
                part = slot.run[number - slot.number : end - slot.number]
                yield number, part
                number += len(part)
                continue
            if slot is not None and not isinstance(slot, _RunAt):
                yield number, slot
            number += 1

    def _slot(self, number: int) -> _Slot:
        settled, latest = self._ends
        if number >= settled:
            return latest[number - settled] if number - settled < len(latest) else None
        return self._slots[number % self._capacity] if self.begin <= number else None


def _slots(entries: Iterable[Entry], number: int) -> list[_Slot]:
    """What stands for each of them in the ring, from a number on."""
    slots: list[_Slot] = []
    for each in entries.parts if isinstance(entries, Entries) else entries:
        if isinstance(each, FrameRun):
            slots += [_RunAt(number + len(slots), each)] * len(each)
        else:
            slots.append(each)
    return slots
