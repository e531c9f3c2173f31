"""A day of three receivers at 10 Hz in one capture: opening, jumping, charting, and the memory that takes."""

import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import psutil

from benchmarks.day import seconds_to
from benchmarks.terminal import Terminal
from pale_heron.bench.replay.replay import Replay
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import SECOND, Chunk, Direction
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.utc import clock
from pale_heron.sim.marsh import BEGIN_UTC

NAMES = ("bow", "stern", "hide")
HERTZ = 10
HOURS = 24.0
PLACES = ",".join(f"{each + 1:02d},45,{each * 80:03d},44" for each in range(4))
SKY = b"".join(
    sealed(
        f"{talker}GSV,3,{part},12"
        + "".join(f",{4 * part + each:02d},45,{each * 80:03d},44" for each in range(4))
        + ",1"
    )
    for talker in ("GP", "GA")
    for part in (1, 2, 3)
)
USED = sealed("GNGSA,A,3,05,06,07,08,09,10,,,,,,,1.6,0.8,1.5,1")


def write(path: Path, hours: float) -> int:
    """RMC and GGA every epoch, the sky once a second; a walk of some metres. Gives the number of epochs."""
    writer, begin, count = CaptureWriter(path), BEGIN_UTC * SECOND, 0
    for name in NAMES:
        writer.add_lane(name, f"/dev/{name}", None)
    for tick in range(int(hours * 3600 * HERTZ)):
        moment = begin + tick * SECOND // HERTZ
        time_of_day = clock(moment, 2).replace(":", "")
        date = "040531" if tick < (86_400 - BEGIN_UTC % 86_400) * HERTZ else "050531"
        for place, name in enumerate(NAMES):
            digits = 3800 + (tick // 7 + 31 * place) % 60
            where = f"4607.0{digits},S,06718.4{place}{tick % 1000:03d},W"
            said = sealed(f"GNRMC,{time_of_day},A,{where},0.4,212.0,{date},,,A,V")
            said += sealed(f"GNGGA,{time_of_day},{where},1,11,0.8,3.4,M,11.2,M,,")
            if tick % HERTZ == 0:
                said += USED + SKY
            writer.chunk(Chunk(name, Direction.IN, moment, said))
            count += 1
    writer.close()
    return count


def command(*words: str) -> tuple[float, float]:
    """Seconds and the most resident megabytes of one command of the program."""
    begin = time.perf_counter()
    subprocess.run([sys.executable, "-m", "pale_heron", *words], check=True, capture_output=True)
    seconds = time.perf_counter() - begin
    return seconds, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024


def run(hours: float = HOURS) -> Iterator[str]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "receivers.pcapng"
        epochs = write(path, hours)
        yield f"a capture of {path.stat().st_size / 1e6:.0f} MB: {epochs} epochs of {len(NAMES)} receivers, {hours:g} h"
        terminal = Terminal([sys.executable, "-m", "pale_heron", "open", str(path)])
        first = terminal.wait(b"What is being said")
        terminal.end()
        yield f"first screen after {first:.2f} s"
        replay = Replay(path, playing=False)
        replay.start()
        while not replay.snapshot().now:
            time.sleep(0.01)
        begun = time.perf_counter()
        sizes = []
        own = psutil.Process()
        while not replay.surveyed:
            time.sleep(1.0)
            sizes.append(sum(each.memory_info().rss for each in (own, *own.children())) / 1e6)
        yield (
            f"read ahead in {time.perf_counter() - begun:.0f} s; with the process that does it {max(sizes):.0f} MB "
            f"resident, {sizes[len(sizes) // 10]:.0f} MB after a tenth of that time"
        )
        begin = BEGIN_UTC * SECOND
        jumps = [
            seconds_to(replay, begin + int(share * hours * 3600) * SECOND) for share in (0.9, 0.2, 0.55, 0.99, 0.02)
        ]
        snapshots = time.perf_counter()
        for _ in range(20):
            replay.snapshot()
        each = (time.perf_counter() - snapshots) / 20
        replay.stop()
        yield f"5 jumps then take at most {max(jumps):.2f} s; a snapshot of all three {1000 * each:.1f} ms"
        for words in (("chart", "position", "-o", f"{folder}/a.svg"), ("chart", "comparison", "-o", f"{folder}/b.svg")):
            kind, out = words[1], words[2:]
            seconds, size = command("chart", kind, str(path), *out)
            yield f"chart {kind}: {seconds:.0f} s, {size:.0f} MB resident at most"
