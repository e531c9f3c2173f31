"""Puts what was cut from several streams into the order of its times.

A line is whole only when its end has come, so lines of several lanes become whole in another order than they began.
Each takes its place by its own time as long as that lies within WINDOW_NS of what was heard last; what is later than
that takes its place among what is heard now. A stream keeps its own order whatever its times say. The order follows
from the records alone: it does not depend on how many are taken at a time, nor on when anybody looks.
"""

from bisect import bisect_left, insort
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Final

from pale_heron.core.frames import SECOND, Direction, Event, Frame

Entry = Frame | Event

WINDOW_NS: Final = SECOND
"""A line that becomes whole later than this after its start no longer keeps others waiting."""

SLACK_NS: Final = SECOND // 4
"""Records of several lanes may come so much out of the order of their times."""

MOST_HELD: Final = 50_000


@dataclass(slots=True)
class _StreamState:
    """What came last of one lane and direction: where its last frame stands."""

    lane: str
    direction: Direction
    last: int = 0


class Order:
    """Takes entries as they become whole, gives them in order. It can be pickled, and goes on just the same."""

    def __init__(self) -> None:
        self._held: list[tuple[int, int, Entry]] = []
        """In order: by key, then as they came."""
        self._floor = 0
        self._count = 0
        self._stream = _StreamState("", Direction.IN)
        """The one that the last frame was of."""
        self._streams = {("", Direction.IN): self._stream}

    @property
    def floor(self) -> int:
        """Every line whose place lies before this has it for good."""
        return self._floor

    @property
    def count(self) -> int:
        """How many lines were added so far."""
        return self._count

    @property
    def settled_count(self) -> int:
        """How many of them have their place for good."""
        return self._count - len(self._held)

    def count_others(self, entries: int) -> None:
        """So many lines more became whole, long before all that will be added, and nobody wants them."""
        self._count += entries

    @property
    def ceiling(self) -> int:
        """No line that was added so far stands at or behind this."""
        return self._held[-1][0] + 1 if self._held else self._floor

    def bare(self) -> "Order":
        """The same order without the lines that are held."""
        other = Order()
        other._floor, other._count = self._floor, self._count
        other._streams = {key: replace(stream) for key, stream in self._streams.items()}
        return other

    def add(self, entries: Iterable[Entry]) -> None:
        """Take what became whole. Without a time it stays behind what came before it."""
        held, count, floor, stream = self._held, self._count, self._floor, self._stream
        for entry in entries:
            key = entry.time
            if key is None or key < floor:
                key = floor
            if isinstance(entry, Frame):
                # Frames come many at a time from one stream: it is looked up once.
                if entry.direction is not stream.direction or entry.lane != stream.lane:
                    stream = self._stream = self._stream_of(entry)
                if key < stream.last:
                    key = stream.last
                stream.last = key
            if held and key < held[-1][0]:
                insort(held, (key, count, entry))
            else:
                held.append((key, count, entry))
            count += 1
            if len(held) > MOST_HELD:
                self._overflow()
                floor = self._floor
        self._count = count

    def _stream_of(self, frame: Frame) -> "_StreamState":
        key = frame.lane, frame.direction
        found = self._streams.get(key)
        if found is None:
            found = self._streams[key] = _StreamState(*key)
        return found

    def _overflow(self) -> None:
        """Times that do not go on must not let the held ones grow for ever: half of them have their places now."""
        cut = bisect_left(self._held, (self._floor,))
        if len(self._held) - cut > MOST_HELD:
            self._floor = self._held[cut + MOST_HELD // 2][0] + 1

    def rise(self, floor: int) -> None:
        """Nothing that is added from now on stands before this moment."""
        self._floor = max(self._floor, floor)

    def settled(self) -> list[Entry]:
        """What has its place for good, taken out."""
        held = self._held
        if not held or held[0][0] >= self._floor:
            return []
        cut = bisect_left(held, (self._floor,))
        self._held = held[cut:]
        return [entry for _, _, entry in held[:cut]]

    def unsettled(self) -> tuple[Entry, ...]:
        """The rest in its order as of now; something may still come between."""
        return tuple([entry for _, _, entry in self._held])

    def finish(self) -> list[Entry]:
        """The rest, at the end of all streams."""
        rest = list(self.unsettled())
        self._held = []
        return rest
