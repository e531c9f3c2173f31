"""Puts what was cut from several streams into the order of its times.

A line is whole only when its end has come, so lines of several lanes become whole in another order than they began.
Each takes its place by its own time as long as that lies within WINDOW_NS of what was heard last; what is later than
that takes its place among what is heard now. A stream keeps its own order whatever its times say. The order follows
from the records alone: it does not depend on how many are taken at a time, nor on when anybody looks.

Frames that follow each other in one stream may be taken as a run. It stays one as long as nothing comes between them.
"""

from bisect import bisect_left, insort
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from typing import Any, Final

from pale_heron.core.frames import IN, SECOND, Direction, Frame
from pale_heron.core.runs import Entries, Entry, FrameRun

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


_Held = tuple[int, int, int, Entry | FrameRun]
"""What waits for its place: its key, its number as it came, the key of its last frame where it is a run, and itself."""


class Order:
    """Takes entries as they become whole, gives them in order. It can be pickled, and goes on just the same."""

    def __init__(self) -> None:
        self._held: list[_Held] = []
        """In order; what lies between two keys of a run stands in it, or is not there."""
        self._held_count = 0
        """How many lines that is."""
        self._floor = 0
        self._count = 0
        self._stream = _StreamState("", Direction.IN)
        """The one that the last frame was of."""
        self._streams = {("", Direction.IN): self._stream}

    def __getstate__(self) -> dict[str, Any]:
        """Without runs: they hold more than their lines."""
        return {**self.__dict__, "_held": [alone for held in self._held for alone in _apart(held)]}

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
        return self._count - self._held_count

    def count_others(self, entries: int) -> None:
        """So many lines more became whole, long before all that will be added, and nobody wants them."""
        self._count += entries

    @property
    def ceiling(self) -> int:
        """No line that was added so far stands at or behind this."""
        return self._held[-1][2] + 1 if self._held else self._floor

    def bare(self) -> "Order":
        """The same order without the lines that are held."""
        other = Order()
        other._floor, other._count = self._floor, self._count
        other._streams = {key: replace(stream) for key, stream in self._streams.items()}
        return other

    def add(self, entries: Iterable[Entry]) -> None:
        """Take what became whole. Without a time it stays behind what came before it."""
        held, count, floor, stream = self._held, self._count, self._floor, self._stream
        last, most = held[-1][2] if held else 0, MOST_HELD - self._held_count + count
        for entry in entries:
            key = entry.time
            if key is None or key < floor:
                key = floor
            if isinstance(entry, Frame):
                # Frames come many at a time from one stream: it is looked up once.
                if entry.direction is not stream.direction or entry.lane != stream.lane:
                    stream = self._stream = self._stream_of(entry.lane, entry.direction)
                if key < stream.last:
                    key = stream.last
                stream.last = key
            if held and key < last:
                self._insert((key, count, key, entry))
            else:
                held.append((key, count, key, entry))
                last = key
            count += 1
            if count > most:
                self._overflow(self._held_count + count - self._count)
                floor = self._floor
        self._held_count += count - self._count
        self._count = count

    def add_run(self, run: FrameRun) -> None:
        """As `add` of each of its frames, which were received."""
        if not run or self._held_count + len(run) > MOST_HELD:
            self.add(run)
            return
        held, stream = self._held, self._stream_of(run.lane, IN)
        key = max(run.begun, self._floor, stream.last)
        if held and key < held[-1][2]:
            self.add(run)
            return
        stream.last = max(key, run.latest)
        held.append((key, self._count, stream.last, run))
        self._count += len(run)
        self._held_count += len(run)

    def _stream_of(self, lane: str, direction: Direction) -> "_StreamState":
        found = self._streams.get((lane, direction))
        if found is None:
            found = self._streams[lane, direction] = _StreamState(lane, direction)
        return found

    def _insert(self, new: _Held) -> None:
        """Put something between others, where need be between the frames of a run."""
        self._part(new[0])
        insort(self._held, new)

    def _part(self, key: int) -> None:
        """Let no run reach over a key: what it holds up to there stands before what comes, the rest behind it."""
        held = self._held
        at = bisect_left(held, (key + 1,)) - 1
        if at >= 0 and held[at][2] > key:
            held[at : at + 1] = _apart(held[at])

    def _overflow(self, lines: int) -> None:
        """Times that do not go on must not let the held ones grow for ever: half of them have their places now."""
        held = self._held
        if len(held) < lines:
            held[:] = [alone for each in held for alone in _apart(each)]
        cut = bisect_left(held, (self._floor,))
        if len(held) - cut > MOST_HELD:
            self._floor = held[cut + MOST_HELD // 2][0] + 1

    def rise(self, floor: int) -> None:
        """Nothing that is added from now on stands before this moment."""
        self._floor = max(self._floor, floor)

    def settled(self) -> Entries:
        """What has its place for good, taken out."""
        held = self._held
        if not held or held[0][0] >= self._floor:
            return Entries()
        self._part(self._floor - 1)
        cut = bisect_left(held, (self._floor,))
        settled = Entries([entry for _, _, _, entry in held[:cut]])
        del held[:cut]
        self._held_count -= len(settled)
        return settled

    def unsettled(self) -> Entries:
        """The rest in its order as of now; something may still come between."""
        return Entries([entry for _, _, _, entry in self._held])

    def finish(self) -> Entries:
        """The rest, at the end of all streams."""
        rest = self.unsettled()
        self._held.clear()
        self._held_count = 0
        return rest


def _apart(held: _Held) -> Iterator[_Held]:
    """Each frame of a run by itself; anything else as it is."""
    key, number, _, entry = held
    if not isinstance(entry, FrameRun):
        yield held
        return
    for place, frame in enumerate(entry):
        key = max(key, frame.time or 0)
        yield key, number + place, key, frame
