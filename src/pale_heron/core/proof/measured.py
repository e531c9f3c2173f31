"""What expectations are held against: lanes, trials, clocks and the record, as they stand at one time."""

from collections.abc import Iterator, Mapping
from types import MappingProxyType
from typing import NamedTuple

from pale_heron.core.clock.clock_object import ClockPicture
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.link.trial_snapshot import TrialSnapshot

Value = float | int | str | bool | None


class Measured(NamedTuple):
    """A value, and how many samples carry it; None where there is nothing to say."""

    value: Value
    samples: int
    at_best: Value = None
    """Of a value that is the far end of what may be so: the near end. Between them nothing is shown either way."""
    interval: tuple[float, float] | None = None
    """Within what the figure of the process lies at 95 %, given the sample; None for what was counted whole."""

    def within(self, interval: tuple[float, float] | None, scale: float = 1.0) -> "Measured":
        """With its interval, in another unit."""
        return self if interval is None else self._replace(interval=(scale * interval[0], scale * interval[1]))


NOTHING = Measured(None, 0)


class RecordFacts(NamedTuple):
    """The record itself. `duration_s` is None where no times are known, `torn` empty for a whole file."""

    duration_s: float | None
    torn: str = ""
    lost_bytes: int = 0
    marks: int = 0
    parts: tuple[str, ...] = ()
    """The names of its measured parts."""


class Evident(NamedTuple):
    """All of it."""

    lanes: tuple[LaneSnapshot, ...]
    trials: tuple[TrialSnapshot, ...]
    clock: ClockPicture
    record: RecordFacts
    parts: "Mapping[str, Evident]" = MappingProxyType({})
    """The same of measured parts alone, by their names in small letters."""

    def part(self, name: str) -> "Evident | None":
        """What a measured part alone says; None where there is no such part, or it was not gone through."""
        return self.parts.get(name.casefold())

    def lane(self, name: str) -> LaneSnapshot | None:
        """The lane of that nickname; None where there is none."""
        return next((each for each in self.lanes if each.name == name), None)

    def numbered_trials(self) -> Iterator[tuple[int, TrialSnapshot]]:
        """Counted from 1, the oldest first."""
        return enumerate(self.trials, 1)
