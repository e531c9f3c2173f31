"""Faults while something is recorded, as a table: what was sent, what the records hold, what was said of the rest.

Each is done to the real `pale-heron record`, fed by a process of its own. To hold: what was sent is in the records, or
its loss was told to the byte; of a record that somebody cuts off, what stood in the part that was cut away is lost, and
nothing behind it. What a kill costs is measured by `kill`.
"""

import os
import re
import resource
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, Final, NamedTuple

from benchmarks.feeding import Feeder
from pale_heron.capture.reader import CaptureReader
from pale_heron.core.frames import Chunk

BYTES_PER_S: Final = 100_000
SECONDS: Final = 1.0
BURST_BYTES_PER_S: Final = 4_000_000
ROOM_BYTES: Final = 40_000
PAUSE_S: Final = 0.5
LIMIT_S: Final = 60.0

_LOST: Final = re.compile(r"(\d+) bytes could not be recorded")

Recording = subprocess.Popen[str]


class Fault(NamedTuple):
    """What is done to a recording under way, after `limit` was done to its process.

    Besides what was told to the byte at most `may_lose` bytes may be missing, all at one place.
    """

    name: str
    do: Callable[[Recording, Path], None]
    says: str = ""
    """Words that must stand on stderr."""
    limit: Callable[[], None] | None = None
    rate: int = BYTES_PER_S
    may_lose: int = 0


class Outcome(NamedTuple):
    """What came of one: bytes, the words on stderr, and how long the program took to end."""

    fault: Fault
    sent: int
    recorded: int
    as_sent: bool
    """Whether what the records hold is what was sent, but for at most one gap."""
    told_lost: int
    words: str
    ending_s: float

    @property
    def held(self) -> bool:
        missing = self.sent - self.recorded - self.told_lost
        return self.as_sent and 0 <= missing <= self.fault.may_lose and self.fault.says in self.words


def _nothing(_recording: Recording, _capture: Path) -> None:
    pass


def _deleted(_recording: Recording, capture: Path) -> None:
    capture.unlink()


def _cut_off(_recording: Recording, capture: Path) -> None:
    os.truncate(capture, capture.stat().st_size // 2)


def _replaced(_recording: Recording, capture: Path) -> None:
    other = capture.with_suffix(".other")
    other.write_text("not a record")
    other.replace(capture)


def _stopped(recording: Recording, _capture: Path) -> None:
    recording.send_signal(signal.SIGSTOP)
    time.sleep(PAUSE_S)
    recording.send_signal(signal.SIGCONT)


def _little_room() -> None:
    signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_FSIZE, (ROOM_BYTES, ROOM_BYTES))


FAULTS: Final = (
    Fault("none", _nothing),
    Fault("the record is deleted", _deleted, "the record goes on in"),
    Fault("the record is cut off", _cut_off, "was cut off in the middle", may_lose=ROOM_BYTES),
    Fault("another file takes its place", _replaced, "the record goes on in"),
    Fault("no more room", _nothing, "could not be recorded", _little_room),
    Fault("stopped for a while", _stopped),
    Fault("a burst, then its end at once", _nothing, rate=BURST_BYTES_PER_S),
)


def outcome(fault: Fault, folder: Path) -> Outcome:
    """Do it once, in a folder of its own."""
    sent_file, capture = folder / "sent", folder / "a.pcapng"
    feeder = Feeder(fault.rate, SECONDS, sent_file)
    words = [sys.executable, "-m", "pale_heron", "record", f"m={feeder.path}", "-o", str(capture)]
    options: dict[str, Any] = {"stderr": subprocess.PIPE, "text": True, "preexec_fn": fault.limit}
    recording = subprocess.Popen(words, **options)
    until(lambda: b'"opened"' in capture.read_bytes() if capture.exists() else False)
    feeder.begin()
    until(lambda: capture.stat().st_size > ROOM_BYTES // 2)
    fault.do(recording, capture)
    feeder.result()
    begin = time.monotonic()
    recording.send_signal(signal.SIGINT)
    said = recording.communicate()[1]
    ending_s = time.monotonic() - begin
    feeder.end()
    sent, got = sent_file.read_bytes(), recorded(folder)
    lost = _LOST.search(said)
    as_sent = _common(sent, got) + _common(sent[::-1], got[::-1]) >= len(got)
    return Outcome(fault, len(sent), len(got), as_sent, int(lost[1]) if lost else 0, said, ending_s)


def _common(one: bytes, other: bytes) -> int:
    """So many bytes at their begin are the same."""
    return next((at for at, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))


def recorded(folder: Path) -> bytes:
    """What the records hold together, in the order of their times."""
    held: list[tuple[int, bytes]] = []
    for path in sorted(folder.glob("*.pcapng*")):
        if path.read_bytes()[:4] != b"\x0a\x0d\x0d\x0a":
            continue
        chunks = (each for each in CaptureReader(path).records() if isinstance(each, Chunk))
        held += [(each.time or 0, each.data) for each in chunks]
    return b"".join(data for _, data in sorted(held, key=lambda each: each[0]))


def until(done: Callable[[], bool]) -> None:
    end = time.monotonic() + LIMIT_S
    while not done():
        if time.monotonic() > end:
            raise RuntimeError("the recording did not come so far")
        time.sleep(0.01)


def run() -> Iterator[str]:
    yield f"{'fault':<32}{'sent':>10}{'recorded':>10}{'told lost':>10}{'ended in':>10}   to hold: all recorded, or told"
    for fault in FAULTS:
        with tempfile.TemporaryDirectory() as folder:
            found = outcome(fault, Path(folder))
        yield (
            f"{fault.name:<32}{found.sent:>10}{found.recorded:>10}{found.told_lost:>10}{found.ending_s:>8.1f} s   "
            f"{'held' if found.held else 'NOT HELD'}"
        )
