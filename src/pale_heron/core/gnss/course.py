"""The course of a session: state by state, and every start with its milestones.

A start begins by an action of ours, by what the receiver says when it starts, with the first byte of all, or where it
has lost its time behind a silence: then it was off, or it is another one.
After an action some sentences of before may still be on their way: they do not count until the receiver says that it
started, or that it has no fix, or until PATIENCE_NS has passed.
"""

import statistics
from collections import deque
from collections.abc import Iterable
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.epochs.outages import Outage
from pale_heron.core.gnss.states import FIX_2D, FIX_3D, FixState
from pale_heron.core.utc import moved

MILESTONES: Final = ("first byte", "sentence", "time", "date", "satellite seen", "satellite used", "2D", "3D")
MOST_KEPT = 5000
"""States and starts kept; older ones are forgotten and no longer counted."""

PATIENCE_NS = 3 * SECOND
SAME_START_NS = 10 * SECOND
"""A receiver that announces a start so soon after we asked for one means that one."""

STRAGGLERS_NS = 120 * SECOND
"""So long after the first fix a milestone that came late is still noted: a list of satellites, a date."""

MODES: Final = ("cold", "warm", "hot", "unknown")
OPENING, BANNER, ACTION, SILENCE = "opening", "banner", "action", "silence"


class StateSpan(NamedTuple):
    """A state and when it began."""

    begin: int | None
    state: FixState


class Start(NamedTuple):
    """One way from a start to a fix; `reached` gives the time of each milestone so far."""

    begin: int | None
    mode: str
    cause: str
    reached: dict[str, int | None]
    first_fix: int | None

    @property
    def seconds_to_first_fix(self) -> float | None:
        """None until the fix, and where no times are known."""
        return self._after(self.first_fix)

    @property
    def waiting_for(self) -> str:
        """The first milestone that is missing; empty when all are reached."""
        return next((name for name in MILESTONES if name not in self.reached), "")

    def seconds_to(self, milestone: str) -> float | None:
        """Seconds from the start until a milestone; None while it is not reached."""
        return self._after(self.reached.get(milestone))

    def _after(self, time: int | None) -> float | None:
        return None if time is None or self.begin is None else (time - self.begin) / SECOND


class FixCourseSnapshot(NamedTuple):
    """What the ribbon and the start table show."""

    spans: tuple[StateSpan, ...]
    starts: tuple[Start, ...]
    outages: tuple[Outage, ...]


class ModeRow(NamedTuple):
    """All starts of one mode: how many, how many came to a fix, and the seconds they took."""

    mode: str
    starts: int
    fixed: int
    median_s: float | None
    least_s: float | None
    most_s: float | None
    deviation_s: float | None
    """Standard deviation of the sample; None below two."""


def starts_by_mode(starts: Iterable[Start]) -> tuple[ModeRow, ...]:
    """A row a mode, in the order of MODES."""
    rows = []
    every = list(starts)
    for mode in MODES:
        own = [start for start in every if start.mode == mode]
        took = [seconds for start in own if (seconds := start.seconds_to_first_fix) is not None]
        if own:
            median = statistics.median(took) if took else None
            spread = statistics.stdev(took) if len(took) > 1 else None
            fastest, slowest = min(took, default=None), max(took, default=None)
            rows.append(ModeRow(mode, len(own), len(took), median, fastest, slowest, spread))
    return tuple(rows)


class FixCourse:
    """Takes milestones and of every change of state."""

    def __init__(self) -> None:
        self._spans: deque[StateSpan] = deque(maxlen=MOST_KEPT)
        self._starts: deque[Start] = deque(maxlen=MOST_KEPT)
        self._had_fix = False
        self._fixed_when_opened = False
        self._held_until: int | None = None
        self.waiting = True
        """Whether a start is under way, so that milestones are of interest."""

    def begin_start(self, mode: str, cause: str, time: int | None) -> None:
        """A start of the receiver, as far as we know in this mode."""
        last = self._starts[-1] if self._starts else None
        if cause == BANNER and last is not None and last.begin is not None and time is not None:
            if last.cause == ACTION and time - last.begin <= SAME_START_NS:
                self._held_until = None
                return
            if last.cause == OPENING and not self._had_fix and time - last.begin <= SAME_START_NS:
                # What it says when it starts came a moment after the port was opened: that start is this one.
                self._starts[-1] = last._replace(mode=mode if mode != "unknown" else last.mode, cause=BANNER)
                return
        if last is not None and last.cause != ACTION and last.mode == mode == "unknown" and last.first_fix is None:
            return
        self._starts.append(Start(time, mode, cause, {}, None))
        self._held_until = time + PATIENCE_NS if cause == ACTION and time is not None else None
        self.waiting = True

    def milestone(self, name: str, time: int | None) -> None:
        """Note the first time that something was reached; the first milestone of all begins the start."""
        if not self._starts:
            self._starts.append(Start(time, "unknown", OPENING, {}, None))
        if self._starts[-1].begin is None and time is not None:
            # Of a raw file: it began before it knew a time; what it took counts from its first time on.
            self._starts[-1] = self._starts[-1]._replace(begin=time)
        if not self._is_held(time):
            self._starts[-1].reached.setdefault(name, time)

    def _is_held(self, time: int | None) -> bool:
        if self._held_until is not None and time is not None and time > self._held_until:
            self._held_until = None
        return self._held_until is not None

    def clock_stepped(self, by: int) -> None:
        """What is under way began by another clock, which was so many nanoseconds behind."""
        if self._starts:
            start = self._starts[-1]
            self._starts[-1] = start._replace(
                begin=moved(start.begin, by),
                reached={name: moved(time, by) for name, time in start.reached.items()},
                first_fix=moved(start.first_fix, by),
            )
        if self._spans:
            self._spans[-1] = self._spans[-1]._replace(begin=moved(self._spans[-1].begin, by))

    def note_state(self, state: FixState, time: int | None) -> None:
        """Takes the state again and again while a start is under way."""
        if not state.is_fix:
            self._held_until = None
            return
        if self._is_held(time):
            return
        start = self._starts[-1] if self._starts else None
        if start is not None and start.first_fix is None:
            self._starts[-1] = start._replace(first_fix=time)
        for name in {FIX_2D: ("2D",), FIX_3D: ("2D", "3D")}.get(state.state, ()):
            self.milestone(name, time)
        start = self._starts[-1] if self._starts else None
        late = start is None or start.first_fix is None or time is None or time - start.first_fix > STRAGGLERS_NS
        self.waiting = state.state == FIX_2D or (not late and start is not None and start.waiting_for != "")

    def change(self, state: FixState, time: int | None) -> None:
        """Note a new state."""
        if not self._spans:
            self._fixed_when_opened = state.is_fix
        self._spans.append(StateSpan(time, state))
        if self.waiting:
            self.note_state(state, time)
        self._had_fix = self._had_fix or state.is_fix

    def snapshot(self, outages: tuple[Outage, ...]) -> FixCourseSnapshot:
        """Spans and starts so far. A lane that had its fix when it was opened shows no start of that."""
        skipped = 1 if self._fixed_when_opened and len(self._starts) < MOST_KEPT else 0
        starts = list(self._starts)[skipped:]
        kept = tuple(start._replace(reached=dict(start.reached)) for start in starts)
        return FixCourseSnapshot(tuple(self._spans), kept, outages)
