"""Hands chunks and events from one stage to the next: from the reader threads to the recorder, from it to the decoder.

It is bounded in bytes. What does not fit is dropped, counted per lane, and reported once there is room again:
a loss is never silent.
"""

import threading
from collections import deque
from collections.abc import Iterable
from typing import NamedTuple

from pale_heron.core.frames import Chunk, Event

MOST_BYTES = 64 << 20


class RecordMark(NamedTuple):
    """Between two records: the next one begins at this `position` of the capture, at this `moment`."""

    position: int
    moment: int


class TimePassed(NamedTuple):
    """Nothing of before this `moment` will come any more, but for what is on its way."""

    moment: int


Handed = Chunk | Event | RecordMark | TimePassed


class BoundedQueue:
    """Many threads put, one takes. A loss is reported as an event called `loss`."""

    def __init__(self, most_bytes: int = MOST_BYTES, loss: str = "dropped") -> None:
        self._most_bytes = most_bytes
        self._loss = loss
        self._waiting: deque[Handed] = deque()
        self._bytes = 0
        self._dropped: dict[str, int] = {}
        self._changed = threading.Condition()

    def put(self, record: Handed) -> None:
        """Hand over; never blocks."""
        with self._changed:
            self._append(record)
            self._changed.notify()

    def put_all(self, records: Iterable[Handed]) -> None:
        """Hand over many; whoever takes is woken once."""
        with self._changed:
            for record in records:
                self._append(record)
            self._changed.notify()

    def _append(self, record: Handed) -> None:
        if isinstance(record, Chunk):
            if self._bytes + len(record.data) > self._most_bytes:
                self._dropped[record.lane] = self._dropped.get(record.lane, 0) + len(record.data)
                return
            self._bytes += len(record.data)
        self._waiting.append(record)

    def nudge(self) -> None:
        """Wake whoever takes: there is something else to be done."""
        with self._changed:
            self._changed.notify()

    def take(self, wait_s: float, now: int) -> list[Handed]:
        """Everything that waits, after waiting at most `wait_s` for the first; losses last, stamped `now`."""
        with self._changed:
            if not self._waiting:
                self._changed.wait(wait_s)
            taken = list(self._waiting)
            self._waiting.clear()
            self._bytes = 0
            lost, self._dropped = self._dropped, {}
        return [*taken, *(Event(now, lane, self._loss, {"bytes": count}) for lane, count in lost.items())]
