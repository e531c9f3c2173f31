"""Cuts many chunks at once: stretches of whole sentences as batches, everything else by the framer, chunk by chunk.

    chunks ─▶ all lines together ─▶ chunks in which every line is a good sentence ─▶ a batch
                                └─▶ all others ─▶ the framer

The frames are the same as if the framer had taken every chunk, however they are handed over.
"""

from collections.abc import Callable, Iterator, Sequence
from typing import Final, NamedTuple

import numpy as np

from pale_heron.core.frames import SECOND, Chunk, Frame
from pale_heron.core.wire.framer import Framer, FramerPlace
from pale_heron.core.wire.sentence_batch import CR, Addresses, Flags, Places, SentenceBatch, lines_of, steps

LEAST_ROWS: Final = 200
"""Fewer sentences are cut as fast one by one."""

LONGEST_GAP_NS: Final = 3 * SECOND
"""A longer time between two chunks is a silence, and no stretch goes over one."""


class Stretch(NamedTuple):
    """Chunks that follow each other. Where there is a batch, it holds what they complete, then come the `frames` left;
    where there is none, the chunks are still to be fed to the framer, before the next stretch is asked for."""

    chunks: Sequence[Chunk]
    batch: SentenceBatch | None = None
    ended: Sequence[int] = ()
    """So many of its sentences are whole with each chunk."""
    frames: Sequence[Frame] = ()
    lines: SentenceBatch | None = None
    """Where there is no batch: all lines of these bytes, good or not; sentences of its frames are among them."""


def stretches(
    framer: Framer, chunks: Sequence[Chunk], addresses: Addresses, is_odd: Callable[[SentenceBatch], Flags]
) -> Iterator[Stretch]:
    """All chunks, in order, received on one lane. `is_odd` names sentences that the lane wants one by one."""
    if framer.ending == "cr" or any(chunk.time is None for chunk in chunks):
        yield Stretch(chunks)
    else:
        yield from _ChunkCut(framer, chunks, addresses).stretches(is_odd)


class WholeRun:
    """A run of chunks, which can be taken where every line is a plain sentence that is whole soon after it began.

    Nothing has happened yet: `take` lets the framer stand behind it.
    """

    def __init__(self, cut: "_ChunkCut", odd: Flags) -> None:
        self._cut = cut
        self.odd: list[int] = np.flatnonzero(odd).tolist()
        """The places of the chunks that have to be fed one by one."""

    @property
    def is_whole(self) -> bool:
        """Whether it can be taken."""
        return not self.odd and self._cut.lines >= LEAST_ROWS

    def take(self) -> Stretch:
        """All of it."""
        return self._cut.all()


def whole_run(
    framer: Framer,
    chunks: Sequence[Chunk],
    addresses: Addresses,
    is_odd: Callable[[SentenceBatch], Flags],
    soon_ns: int,
) -> WholeRun | None:
    """The chunks as one run; one in which a line is something else, or takes longer than `soon_ns`, is odd.

    None where this framer takes none together.
    """
    if framer.ending == "cr" or any(chunk.time is None for chunk in chunks):
        return None
    cut = _ChunkCut(framer, chunks, addresses)
    return WholeRun(cut, cut.odd_chunks(is_odd) | cut.slow_chunks(soon_ns))


class _ChunkCut:
    """One run of chunks."""

    def __init__(self, framer: Framer, chunks: Sequence[Chunk], addresses: Addresses) -> None:
        self._framer = framer
        self._chunks = chunks
        place = self._place = framer.place
        raw = b"".join((place.held, *(chunk.data for chunk in chunks)))
        self._lines = lines_of(raw, addresses)
        sizes = np.array([len(chunk.data) for chunk in chunks], np.int64)
        self._times: Places = np.array([chunk.time for chunk in chunks], np.int64)
        self._ended: Places = self._times + sizes * framer.byte_ns
        self._end = len(place.held) + np.cumsum(sizes)
        self._at = self._end - sizes
        # The first mark stands for what lies before all others.
        self._mark_at = np.array([-1, *(offset - place.offset for offset, _ in place.marks), *self._at], np.int64)
        self._mark_time = np.array(
            [place.time or 0, *(time or 0 for _, time in place.marks), *self._times.tolist()], np.int64
        )
        self._all = self._batch(raw, addresses)

    def _batch(self, raw: bytes, addresses: Addresses) -> SentenceBatch:
        """All lines, good or not."""
        lines = self._lines
        last_mark = np.searchsorted(self._mark_at, lines.start, "right") - 1
        place = self._framer.lane, raw, self._place.offset
        return SentenceBatch.of(place, lines, self._mark_time[last_mark], addresses.names)

    def stretches(self, is_odd: Callable[[SentenceBatch], Flags]) -> Iterator[Stretch]:
        chunks, framer, newline = self._chunks, self._framer, self._lines.newline
        odd_places = np.append(np.flatnonzero(self.odd_chunks(is_odd)), len(chunks))
        first_row = np.searchsorted(newline, self._at)
        end_row = np.searchsorted(newline, self._end)
        line_begin = np.concatenate((np.zeros(1, np.int64), newline + 1))
        at = 0
        while at < len(chunks):
            until = int(odd_places[np.searchsorted(odd_places, at)])
            begin, end = int(first_row[at]), int(end_row[max(at, until - 1)])
            if framer.place.offset - self._place.offset != line_begin[begin]:
                until = at
            if until == at or end - begin < LEAST_ROWS:
                until = max(until, at + 1)
                yield Stretch(chunks[at:until], lines=self._all)
            else:
                left = framer.leap(self._behind(end, until))
                ended = (end_row[at:until] - begin).tolist()
                yield Stretch(chunks[at:until], self._all.part(begin, end), ended, left)
            at = until

    @property
    def lines(self) -> int:
        """How many end in it."""
        return len(self._lines.newline)

    def slow_chunks(self, soon_ns: int) -> Flags:
        """Those that a line goes through, be it still under way, which has not come within that time."""
        newline, end = self._lines.newline, int(self._end[-1])
        begin = np.concatenate((np.zeros(1, np.int64), newline + 1))
        ended = np.append(newline, end - 1)
        since = self._mark_time[np.searchsorted(self._mark_at, begin, "right") - 1]
        first, last = (np.maximum(np.searchsorted(self._at, each, "right") - 1, 0) for each in (begin, ended))
        slow: Flags = np.zeros(len(self._at), np.bool_)
        for row in np.flatnonzero((self._times[last] - since > soon_ns) & (begin < end)).tolist():
            slow[first[row] : last[row] + 1] = True
        return slow

    def all(self) -> Stretch:
        """All of it as one batch; the framer stands behind it."""
        rows = len(self._lines.newline)
        left = self._framer.leap(self._behind(rows, len(self._chunks)))
        ended = np.searchsorted(self._lines.newline, self._end).tolist()
        return Stretch(self._chunks, self._all, ended, left)

    def odd_chunks(self, is_odd: Callable[[SentenceBatch], Flags]) -> Flags:
        """In which not every line that ends there is a plain sentence, or which a silence goes before."""
        lines, times, framer = self._lines, self._times, self._framer
        good = lines.good.copy()
        if framer.ending == "crlf":
            good &= lines.data[lines.newline - 1] == CR
        good[good] = ~is_odd(self._all.rows(good))
        last = self._place.last_time
        before = np.concatenate(([times[0] if last is None else last], self._ended[:-1]))
        row = np.searchsorted(lines.newline, self._at)
        begun = np.concatenate((np.zeros(1, np.int64), lines.newline + 1))[row] < self._at
        # A pause ends a line wherever it is.
        torn = (times - before > framer.pause_ns) & begun
        torn_rows = row[torn]
        good[torn_rows[torn_rows < len(good)]] = False
        gaps = steps(times, int(times[0]))
        odd: Flags = torn | (gaps < 0) | (gaps > LONGEST_GAP_NS)
        odd[np.searchsorted(self._at, lines.newline[~good], "right") - 1] = True
        return odd

    def _behind(self, rows: int, chunks: int) -> FramerPlace:
        """Where the framer stands after so many rows and chunks."""
        begin, end = int(self._all.start[rows - 1]), int(self._all.end[rows - 1])
        passed = int(np.searchsorted(self._mark_at, begin, "right"))
        known = len(self._mark_at) - len(self._chunks) + chunks
        marks = zip(self._mark_at[passed:known].tolist(), self._mark_time[passed:known].tolist(), strict=True)
        return FramerPlace(
            self._place.offset + end,
            self._all.raw[end : int(self._end[chunks - 1])],
            int(self._mark_time[passed - 1]),
            tuple((self._place.offset + at, time) for at, time in marks),
            int(self._ended[chunks - 1]),
        )
