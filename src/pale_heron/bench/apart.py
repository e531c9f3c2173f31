"""Lanes of a large capture that go apart: several processes read the file, and each feeds its share of the lanes.

    this process    all chunks and events: its own lanes, and what concerns the whole bench
    every other     all events, and the chunks of its lanes; at the end it hands these lanes over as they stand

They go apart up to the first event that ties lanes together, a trial or a source of pulses, or up to the end of the
file. There this process takes the lanes of the others and goes on alone. What comes of it is the same as of one.
"""

import contextlib
import json
import pickle
import subprocess
import sys
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import BinaryIO, Final

from pale_heron.bench.model import TYING, Model
from pale_heron.bench.pipeline import Record
from pale_heron.capture.reader import CaptureReader, open_file
from pale_heron.core.frames import Chunk, Event
from pale_heron.core.trouble import Trouble
from pale_heron.system import processors

LARGE_BYTES: Final = 24_000_000
"""Below this size another process has hardly begun when all is read."""

SAMPLED_BYTES: Final = 2_000_000
"""What lanes weigh is judged from the beginning of the file."""

LEAST_SHARE: Final = 0.1
"""Lanes that weigh less than this are not worth a process."""

OWN_LOAD: Final = 0.15
"""What this process does besides lanes, as a share of what all lanes cost."""

PROGRESS_S: Final = 0.1
"""While the others are waited for, it is told so often how far they are."""


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


class FarProcess:
    """Another process, its share of the lanes, and how far it is. OSError where there can be none."""

    def __init__(self, path: Path, names: frozenset[str]) -> None:
        self.through = 0.0
        """How much of the file it has gone through."""
        self.handed: bytes | None = None
        """Its lanes, once it is through."""
        # As JSON a name is plain ASCII, whatever the locale.
        words = [sys.executable, "-m", "pale_heron.bench.apart", str(path), json.dumps(sorted(names))]
        self._process = subprocess.Popen(
            words, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, start_new_session=True
        )
        self._reader = threading.Thread(target=self._read, name="far lanes", daemon=True)
        self._reader.start()

    def _read(self) -> None:
        assert self._process.stdout is not None, "it is a pipe"
        # A process that was killed, or cannot go on, says no more.
        with self._process.stdout as said, contextlib.suppress(EOFError, pickle.UnpicklingError, OSError):
            while not isinstance(given := pickle.load(said), bytes):
                self.through = given
            self.through, self.handed = 1.0, given

    def is_over(self, within_s: float) -> bool:
        """Whether it has said all that it will say; waits so long for it."""
        self._reader.join(within_s)
        return not self._reader.is_alive()

    def stop(self) -> None:
        """End it, wherever it is."""
        self._process.kill()
        self._process.wait()
        self._reader.join()


class FarLanes:
    """The lanes of a capture that other processes feed. `stop` it, whatever happens."""

    def __init__(self, path: Path, taken: Sequence[frozenset[str]]) -> None:
        """Raises OSError where there can be no process."""
        self.names: frozenset[str] = frozenset().union(*taken)
        self._processes: list[FarProcess] = []
        try:
            for names in taken:
                self._processes.append(FarProcess(path, names))
        except OSError:
            self.stop()
            raise

    @property
    def share(self) -> float:
        """How much of the file the slowest of them has gone through."""
        return min(each.through for each in self._processes)

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
        for each in self._processes:
            while not each.is_over(PROGRESS_S):
                progress(self.share)
            if each.handed is None:
                raise NotApart
            model.take_over(each.handed)

    def stop(self) -> None:
        """End what still runs."""
        for each in self._processes:
            each.stop()


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
        feed_share(Path(sys.argv[1]), frozenset(json.loads(sys.argv[2])), sys.stdout.buffer)
