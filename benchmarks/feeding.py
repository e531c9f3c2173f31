"""Starts the feeder and holds it."""

import subprocess
import sys
from pathlib import Path


class Feeder:
    """A process that will write to `path` when told to."""

    def __init__(self, bytes_per_s: int, seconds: float, out: Path) -> None:
        words = [sys.executable, "-m", "benchmarks.feeder", str(bytes_per_s), str(seconds), str(out)]
        self._process = subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        assert self._process.stdout is not None
        self._output = self._process.stdout
        self.path = self._output.readline().strip()

    def begin(self) -> None:
        self._line()

    def result(self) -> tuple[int, float]:
        """Bytes written and seconds taken; waits for the end."""
        written, taken = self._output.readline().split()
        return int(written), float(taken)

    def end(self) -> None:
        """End it, also where it waits because nobody reads any more."""
        self._process.kill()
        self._process.wait(10)

    def _line(self) -> None:
        assert self._process.stdin is not None
        self._process.stdin.write("\n")
        self._process.stdin.flush()
