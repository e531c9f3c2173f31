"""Looks through lines for those that match, forward or back, in a thread of its own: it may read a whole capture."""

import threading
from collections.abc import Callable
from typing import Protocol

from pale_heron.bench.scrollback.read_back import Segment
from pale_heron.bench.scrollback.selection import PatternTooSlow
from pale_heron.core.runs import Entry


class LineSource(Protocol):
    """Lines by number; `block` gives those around one, from memory or read back."""

    @property
    def begin(self) -> int: ...

    @property
    def end(self) -> int: ...

    def block(self, number: int) -> Segment | None: ...


class Search:
    """Begins at once at `start`, goes by `step` (1 or -1), and ends after `most` matches or with the lines."""

    def __init__(
        self, lines: LineSource, start: int, step: int, matches: Callable[[Entry], bool], most: int = 1
    ) -> None:
        self._lines = lines
        self._start = start
        self._step = step
        self._matches = matches
        self._most = most
        self._bounds = lines.begin, lines.end
        self.found: list[int] = []
        """The numbers, in the order in which they were found."""
        self.reached = start
        """The last number that was looked at."""
        self.failure = ""
        """Why it ended early; empty where it did not."""
        self._stop = threading.Event()
        self._over = threading.Event()
        threading.Thread(target=self._run, name="search", daemon=True).start()

    @property
    def over(self) -> bool:
        return self._over.is_set()

    @property
    def share(self) -> float:
        """How far it is, 0 to 1."""
        begin, end = self._bounds
        whole = self._start - begin if self._step < 0 else end - self._start
        return min(1.0, abs(self.reached - self._start) / max(1, whole))

    def stop(self) -> None:
        """Give up; what was found stays."""
        self._stop.set()

    def wait(self, seconds: float) -> bool:
        """Whether it is over, after waiting for it so long."""
        return self._over.wait(seconds)

    def _run(self) -> None:
        try:
            begin, end = self._bounds
            number = self._start
            while begin <= number < end and len(self.found) < self._most and not self._stop.is_set():
                block = self._lines.block(number)
                if block is None:
                    break
                number = self._through(block.first, block.entries, number)
        except PatternTooSlow as slow:
            self.failure = str(slow)
        finally:
            self._over.set()

    def _through(self, first: int, entries: list[Entry], number: int) -> int:
        """Look through one block; the number to go on with."""
        last = first + len(entries)
        if not first <= number < last:
            # A hole: lines that were counted but cannot be read back.
            self.reached = number
            return number + self._step
        begin = self._bounds[0]
        while first <= number < last and number >= begin:
            self.reached = number
            if self._matches(entries[number - first]):
                self.found.append(number)
                if len(self.found) >= self._most:
                    return number
            number += self._step
        return number
