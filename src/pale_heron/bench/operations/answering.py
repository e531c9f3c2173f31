"""The far end of somebody else's trial: answers probes and says what it got, or answers messages by a rule."""

import contextlib
import threading
import time
from collections.abc import Callable
from typing import Final, Protocol

from pale_heron.bench.operations.registry import Operation
from pale_heron.core.frames import Chunk
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.link.blocks import BlockFinder
from pale_heron.core.link.lines import LineCutter
from pale_heron.core.link.rules import NOT_UNDERSTOOD, Rule
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.probe import ANSWER, PROBE, Found, Probe, ProbeFinder, encode
from pale_heron.ports.sender import SendJob

LOOK_S: Final = 0.05
RUNS_KEPT: Final = 16
NUMBERS_KEPT: Final = 8192
TELL_S: Final = 0.2
"""So often blocks are told of."""

PAUSE_S: Final = 0.3
"""After so long without another one the last is told of too."""


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
        self.last = 0
        """The number of the block that came last."""
        self.told = 0
        """The one that was told of last."""
        self.came_at = self.told_at = 0.0

    def take(self, number: int) -> None:
        # The number 0 only asks whether somebody is there.
        if number and number not in self.seen:
            self.got += 1
            self.seen[number] = None
            if len(self.seen) > NUMBERS_KEPT:
                del self.seen[next(iter(self.seen))]


def _is_damage(before: bytes) -> bool:
    """Whether what stands before a block is more than whole probes and line ends."""
    finder = ProbeFinder()
    return any(each.probe is None for each in (*finder.feed(None, before), *finder.flush()))


def _kept(runs: dict[tuple[int, str], _Run], key: tuple[int, str]) -> _Run:
    """That run; of many the newest are kept."""
    run = runs.setdefault(key, _Run())
    while len(runs) > RUNS_KEPT:
        del runs[next(iter(runs))]
    return run


class Answering(Operation):
    """Goes on until it is stopped. Without a rule it answers probes alone, and leaves all else alone."""

    def __init__(self, bench: AnsweringBench, lane: str, rule: Rule | None = None) -> None:
        super().__init__("answering", (lane,))
        self._bench = bench
        self._lane = lane
        self._rule = rule
        self._finder = ProbeFinder()
        self._blocks = BlockFinder()
        self._bulk: dict[tuple[int, str], _Run] = {}
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
    def blocks(self) -> int:
        """How many different blocks came."""
        return sum(run.got for run in self._bulk.values())

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
                if self._rule is None:
                    self._tell_of_pause()
                if self._rule is not None:
                    with self._guard:
                        held = self._lines.advance(time.monotonic_ns())
                    if held is not None:
                        self._answer_line(held.text)
        finally:
            leave()

    def _take(self, chunk: Chunk) -> None:
        """From the lane's own thread: answering at once is what is measured on the other side."""
        if self._rule is None:
            with self._guard:
                self._take_blocks(chunk.data)
            for found in self._finder.feed(chunk.time, chunk.data):
                self._answer(found)
            return
        with self._guard:
            lines = self._lines.feed(time.monotonic_ns(), chunk.data)
        for line in lines:
            self._answer_line(line.text)

    def _take_blocks(self, data: bytes) -> None:
        """Count them, and say now and then how many: an answer to each would take the line that is measured."""
        for found in self._blocks.feed(data):
            run = _kept(self._bulk, (found.block.trial, found.block.sender))
            run.damaged += _is_damage(found.before)
            run.take(found.block.number)
            run.last = max(run.last, found.block.number)
            run.came_at = time.monotonic()
            if run.came_at - run.told_at > TELL_S:
                self._tell(found.block.trial, found.block.sender, run)

    def _tell_of_pause(self) -> None:
        """Of blocks that came and were not followed by others."""
        with self._guard:
            for (trial, sender), run in self._bulk.items():
                if run.told < run.last and time.monotonic() - run.came_at > PAUSE_S:
                    self._tell(trial, sender, run)

    def _tell(self, trial: int, sender: str, run: _Run) -> None:
        run.answers += 1
        run.told, run.told_at = run.last, time.monotonic()
        self._send(encode(Probe(ANSWER, trial, sender, run.last, run.answers, run.got, run.damaged)))

    def _answer(self, found: Found) -> None:
        probe = found.probe
        if probe is None:
            like_one = found.data[:1] == b"#" and found.data[:2] != b"#b"
            if self._latest is not None and (like_one or found.data[-9:-8] == b","):
                self._runs[self._latest].damaged += 1
            return
        if probe.kind != PROBE:
            return
        key = self._latest = probe.trial, probe.sender
        run = _kept(self._runs, key)
        run.take(probe.number)
        run.answers += 1
        answer = Probe(ANSWER, probe.trial, probe.sender, probe.number, run.answers, run.got, run.damaged)
        self._send(encode(answer, len(found.data)), counts=probe.number > 0)

    def _answer_line(self, line: str) -> None:
        if self._rule is None or line[:1] in ("$", "!"):
            return
        answer = self._rule.answer(line, self.answered + 1)
        self.not_understood += answer.startswith(NOT_UNDERSTOOD)
        self._send(answer.encode("utf-8"))

    def _send(self, data: bytes, *, counts: bool = True) -> None:
        ending = self._bench.settings_of(self._lane).line_end
        # A lane that has just gone takes no answer; that must not be the end of its own thread.
        with contextlib.suppress(Trouble):
            self._bench.send(self._lane, SendJob(data + ending))
            self.answered += counts
