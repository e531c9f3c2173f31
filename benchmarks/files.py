"""Commands about whole files beside a loop that splits lines and fields and XORs each byte; process start included."""

import json
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from functools import partial
from pathlib import Path

from benchmarks.decode import floor
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import SECOND, Chunk, Direction
from pale_heron.sim.curlew import Curlew
from pale_heron.sim.marsh import BEGIN_UTC
from pale_heron.sim.scenes import Scene

BYTES = 20_000_000
TIMES = 3


def write(folder: Path) -> tuple[Path, Path]:
    """What one receiver says at 1 Hz, its times going on, as a capture and as raw bytes."""
    curlew, begin, size = Curlew(Scene("", start="hot")), BEGIN_UTC * SECOND, 0
    said: list[bytes] = []
    capture, raw = folder / "day.pcapng", folder / "day.nmea"
    writer = CaptureWriter(capture)
    writer.add_lane("curlew", "/dev/ttyUSB0", None)
    while size < BYTES:
        said.append(curlew.epoch(float(len(said))))
        size += len(said[-1])
        writer.chunk(Chunk("curlew", Direction.IN, begin + len(said) * SECOND, said[-1]))
    writer.close()
    raw.write_bytes(b"".join(said))
    return capture, raw


def seconds_of(*words: str | Path) -> float:
    """How long one command of the program takes."""
    begin = time.perf_counter()
    subprocess.run([sys.executable, "-m", "pale_heron", *map(str, words)], stdout=subprocess.DEVNULL, check=True)
    return time.perf_counter() - begin


def run() -> Iterator[str]:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        capture, raw = write(folder)
        data = raw.read_bytes()
        works = {
            "summary of a capture (to hold: 2)": partial(seconds_of, "summary", capture, "--json"),
            "summary of raw bytes (to hold: 2)": partial(seconds_of, "summary", raw, "--json"),
            "a chart of the fix": partial(seconds_of, "chart", "scatter", capture, "-o", folder / "a.svg", "--force"),
            "a track as GPX": partial(seconds_of, "export", capture, "--to", "gpx", "-o", folder / "a.gpx", "--force"),
        }
        lowest: dict[str, float] = {}
        least = float("inf")
        # Interleaved: the machine is not as fast from one minute to the next.
        for _ in range(TIMES):
            begin = time.perf_counter()
            floor(data)
            least = min(least, time.perf_counter() - begin)
            for what, work in works.items():
                lowest[what] = min(lowest.get(what, float("inf")), work())
        yield f"{len(data) / 1e6:.0f} MB; the floor takes {least:.2f} s"
        for what, seconds in lowest.items():
            yield f"{what}: {seconds:.2f} s, {seconds / least:.1f} × the floor"
        yield decoding(raw)


def decoding(raw: Path) -> str:
    """`decode --json` beside the standard library's JSON of the same rows."""
    begin = time.perf_counter()
    done = subprocess.run(
        [sys.executable, "-m", "pale_heron", "decode", str(raw), "--json"], stdout=subprocess.PIPE, check=True
    )
    taken = time.perf_counter() - begin
    rows = [json.loads(line) for line in done.stdout.splitlines()]
    begin = time.perf_counter()
    for row in rows:
        json.dumps(row)
    least = time.perf_counter() - begin
    return f"decode --json: {taken:.1f} s, {taken / least:.1f} × the JSON of its {len(rows)} rows alone (to hold: 3 ×)"
