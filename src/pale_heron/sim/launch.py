"""Starts simulated devices as processes of their own, which end with the process that started them."""

import subprocess
import sys
from pathlib import Path

from pale_heron.core.trouble import Trouble
from pale_heron.system import OWN_GROUP

WAIT_S = 10.0


class Device:
    """A running simulated device, or several in one process; `paths` are what to open."""

    def __init__(self, *words_of_it: str, link: Path | None = None, count: int = 1) -> None:
        """Start it and wait until its terminal is there. Raises Trouble with its own words where it does not start."""
        place = ["--link", str(link)] if link else []
        words = [sys.executable, "-m", "pale_heron", "sim", *words_of_it, *place, "--until-input-ends"]
        self._process: subprocess.Popen[str] = subprocess.Popen(
            words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, **OWN_GROUP
        )
        assert self._process.stdout is not None
        self.paths = [self._process.stdout.readline().strip() for _ in range(count)]
        if not all(self.paths):
            _, problem = self._process.communicate(timeout=WAIT_S)
            name = words_of_it[0]
            raise Trouble(f"The simulated {name} did not start: {problem.strip()}", "Run `pale-heron sim` alone")

    @property
    def path(self) -> str:
        """What to open, of the first."""
        return self.paths[0]

    def stop(self) -> None:
        """End it."""
        self._process.terminate()
        try:
            self._process.communicate(timeout=WAIT_S)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.communicate()
