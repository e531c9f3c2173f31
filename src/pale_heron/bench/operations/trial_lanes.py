"""The lanes of a trial: whether they are there, what came on them, and one thing sent on one of them."""

import time
from collections.abc import Callable, Mapping, Sequence
from typing import Any, Final, Protocol

from pale_heron.bench.operations.command_client import CommandBench
from pale_heron.bench.operations.first_sign import SignBench
from pale_heron.bench.operations.registry import OperationFailed, StopToken
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.line.diagnosis.stages import LaneOpening
from pale_heron.core.line.settings import ENDINGS_OUT, LineSettings
from pale_heron.ports.sender import SendJob

LOOK_S: Final = 0.02
JOB_LOOK_S: Final = 0.002
QUIET_S: Final = 0.3
QUIET_WITHIN_S: Final = 3.0
"""So long the lanes are given to fall silent; one that never does (a receiver) is measured as it is."""

TAKEN_WITHIN_S: Final = 30.0
TAKES_NOTHING: Final = "the line takes nothing: look at its flow control"


class TrialBench(CommandBench, SignBench, Protocol):
    """What a trial needs of a live bench."""

    @property
    def seen(self) -> BenchSnapshot: ...

    def look(self, *lanes: str) -> None: ...

    def jobs(self, lane: str) -> list[SendJob]: ...

    def note(self, lane: str, name: str, details: Mapping[str, Any]) -> None: ...

    def settings_of(self, lane: str) -> LineSettings: ...


class TrialLanes:
    """`ending` is the line end that is sent, where it is another one than a lane's."""

    def __init__(self, bench: TrialBench, lanes: Sequence[str], ending: str, token: StopToken) -> None:
        self._bench = bench
        self._lanes = tuple(lanes)
        self._ending = ending
        self._token = token

    def gone(self) -> str:
        """One that is not open; nothing where all are."""
        self._bench.look(*self._lanes)
        opened = {lane.name: lane.opening for lane in self._bench.seen.lanes}
        return next((lane for lane in self._lanes if opened.get(lane) is not LaneOpening.OPEN), "")

    def bytes_in(self) -> dict[str, int]:
        """How much came on each since it was opened."""
        self._bench.look(*self._lanes)
        return {lane.name: lane.line.bytes_in for lane in self._bench.seen.lanes if lane.name in self._lanes}

    def ceilings(self) -> dict[str, float]:
        """Bytes a second that each carries at most; without those whose rate governs nothing."""
        # As they were opened: only then is it known whether a rate governs them.
        opened = {lane.name: lane.settings for lane in self._bench.seen.lanes if lane.name in self._lanes}
        return {lane: each.bytes_per_s for lane, each in opened.items() if each and not each.decorative}

    def empty(self, since: Mapping[str, int] | None = None) -> dict[str, int]:
        """Wait until nothing comes any more; how many bytes came until then, from now on or `since` so many."""
        before = self.bytes_in()
        first, quiet_since = dict(since if since is not None else before), time.monotonic()
        end = quiet_since + QUIET_WITHIN_S
        now = before
        while time.monotonic() < min(end, quiet_since + QUIET_S) or not now:
            self._token.rest(LOOK_S)
            now = self.bytes_in()
            if now != before:
                before, quiet_since = now, time.monotonic()
        return {lane: now.get(lane, 0) - first.get(lane, 0) for lane in self._lanes}

    def send(self, lane: str, data: bytes) -> SendJob:
        """Hand something over."""
        ending = ENDINGS_OUT[self._ending] if self._ending else self._bench.settings_of(lane).line_end
        job = SendJob(data + ending, "a trial of the link")
        self._bench.send(lane, job)
        return job

    def finish(self, job: SendJob) -> None:
        """Wait until it went out. Raises OperationFailed where it did not."""
        end = time.monotonic() + TAKEN_WITHIN_S
        while not job.over:
            if time.monotonic() > end:
                job.stop()
                raise OperationFailed(TAKES_NOTHING)
            self._token.rest(JOB_LOOK_S)
        if job.failure:
            raise OperationFailed(job.failure)

    def until(self, done: Callable[[], bool], seconds: float, *, stoppable: bool = True) -> bool:
        """Wait until that is so, at most so long; whether it is. Raises OperationFailed where it is stopped."""
        end = time.monotonic() + seconds
        while not done():
            if time.monotonic() >= end:
                return False
            if stoppable:
                self._token.check()
            time.sleep(LOOK_S)
        return True
