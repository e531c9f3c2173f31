"""What real receivers send, read by `summary`, beside the plain loop over the same bytes: no cliff at what is odd.

The logs are written from NMEA 0183, not by the simulator: one signal and two, noise, outages, damage, jumps, the same
satellite number in several lists.
"""

import random
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Final, NamedTuple

from benchmarks.decode import floor
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import SECOND, Chunk, Direction
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.utc import clock
from pale_heron.sim.marsh import BEGIN_UTC

TIMES: Final = 3


class LogKind(NamedTuple):
    """One kind of log: epochs a second, lists a satellite, and how often what happens, in shares of the epochs."""

    hertz: int = 1
    signals: tuple[str, ...] = ("1",)
    damaged: float = 0.0
    noise: float = 0.0
    outage_s: int = 0
    jumps_m: float = 0.0
    mixed: bool = False
    """The same satellite number stands in the lists of several talkers, without a signal."""
    holds: float = 2.5


LOGS: Final = {
    "one signal, all steady": LogKind(holds=1.2),
    "one damaged byte in one of a hundred epochs": LogKind(damaged=0.01),
    "twelve seconds without a fix each half hour": LogKind(outage_s=12),
    "two signals a satellite": LogKind(signals=("1", "6")),
    "two bands, noise, outages, damage, 1 Hz": LogKind(1, ("1", "6"), 0.01, 0.005, 12),
    "two bands, noise, outages, damage, 10 Hz": LogKind(10, ("1", "6"), 0.001, 0.0005, 12),
    "positions that jump 1 km a second": LogKind(jumps_m=1000.0),
    "the same satellite number in several lists": LogKind(mixed=True),
}


def epochs(kind: LogKind, megabytes: float, seed: int = 7) -> Iterator[bytes]:
    """What is said in each epoch."""
    chance, size, number = random.Random(seed), 0, 0
    elevation = {each: chance.randrange(10, 80) for each in range(1, 33)}
    while size < megabytes * 1e6:
        moment = BEGIN_UTC * SECOND + number * SECOND // kind.hertz
        second = number // kind.hertz
        fixed = not kind.outage_s or second % 1800 >= kind.outage_s or second < 1800
        of_day, date = clock(moment, 2).replace(":", ""), time.strftime("%d%m%y", time.gmtime(moment // SECOND))
        north = 3.8 + chance.gauss(0, 2e-4) + kind.jumps_m / 1852 * (second % 20)
        where = f"46{7 + north:08.5f},S,067{18.4 + chance.gauss(0, 3e-4):08.5f},W" if fixed else ",,,"
        bodies = [f"GNRMC,{of_day},{'A' if fixed else 'V'},{where},0.04,84.4,{date},,,{'A' if fixed else 'N'},V"]
        bodies.append(f"GNGGA,{of_day},{where},{int(fixed)},{12 if fixed else 3:02d},0.8,3.4,M,11.2,M,,")
        for system, first in ((1, 3), (3, 1)):
            used = ",".join(f"{first + each:02d}" for each in range(8)) + ",,,," if fixed else ",,,,,,,,,,,"
            bodies.append(f"GNGSA,A,{3 if fixed else 1},{used},1.4,0.8,1.1,{system}")
        if number % kind.hertz == 0:
            bodies += _lists(kind, chance, elevation)
        data = b"".join(map(sealed, bodies))
        if chance.random() < kind.damaged:
            at = chance.randrange(len(data))
            data = data[:at] + bytes([data[at] ^ 0x04]) + data[at + 1 :]
        if chance.random() < kind.noise:
            data += bytes(chance.randrange(256) for _ in range(chance.randrange(1, 40)))
        size, number = size + len(data), number + 1
        yield data


def _lists(kind: LogKind, chance: random.Random, elevation: dict[int, int]) -> Iterator[str]:
    for talker, first, count in (("GP", 3, 11), ("GA", 1, 9), *((("GB", 3, 11),) if kind.mixed else ())):
        for signal in ("",) if kind.mixed else kind.signals:
            parts = -(-count // 4)
            for part in range(parts):
                seen = range(first + 4 * part, first + min(4 * part + 4, count))
                groups = "".join(
                    f",{each:02d},{elevation[each]:02d},{11 * each:03d},{chance.randrange(28, 47)}" for each in seen
                )
                yield f"{talker}GSV,{parts},{part + 1},{count:02d}{groups}{',' + signal if signal else ''}"


def write(path: Path, kind: LogKind, megabytes: float) -> bytes:
    """The capture of one; gives its bytes."""
    writer, said = CaptureWriter(path), []
    writer.add_lane("rover", "/dev/rover", None)
    for number, data in enumerate(epochs(kind, megabytes)):
        said.append(data)
        writer.chunk(Chunk("rover", Direction.IN, BEGIN_UTC * SECOND + number * SECOND // kind.hertz, data))
    writer.close()
    return b"".join(said)


def run(megabytes: float = 10.0) -> Iterator[str]:
    with tempfile.TemporaryDirectory() as folder:
        for place, (name, kind) in enumerate(LOGS.items()):
            path = Path(folder) / f"{place}.pcapng"
            data = write(path, kind, megabytes)
            taken, least = [], []
            # Interleaved: the machine is not as fast from one minute to the next.
            for _ in range(TIMES):
                begin = time.perf_counter()
                floor(data)
                middle = time.perf_counter()
                words = [sys.executable, "-m", "pale_heron", "summary", str(path), "--json"]
                subprocess.run(words, stdout=subprocess.DEVNULL, check=True)
                least.append(middle - begin)
                taken.append(time.perf_counter() - middle)
            yield f"{name}: {min(taken) / min(least):.1f} x the floor (to hold: {kind.holds})"
