"""Starts simulated devices as processes of their own, which end with the process that started them."""

import subprocess
import sys
from pathlib import Path

from pale_heron.core.trouble import Trouble

WAIT_S = 10.0


class Device:
    """A running simulated device; `path` is what to open."""

    def __init__(self, device: str, link: Path, *options: str) -> None:
        """Start it and wait until its terminal is there. Raises Trouble with its own words where it does not start."""
        words = [sys.executable, "-m", "pale_heron", "sim", device, "--link", str(link), "--until-input-ends", *options]
        self._process = subprocess.Popen(
            words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, process_group=0
        )
        assert self._process.stdout is not None
        self.path = self._process.stdout.readline().strip()
        if not self.path:
            _, words_of_it = self._process.communicate(timeout=WAIT_S)
            raise Trouble(f"The simulated {device} did not start: {words_of_it.strip()}", "Run `pale-heron sim` alone")

    def stop(self) -> None:
        """End it."""
        self._process.terminate()
        try:
            self._process.communicate(timeout=WAIT_S)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.communicate()
