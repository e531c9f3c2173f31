"""The course of a session: state by state, the way to the first fix, and outages."""

from collections import deque
from dataclasses import dataclass
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.states import FixState

MILESTONES: Final = ("first byte", "sentence", "time", "date", "satellite seen", "satellite used", "2D", "3D")
MOST_KEPT = 5000
"""States, starts and outages kept; older ones are forgotten and no longer counted."""


class StateSpan(NamedTuple):
    """A state and when it began."""

    begin: int | None
    state: FixState


class Start(NamedTuple):
    """One way from a start to a fix; `reached` gives the time of each milestone so far."""

    begin: int | None
    mode: str
    reached: dict[str, int | None]
    first_fix: int | None

    @property
    def seconds_to_first_fix(self) -> float | None:
        """None until the fix, and where no times are known."""
        return None if self.first_fix is None or self.begin is None else (self.first_fix - self.begin) / SECOND


class Outage(NamedTuple):
    """A time without a fix after there was one; `end` is None while it lasts."""

    begin: int
    end: int | None


@dataclass(frozen=True, slots=True)
class HistorySnapshot:
    """What the ribbon and the start table show."""

    spans: tuple[StateSpan, ...]
    starts: tuple[Start, ...]
    outages: tuple[Outage, ...]


class History:
    """Told of milestones and of every change of state."""

    def __init__(self) -> None:
        self._spans: deque[StateSpan] = deque(maxlen=MOST_KEPT)
        self._outages: deque[Outage] = deque(maxlen=MOST_KEPT)
        self._start: Start | None = None
        self._had_fix = False
        self._fixed_when_opened = False

    def milestone(self, name: str, time: int | None) -> None:
        """Note the first time that something was reached; the first milestone of all begins the start."""
        if self._start is None:
            self._start = Start(time, "unknown", {}, None)
        self._start.reached.setdefault(name, time)

    def change(self, state: FixState, time: int | None) -> None:
        """Note a new state, and the outage that it begins or ends."""
        if not self._spans:
            self._fixed_when_opened = state.has_position
        self._spans.append(StateSpan(time, state))
        if state.has_position:
            if not self._had_fix and self._start is not None:
                self._start = self._start._replace(first_fix=time)
            self._had_fix = True
            for name in ("2D", "3D") if state.state == "3D" else ("2D",) if state.state == "2D" else ():
                self.milestone(name, time)
            if self._outages and self._outages[-1].end is None:
                self._outages[-1] = self._outages[-1]._replace(end=time)
        elif self._had_fix and time is not None and not (self._outages and self._outages[-1].end is None):
            self._outages.append(Outage(time, None))

    def snapshot(self) -> HistorySnapshot:
        """Spans, starts and outages so far. A lane that had its fix when it was opened shows no start."""
        start = self._start
        starts = (start._replace(reached=dict(start.reached)),) if start and not self._fixed_when_opened else ()
        return HistorySnapshot(tuple(self._spans), starts, tuple(self._outages))
