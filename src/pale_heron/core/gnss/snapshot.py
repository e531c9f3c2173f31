"""Everything that is said of one receiver at one time."""

from typing import Any, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.course import FixCourseSnapshot
from pale_heron.core.gnss.epochs.log import Epochs
from pale_heron.core.gnss.epochs.plausibility import PlausibilityFinding
from pale_heron.core.gnss.epochs.strip import Strip
from pale_heron.core.gnss.facts import GOOD, Fact
from pale_heron.core.gnss.satellites.sky import Sky
from pale_heron.core.gnss.states import FixState, SourceVerdict

AT_REST_KNOTS = 0.3
"""A receiver that reports no more is taken to be at rest."""

OVERDUE_INTERVALS, SHORTEST_OVERDUE_NS, UNKNOWN_OVERDUE_NS = 3, 3 * SECOND, 10 * SECOND
"""A word holds for so many of the receiver's own intervals, and as long at least; the last where none is known."""


class FixSnapshot(NamedTuple):
    """Everything that the Fix view and the summary say of one receiver."""

    state: FixState
    """What was said last; whether it still holds, `overdue_s` says."""
    since: int | None
    said: int | None
    """When a sentence said last whether there is a position."""
    overdue_s: float | None
    """Seconds since then, where that is longer than the receiver's own interval allows: nothing is known now."""
    facts: dict[str, Fact]
    sky: Sky
    history: FixCourseSnapshot
    epochs: int
    epochs_with_fix: int
    positions: int
    """Epochs with a position, whether or not satellites gave it."""
    track: Epochs
    """The last whole epochs, oldest first."""
    strip: Strip
    """The whole session."""
    deciding: str
    """The type of the sentence that changed the state last; empty before one came."""
    testimonies: tuple[SourceVerdict, ...]
    remarks: tuple[PlausibilityFinding, ...]
    datum: str
    """In which datum positions are given, as the receiver names it; empty for WGS 84."""

    def value(self, name: str) -> Fact | None:
        """One fact; None where no sentence that carries it was heard."""
        return self.facts.get(name)

    def fresh(self, name: str) -> Any:
        """The value of a fact that holds now; None where there is none: what is old says nothing of now."""
        fact = self.facts.get(name)
        return fact.value if fact is not None and fact.condition == GOOD else None


def overdue_s(now: int | None, said: int | None, usual: int) -> float | None:
    """Seconds since a sentence said whether there is a position, where its word holds no longer; else None.

    `usual` is the time from one epoch to the next, in nanoseconds; 0 while it is unknown.
    """
    if now is None or said is None:
        return None
    allowed = max(OVERDUE_INTERVALS * usual, SHORTEST_OVERDUE_NS) if usual else UNKNOWN_OVERDUE_NS
    return (now - said) / SECOND if now - said > allowed else None
