"""Lines that are no longer in memory, read back from the capture by their numbers.

While a capture is written or played, a *place* is noted now and then: the number of the next line, where its record
begins in the file, and how the streams of all lanes stood. From there the same pipeline gives the same lines again.
"""

import bisect
import pickle
import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import NamedTuple

from pale_heron.bench.pipeline import LaneStage, Pipeline
from pale_heron.capture.reader import CaptureReader
from pale_heron.core.framing import Framing
from pale_heron.core.runs import Entry
from pale_heron.core.trouble import Trouble

SPACING_BYTES = 1 << 19
"""Bytes of the capture between two places: what is read and framed again in one go."""

SPACING_LINES = 4000
"""Lines between two places; well below what memory holds, so that nothing lies between the last place and memory."""

MOST_PLACES = 8192
AHEAD = 2000
"""So many lines are read on behind one that is wanted, where nobody knows how many there are."""

CACHED = 6


class Checkpoint(NamedTuple):
    """`number` of a line and about its `moment`. Reading begins at `position` with the pipeline's `state`, pickled;
    `skipped` lines come before that one.
    """

    number: int
    position: int
    moment: int
    skipped: int
    state: bytes


class Segment(NamedTuple):
    """The lines from `first` on, between two places."""

    first: int
    entries: list[Entry]


class ReadBack:
    """The lines of one capture: of the file at `path`, whose describing blocks begin where `described` says."""

    def __init__(self, path: Callable[[], Path], described: Callable[[], Sequence[int]]) -> None:
        self._path = path
        self._described = described
        self._checkpoints: list[Checkpoint] = []
        self._lock = threading.Lock()
        self._cache: OrderedDict[int, Segment] = OrderedDict()
        self._wanted: int | None = None
        self._reading = threading.Event()

    @property
    def begin(self) -> int | None:
        """The first number that can be read back; None before the first place."""
        return self._checkpoints[0].number if self._checkpoints else None

    def note(self, checkpoint: Checkpoint) -> None:
        """Keep a place; one that is not behind the last changes nothing."""
        with self._lock:
            if self._checkpoints and checkpoint.number <= self._checkpoints[-1].number:
                return
            self._checkpoints.append(checkpoint)
            if len(self._checkpoints) > MOST_PLACES:
                # A capture of many gigabytes: every second place goes, the first and the last stay.
                self._checkpoints = [*self._checkpoints[:-1:2], self._checkpoints[-1]]
                self._cache.clear()

    def forget(self) -> None:
        """The record goes on in another file: what came before cannot be read back from it."""
        with self._lock:
            self._checkpoints = []
            self._cache.clear()

    def number_at(self, moment: int) -> int | None:
        """The number of a line at or shortly before a moment; None where that is not in here."""
        with self._lock:
            at = bisect.bisect_right(self._checkpoints, moment, key=lambda checkpoint: checkpoint.moment) - 1
            if at < 0:
                return None
            number = self._checkpoints[at].number
        segment = self.segment(number)
        if segment is None:
            return None
        return segment.first + bisect.bisect_right(segment.entries, moment, key=lambda entry: entry.time or 0)

    def get(self, number: int) -> Entry | None:
        """The line of that number, where it is at hand; else it is read, and there a little later."""
        at = self._at(number)
        if at is None:
            return None
        segment = self._cache.get(at)
        if segment is None or (self._is_last(at) and number >= segment.first + len(segment.entries)):
            self._wanted = number
            if not self._reading.is_set():
                self._reading.set()
                threading.Thread(target=self._read_wanted, name="history", daemon=True).start()
            return None
        checkpoint = number - segment.first
        return segment.entries[checkpoint] if checkpoint < len(segment.entries) else None

    def segment(self, number: int) -> Segment | None:
        """All lines around a number, read from the file if need be; None where it cannot be read back."""
        at = self._at(number)
        if at is None:
            return None
        cached = self._cache.get(at)
        if cached is not None and (not self._is_last(at) or number < cached.first + len(cached.entries)):
            return cached
        with self._lock:
            checkpoint = self._checkpoints[at]
            # Behind the last place no other one says how many there are.
            end = number + AHEAD if self._is_last(at) else self._checkpoints[at + 1].number
        segment = Segment(checkpoint.number, self._read(checkpoint, end - checkpoint.number))
        with self._lock:
            self._cache[at] = segment
            while len(self._cache) > CACHED:
                self._cache.popitem(last=False)
        return segment

    def _at(self, number: int) -> int | None:
        """The place before a number."""
        with self._lock:
            at = bisect.bisect_right(self._checkpoints, number, key=lambda checkpoint: checkpoint.number) - 1
            # The last place of a whole file is its end: nothing can be read from it.
            return at if at >= 0 and self._checkpoints[at].state else None

    def _is_last(self, at: int) -> bool:
        return at == len(self._checkpoints) - 1

    def _read_wanted(self) -> None:
        try:
            while self._wanted is not None:
                number, self._wanted = self._wanted, None
                self.segment(number)
        finally:
            self._reading.clear()

    def _read(self, checkpoint: Checkpoint, count: int) -> list[Entry]:
        """So many lines from a place on, as far as there are."""
        pipeline: Pipeline[LaneStage] = Pipeline(Framing)
        pipeline.take_up(pickle.loads(checkpoint.state))
        reader = CaptureReader(self._path())
        entries: list[Entry] = []
        wanted = checkpoint.skipped + count
        try:
            for record in reader.resume(checkpoint.position, self._described()):
                entries += pipeline.feed((record,))
                if len(entries) >= wanted:
                    break
        except Trouble:
            # The file was moved away: what is still known of it is empty.
            return []
        # At the end of the file the last lines have no number by its records alone.
        return [*entries, *pipeline.unsettled()][checkpoint.skipped : wanted]
