"""How late what a receiver says reaches us: the arrival of each sentence after the UTC that it tells.

A lag is arrival by this computer's clock minus the told time, so it holds the error of that clock too. Times of day are
compared, turned to within half a day: that the date is another one is for others to say.
"""

from dataclasses import dataclass
from functools import cached_property
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.samples import Sample, Times, TwoGroups

FEW_STEPS: Final = 3
OFTEN_NS: Final = 60 * SECOND
"""Nobody sets a clock more than a few times, once a minute: what is told then runs at another pace."""

LAG_HOUR_NS: Final = 3600 * SECOND


class LagPoint(NamedTuple):
    """Ten seconds of lags: when they began, how many, and their mean in seconds."""

    time: int
    samples: int
    mean: float


class TypeLag(NamedTuple):
    """The lags of one type of sentence, in seconds."""

    type: str
    lag: Times
    history: tuple[LagPoint, ...]

    @property
    def spread_s(self) -> float:
        """Between the 5th and the 95th of a hundred."""
        return self.lag.p95 - self.lag.p5

    @property
    def groups(self) -> TwoGroups | None:
        """Where it comes at two times by turns, with nothing between."""
        return self.lag.groups

    @property
    def holds(self) -> bool | None:
        """Whether every ten seconds of the last hour lie where nine tenths of all do; None while there are too few.

        What comes at two times by turns does not hold.
        """
        if self.groups is not None:
            return False
        recent = [each for each in self.history if each.time > self.history[-1].time - LAG_HOUR_NS]
        if len(recent) < 3:
            return None
        return all(self.lag.p5 <= each.mean <= self.lag.p95 for each in recent)


class BurstLag(NamedTuple):
    """A round of sentences: first and last byte after the told time, seconds; its bytes, and how often it comes."""

    begin: Times
    end: Times
    bytes: float
    interval_s: float


@dataclass(frozen=True)
class LagSnapshot:
    """What a lane says of time. `steps` is how often a clock was set; figures count `since` the last of them.

    It holds what was counted; percentiles take a moment, and are made where somebody looks at them.
    """

    counted: tuple[tuple[str, Sample, tuple[LagPoint, ...]], ...] = ()
    rounds: tuple[Sample, Sample, Sample] | None = None
    """When rounds began and ended, seconds after the told time, and their bytes."""
    interval_s: float = 0.0
    since: int | None = None
    steps: int = 0
    until: int | None = None
    """When the last sentence came."""
    stepped_from: int | None = None
    """When the first step was."""
    sizes: tuple[tuple[str, int, int], ...] = ()
    """Of each type how many came in `all_rounds` rounds, and their bytes."""
    all_rounds: int = 0
    vouched: bool | None = None
    """Whether the receiver has a fix, so that its time is the true one; None where nobody says. Counted since then."""

    @property
    def keeps_pace(self) -> bool:
        """Whether what is told runs at the pace of this computer's clock: a log that is played does not."""
        if self.steps < FEW_STEPS or self.since is None or self.stepped_from is None:
            return True
        return self.since - self.stepped_from >= (self.steps - 1) * OFTEN_NS

    @cached_property
    def types(self) -> tuple[TypeLag, ...]:
        """Of each type, in the order in which they come."""
        found = ((name, sample.times(), points) for name, sample, points in self.counted)
        types = [TypeLag(name, times, points) for name, times, points in found if times is not None]
        return tuple(sorted(types, key=lambda each: each.lag.median))

    @property
    def bytes_a_round(self) -> dict[str, float]:
        """Of the types that come in every round: what comes at the start, or now and then, fills none of them."""
        rounds = max(1, self.all_rounds)
        return {name: size / count * round(count / rounds) for name, count, size in self.sizes if count}

    @cached_property
    def burst(self) -> BurstLag | None:
        """A round as a whole; None while there is none."""
        if self.rounds is None or not self.interval_s:
            return None
        begin, end, size = (each.times() for each in self.rounds)
        if begin is None or end is None or size is None:
            return None
        return BurstLag(begin, end, size.median, self.interval_s)


EMPTY: Final = LagSnapshot()
