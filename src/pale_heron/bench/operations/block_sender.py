"""The sending end of a trial of throughput."""

import time
from collections.abc import Callable
from typing import Final

from pale_heron.bench.operations.registry import OperationFailed
from pale_heron.core.link.blocks import DataBlock, encode_block
from pale_heron.ports.sender import SendJob

JOBS_AHEAD: Final = 2
"""So many wait for the line, so that it never waits for us."""

AHEAD_S, FASTER = 0.5, 1.05
"""Drivers may take much more than a line carries: they get so much more, and what they hold comes at the end."""


class BlockSender:
    """What one end of a trial of throughput sends: blocks in turn, some at a time."""

    def __init__(self, lane: str, block: Callable[[int], DataBlock], last: float, at_once: int, per_s: float) -> None:
        """`last` is the number of the last block, `per_s` what the line carries in a second; both may be infinite."""
        self.lane = lane
        self.jobs: list[SendJob] = []
        """What was handed over and is not over."""
        self._block = block
        self._next, self._last = 1, last
        self._at_once = at_once
        self._per_s = per_s
        self._begun = time.monotonic()

        self._taken = 0

    @property
    def taken(self) -> int:
        """Bytes that the line took."""
        return self._taken + sum(job.sent for job in self.jobs)

    @property
    def has_room(self) -> bool:
        """Whether more may be handed over: to a line that has no rate all that it takes."""
        if self._next > self._last or len(self.jobs) >= JOBS_AHEAD:
            return False
        return self.taken <= self._per_s * (AHEAD_S + FASTER * (time.monotonic() - self._begun))

    @property
    def over(self) -> bool:
        """Nothing that was handed over is under way."""
        return all(job.over for job in self.jobs)

    @property
    def done(self) -> bool:
        """All went out."""
        return self._next > self._last and self.over

    def clear(self) -> None:
        """Let go of what is over. Raises OperationFailed where it failed."""
        for job in self.jobs:
            if job.failure:
                raise OperationFailed(job.failure)
        over = [job for job in self.jobs if job.over]
        self._taken += sum(job.sent for job in over)
        self.jobs = [job for job in self.jobs if job not in over]

    def next_job(self) -> SendJob:
        """The next blocks, to be handed over."""
        behind = int(min(self._next + self._at_once, self._last + 1))
        numbers, self._next = range(self._next, behind), behind
        job = SendJob(b"".join(encode_block(self._block(number)) for number in numbers), "a trial of the link")
        self.jobs.append(job)
        return job

    def stop(self) -> None:
        """Send no more of what was handed over."""
        for job in self.jobs:
            job.stop()
