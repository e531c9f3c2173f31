"""Pulses: how many came, were missed or doubled, how even they are, and how a clock drifts against them.

Which moments are pulses is decided by their train (`pulse_train.py`). The first interval is left out: what was switched
on in the middle of it is cut short.
"""

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from itertools import combinations
from typing import Final, NamedTuple

from pale_heron.core.clock.allan import AllanDeviation, allan_deviations
from pale_heron.core.clock.pulse_train import LOOKED_AT, ONE_SECOND, STAYS, PulseTrain, TrainPulse, likely_period
from pale_heron.core.clock.sources import PRINTED
from pale_heron.core.clock.straight_line import FEW, Drift, MeanAndDeviation, StraightLine
from pale_heron.core.frames import SECOND
from pale_heron.core.samples import Sample, Times, quantile

PHASES_KEPT: Final = 1 << 13
"""So many of the last pulses are kept one by one: two and a quarter hours."""

LATELY: Final = 10
"""So many of the last pulses say where they lie now."""

SURE_S: Final = 1e-4
PRINTED_LATE_S: Final = 0.25
"""Two sources are not known better against each other; and not where one of them is printed."""

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
    """Those that are no pulses of the train: between two, or out of phase with the rest."""
    period_s: float = 1.0
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
        """How steady this computer's clock is against it, over the pulses that are kept; of one a second alone."""
        if self.period_s != 1.0:
            return ()
        return allan_deviations([(each.number, each.time - each.number * SECOND) for each in self.phases])


class PulseTracker:
    """Takes the moments of pulses, in their order; what it keeps does not grow. It can be pickled."""

    def __init__(self, source: str, lane: str = "", period: Fraction | None = None) -> None:
        """`period` in seconds, where somebody stated it; else it is found."""
        self._source = source
        self._lane = lane
        self._stated = period
        self.resolution_ns = 0
        self.trouble = ""
        self.left = False
        self._count = 0
        self._recent: deque[tuple[int, int | None]] = deque(maxlen=LOOKED_AT)
        """The last moments, with what the counter of its own said."""
        self._shown: PulseSnapshot | None = None
        self._begin_again(PulseTrain(period or ONE_SECOND))

    def _begin_again(self, train: PulseTrain) -> None:
        self._train = train
        self._strays_seen = 0
        """How many strays there were when another period was looked for last."""
        self._first: int | None = None
        self._last: int | None = None
        self._begun = False
        """Whether an interval was left out already."""
        self._held: dict[int, tuple[int, int | None]] = {}
        """What was handed over and may be a pulse yet, by its place."""
        self._intervals, self._offsets = MeanAndDeviation(), MeanAndDeviation()
        self._spread, self._offset_sample = Sample(KEPT), Sample(KEPT)
        self._phases: deque[PulsePhase] = deque(maxlen=PHASES_KEPT)
        self._drift, self._own_drift = StraightLine(), StraightLine()
        self._own_first: tuple[int, int] | None = None
        self._own_last = 0

    def take(self, moment: int, own: int | None = None) -> None:
        """A pulse, when it came and what its own counter says (nanoseconds)."""
        self._count += 1
        self._shown = None
        self._recent.append((moment, own))
        # Figures of another period are none: what came last is looked at again.
        period = self._other_period()
        if period is None:
            self._take(moment, own)
            return
        self._begin_again(PulseTrain(period))
        for each in self._recent:
            self._take(*each)

    def _other_period(self) -> Fraction | None:
        """Another period that fits the last moments better; looked for at the start, and where most fit none."""
        if self._stated is not None:
            return None
        strays = self._train.strays
        early = self._count <= LOOKED_AT
        if not (early or strays > self._strays_seen + LOOKED_AT // 2):
            return None
        self._strays_seen = strays if not early else 0
        found = likely_period([each for each, _ in self._recent])
        return found if found != self._train.period and not (early and found == ONE_SECOND) else None

    def _take(self, moment: int, own: int | None) -> None:
        place = self._train.places
        self._held[place] = moment, own
        for pulse in self._train.take(moment):
            self._note(*self._held.pop(pulse.place), pulse)
        for old in [each for each in self._held if each <= place - STAYS]:
            del self._held[old]

    def break_off(self) -> None:
        """Its source is gone: the interval over that is none."""
        self._train.break_off()

    def _note(self, moment: int, own: int | None, pulse: TrainPulse) -> None:
        """Where it lies against the one before, this computer's clock, and the counter of its own."""
        train, number = self._train, pulse.number
        if self._last is not None:
            if pulse.gap == 1 and self._begun:
                self._intervals.add((moment - self._last) / SECOND)
                self._spread.add((moment - self._last) / SECOND)
            self._begun = pulse.gap > 0
        self._first = moment if self._first is None else self._first
        self._last = moment
        # Whole seconds count, or the parts of one that it has.
        whole = SECOND if train.period >= 1 else train.after(1)
        offset = (moment + whole // 2) % whole - whole // 2
        self._offsets.add(float(offset))
        self._offset_sample.add(float(offset))
        self._phases.append(PulsePhase(number, moment, offset))
        self._drift.add(float(number * train.period), float(moment - self._first - train.after(number)))
        if own is None:
            return
        if self._own_first is None or own < self._own_last:
            # Where a counter goes back, its board has started again.
            self._own_first, self._own_drift = (own, number), StraightLine()
        self._own_last = own
        begin, first = self._own_first
        passed = number - first
        self._own_drift.add(float(passed * train.period), float(own - begin - train.after(passed)))

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
            missed=self._train.missed,
            doubled=self._train.strays,
            period_s=float(self._train.period),
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


def sources_apart(one: PulseSnapshot, other: PulseSnapshot) -> tuple[float, float] | None:
    """How much later in its second one begins than another, and how sure that is, seconds.

    None of too few, or of those that come more often than once a second.
    """
    here, there = one.offset_now, other.offset_now
    if here is None or there is None or min(one.pulses, other.pulses) < FEW or min(one.period_s, other.period_s) < 1:
        return None
    # What is printed comes as late as its line, and as unevenly.
    late = PRINTED_LATE_S * any(each.source.startswith(PRINTED) for each in (one, other))
    resolution = max(one.resolution_ns, other.resolution_ns)
    whole = (here.mean - there.mean + SECOND / 2) % SECOND - SECOND / 2
    return whole / SECOND, max(SURE_S, late, (here.spread + there.spread + resolution) / SECOND)


def contradicted(pulses: Sequence[PulseSnapshot]) -> bool:
    """Whether two sources that are listened to begin their seconds at different moments."""
    heard = [each for each in pulses if not each.left and not each.trouble]
    found = [sources_apart(one, other) for one, other in combinations(heard, 2)]
    return any(each is not None and abs(each[0]) > each[1] for each in found)
