"""Three lanes at 10 Hz: what reports, expectations, exports and joining cost beside a loop that reads and splits."""

import json
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from pale_heron.capture.reader import CaptureReader
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import SECOND, Chunk, Direction, Event
from pale_heron.sim.curlew import Curlew
from pale_heron.sim.marsh import BEGIN_UTC
from pale_heron.sim.scenes import Scene

LANES = ("bow", "stern", "mast")
MINUTES = 3
TIMES = 4
"""So many times longer is the capture that memory is compared with."""

EXPECTED = '[[expect]]\nthat = "fix.share"\nlane = "bow"\nat_least = 0.5\n'
MEASURED = """
import json, resource, sys, time
from pale_heron.__main__ import main
begin = time.perf_counter()
sys.argv = ["pale-heron", *sys.argv[1:]]
try:
    main()
except SystemExit:
    pass
used = resource.getrusage(resource.RUSAGE_SELF)
print(json.dumps([time.perf_counter() - begin, used.ru_maxrss]), file=sys.stderr)
"""


def write_capture(path: Path, minutes: int) -> None:
    """One chunk an epoch, its times those of the lanes; the epochs of five minutes, whose times go on."""
    devices = [Curlew(Scene("", start="hot", every_ms=100), seed, BEGIN_UTC * SECOND) for seed in range(len(LANES))]
    writer = CaptureWriter(path)
    for lane in LANES:
        writer.add_lane(lane, "/dev/ttyUSB0", None)
        writer.event(Event(BEGIN_UTC * SECOND, lane, "opened", {"rate": 115200, "framing": "8N1"}))
    for tenth in range(minutes * 600):
        moment = BEGIN_UTC * SECOND + tenth * SECOND // 10
        for place, (lane, device) in enumerate(zip(LANES, devices, strict=True)):
            writer.chunk(Chunk(lane, Direction.IN, moment + place, device.epoch(tenth / 10)))
    writer.close()


def floor(path: Path) -> float:
    """Seconds of a loop that reads, splits lines and fields, and XORs each byte."""
    begin = time.perf_counter()
    for record in CaptureReader(path).records():
        if isinstance(record, Chunk):
            for line in record.data.split(b"\n"):
                line.split(b",")
                total = 0
                for byte in line:
                    total ^= byte
    return time.perf_counter() - begin


def command(*words: str | Path) -> tuple[float, int]:
    """Seconds, and the most memory in kB, of one command of the program."""
    words = tuple(map(str, words))
    done = subprocess.run([sys.executable, "-c", MEASURED, *words], capture_output=True, text=True, check=True)
    seconds, memory = json.loads(done.stderr.splitlines()[-1])
    return seconds, memory


def run() -> Iterator[str]:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        path, longer, expected = folder / "a.pcapng", folder / "b.pcapng", folder / "e.toml"
        expected.write_text(EXPECTED)
        write_capture(path, MINUTES)
        write_capture(longer, TIMES * MINUTES)
        size, least = path.stat().st_size, floor(path)
        yield f"{MINUTES} min of {len(LANES)} lanes at 10 Hz, {size / 1e6:.1f} MB; the floor takes {least:.2f} s"
        works = {
            "summary": ("summary", "{}"),
            "expectations": ("expect", expected, "{}"),
            "a whole report": ("report", "{}", "-o", folder / "{}.html", "--expect", expected),
            "everything in open formats, with report and expectations": (
                "export", "{}", "--all", folder / "{}-all", "--expect", expected,
            ),
            "joining two": ("join", "{}", "{}", "-o", folder / "{}-joined.pcapng", "--names", "a,b"),
        }  # fmt: skip
        for what, words in works.items():
            (seconds, memory), (more, most) = (command(*_of(words, each)) for each in (path, longer))
            # What is drawn costs the same of any length: a day is reckoned from the difference.
            day = (seconds + (more - seconds) / (TIMES - 1) * (24 * 60 / MINUTES - 1)) / 60
            yield (
                f"{what}: {seconds:.1f} s, {seconds / least:.1f} × the floor; of {TIMES} times as much {more:.1f} s, "
                f"so a day takes about {day:.0f} min; memory {memory / 1e3:.0f} and {most / 1e3:.0f} MB, "
                f"{most / memory:.2f} ×"
            )


def _of(words: tuple[str | Path, ...], path: Path) -> list[str]:
    """A command about one of the captures: `{}` is the whole of it, or in a name what it is called."""
    return [str(path) if each == "{}" else str(each).replace("{}", path.stem) for each in words]
