"""What all strangers share: a module that takes bytes, says what it has to say in its own time, and keeps a log.

The log is the truth beside the stream: what the module did, in its own words, whatever anybody makes of its answers.
"""

import os
import pty
import threading
import time
import tty
from collections.abc import Iterator
from contextlib import contextmanager

LOOK_S = 0.005


class Stranger:
    """One module. Time is in seconds of whoever runs it."""

    rate = 9600
    end = b"\r"
    after_s = 0.03

    def __init__(self) -> None:
        self.log: list[str] = []
        self._held = b""
        self._due: list[tuple[float, bytes]] = []
        self.now = 0.0

    def hear(self, data: bytes, seconds: float) -> None:
        """Take what was sent to it."""
        self.now = seconds
        self._held += data
        while self._held and (size := self.whole(self._held)):
            piece, self._held = self._held[:size], self._held[size:]
            self.took(piece)

    def whole(self, held: bytes) -> int:
        """How many bytes make one command; 0 where more must come."""
        return held.find(self.end) + len(self.end) if self.end in held else 0

    def took(self, piece: bytes) -> None:
        """One command, with its end."""
        self.command(piece.strip(b"\r\n").decode("latin-1"))

    def command(self, line: str) -> None:
        """One command line."""

    def tell(self, *pieces: str | bytes, after: float | None = None) -> None:
        """Say something, a moment from now."""
        data = b"".join(each.encode("latin-1") if isinstance(each, str) else each for each in pieces)
        self._due.append((self.now + (self.after_s if after is None else after), data))

    def lines(self, *lines: str, after: float | None = None) -> None:
        """Say lines, each between two line ends."""
        self.tell(*(f"\r\n{each}\r\n" for each in lines), after=after)

    def tick(self) -> None:
        """Do what time brings."""

    def say(self, seconds: float) -> bytes:
        """What it has said up to now."""
        self.now = seconds
        self.tick()
        said = b"".join(data for due, data in self._due if due <= seconds)
        self._due = [each for each in self._due if each[0] > seconds]
        return said


@contextmanager
def on_a_pty(stranger: Stranger) -> Iterator[str]:
    """Give it a pseudo-terminal of its own; the path of it."""
    master, slave = pty.openpty()
    tty.setraw(slave)
    os.set_blocking(master, False)
    over = threading.Event()

    def run() -> None:
        while not over.is_set():
            try:
                heard = os.read(master, 4096)
            except OSError:
                heard = b""
            if heard:
                stranger.hear(heard, time.monotonic())
            if said := stranger.say(time.monotonic()):
                os.write(master, said)
            over.wait(LOOK_S)

    worker = threading.Thread(target=run, daemon=True)
    worker.start()
    try:
        yield os.ttyname(slave)
    finally:
        over.set()
        worker.join()
        os.close(master)
        os.close(slave)
