"""Lanes of a large capture that go apart: several processes read the file, and each feeds its share of the lanes.

    this process    all chunks and events: its own lanes, and what concerns the whole bench
    every other     all events, and the chunks of its lanes; at the end it hands these lanes over as they stand

They go apart up to the first event that ties lanes together, a trial or a source of pulses, or up to the end of the
file. There this process takes the lanes of the others and goes on alone. What comes of it is the same as of one.
"""

import contextlib
import os
import pickle
import subprocess
import sys
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import IO, BinaryIO, Final

from pale_heron.bench.model import TYING, Model
from pale_heron.bench.pipeline import Record
from pale_heron.capture.reader import CaptureReader, open_file
from pale_heron.core.frames import Chunk, Event
from pale_heron.core.trouble import Trouble

LARGE_BYTES: Final = 24_000_000
"""Below this size another process has hardly begun when all is read."""

SAMPLED_BYTES: Final = 2_000_000
"""What lanes weigh is judged from the beginning of the file."""

LEAST_SHARE: Final = 0.1
"""Lanes that weigh less than this are not worth a process."""

OWN_LOAD: Final = 0.15
"""What this process does besides lanes, as a share of what all lanes cost."""


PROGRESS_S: Final = 0.1


class NotApart(Exception):
    """Another process has ended without its lanes."""


def until_tied(records: Sequence[Record]) -> tuple[Sequence[Record], Sequence[Record]]:
    """The records before the first that ties lanes together, and the rest."""
    for place, record in enumerate(records):
        if isinstance(record, Event) and record.name in TYING:
            return records[:place], records[place:]
    return records, ()


def weights(path: Path) -> dict[str, int]:
    """Bytes of each lane at the beginning of a capture."""
    found: dict[str, int] = {}
    with open_file(path) as file:
        for piece in CaptureReader(path).pieces_of(file):
            for record in piece.records:
                if isinstance(record, Chunk):
                    found[record.lane] = found.get(record.lane, 0) + len(record.data)
            if file.tell() >= SAMPLED_BYTES:
                break
    return found


def shares(weighed: Mapping[str, int], processes: int) -> list[frozenset[str]]:
    """The lanes that each other process takes: what is heaviest goes first, to whoever has least."""
    whole = sum(weighed.values())
    heavy = [name for name, weight in weighed.items() if weight >= LEAST_SHARE * whole]
    loads = [OWN_LOAD * whole, *[0.0] * (min(processes, len(heavy)) - 1)]
    taken: list[set[str]] = [set() for _ in loads]
    for name in sorted(heavy, key=lambda name: -weighed[name]):
        place = min(range(len(loads)), key=lambda place: loads[place])
        loads[place] += weighed[name]
        taken[place].add(name)
    return [frozenset(names) for names in taken[1:] if names]


def feed_share(path: Path, names: frozenset[str], out: BinaryIO) -> None:
    """What another process does: writes how much of the file it has gone through, now and then, and then its lanes."""
    model = Model(log_lines=1, epochs_kept=None, lines=False)
    reader, size = CaptureReader(path), path.stat().st_size
    with open_file(path) as file:
        for piece in reader.pieces_of(file, names):
            model.know(reader.lanes)
            before, tied = until_tied(piece.records)
            model.feed(*before)
            if tied:
                break
            pickle.dump(piece.end / size, out)
            out.flush()
    pickle.dump(model.hand_over(names), out)
    out.flush()


class FarLanes:
    """The lanes of a capture that other processes feed. `stop` it, whatever happens."""

    def __init__(self, path: Path, taken: Sequence[frozenset[str]]) -> None:
        self.names: frozenset[str] = frozenset().union(*taken)
        self._through = [0.0] * len(taken)
        self._handed: dict[int, bytes] = {}
        self._processes: list[subprocess.Popen[bytes]] = []
        self._readers: list[threading.Thread] = []
        try:
            for place, names in enumerate(taken):
                self._processes.append(process := self._started(path, names))
                reader = threading.Thread(target=self._read, args=(place, process.stdout), daemon=True)
                self._readers.append(reader)
                reader.start()
        except OSError:
            self.stop()
            raise

    @staticmethod
    def _started(path: Path, names: frozenset[str]) -> subprocess.Popen[bytes]:
        words = [sys.executable, "-m", "pale_heron.bench.apart", str(path), *sorted(names)]
        return subprocess.Popen(
            words, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, start_new_session=True
        )

    def _read(self, place: int, stream: "IO[bytes]") -> None:
        # A process that was killed, or cannot go on, says no more.
        with contextlib.suppress(EOFError, pickle.UnpicklingError, OSError):
            while place not in self._handed:
                said = pickle.load(stream)
                if isinstance(said, bytes):
                    self._handed[place] = said
                else:
                    self._through[place] = said

    @property
    def share(self) -> float:
        """How much of the file the slowest of them has gone through."""
        return min((each for place, each in enumerate(self._through) if place not in self._handed), default=1.0)

    def batches(
        self, batches: Iterable[Sequence[Record]], model: Model, progress: Callable[[float], None]
    ) -> Iterator[Sequence[Record]]:
        """Records for a model that parts with these lanes, and takes them over where they are tied to its own.

        NotApart where it does not get them.
        """
        model.part_with(self.names)
        for batch in batches:
            before, tied = (batch, ()) if not model.far else until_tied(batch)
            yield before
            if tied:
                self._join(model, progress)
                yield tied
        if model.far:
            self._join(model, progress)

    def _join(self, model: Model, progress: Callable[[float], None]) -> None:
        for reader in self._readers:
            while reader.is_alive():
                progress(self.share)
                reader.join(PROGRESS_S)
        if len(self._handed) < len(self._processes):
            raise NotApart
        for handed in self._handed.values():
            model.take_over(handed)

    def stop(self) -> None:
        """End what still runs."""
        for process in self._processes:
            process.kill()
            process.wait()
        for reader, process in zip(self._readers, self._processes, strict=True):
            reader.join()
            if process.stdout is not None:
                process.stdout.close()


def processors() -> int:
    """How many this process may run on."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def far_lanes(path: Path) -> FarLanes | None:
    """The lanes of a capture that are worth other processes, which have begun with them; None where none are."""
    if processors() < 2 or path.stat().st_size < LARGE_BYTES:
        return None
    # Where no process can be had, one does it all.
    with contextlib.suppress(Trouble, OSError):
        taken = shares(weights(path), processors())
        if taken:
            return FarLanes(path, taken)
    return None


if __name__ == "__main__":
    with contextlib.suppress(BrokenPipeError, KeyboardInterrupt):
        feed_share(Path(sys.argv[1]), frozenset(sys.argv[2:]), sys.stdout.buffer)
