"""How late our own stamps are: three lanes, each line written with the time at which it was written.

By recording alone, and while the full screen shows the lanes.
"""

import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from benchmarks.terminal import Terminal
from pale_heron.bench.sources import Source

SECONDS = float(os.environ.get("CLOCK_SECONDS", "15"))
LANES = ("curlew", "hide", "buoy")

WRITER = """
import os, sys, time, tty
pairs = [os.openpty() for _ in range(int(sys.argv[1]))]
for _, slave in pairs:
    tty.setraw(slave)
print(*(os.ttyname(slave) for _, slave in pairs), flush=True)
sys.stdin.readline()
end, number = time.monotonic() + float(sys.argv[2]), 0
while time.monotonic() < end:
    time.sleep(0.0137)
    master = pairs[number % len(pairs)][0]
    os.write(master, b"at %d\\r\\n" % time.time_ns())
    number += 1
sys.stdin.readline()
"""


def _late(capture: Path) -> list[float]:
    """Milliseconds from writing to stamp, of every line."""
    late = []
    for frame in Source(capture).frames():
        words = frame.data.split()
        if len(words) == 2 and words[0] == b"at" and frame.time is not None:
            late.append((frame.time - int(words[1])) / 1e6)
    return sorted(late)


def _row(name: str, late: list[float]) -> str:
    p99 = late[int(0.99 * (len(late) - 1))]
    return (
        f"{name}: median {statistics.median(late):.3f} ms, p99 {p99:.3f} ms, most {late[-1]:.1f} ms "
        f"of {len(late)} lines (to hold: 1 ms, 5 ms)"
    )


def run() -> Iterator[str]:
    with tempfile.TemporaryDirectory() as folder:
        for name in ("recorded alone", "with the full screen"):
            out = Path(folder) / f"{name.replace(' ', '-')}.pcapng"
            words = [sys.executable, "-c", WRITER, str(len(LANES)), str(SECONDS)]
            writer = subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
            assert writer.stdout is not None and writer.stdin is not None
            paths = writer.stdout.readline().split()
            lanes = [f"{lane}={path}@115200" for lane, path in zip(LANES, paths, strict=True)]
            program = [sys.executable, "-m", "pale_heron"]
            try:
                if name == "recorded alone":
                    duration = ["--for", f"{SECONDS + 3:g}s"]
                    recording = subprocess.Popen(
                        [*program, "record", *lanes, "-o", str(out), *duration], stderr=subprocess.DEVNULL
                    )
                    time.sleep(2)
                    writer.stdin.write("\n")
                    writer.stdin.flush()
                    recording.wait(SECONDS + 60)
                else:
                    kept = Path(folder) / "kept"
                    screen = Terminal([*program, "watch", *lanes], environ={"PALE_HERON_CAPTURES": str(kept)})
                    assert screen.wait(b"buoy") is not None, "it shows nothing"
                    screen.drain(1)
                    writer.stdin.write("\n")
                    writer.stdin.flush()
                    screen.drain(SECONDS + 1)
                    screen.end()
                    out = next(kept.glob("*.pcapng"))
            finally:
                writer.kill()
                writer.wait()
            yield _row(name, _late(out))
