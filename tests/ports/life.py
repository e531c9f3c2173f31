"""A lane's thread on an address, for tests."""

import time
from collections.abc import Callable

from tests.waiting import LIMIT_S

from pale_heron.core.frames import Chunk, Event
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.clock import StampClock
from pale_heron.ports.queue import BoundedQueue
from pale_heron.ports.worker import LaneWorker
from pale_heron.sim.terminal import Terminal


class Life:
    """A reader on an address, and what it has told so far."""

    def __init__(self, address: str) -> None:
        self.inbox = BoundedQueue()
        self.clock = StampClock()
        self.records: list[Chunk | Event] = []
        self.reader = LaneWorker(LaneSpec("curlew", address), self.inbox, self.clock)
        self.reader.start()

    def until(self, done: Callable[["Life"], bool]) -> None:
        limit = time.monotonic() + LIMIT_S
        while not done(self):
            assert time.monotonic() < limit, self.records
            self.records += self.inbox.take(0.05, self.clock.now())

    @property
    def events(self) -> list[str]:
        return [record.name for record in self.records if isinstance(record, Event)]

    @property
    def data(self) -> bytes:
        return b"".join(record.data for record in self.records if isinstance(record, Chunk))

    def end(self) -> None:
        self.reader.stop()
        assert self.reader.join(LIMIT_S)

    @property
    def lost(self) -> str:
        """Why the other side was no longer there."""
        return next(
            str(record.details["reason"])
            for record in self.records
            if isinstance(record, Event) and record.name == "lost"
        )


def speak(terminal: Terminal, data: bytes) -> None:
    terminal.send(data)
    while terminal.queued:
        time.sleep(0.005)
        terminal.work(0.02)
