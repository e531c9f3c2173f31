"""Pulses, one a second: how many came, were missed or doubled, how even they are, and how a clock drifts against them.

An interval counts where it lies between half a second and one and a half: shorter is a pulse too many, longer one or
more that are missing. The first interval is left out: what was switched on in the middle of it is cut short.
"""

from collections import deque
from dataclasses import dataclass
from functools import cached_property
from typing import Final, NamedTuple

from pale_heron.core.clock.allan import AllanDeviation, allan_deviations
from pale_heron.core.clock.straight_line import Drift, MeanAndDeviation, StraightLine
from pale_heron.core.frames import SECOND
from pale_heron.core.samples import Sample, Times, quantile

PHASES_KEPT: Final = 1 << 13
"""So many of the last pulses are kept one by one: two and a quarter hours."""

LATELY: Final = 10
"""So many of the last pulses say where they lie now."""

KEPT: Final = 1 << 12
"""So many intervals are kept for percentiles and the histogram, evenly thinned; least and most stay exact."""


class PulseInterval(NamedTuple):
    """Seconds from one pulse to the next: least, mean, most, and the standard deviation."""

    least: float
    mean: float
    most: float
    deviation: float


class HostOffset(NamedTuple):
    """Nanoseconds from the nearest second of this computer's clock to the pulse: least, median, most, deviation."""

    least: float
    median: float
    most: float
    deviation: float


class OffsetNow(NamedTuple):
    """Of the last pulses: the mean, and from the least to the most, nanoseconds."""

    mean: float
    spread: float


class PulsePhase(NamedTuple):
    """One pulse: when it came, and by how many nanoseconds it was off the nearest second of this computer's clock."""

    number: int
    time: int
    offset_ns: int


@dataclass(frozen=True)
class PulseSnapshot:
    """One source. `own` is the drift of the counter that it prints, where it prints one.

    Figures that take a moment are made where somebody looks at them.
    """

    source: str
    pulses: int = 0
    missed: int = 0
    doubled: int = 0
    intervals: int = 0
    interval: PulseInterval | None = None
    host_offset: HostOffset | None = None
    drift: Drift | None = None
    """Of this computer's clock: positive where it runs fast."""
    own: Drift | None = None
    last: int | None = None
    resolution_ns: int = 0
    """No figure is finer than this: how exactly its moments are known; 0 where that is not limited."""
    trouble: str = ""
    """Why nothing comes, as far as whoever listens can tell; empty while nothing is wrong."""
    left: bool = False
    """It is listened to no more: that nothing comes is no fault."""
    lane: str = ""
    """The lane that it belongs to; empty for one that stands alone."""
    phases: tuple[PulsePhase, ...] = ()
    spread: Sample | None = None

    @cached_property
    def interval_times(self) -> Times | None:
        """Where the intervals lie, seconds."""
        return None if self.spread is None else self.spread.times()

    @property
    def offset_now(self) -> OffsetNow | None:
        """Where the last pulses lie against this computer's seconds; None without any."""
        last = [each.offset_ns for each in self.phases[-LATELY:]]
        return OffsetNow(sum(last) / len(last), float(max(last) - min(last))) if last else None

    @cached_property
    def allan(self) -> tuple[AllanDeviation, ...]:
        """How steady this computer's clock is against it, over the pulses that are kept."""
        return allan_deviations([(each.number, each.time - each.number * SECOND) for each in self.phases])


class PulseTracker:
    """Takes the moments of pulses, in their order; what it keeps does not grow. It can be pickled."""

    def __init__(self, source: str, lane: str = "") -> None:
        self._source = source
        self._lane = lane
        self.resolution_ns = 0
        self.trouble = ""
        self.left = False
        self._count = self._missed = self._doubled = 0
        self._first: int | None = None
        self._last: int | None = None
        self._number = 0
        """Of the last pulse, those that were missed counted too."""
        self._begun = False
        """Whether an interval was left out already."""
        self._away = False
        self._intervals, self._offsets = MeanAndDeviation(), MeanAndDeviation()
        self._spread, self._offset_sample = Sample(KEPT), Sample(KEPT)
        self._phases: deque[PulsePhase] = deque(maxlen=PHASES_KEPT)
        self._drift, self._own_drift = StraightLine(), StraightLine()
        self._own_first: tuple[int, int] | None = None
        self._own_last = 0
        self._shown: PulseSnapshot | None = None

    def take(self, moment: int, own: int | None = None) -> None:
        """A pulse, when it came and what its own counter says (nanoseconds)."""
        self._count += 1
        self._shown = None
        if self._last is None or self._first is None:
            self._first = self._last = moment
            self._note(moment, own)
            return
        interval = moment - self._last
        seconds = round(interval / SECOND)
        if seconds < 1:
            self._doubled += 1
            return
        # While its source was away nobody could hear it: that is no pulse missed.
        self._missed += 0 if self._away else seconds - 1
        self._number += seconds
        self._last = moment
        if seconds == 1 and self._begun and not self._away:
            self._intervals.add(interval / SECOND)
            self._spread.add(interval / SECOND)
        self._begun = not self._away
        self._away = False
        self._note(moment, own)

    def break_off(self) -> None:
        """Its source is gone: the interval over that is none."""
        self._away = self._last is not None

    def _note(self, moment: int, own: int | None) -> None:
        """Where it lies against this computer's clock, and against the counter of its own."""
        assert self._first is not None, "it was taken"
        offset = (moment + SECOND // 2) % SECOND - SECOND // 2
        self._offsets.add(float(offset))
        self._offset_sample.add(float(offset))
        run = moment - self._first - self._number * SECOND
        self._phases.append(PulsePhase(self._number, moment, offset))
        self._drift.add(float(self._number), float(run))
        if own is None:
            return
        if self._own_first is None or own < self._own_last:
            # Where a counter goes back, its board has started again.
            self._own_first, self._own_drift = (own, self._number), StraightLine()
        self._own_last = own
        begin, number = self._own_first
        passed = self._number - number
        self._own_drift.add(float(passed), float(own - begin - passed * SECOND))

    def snapshot(self) -> PulseSnapshot:
        """How it stands; the same object while nothing came."""
        shown = self._shown
        if shown is None or (shown.trouble, shown.resolution_ns, shown.left) != (
            self.trouble,
            self.resolution_ns,
            self.left,
        ):
            shown = self._shown = self._made()
        return shown

    def _made(self) -> PulseSnapshot:
        intervals, offsets = self._intervals, self._offsets
        ordered = sorted(self._offset_sample.values)
        return PulseSnapshot(
            source=self._source,
            pulses=self._count,
            missed=self._missed,
            doubled=self._doubled,
            intervals=intervals.count,
            interval=(
                PulseInterval(intervals.least, intervals.mean, intervals.most, intervals.deviation)
                if intervals.count
                else None
            ),
            host_offset=(
                HostOffset(offsets.least, quantile(ordered, 0.5), offsets.most, offsets.deviation) if ordered else None
            ),
            drift=self._drift.drift(),
            own=self._own_drift.drift(),
            last=self._last,
            resolution_ns=self.resolution_ns,
            trouble=self.trouble,
            left=self.left,
            lane=self._lane,
            phases=tuple(self._phases),
            spread=self._spread.copied(),
        )
