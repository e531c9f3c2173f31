"""The far end of somebody else's trial: answers probes and says what it got, or answers messages by a rule."""

import contextlib
import threading
import time
from collections.abc import Callable
from typing import Final, Protocol

from pale_heron.bench.operations.registry import Operation
from pale_heron.core.frames import Chunk
from pale_heron.core.line.settings import ENDINGS_OUT, LineSettings
from pale_heron.core.link.lines import LineCutter
from pale_heron.core.link.rules import NOT_UNDERSTOOD, Rule
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.probe import ANSWER, PROBE, Found, Probe, ProbeFinder, encode
from pale_heron.ports.sender import SendJob

LOOK_S: Final = 0.05
RUNS_KEPT: Final = 16
NUMBERS_KEPT: Final = 8192


class AnsweringBench(Protocol):
    """What answering needs of a live bench."""

    def tap(self, lane: str, listener: Callable[[Chunk], None]) -> Callable[[], None]: ...

    def send(self, lane: str, job: SendJob) -> None: ...

    def settings_of(self, lane: str) -> LineSettings: ...


class _Run:
    """What came of one sender of one trial."""

    def __init__(self) -> None:
        self.seen: dict[int, None] = {}
        self.got = self.damaged = self.answers = 0

    def take(self, number: int) -> None:
        if number not in self.seen:
            self.got += 1
            self.seen[number] = None
            if len(self.seen) > NUMBERS_KEPT:
                del self.seen[next(iter(self.seen))]


class Answering(Operation):
    """Goes on until it is stopped. Without a rule it answers probes alone, and leaves all else alone."""

    def __init__(self, bench: AnsweringBench, lane: str, rule: Rule | None = None) -> None:
        super().__init__("answering", (lane,))
        self._bench = bench
        self._lane = lane
        self._rule = rule
        self._finder = ProbeFinder()
        self._lines = LineCutter()
        self._guard = threading.Lock()
        """Held while lines are cut: the lane's thread brings bytes, our own ends those that pause."""
        self._runs: dict[tuple[int, str], _Run] = {}
        self._latest: tuple[int, str] | None = None
        self.answered = 0
        self.not_understood = 0

    @property
    def got(self) -> int:
        """How many different probes came."""
        return sum(run.got for run in self._runs.values())

    @property
    def damaged(self) -> int:
        return sum(run.damaged for run in self._runs.values())

    def work(self) -> None:
        if self._bench.settings_of(self._lane).listen_only:
            raise Trouble(f"{self._lane} only listens: nothing is sent", "Switch listen only off in the settings first")
        leave = self._bench.tap(self._lane, self._take)
        try:
            while not self.token.stopped:
                time.sleep(LOOK_S)
                if self._rule is not None:
                    with self._guard:
                        held = self._lines.advance(time.monotonic_ns())
                    if held is not None:
                        self._answer_line(held[0])
        finally:
            leave()

    def _take(self, chunk: Chunk) -> None:
        """From the lane's own thread: answering at once is what is measured on the other side."""
        if self._rule is None:
            for found in self._finder.feed(chunk.time, chunk.data):
                self._answer(found)
            return
        with self._guard:
            lines = self._lines.feed(time.monotonic_ns(), chunk.data)
        for line in lines:
            self._answer_line(line)

    def _answer(self, found: Found) -> None:
        probe = found.probe
        if probe is None:
            if self._latest is not None and (found.data[:1] == b"#" or found.data[-9:-8] == b","):
                self._runs[self._latest].damaged += 1
            return
        if probe.kind != PROBE:
            return
        key = self._latest = probe.trial, probe.sender
        run = self._runs.setdefault(key, _Run())
        while len(self._runs) > RUNS_KEPT:
            del self._runs[next(iter(self._runs))]
        run.take(probe.number)
        run.answers += 1
        answer = Probe(ANSWER, probe.trial, probe.sender, probe.number, run.answers, run.got, run.damaged)
        self._send(encode(answer, len(found.data)))

    def _answer_line(self, line: str) -> None:
        if self._rule is None or line[:1] in ("$", "!"):
            return
        answer = self._rule.answer(line, self.answered + 1)
        self.not_understood += answer.startswith(NOT_UNDERSTOOD)
        self._send(answer.encode("utf-8"))

    def _send(self, data: bytes) -> None:
        ending = ENDINGS_OUT[self._bench.settings_of(self._lane).ending_out]
        # A lane that has just gone takes no answer; that must not be the end of its own thread.
        with contextlib.suppress(Trouble):
            self._bench.send(self._lane, SendJob(data + ending))
            self.answered += 1
