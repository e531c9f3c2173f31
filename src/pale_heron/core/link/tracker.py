"""All trials of a bench or a capture, each found again from what the record says of it.

What a trial is made of is loaded when the first one begins: most lanes never see one.
"""

from collections import deque
from typing import TYPE_CHECKING, Final

from pale_heron.core.frames import Chunk, Event

if TYPE_CHECKING:
    from pale_heron.core.link.trial import TrialSnapshot, TrialTracker

BEGUN: Final = "trial"
ENDED: Final = "trial-ended"
"""The events of a capture."""

MOST_KEPT: Final = 500
MOST_AT_ONCE: Final = 64


class LinkTracker:
    """Takes events and chunks in the order of recording. It can be pickled."""

    def __init__(self) -> None:
        self._running: dict[int, TrialTracker] = {}
        self._over: deque[TrialSnapshot] = deque(maxlen=MOST_KEPT)
        self.active = False
        """Whether a trial runs: without one no chunk is of interest."""

    def heed(self, event: Event) -> None:
        """A trial begins or ends; other events mean nothing here."""
        if event.name == BEGUN:
            from pale_heron.core.link.description import description_of
            from pale_heron.core.link.trial import TrialTracker

            described = description_of(event.details)
            if described is not None and len(self._running) < MOST_AT_ONCE:
                self._end(described.trial, event.time, "another one of the same number began")
                self._running[described.trial] = TrialTracker(described, event.time)
        elif event.name == ENDED:
            trial = event.details.get("trial")
            if isinstance(trial, int):
                self._end(trial, event.time, str(event.details.get("why", "")))
        else:
            for running in self._running.values():
                running.heed(event)
        self.active = bool(self._running)

    def feed(self, chunk: Chunk) -> None:
        """Bytes of a lane."""
        for trial in self._running.values():
            trial.feed(chunk)

    def advance(self, now: int) -> None:
        """Time passes."""
        for trial in self._running.values():
            trial.advance(now)

    def finish(self, now: int) -> None:
        """The record ends: what still runs is over too."""
        for trial in list(self._running):
            self._end(trial, now, "the record ends here")
        self.active = False

    def snapshot(self) -> "tuple[TrialSnapshot, ...]":
        """All of them, the oldest first."""
        return (*self._over, *(trial.snapshot() for trial in self._running.values()))

    def _end(self, trial: int, now: int, why: str) -> None:
        tracker = self._running.pop(trial, None)
        if tracker is not None:
            tracker.finish(now, why)
            self._over.append(tracker.snapshot())
