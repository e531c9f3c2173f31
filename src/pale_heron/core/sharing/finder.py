"""What a lane tells that a copy for others must not hold: where in its two streams, and of which kind.

Frames come in the order of recording, as the lane's own framing cuts them; pieces of a line that a pause or a sending
has cut are put together again.
"""

import re
from collections import Counter
from collections.abc import Iterable
from typing import Final

from pale_heron.core.frames import NMEA, OK, OUT, RTCM3, Direction, Frame
from pale_heron.core.sharing.dialect_tables import DialectTables
from pale_heron.core.sharing.kinds import PLACES
from pale_heron.core.sharing.positions import is_plain_sentence
from pale_heron.core.sharing.scanner import LineRules, LineScanner

LONGEST: Final = 4096
_LINE_END: Final = re.compile(rb"\r?\n|\r")
_ENDS: Final = (b"\n", b"\r", b"\x1a", b"\x1b")


class LaneFinder:
    """`stars` are the places found in each stream; `counts` how many of each kind."""

    def __init__(self, also: LineRules | None = None, *, places: bool) -> None:
        """With `places` also what says where it was recorded."""
        self._scanner = LineScanner(shared=True, also=also)
        self._places = places
        self._pending: dict[Direction, tuple[int, bytes]] = {}
        self.stars: dict[Direction, list[tuple[int, int]]] = {each: [] for each in Direction}
        self.counts: Counter[str] = Counter()

    @property
    def secrets(self) -> frozenset[str]:
        """Values that must not stand anywhere on the lane."""
        return frozenset(self._scanner.values)

    def take(self, frames: Iterable[Frame], tables: DialectTables, waiting: bytes) -> None:
        """Look at frames; `waiting` is what was received and belongs to none yet."""
        for frame in frames:
            begin, before = self._pending.pop(frame.direction, (frame.offset, b""))
            if (before and begin + len(before) != frame.offset) or frame.kind is RTCM3:
                self._look(frame.direction, begin, before, tables, waiting)
                begin, before = frame.offset, b""
            end = _LINE_END.match(frame.data)
            if before and end is not None:
                # Its line end came behind a pause.
                self._look(frame.direction, begin, before + end[0], tables, waiting)
                frame = frame._replace(data=frame.data[end.end() :])
                begin, before = begin + len(before) + end.end(), b""
            data = before + frame.data
            if frame.kind is RTCM3 or (frame.kind is NMEA and frame.status is OK and is_plain_sentence(data)):
                continue
            if data.endswith(_ENDS) or len(data) > LONGEST:
                self._look(frame.direction, begin, data, tables, waiting)
            else:
                self._pending[frame.direction] = begin, data

    def finish(self, tables: DialectTables) -> None:
        """The streams have ended."""
        for direction, (begin, data) in self._pending.items():
            self._look(direction, begin, data, tables, b"")
        self._pending.clear()

    def _look(self, direction: Direction, offset: int, data: bytes, tables: DialectTables, waiting: bytes) -> None:
        sent = direction is OUT
        if sent:
            waiting = self._pending.get(Direction.IN, (0, b""))[1] + waiting
        for begin, end, kind in self._scanner.take(
            data.decode("latin-1"), tables, sent=sent, waiting=waiting.decode("latin-1")
        ):
            if kind not in PLACES or self._places:
                self.stars[direction].append((offset + begin, offset + end))
                self.counts[kind] += 1


class ValueFinder:
    """Finds texts in one stream, however it is cut; `longest` is that of the longest."""

    def __init__(self, values: Iterable[str]) -> None:
        self._values = {each: each.encode("latin-1", "replace") for each in values}
        self._longest = max(map(len, self._values.values()), default=0)
        self._tail = b""
        self._offset = 0
        self.found: list[tuple[str, int, int]] = []
        """Which, from where, to before where."""

    def feed(self, data: bytes) -> None:
        """More of it."""
        held, begin = self._tail + data, self._offset - len(self._tail)
        for text, value in self._values.items():
            at = held.find(value)
            while at >= 0:
                if at + len(value) > len(self._tail):
                    self.found.append((text, begin + at, begin + at + len(value)))
                at = held.find(value, at + 1)
        self._offset += len(data)
        self._tail = held[-self._longest :] if self._longest else b""
