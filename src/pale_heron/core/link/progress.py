"""How fast something goes on: a count over time, of bounded size, and where it stood still."""

from bisect import bisect_left
from collections import deque
from collections.abc import Sequence
from itertools import pairwise
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND

POINTS: Final = 2048
FIRST_STEP_NS: Final = SECOND // 20
STALL_NS: Final = SECOND // 2
"""So long without a byte is a stall."""

CTS, UNTOLD, FURTHER_ON = "CTS", "untold", "further on"
HELD_WORDS: Final = {
    CTS: "CTS held the sender",
    UNTOLD: "the line took nothing, and its driver does not say why",
    FURTHER_ON: "the line took all that was sent: it stood still further on",
}

STALLS_KEPT: Final = 1000
WARM_UP_NS: Final = SECOND
LEAST_NS: Final = SECOND // 2
"""A steady part that is shorter shows nothing."""

LATE_SHARE: Final = 4
"""The moment from which it is measured lies in the first of so many parts."""

NO_MORE: Final = 1.01


class Stall(NamedTuple):
    """Nothing came from `begin` on, for so many seconds. `held_by` is one of HELD_WORDS; empty where nobody looked."""

    begin: int
    seconds: float
    held_by: str = ""

    @property
    def end(self) -> int:
        return self.begin + round(self.seconds * SECOND)


class Steady(NamedTuple):
    """The part that is measured: without the start, while buffers fill.

    What came after the last was sent is left out too, but where a buffer on the way took all of it at once
    (`buffered`): what comes out of that is the pace of the link.
    """

    begin: int
    end: int
    amount: int
    buffered: bool = False

    @property
    def per_s(self) -> float:
        return self.amount * SECOND / (self.end - self.begin)


class Progress:
    """A count that grows: the moments at which it grew, thinned evenly where they become too many."""

    def __init__(self) -> None:
        self._points: list[tuple[int, int]] = []
        self._step = FIRST_STEP_NS
        self._last: tuple[int, int] | None = None
        self.count = 0

    def add(self, time: int, count: int) -> None:
        """So much more, by then; times do not go back."""
        self.count += count
        self._last = time, self.count
        if not self._points or time - self._points[-1][0] >= self._step:
            self._points.append(self._last)
            if len(self._points) >= POINTS:
                self._points = self._points[::2]
                self._step *= 2

    @property
    def per_s(self) -> float | None:
        """How much a second from the first moment to the last; None where that is too short to say."""
        points = self.points
        if len(points) < 2 or points[-1][0] - points[0][0] < LEAST_NS:
            return None
        return (points[-1][1] - points[0][1]) * SECOND / (points[-1][0] - points[0][0])

    @property
    def points(self) -> tuple[tuple[int, int], ...]:
        """Moments, and the count as of each; the last one as it is now."""
        points = tuple(self._points)
        return points if self._last is None or points[-1] == self._last else (*points, self._last)

    def steady(self, sending_ended: int) -> Steady | None:
        """Between two moments at which it grew: after the warm-up, before the sending ended; None where too short.

        A moment can be noted late, where the reader had to wait for the processor, and never early. What is measured
        from a late one looks faster than it was: so the first one counts that gives no more than the others do.
        """
        points = self.points
        if len(points) < 2:
            return None
        sent, last = points[0][0], points[-1][0]
        if last - sending_ended > sending_ended - sent:
            found = self._steady(last)
            return None if found is None else found._replace(buffered=True)
        return self._steady(min(last, sending_ended))

    def _steady(self, end: int) -> Steady | None:
        points = self.points
        first = points[0][0]
        warm = first + min(WARM_UP_NS, (end - first) // 4)
        inside = [point for point in points if warm <= point[0] <= end]
        if len(inside) < 2 or inside[-1][0] - inside[0][0] < LEAST_NS:
            return None
        begin, (last, count) = inside[0][0], inside[-1]
        early = [point for point in inside if point[0] - begin <= (last - begin) // LATE_SHARE]
        found = [Steady(time, last, count - before) for time, before in early]
        least = min(each.per_s for each in found)
        return next(each for each in found if each.per_s <= NO_MORE * least)


class Stalls:
    """Moments at which bytes came; gaps between them are stalls."""

    def __init__(self) -> None:
        self._last: int | None = None
        self._found: deque[Stall] = deque(maxlen=STALLS_KEPT)

    def came(self, time: int, until: int) -> None:
        """Something came, from one moment to another."""
        if self._last is not None and time - self._last >= STALL_NS:
            self._found.append(Stall(self._last, (time - self._last) / SECOND))
        self._last = until if self._last is None else max(self._last, until)

    def until(self, time: int) -> tuple[Stall, ...]:
        """All that began before a moment, with one that lasts then."""
        found = tuple(each for each in self._found if each.begin < time)
        if self._last is not None and time - self._last >= STALL_NS:
            return (*found, Stall(self._last, (time - self._last) / SECOND))
        return found


def rates(points: Sequence[tuple[int, int]], parts: int) -> list[float]:
    """How much a second in each of so many equal parts of the time that the points cover."""
    if len(points) < 2 or parts < 1:
        return []
    times = [time for time, _ in points]
    counts = [float(count) for _, count in points]
    step = (times[-1] - times[0]) / parts
    if step <= 0:
        return []
    edges = [times[0] + step * index for index in range(parts + 1)]
    grown = [_between(times, counts, edge) for edge in edges]
    return [(later - before) * SECOND / step for before, later in pairwise(grown)]


def _between(times: Sequence[int], counts: Sequence[float], at: float) -> float:
    """The count at a moment, taken to grow evenly from one point to the next."""
    index = min(max(1, bisect_left(times, at)), len(times) - 1)
    before, later = times[index - 1], times[index]
    share = min(1.0, max(0.0, (at - before) / (later - before))) if later > before else 1.0
    return counts[index - 1] + share * (counts[index] - counts[index - 1])
