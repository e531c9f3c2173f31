"""A day of one receiver at 1 Hz in one capture: how soon the first screen stands, how long a jump takes."""

import statistics
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from benchmarks.terminal import Terminal
from benchmarks.traffic import epochs
from pale_heron.bench.replay.replay import Replay
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import SECOND, Chunk, Direction
from pale_heron.sim.marsh import BEGIN_UTC

SECONDS = 86_400
HOURS = (20.08, 3.0, 23.95, 11.5, 1.02, 22.2, 7.7, 0.5, 17.9, 12.0, 19.99)


def write_day(path: Path) -> None:
    """One chunk a second, its times those of the day."""
    said, begin = epochs(3600), BEGIN_UTC * SECOND
    writer = CaptureWriter(path)
    writer.add_lane("curlew", "/dev/ttyUSB0", None)
    for second in range(SECONDS):
        writer.chunk(Chunk("curlew", Direction.IN, begin + second * SECOND, said[second % 3600]))
    writer.close()


def seconds_to(replay: Replay, moment: int) -> float:
    begin = time.perf_counter()
    replay.seek(moment)
    while replay.snapshot().replay.seeking or replay.snapshot().now < moment - SECOND:  # type: ignore[union-attr]
        time.sleep(0.002)
    return time.perf_counter() - begin


def run() -> Iterator[str]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "day.pcapng"
        write_day(path)
        yield f"a capture of {path.stat().st_size / 1e6:.0f} MB, {SECONDS} s"
        terminal = Terminal([sys.executable, "-m", "pale_heron", "open", str(path)])
        first = terminal.wait(b"What is being said")
        terminal.end()
        yield f"first screen after {first:.2f} s (to hold: 2 s)"
        replay = Replay(path, playing=False)
        opened = time.perf_counter()
        replay.start()
        while not replay.snapshot().now:
            time.sleep(0.01)
        begin = BEGIN_UTC * SECOND
        early = seconds_to(replay, begin + SECONDS // 2 * SECOND)
        while not replay.surveyed:
            time.sleep(0.05)
        surveyed = time.perf_counter() - opened
        jumps = [seconds_to(replay, begin + int(hour * 3600) * SECOND) for hour in HOURS]
        replay.stop()
        yield f"a jump to noon right after opening, everything before it still unread: {early:.1f} s"
        yield (
            f"read ahead after {surveyed:.0f} s; from then on {len(HOURS)} jumps took {max(jumps):.2f} s at most, "
            f"median {statistics.median(jumps):.2f} s (to hold: 0.2 s)"
        )
