"""A trial of throughput against a bare loop over the same two pseudo-terminals, both ways at once."""

import os
import subprocess
import sys
import tempfile
import threading
import time
import tty
from collections.abc import Iterator
from pathlib import Path

import psutil

from pale_heron.bench.live.session import Session
from pale_heron.bench.operations.trial import Trial
from pale_heron.core.line.diagnosis.stages import LaneOpening
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.link.description import THROUGHPUT, TrialDescription
from pale_heron.core.link.verdict import verdict
from pale_heron.ports.address import LaneSpec

SECONDS = float(os.environ.get("LINK_SECONDS", "6"))
ROUNDS = int(os.environ.get("LINK_ROUNDS", "3"))
PIECE = 1 << 16

BRIDGE = """
import os, select, sys
left, right = int(sys.argv[1]), int(sys.argv[2])
other, held = {left: right, right: left}, {left: b"", right: b""}
while True:
    reading = [fd for fd in held if not held[other[fd]]]
    readable, writable, _ = select.select(reading, [fd for fd in held if held[fd]], [], 1.0)
    for fd in readable:
        held[other[fd]] = os.read(fd, 65536)
    for fd in writable:
        held[fd] = held[fd][os.write(fd, held[fd]):]
"""


class Bridge:
    """Two pseudo-terminals, and a process that carries bytes from each to the other."""

    def __init__(self) -> None:
        pairs = [os.openpty() for _ in range(2)]
        for _, slave in pairs:
            tty.setraw(slave)
        self._kept = [slave for _, slave in pairs]
        self.paths = [os.ttyname(slave) for slave in self._kept]
        masters = [master for master, _ in pairs]
        for master in masters:
            os.set_blocking(master, False)
        words = [sys.executable, "-c", BRIDGE, *map(str, masters)]
        self._process = subprocess.Popen(words, pass_fds=masters)
        for master in masters:
            os.close(master)

    def end(self) -> None:
        """Take it away."""
        self._process.kill()
        self._process.wait()
        for slave in self._kept:
            os.close(slave)


def bare(paths: list[str]) -> float:
    """Bytes a second of both directions together that plain reads and writes bring over."""
    handles = [os.open(path, os.O_RDWR | os.O_NOCTTY) for path in paths]
    end, got = time.monotonic() + SECONDS, [0, 0]

    def write(handle: int) -> None:
        data = os.urandom(PIECE)
        while time.monotonic() < end:
            os.write(handle, data)

    def read(index: int) -> None:
        while time.monotonic() < end:
            got[index] += len(os.read(handles[index], PIECE))

    threads = [threading.Thread(target=write, args=(handle,), daemon=True) for handle in handles]
    threads += [threading.Thread(target=read, args=(index,), daemon=True) for index in range(2)]
    for thread in threads:
        thread.start()
    time.sleep(SECONDS)
    return sum(got) / SECONDS


def whole(paths: list[str], folder: Path, number: int) -> tuple[float, float, str]:
    """The same of a trial: recorded, counted; the share of a core that took, and the verdict."""
    line = LineSettings(4_000_000, decorative=True)
    specs = [LaneSpec(name, path, line) for name, path in zip(("hide", "buoy"), paths, strict=True)]
    session = Session("link", specs, folder / f"{number}.pcapng")
    session.start()
    try:
        while not all((seen := session.snapshot_of(spec.name)) and seen.opening is LaneOpening.OPEN for spec in specs):
            time.sleep(0.05)
        process = psutil.Process()
        before, begun = process.cpu_times(), time.monotonic()
        trial = Trial(
            session, TrialDescription(THROUGHPUT, 0, ("hide", "buoy"), probes=0, for_s=SECONDS, size=1024, limit_s=5.0)
        )
        session.operations.do(trial)
        after, took = process.cpu_times(), time.monotonic() - begun
        found = trial.result
        assert found is not None, trial.failure
        rates = [each.steady.per_s if each.steady else 0.0 for each in found.bulk]
        return sum(rates), (after.user + after.system - before.user - before.system) / took, verdict(found).why
    finally:
        session.stop()


def run() -> Iterator[str]:
    bridge = Bridge()
    try:
        with tempfile.TemporaryDirectory() as folder:
            for number in range(ROUNDS):
                found, busy, why = whole(bridge.paths, Path(folder), number)
                floor = subprocess.run(
                    [sys.executable, "-c", f"from benchmarks.link import bare; print(bare({bridge.paths!r}))"],
                    capture_output=True,
                    text=True,
                    check=True,
                )
                plain = float(floor.stdout)
                yield (
                    f"both ways together {found / 1e6:.2f} MB/s, bare loop {plain / 1e6:.2f} MB/s: "
                    f"{found / plain:.2f} of it (to hold: a third, or 5 MB/s), {busy:.2f} of one core"
                )
                yield why
    finally:
        bridge.end()
