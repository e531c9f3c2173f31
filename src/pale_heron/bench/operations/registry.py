"""Whatever is done to devices: one registry, at most one a lane, one token to stop, one place that catches faults.

begun ──▶ under way ──▶ over: succeeded, or failed with what was seen; its lanes are free again
              └── stop ──▶ gives up at the next moment to do so ──▶ over
"""

import threading
import time
from collections.abc import Iterable
from typing import Final, Protocol

from pale_heron.core.trouble import Trouble, fault_words


class OperationFailed(Exception):
    """It cannot go on; says what was seen."""


GIVEN_UP = "given up"
LOOK_S: Final = 0.02


class StopToken:
    """Passed down to everything that an operation does."""

    def __init__(self) -> None:
        self._stopped = threading.Event()

    @property
    def stopped(self) -> bool:
        """Whether somebody asked to stop."""
        return self._stopped.is_set()

    def stop(self) -> None:
        self._stopped.set()

    def rest(self, seconds: float) -> None:
        """Wait. Raises Failed where it is stopped meanwhile."""
        if self._stopped.wait(seconds):
            raise OperationFailed(GIVEN_UP)

    def check(self) -> None:
        """Raises Failed where it is stopped."""
        if self._stopped.is_set():
            raise OperationFailed(GIVEN_UP)


class Operation:
    """One thing that is done on its `lanes`. `succeeded` is None until it is over; `failure` says what was seen."""

    def __init__(self, title: str, lanes: Iterable[str], token: StopToken | None = None) -> None:
        self.title = title
        self.lanes = tuple(lanes)
        self.token = token or StopToken()
        self.succeeded: bool | None = None
        self.failure = ""
        self._ended = threading.Event()

    @property
    def over(self) -> bool:
        return self.succeeded is not None

    def stop(self) -> None:
        """Give up at the next moment to do so; what was sent was sent."""
        self.token.stop()

    @property
    def listens_s(self) -> float:
        """So long it may go on after it was stopped, for what it began to be known to its end."""
        return 0.0

    def run(self) -> None:
        """Do it; when this returns it is over, whatever happened."""
        try:
            self.work()
        except (OperationFailed, Trouble, ValueError) as failure:
            # A value that the dialect or the line does not allow is reported like everything else that fails.
            self.failure = str(failure)
        except Exception as fault:
            # A fault of ours must not leave its lanes blocked, nor whoever waits for its end waiting for ever.
            self.failure = fault_words(fault)
        try:
            self.report(self.failure)
        except Exception as fault:
            # What could not be reported must not keep it from being over.
            self.failure = self.failure or fault_words(fault)
        self.succeeded = not self.failure
        self._ended.set()

    def wait(self, seconds: float) -> bool:
        """Whether it is over, after waiting for that at most so long."""
        return self._ended.wait(seconds)

    def work(self) -> None:
        """What is done. Raises Failed, Trouble or ValueError where it does not succeed."""
        raise NotImplementedError

    def report(self, _failure: str, /) -> None:
        """It ends: keep what became of it. The failure is empty where it succeeded."""


class RegisteredOperation(Protocol):
    """What the registry runs."""

    title: str
    lanes: tuple[str, ...]

    @property
    def over(self) -> bool: ...

    @property
    def listens_s(self) -> float: ...

    def run(self) -> None: ...

    def stop(self) -> None: ...


class Operations:
    """The operations of one bench."""

    def __init__(self) -> None:
        self._lock = threading.Condition()
        self._on: dict[str, RegisteredOperation] = {}
        self._running: list[RegisteredOperation] = []

    def begin(self, operation: RegisteredOperation) -> None:
        """Run it in a thread of its own. Raises Trouble where something else is under way on one of its lanes."""
        self.claim(operation)
        threading.Thread(target=self._run, args=(operation,), name=f"operation {operation.title}", daemon=True).start()

    def do(self, operation: RegisteredOperation) -> None:
        """The same in the caller's thread: it is over when this returns."""
        self.claim(operation)
        self._run(operation)

    def claim(self, operation: RegisteredOperation) -> None:
        """Take its lanes, or raise Trouble that names what is under way there."""
        with self._lock:
            for lane in operation.lanes:
                other = self._on.get(lane)
                if other is not None:
                    raise Trouble(
                        f"{other.title} is under way on {lane}", "One thing at a time: wait for its end, or give it up"
                    )
            self._on.update(dict.fromkeys(operation.lanes, operation))
            self._running.append(operation)

    @property
    def running(self) -> tuple[RegisteredOperation, ...]:
        """All that is under way, also what needs no lane for itself."""
        return tuple(self._running)

    def on(self, lane: str) -> RegisteredOperation | None:
        """What is under way on a lane."""
        return self._on.get(lane)

    def wait_free(self, lane: str, seconds: float) -> bool:
        """Whether nothing is under way on a lane, after waiting for that at most so long."""
        with self._lock:
            return self._lock.wait_for(lambda: lane not in self._on, seconds)

    def stop(self) -> None:
        """Give up all of them, and let those that listen for what is under way come to their end."""
        running = self.running
        for operation in running:
            operation.stop()
        end = time.monotonic() + self.listens_s
        while time.monotonic() < end and self.listens_s:
            time.sleep(LOOK_S)

    @property
    def listens_s(self) -> float:
        """So long those under way may listen after they were stopped."""
        return max((each.listens_s for each in self.running if not each.over), default=0.0)

    def _run(self, operation: RegisteredOperation) -> None:
        try:
            operation.run()
        finally:
            with self._lock:
                if operation in self._running:
                    self._running.remove(operation)
                for lane in operation.lanes:
                    if self._on.get(lane) is operation:
                        del self._on[lane]
                self._lock.notify_all()
