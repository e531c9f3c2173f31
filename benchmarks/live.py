"""The full screen while a pseudo-terminal brings 1.2 or 4 MB/s: what is lost, and how long a key takes."""

import os
import statistics
import sys
import tempfile
import threading
from collections.abc import Iterator
from pathlib import Path

import psutil

from benchmarks.feeding import Feeder
from benchmarks.terminal import Terminal
from pale_heron.capture.reader import CaptureReader
from pale_heron.core.frames import Chunk, Event

SECONDS = float(os.environ.get("LIVE_SECONDS", "60"))
RATES = {1_200_000: "half a core, 60 ms", 4_000_000: "nothing lost"}
"""Bytes a second, and what is to hold."""

ASKED = ((b"1", b"Is anything arriving"), (b"2", b"What is being said"), (b"3", b"Where are we"))


def run() -> Iterator[str]:
    for rate, to_hold in RATES.items():
        yield from at_rate(rate, to_hold)


def at_rate(rate: int, to_hold: str) -> Iterator[str]:
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder) / "sent"
        feeder = Feeder(rate, SECONDS, out)
        words = [sys.executable, "-m", "pale_heron", "watch", f"fast={feeder.path}@12000000"]
        terminal = Terminal(words, environ={"PALE_HERON_CAPTURES": folder})
        terminal.wait(b"Is anything arriving")
        terminal.press(b"2")
        terminal.wait(b"What is being said")
        result: list[tuple[int, float]] = []
        waiter = threading.Thread(target=lambda: result.append(feeder.result()))
        feeder.begin()
        waiter.start()
        program = psutil.Process(terminal.process.pid)
        before = program.cpu_times()
        delays, missed, place = [], 0, 0
        while waiter.is_alive():
            terminal.drain(0.7)
            key, wanted = ASKED[place % len(ASKED)]
            place += 1
            terminal.press(key)
            delay = terminal.wait(wanted, 5.0)
            if delay is None:
                missed += 1
            else:
                delays.append(delay)
        after = program.cpu_times()
        terminal.drain(2.0)
        terminal.end()
        feeder.end()
        (written, taken), sent = result[0], out.read_bytes()
        (capture,) = Path(folder).glob("*.pcapng")
        records = list(CaptureReader(capture).records())
        got = b"".join(record.data for record in records if isinstance(record, Chunk))
        lost = [record.name for record in records if isinstance(record, Event) and record.name == "dropped"]
        worst = sorted(delays)[int(0.95 * len(delays))]
        busy = (after.user + after.system - before.user - before.system) / taken
        same = "every byte the same" if got == sent and not lost else f"{len(sent) - len(got)} bytes lost or changed"
        yield f"{written} bytes in {taken:.1f} s ({written / taken / 1e6:.2f} MB/s): {same} in the capture"
        yield (
            f"key to picture: median {1000 * statistics.median(delays):.0f} ms, 95 % within {1000 * worst:.0f} ms "
            f"of {len(delays)}, {missed} missed; {busy:.2f} of one core (to hold: {to_hold})"
        )
