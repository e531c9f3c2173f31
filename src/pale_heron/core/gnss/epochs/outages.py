"""Outages: times without a fix after there was one, without corrections, or without bytes. They follow from epochs.

An outage begins with the epoch that lacks what the one before had, and ends with the one that has it again: each at the
moment at which the first sentence of that epoch came.
"""

from collections import deque
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.states import MADE, is_fix

MOST_KEPT: Final = 5000
"""Older ones are forgotten and no longer counted."""

SATELLITES, DIFFERENTIAL, BYTES, SENTENCES = "satellites", "differential", "bytes", "sentences"
"""What an outage is an outage of: a fix, corrections, bytes at all, or sentences that can be believed among them."""

UNSAID: Final = (BYTES, SENTENCES)
"""Nobody said anything meanwhile."""

_CORRECTED: Final = frozenset(
    MADE.index(kind) for kind in ("differential", "RTK float", "RTK fixed", "precise", "precise service")
)


class Reception(NamedTuple):
    """Satellites used, and the mean C/N0 of the best four; None where unknown."""

    used: int | None = None
    cn0: float | None = None


class Outage(NamedTuple):
    """`end` is None while it lasts; what was received before it, and the least of it meanwhile."""

    begin: int
    end: int | None
    lost: str = SATELLITES
    before: Reception = Reception()
    worst: Reception = Reception()

    @property
    def seconds(self) -> float | None:
        return None if self.end is None else (self.end - self.begin) / SECOND


class EpochSummary(NamedTuple):
    """What an epoch had: when it came, its place in LEVELS, how it was made (its place in MADE), and the reception."""

    time: int
    level: int
    made: int
    reception: Reception = Reception()

    @property
    def is_fix(self) -> bool:
        return is_fix(self.level)


class Outages:
    """Takes every epoch, in the order of their times."""

    def __init__(self) -> None:
        self._ended: deque[Outage] = deque(maxlen=MOST_KEPT)
        self._lasting: Outage | None = None
        self._before: EpochSummary | None = None
        self._last_fix: EpochSummary | None = None

    def epoch(self, now: EpochSummary) -> None:
        """Take one epoch."""
        ended, self._lasting = self._with(now)
        self._ended.extend(ended)
        self._before = now
        if now.is_fix:
            self._last_fix = now

    def extend(self, last: EpochSummary, worst: Reception) -> None:
        """Many epochs that had the same as the one before them: the last, and the least that was received meanwhile."""
        if self._lasting is not None:
            self._lasting = self._lasting._replace(worst=_worse(self._lasting.worst, worst))
        self._before = last
        if last.is_fix:
            self._last_fix = last

    def silence(self, begin: int, end: int, lost: str) -> None:
        """No epoch came between these times, for want of bytes or of sentences."""
        if self._last_fix is not None and self._lasting is None:
            self._ended.append(_unsaid(begin, end, lost, self._last_fix))

    def withdraw(self, begin: int) -> None:
        """The silence that began at a moment was none."""
        if self._ended and self._ended[-1].begin == begin and self._ended[-1].lost in UNSAID:
            self._ended.pop()

    def clock_stepped(self, by: int) -> None:
        """The one that lasts began by another clock, which was so many nanoseconds behind."""
        if self._lasting is not None:
            self._lasting = self._lasting._replace(begin=self._lasting.begin + by)

    def so_far(self, unfinished: EpochSummary | None, silent_since: int | None, lost: str) -> tuple[Outage, ...]:
        """All; with the epoch that is still arriving, or with the silence since a moment, for want of `lost`."""
        ended, lasting = self._with(unfinished) if unfinished is not None else ([], self._lasting)
        if silent_since is not None and self._last_fix is not None and lasting is None:
            lasting = _unsaid(silent_since, None, lost, self._last_fix)
        return (*self._ended, *ended, lasting) if lasting is not None else (*self._ended, *ended)

    def _with(self, now: EpochSummary) -> tuple[list[Outage], Outage | None]:
        """What ends with an epoch, and what lasts from then on."""
        ended: list[Outage] = []
        lasting = self._lasting
        lost = _lost(self._before, now)
        if lasting is not None and (lost or _is_over(lasting, now)):
            # What is lost beside corrections that were lost before is another outage, and a worse one.
            ended.append(lasting._replace(end=now.time))
            lasting = None
        if lost and self._last_fix is not None:
            before = self._last_fix.reception
            lasting = Outage(now.time, None, lost, before, before)
        if lasting is not None:
            lasting = lasting._replace(worst=_worse(lasting.worst, now.reception))
        return ended, lasting


def _unsaid(begin: int, end: int | None, lost: str, last_fix: EpochSummary) -> Outage:
    """Nobody says what was received meanwhile."""
    return Outage(begin, end, lost, last_fix.reception, Reception())


def _lost(before: EpochSummary | None, now: EpochSummary) -> str:
    """What an epoch lacks that the one before had; empty for nothing."""
    if before is None or not before.is_fix:
        return ""
    if not now.is_fix:
        return SATELLITES
    return DIFFERENTIAL if before.made in _CORRECTED and now.made not in _CORRECTED else ""


def _is_over(outage: Outage, now: EpochSummary) -> bool:
    return now.is_fix if outage.lost != DIFFERENTIAL else now.made in _CORRECTED


def _worse(one: Reception, other: Reception) -> Reception:
    """The lower of each."""
    used = [count for count in (one.used, other.used) if count is not None]
    strengths = [strength for strength in (one.cn0, other.cn0) if strength is not None]
    return Reception(min(used, default=None), min(strengths, default=None))
