"""Resident size of a bench after an amount of traffic and after ten times that, each in a process of its own."""

import subprocess
import sys
from collections.abc import Iterator

WORK = """
import sys, psutil
from benchmarks.traffic import epochs
from pale_heron.bench.model import Model
from pale_heron.core.frames import Chunk, Direction, SECOND
model, said = Model(), epochs(600)
for second in range(int(sys.argv[1])):
    model.feed(Chunk("curlew", Direction.IN, second * SECOND, said[second % 600]))
    if second % 10 == 0:
        model.snapshots(second * SECOND)
print(psutil.Process().memory_info().rss)
"""
SECONDS = 20_000


def resident(seconds: int) -> int:
    done = subprocess.run([sys.executable, "-c", WORK, str(seconds)], capture_output=True, text=True, check=True)
    return int(done.stdout)


def run() -> Iterator[str]:
    once, ten = resident(SECONDS), resident(10 * SECONDS)
    yield (
        f"{SECONDS} s of traffic {once / 1e6:.0f} MB, {10 * SECONDS} s {ten / 1e6:.0f} MB: "
        f"{ten / once:.2f} × (to hold: 1.3 ×)"
    )
