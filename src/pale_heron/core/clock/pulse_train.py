"""Which of the moments of a source are pulses of one train: its period, what is missing, and what is no part of it.

    moment ─▶ in phase with the rest? ─▶ a pulse, with its number
                    └─▶ a stray: left out, until strays agree on a phase of their own, which is the train's then

The period is found: so many in a second, or so many seconds, whichever leaves least out (0.1 to 60 s; one second while
nothing speaks for another).
"""

from collections import deque
from collections.abc import Sequence
from fractions import Fraction
from itertools import pairwise
from statistics import median
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND

ONE_SECOND: Final = Fraction(1)
PERIODS: Final = (*(Fraction(1, count) for count in range(10, 1, -1)), *(Fraction(count) for count in range(1, 61)))
NEAR: Final = 0.02
"""A usual interval that is so near to a period is that period."""

LEARNED_FROM: Final = 8
LOOKED_AT: Final = 12
BETTER: Final = 1.5
RECENT: Final = 8
STAYS: Final = 3
WIDEST: Final = 0.4
NARROWEST: Final = 0.02
UNKNOWN_WIDTH: Final = 0.3
"""Shares of the period within which a pulse lies where the rest do: at most, at least, and while few are known."""

SPREADS: Final = 8.0
"""And so many times as far as the rest lie from each other on the average."""


class TrainPulse(NamedTuple):
    """A pulse: its place among the moments that were handed over, its number, and its periods after the one before.

    `gap` is 0 for the first one, and behind a time in which nobody could hear.
    """

    place: int
    number: int
    gap: int


class PulseTrain:
    """Hand it moments in their order; they may be handed over again where its period turns out to be another."""

    def __init__(self, period: Fraction = ONE_SECOND) -> None:
        self.period = period
        self.missed = 0
        self.strays = 0
        """Those that are known to be no pulses; the last ones may be yet."""
        self._last: int | None = None
        self._number = 0
        self._place = -1
        self._away = False
        self._phases: deque[int] = deque(maxlen=RECENT)
        """Where the last ones lie: by how much each was off the one before it and whole periods, summed up."""
        self._unfit: list[tuple[int, int]] = []

    def after(self, periods: int) -> int:
        """So many periods, nanoseconds."""
        return round(periods * self.period * SECOND)

    def take(self, moment: int) -> Sequence[TrainPulse]:
        """What is a pulse now that this came: mostly it, nothing, or at last those that were held for strays."""
        self._place += 1
        if self._last is None:
            return (self._accept(moment, self._place, 0, 0),)
        periods = round(Fraction(moment - self._last - self._ahead, SECOND) / self.period)
        off = moment - self._last - self.after(periods)
        if periods >= 1 and abs(off - self._ahead) <= self._width:
            late = self._late_ones(periods)
            self.strays += len(self._unfit) - len(late)
            self._unfit.clear()
            if late and self._last is not None:
                periods = max(1, round(Fraction(moment - self._last, SECOND) / self.period))
                off = moment - self._last - self.after(periods)
            return (*late, self._accept(moment, self._place, periods, off))
        self._unfit.append((moment, self._place))
        self.strays += len(self._unfit) > STAYS
        self._unfit = self._unfit[-STAYS:]
        return self._follow_strays() if len(self._unfit) == STAYS else ()

    def break_off(self) -> None:
        """Nobody can hear it now: what does not come is not missed."""
        self._away = self._last is not None

    @property
    def places(self) -> int:
        """How many moments were handed over."""
        return self._place + 1

    @property
    def _ahead(self) -> int:
        """By how much the last pulse lay before where the last of them lie."""
        return int(median(self._phases)) - self._phases[-1] if self._phases else 0

    @property
    def _width(self) -> float:
        period = float(self.period) * SECOND
        if len(self._phases) < RECENT:
            return UNKNOWN_WIDTH * period
        middle = median(self._phases)
        spread = sum(abs(each - middle) for each in self._phases) / len(self._phases)
        return min(WIDEST * period, max(NARROWEST * period, SPREADS * spread))

    def _accept(self, moment: int, place: int, periods: int, off: int) -> TrainPulse:
        gap = 0 if self._away or self._last is None else periods
        self.missed += max(0, gap - 1)
        self._number += periods
        self._phases.append((self._phases[-1] if self._phases else 0) + off)
        self._last, self._away = moment, False
        return TrainPulse(place, self._number, gap)

    def _late_ones(self, periods: int) -> list[TrainPulse]:
        """Of strays those that are pulses which came late: nothing else came where they belong."""
        found: list[TrainPulse] = []
        for moment, place in self._unfit if periods > 1 else ():
            if self._last is None:
                break
            number = int(Fraction(moment - self._last - self._ahead, SECOND) / self.period)
            late = moment - self._last - self._ahead - self.after(number)
            if number >= 1 and 0 < late <= WIDEST * float(self.period) * SECOND:
                found.append(self._accept(moment, place, number, moment - self._last - self.after(number)))
        return found

    def _follow_strays(self) -> Sequence[TrainPulse]:
        """The train where strays in a row lie on a phase of their own: a clock was set, or the rest were the strays."""
        moments = [each for each, _ in self._unfit]
        steps = [Fraction(later - moments[0], SECOND) / self.period for later in moments[1:]]
        alike = all(round(step) >= 1 and abs(step - round(step)) <= NARROWEST * 2 for step in steps)
        if not alike or self._last is None or round(steps[0]) == round(steps[1]):
            return ()
        self._phases.clear()
        found: list[TrainPulse] = []
        for moment, place in self._unfit:
            periods = max(1, round(Fraction(moment - self._last, SECOND) / self.period))
            # The first one lies on no interval of the train.
            self._away = self._away or not found
            found.append(self._accept(moment, place, periods, 0))
        self._unfit.clear()
        return found


def likely_period(moments: Sequence[int]) -> Fraction:
    """Of a source by some of its moments; one second where too few speak for anything else."""
    if len(moments) < LEARNED_FROM:
        return ONE_SECOND
    usual = median(later - before for before, later in pairwise(moments)) / SECOND
    near = [each for each in PERIODS if abs(usual - float(each)) <= NEAR * float(each)]
    if not near:
        return ONE_SECOND
    found = min(near, key=lambda each: abs(usual - float(each)))
    return found if _fits(moments, found) > BETTER * _fits(moments, ONE_SECOND) else ONE_SECOND


def _fits(moments: Sequence[int], period: Fraction) -> float:
    """The share of moments on the best grid of a period, times the share of its places that are taken."""
    length = float(period) * SECOND
    best = 0.0
    for anchor in moments:
        places = {
            round((each - anchor) / length)
            for each in moments
            if abs((each - anchor) / length - round((each - anchor) / length)) <= 0.1
        }
        taken = len(places) / (1 + (moments[-1] - moments[0]) / length)
        best = max(best, len(places) / len(moments) * min(1.0, taken))
    return best
