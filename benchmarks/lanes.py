"""Sixteen lanes at once on the full screen, then one endless line at 1.2 MB/s: how long a key takes on Traffic."""

import multiprocessing
import statistics
import sys
import tempfile
import threading
import time
import tty
from collections.abc import Iterator
from os import close, openpty, ttyname, write
from pathlib import Path

from benchmarks.terminal import Terminal
from benchmarks.traffic import epochs
from pale_heron.capture.reader import CaptureReader
from pale_heron.core.frames import Chunk

SECONDS = 20.0
LANES = 16
EACH = 11_520
FAST = 1_200_000
PIECE_S = 0.01
ASKED = ((b"l", b"what changed"), (b"l", b"time UTC"), (b"1", b"Is anything arriving"), (b"2", b"What is being said"))


class Source:
    """Writes a stream to a pseudo-terminal at a rate, from a thread; what was written is kept."""

    def __init__(self, data: bytes, rate: int) -> None:
        self._own, self._other = openpty()
        tty.setraw(self._other)
        self.path = ttyname(self._other)
        self.sent = data[: int(rate * SECONDS)]
        self._rate = rate
        self.thread = threading.Thread(target=self._run, daemon=True)

    def _run(self) -> None:
        piece, begin = int(self._rate * PIECE_S), time.perf_counter()
        for number, at in enumerate(range(0, len(self.sent), piece)):
            view = memoryview(self.sent)[at : at + piece]
            while view:
                view = view[write(self._own, view) :]
            time.sleep(max(0.0, begin + (number + 1) * PIECE_S - time.perf_counter()))

    def end(self) -> None:
        close(self._own)
        close(self._other)


def feed(sources: list[Source]) -> None:
    """All of them at once, to their ends."""
    for source in sources:
        source.thread.start()
    for source in sources:
        source.thread.join()


def measured(sources: list[Source], rate: int) -> tuple[list[float], int, int]:
    """Delays of the keys, how many were missed, and how many bytes are not in the capture as they were sent."""
    with tempfile.TemporaryDirectory() as folder:
        lanes = [f"lane{number}={source.path}@{rate}" for number, source in enumerate(sources)]
        terminal = Terminal(
            [sys.executable, "-m", "pale_heron", "watch", *lanes], environ={"PALE_HERON_CAPTURES": folder}
        )
        terminal.wait(b"Is anything arriving")
        terminal.press(b"2")
        terminal.wait(b"What is being said")
        # In a process of their own: what is measured here must not wait for them.
        feeding = multiprocessing.get_context("fork").Process(target=feed, args=(sources,), daemon=True)
        feeding.start()
        delays, missed, place = [], 0, 0
        while feeding.is_alive():
            terminal.drain(0.4)
            key, wanted = ASKED[place % len(ASKED)]
            place += 1
            terminal.press(key)
            delay = terminal.wait(wanted, 3.0)
            missed += delay is None
            delays += [] if delay is None else [delay]
        terminal.drain(2.0)
        terminal.end()
        got: dict[str, bytearray] = {}
        (capture,) = Path(folder).glob("*.pcapng")
        for record in CaptureReader(capture).records():
            if isinstance(record, Chunk):
                got.setdefault(record.lane, bytearray()).extend(record.data)
        for source in sources:
            source.end()
        lost = sum(
            len(source.sent) - len(got.get(f"lane{number}", b"")) or (got[f"lane{number}"] != source.sent)
            for number, source in enumerate(sources)
        )
    return delays, missed, lost


def run() -> Iterator[str]:
    said = b"".join(epochs(400))
    cases = (
        (f"{LANES} lanes of {EACH} B/s", [Source(said, EACH) for _ in range(LANES)], 115_200),
        ("one endless line at 1.2 MB/s", [Source(b"0123456789 " * 2_400_000, FAST)], 12_000_000),
    )
    for title, sources, rate in cases:
        delays, missed, lost = measured(sources, rate)
        worst = sorted(delays)[int(0.95 * len(delays))]
        yield (
            f"{title}: {lost} bytes lost or changed; key to picture: median {1000 * statistics.median(delays):.0f} ms, "
            f"95 % within {1000 * worst:.0f} ms, longest {1000 * max(delays):.0f} ms of {len(delays)}, {missed} missed "
            "(to hold: 100 ms, no freeze over 200 ms)"
        )
