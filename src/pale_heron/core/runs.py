"""Frames of one stream that follow each other, as columns: a Frame is made where somebody looks at one.

Of the lines of a fast stream hardly one is ever looked at, and to make each would cost more than to cut it.
"""

import re
from array import array
from bisect import bisect_right
from collections.abc import Callable, Iterator, Sequence
from itertools import repeat
from typing import NamedTuple, overload

from pale_heron.core.frames import IN, NMEA, OK, Event, Frame

Entry = Frame | Event


class SentenceColumns(NamedTuple):
    """Whole sentences that were received on a lane; where each begins and ends in `raw`, when it came, its type.

    `raw[0]` is the byte `offset` of the lane; times are nanoseconds; a type is a place in `names`.
    """

    lane: str
    raw: bytes
    offset: int
    names: Sequence[str]
    start: "array[int]"
    end: "array[int]"
    time: "array[int]"
    type: "array[int]"


class FrameRun(Sequence[Frame]):
    """The sentences from one row of such columns to before another."""

    __slots__ = ("_begin", "_columns", "_end")

    def __init__(self, columns: SentenceColumns, begin: int, end: int) -> None:
        self._columns = columns
        self._begin = begin
        self._end = end

    def __len__(self) -> int:
        return self._end - self._begin

    def __iter__(self) -> Iterator[Frame]:
        inside, columns = slice(self._begin, self._end), self._columns
        start, end = columns.start[inside], columns.end[inside]
        found = zip(
            repeat(columns.lane),
            repeat(IN),
            columns.time[inside],
            map(columns.offset.__add__, start),
            map(columns.raw.__getitem__, map(slice, start, end)),
            repeat(NMEA),
            repeat(OK),
            repeat(None),
            map(columns.names.__getitem__, columns.type[inside]),
            strict=False,
        )
        # The values as they are: a call with nine arguments for each would take four times as long.
        return map(Frame._make, found)

    @overload
    def __getitem__(self, place: int) -> Frame: ...

    @overload
    def __getitem__(self, place: slice) -> "FrameRun": ...

    def __getitem__(self, place: int | slice) -> "Frame | FrameRun":
        if isinstance(place, slice):
            begin, end, _ = place.indices(len(self))
            return FrameRun(self._columns, self._begin + begin, self._begin + max(begin, end))
        if not -len(self) <= place < len(self):
            raise IndexError(f"{place} is beyond a run of {len(self)} frames")
        columns, row = self._columns, (self._end if place < 0 else self._begin) + place
        start = columns.start[row]
        data = columns.raw[start : columns.end[row]]
        kind = columns.names[columns.type[row]]
        return Frame(columns.lane, IN, columns.time[row], columns.offset + start, data, NMEA, OK, None, kind)

    @property
    def lane(self) -> str:
        return self._columns.lane

    def of_types(self, wanted: Callable[[str], bool]) -> list[int]:
        """The places of the frames of a type that is wanted."""
        kinds = self._columns.type[self._begin : self._end]
        names = {kind for kind in set(kinds) if wanted(self._columns.names[kind])}
        return [place for place, kind in enumerate(kinds) if kind in names]

    def with_text(self, pattern: "re.Pattern[bytes]") -> list[int]:
        """The places of the frames in whose text a pattern is found, which matches no line end."""
        start, end, raw = self._columns.start, self._columns.end, self._columns.raw
        found, at, last = [], start[self._begin], end[self._end - 1]
        # Through all of them at once: few of them hold what is looked for.
        while (match := pattern.search(raw, at, last)) is not None:
            row = bisect_right(start, match.start(), self._begin, self._end) - 1
            found.append(row - self._begin)
            at = end[row]
        return found

    @property
    def begun(self) -> int:
        """When the first of them came."""
        return self._columns.time[self._begin]

    @property
    def latest(self) -> int:
        """The latest time of them all."""
        return max(self._columns.time[self._begin : self._end])


class Entries(Sequence[Entry]):
    """Frames and events one after the other, some of them in `parts` that are runs of frames."""

    __slots__ = ("parts",)

    def __init__(self, parts: Sequence[Entry | FrameRun] = ()) -> None:
        self.parts = parts

    def __len__(self) -> int:
        return sum([len(each) if type(each) is FrameRun else 1 for each in self.parts])

    def __iter__(self) -> Iterator[Entry]:
        for each in self.parts:
            if isinstance(each, FrameRun):
                yield from each
            else:
                yield each

    @overload
    def __getitem__(self, place: int) -> Entry: ...

    @overload
    def __getitem__(self, place: slice) -> list[Entry]: ...

    def __getitem__(self, place: int | slice) -> Entry | list[Entry]:
        return list(self)[place]

    def __add__(self, others: "Entries") -> "Entries":
        return Entries([*self.parts, *others.parts])

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Sequence) and list(self) == list(other)

    __hash__ = None  # type: ignore[assignment]  # As of a list.
