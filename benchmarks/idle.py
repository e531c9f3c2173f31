"""Three receivers that speak once a second, nobody at the keys: what that costs on each view, as a share of a core."""

import os
import sys
import tempfile
import threading
import time
import tty
from collections.abc import Iterator

import psutil

from benchmarks.terminal import Terminal
from benchmarks.traffic import epochs

LANES = 3
SECONDS = float(os.environ.get("IDLE_SECONDS", "30"))
SETTLE_S = 6.0
VIEWS = (("Line", b"1"), ("Traffic", b"2"), ("Fix", b"3"), ("Proof", b"7"))


class Receivers:
    """Say an epoch each second on pseudo-terminals, until `over` is set."""

    def __init__(self, count: int) -> None:
        self._ends = [os.openpty() for _ in range(count)]
        for _, other in self._ends:
            tty.setraw(other)
        self.paths = [os.ttyname(other) for _, other in self._ends]
        self.over = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)

    def start(self) -> None:
        self._thread.start()

    def _run(self) -> None:
        said, second, begin = epochs(1200), 0, time.monotonic()
        while not self.over.wait(max(0.0, begin + second - time.monotonic())):
            for own, _ in self._ends:
                os.write(own, said[second % len(said)])
            second += 1


def run() -> Iterator[str]:
    receivers = Receivers(LANES)
    lanes = [f"receiver{place}={path}@9600" for place, path in enumerate(receivers.paths)]
    with tempfile.TemporaryDirectory() as folder:
        terminal = Terminal(
            [sys.executable, "-m", "pale_heron", "watch", *lanes], environ={"PALE_HERON_CAPTURES": folder}
        )
        terminal.wait(b"Is anything arriving")
        receivers.start()
        program = psutil.Process(terminal.process.pid)
        for view, key in VIEWS:
            terminal.press(key)
            terminal.drain(SETTLE_S)
            before, begin = program.cpu_times(), time.monotonic()
            terminal.drain(SECONDS)
            after, taken = program.cpu_times(), time.monotonic() - begin
            share = (after.user + after.system - before.user - before.system) / taken
            yield f"{view:<8} {100 * share:5.1f} % of a core over {taken:.0f} s (to hold: 5 %)"
        terminal.end()
        receivers.over.set()
