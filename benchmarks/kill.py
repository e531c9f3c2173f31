"""A recording at 200 kB/s is killed: how old is the last byte that its capture still gives."""

import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from benchmarks.feeding import Feeder
from pale_heron.capture.reader import CaptureReader
from pale_heron.core.frames import Chunk

ROUNDS = 5


def age_after_kill(folder: Path) -> tuple[float, bool]:
    """Seconds between the kill and the last byte in the capture, and whether what is there is what was sent."""
    sent, capture = folder / "sent", folder / f"{time.time_ns()}.pcapng"
    feeder = Feeder(200_000, 4.0, sent)
    words = [sys.executable, "-m", "pale_heron", "record", f"fast={feeder.path}", "-o", str(capture)]
    recording = subprocess.Popen(words, stderr=subprocess.DEVNULL)
    while not capture.exists():
        time.sleep(0.05)
    time.sleep(0.5)
    feeder.begin()
    time.sleep(2.0)
    killed = time.time_ns()
    recording.kill()
    recording.wait()
    chunks = [record for record in CaptureReader(capture).records() if isinstance(record, Chunk)]
    feeder.end()
    got = b"".join(chunk.data for chunk in chunks)
    return (killed - (chunks[-1].time or 0)) / 1e9, sent.read_bytes().startswith(got)


def run() -> Iterator[str]:
    with tempfile.TemporaryDirectory() as folder:
        found = [age_after_kill(Path(folder)) for _ in range(ROUNDS)]
    whole = all(same for _, same in found)
    yield (
        f"killed at 200 kB/s {ROUNDS} times: the last byte kept is at most {max(age for age, _ in found):.3f} s old "
        f"(to hold: 0.25 s), all before it {'as sent' if whole else 'NOT as sent'}"
    )
