"""A program on a pseudo-terminal of a given size, whose output is read as fast as it comes."""

import fcntl
import os
import pty
import select
import struct
import subprocess
import termios
import time
from collections.abc import Sequence


class Terminal:
    """Runs a program; `wait` reads its output until a text comes, and says how long that took."""

    def __init__(self, words: Sequence[str], columns: int = 142, rows: int = 42, environ: dict[str, str] | None = None):
        self._own, other = pty.openpty()
        fcntl.ioctl(other, termios.TIOCSWINSZ, struct.pack("HHHH", rows, columns, 0, 0))
        environ = os.environ | {"TERM": "xterm-256color", "COLORTERM": "truecolor"} | (environ or {})
        # As for a user: compiled modules are kept between runs.
        environ.pop("PYTHONDONTWRITEBYTECODE", None)
        self.begun = time.perf_counter()
        self.process = subprocess.Popen(
            words, stdin=other, stdout=other, stderr=other, env=environ, start_new_session=True
        )
        os.close(other)

    def press(self, key: bytes) -> None:
        os.write(self._own, key)

    def wait(self, wanted: bytes, limit_s: float = 30.0) -> float | None:
        """Seconds until `wanted` came; None where it did not within the limit."""
        begin, seen = time.perf_counter(), b""
        while (left := begin + limit_s - time.perf_counter()) > 0:
            if not select.select([self._own], [], [], left)[0]:
                break
            try:
                seen = seen[-200:] + os.read(self._own, 65536)
            except OSError:
                break
            if wanted in seen:
                return time.perf_counter() - begin
        return None

    def drain(self, seconds: float) -> None:
        """Read and forget for a while."""
        self.wait(b"\0never\0", seconds)

    def end(self) -> None:
        """Press q and wait for the end."""
        self.press(b"q")
        limit = time.perf_counter() + 20
        while self.process.poll() is None and time.perf_counter() < limit:
            self.drain(0.05)
        self.process.kill()
        self.process.wait()
        os.close(self._own)
