"""What follows from whole epochs, row by row: the log itself, the strip, silences and outages, checks, counts.

Rows are the only truth of an epoch. Everything here takes one row after the other and looks at nothing else of it.
"""

from typing import TYPE_CHECKING, Final

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.epochs.log import Epoch, EpochLog, Epochs
from pale_heron.core.gnss.epochs.outages import BYTES, SENTENCES, EpochSummary, Outage, Outages, Reception
from pale_heron.core.gnss.epochs.plausibility import PlausibilityChecks
from pale_heron.core.gnss.epochs.strip import Strip, StripLog
from pale_heron.core.gnss.states import FixState

if TYPE_CHECKING:
    from pale_heron.core.gnss.batches.rows import EpochRows

SILENT_NS: Final = 3 * SECOND
UNTIMED_NS: Final = SECOND // 2
"""Sentences without a time that are closer together are of one burst."""


class Cadence:
    """How long it usually is from one epoch to the next, and what is longer than usual."""

    def __init__(self) -> None:
        self._gaps = (0, 0)
        self.last: int | None = None
        """When the latest epoch came."""

    @property
    def usual(self) -> int:
        """Nanoseconds; 0 while it is unknown."""
        return min(self._gaps)

    def note(self, arrived: int | None) -> int | None:
        """An epoch came; gives since when there was silence before it, where there was."""
        last, self.last = self.last, arrived
        if last is None or arrived is None or arrived <= last:
            return None
        silent = self.is_silence(arrived - last)
        self._gaps = self._gaps[1], arrived - last
        return last if silent else None

    @property
    def gaps(self) -> tuple[int, int]:
        """The last two times from one epoch to the next."""
        return self._gaps

    def leap(self, gaps: tuple[int, int], last: int) -> None:
        """Many epochs came without a silence between them."""
        self._gaps, self.last = gaps, last

    def is_silence(self, gap: int) -> bool:
        """Whether so long a time without an epoch is not as usual."""
        return self.usual > 0 and gap > max(3 * self.usual, SILENT_NS)


class EpochRecord:
    """Takes every whole epoch, in the order of their times; `kept` limits how many stay in the log."""

    def __init__(self, plausibility: PlausibilityChecks, kept: int | None) -> None:
        self._plausibility = plausibility
        self._outages = Outages()
        self._strip = StripLog()
        self._log = EpochLog(kept)
        self.cadence = Cadence()
        self._damaged: int | None = None
        """Of a log without arrival times: the time that was told last before something illegible came."""
        self._slower: tuple[int, int] | None = None
        """The silence that ended with the last epoch: when it began, and how long it was."""
        self._bytes: tuple[int, int] | None = None
        """Since when bytes have been coming without a pause, and when the last came."""

    def arrived(self, time: int) -> None:
        """Bytes came, whatever they are."""
        since, last = self._bytes or (time, time)
        self._bytes = (since if time - last <= SILENT_NS else time), time

    def still_arriving(self, time: int) -> None:
        """Bytes came, and there was no pause before them."""
        if self._bytes is not None:
            self._bytes = self._bytes[0], time

    def clock_stepped(self, by: int) -> None:
        """What goes on began by another clock, which was so many nanoseconds behind."""
        if self.cadence.last is not None:
            self.cadence.last += by
        if self._bytes is not None:
            self._bytes = self._bytes[0] + by, self._bytes[1] + by
        self._outages.clock_stepped(by)
        self._strip.clock_stepped(by)

    def damaged(self, time: int) -> None:
        """Tell it that bytes came that are no sentence, in a log that has no times of arrival."""
        self._damaged = time

    def _lacking(self, begin: int, end: int) -> str:
        """What a silence between two moments is for want of; the bytes of the epoch that ends it do not count."""
        since, last = self._bytes or (end, end)
        return (
            SENTENCES
            if begin <= (self._damaged or 0) < end or (since < end - UNTIMED_NS and end - last <= SILENT_NS)
            else BYTES
        )

    @property
    def count(self) -> int:
        """How many there were."""
        return self._log.total

    @property
    def with_position(self) -> int:
        """How many of them have a position."""
        return self._log.with_position

    @property
    def with_fix(self) -> int:
        """Of how many of these satellites gave the position."""
        return self._log.with_fix

    def track(self) -> Epochs:
        """The last of them."""
        return self._log.view()

    def strip(self) -> Strip:
        """The whole session."""
        return self._strip.strip()

    def add(self, epoch: Epoch) -> None:
        """Take a whole epoch."""
        self._log.append(epoch)
        if epoch.arrived is not None:
            self._take(EpochSummary(epoch.arrived, epoch.level, epoch.made, Reception(epoch.used, epoch.cn0)))
        self._plausibility.epoch(epoch)

    def extend(self, rows: "EpochRows", gaps: tuple[int, int]) -> None:
        """Take many whole epochs, without a silence, that have what the last one had; `gaps` are the last two."""
        from pale_heron.core.gnss.batches.folds import check

        before = self._plausibility.last
        assert before is not None, "it has what the last one had"
        self._log.extend(rows)
        self.cadence.leap(gaps, int(rows.arrived[-1]))
        self._strip.extend(*rows.least())
        last = rows.epoch(len(rows) - 1)
        summary = EpochSummary(int(rows.arrived[-1]), rows.level, rows.made, Reception(last.used, last.cn0))
        self._outages.extend(summary, rows.worst())
        check(self._plausibility, before, rows)
        self._plausibility.skip_to(last)

    def untimed(self, arrived: int | None, state: FixState, cn0: float | None) -> None:
        """A receiver that knows no time has no epochs; that it was there, and what it had, counts all the same."""
        last = self.cadence.last
        if arrived is not None and (last is None or arrived - last > UNTIMED_NS):
            self._take(EpochSummary(arrived, state.level, state.made, Reception(None, cn0)))

    def _take(self, had: EpochSummary) -> None:
        before, since = self.cadence.last, self.cadence.note(had.time)
        gap = had.time - (before or had.time)
        if self._slower is not None and _is_about(gap, self._slower[1]):
            # It comes more rarely from now on: there was no silence.
            self._outages.withdraw(self._slower[0])
            self.cadence.leap((gap, gap), had.time)
            since = None
        elif since is not None:
            self._outages.silence(since, had.time, self._lacking(since, had.time))
        self._slower = None if since is None else (since, gap)
        self._strip.add(had.time, had.level, *had.reception, since is not None)
        self._outages.epoch(had)

    def outages(self, arrived: int | None, state: FixState, now: int | None) -> tuple[Outage, ...]:
        """All so far; with the epoch that is arriving since `arrived`, or the silence that lasts."""
        unfinished = None if arrived is None else EpochSummary(arrived, state.level, state.made)
        since = self._silent_since(now)
        return self._outages.so_far(unfinished, since, self._lacking(since or 0, now or 0))

    def _silent_since(self, now: int | None) -> int | None:
        """Since when no epoch came, where that is longer than usual."""
        last = self.cadence.last
        return last if last is not None and now is not None and self.cadence.is_silence(now - last) else None


def _is_about(gap: int, other: int) -> bool:
    """Whether two times are one interval."""
    return abs(gap - other) <= other // 10
