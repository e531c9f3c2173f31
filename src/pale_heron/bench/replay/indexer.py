"""Looks through a capture ahead of its replay: keeps the state of the lanes now and then, so that a jump can begin
there, places from which lines can be read back, and the moments of marks and troubles.

For a large capture it runs in a process of its own: the replay and the screen are not slowed down by it.
"""

import bisect
import contextlib
import multiprocessing
import threading
from collections.abc import Iterator
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Final, NamedTuple

from pale_heron.bench.model import Model
from pale_heron.bench.scrollback.checkpoints import CheckpointPlacer
from pale_heron.bench.scrollback.read_back import Checkpoint, ReadBack
from pale_heron.bench.scrollback.selection import is_trouble
from pale_heron.capture.reader import CaptureReader, Record
from pale_heron.core.frames import SECOND, Event
from pale_heron.core.proof.marks import MARK_EVENTS, Mark, MarkBook
from pale_heron.core.runs import Entries, FrameRun
from pale_heron.core.trouble import Trouble, fault_words
from pale_heron.system import lower_priority

KEEP_NS = 300 * SECOND
KEEP_BYTES: Final = 400_000
"""Time and bytes of the capture between two states that are kept: what is less is read faster than a state is made."""

KEPT_BYTES = 48_000_000
"""When the states that are kept have grown by so much, the next ones are taken twice as far apart."""

MOST_NOTED = 100_000
LOG_LINES = 200
"""Lines of traffic that an indexer's model holds; nobody looks at them."""

PIECE_BYTES: Final = 1 << 18
PIECE_RECORDS: Final = 2000
"""So much goes through the pipeline together: large enough for its batches, small enough to be read back at once."""

LARGE_BYTES = 1 << 20
"""From this size on a process of its own is worth starting."""


class LaneCheckpoint(NamedTuple):
    """The lanes as they stood before the record at `position` of the file, whose first line has this `number`."""

    moment: int
    position: int
    number: int
    lanes: bytes


class IndexedTrouble(NamedTuple):
    """When something went wrong."""

    moment: int


class IndexProgress(NamedTuple):
    """So far the file was looked through; `described` are its describing blocks."""

    moment: int
    described: tuple[int, ...]


class IndexEnd(NamedTuple):
    """The file was gone through; or it was not, and why."""

    failure: str


Found = LaneCheckpoint | Checkpoint | Event | IndexedTrouble | IndexProgress | IndexEnd


def survey(path: Path) -> Iterator[Found]:
    """Feed the whole file, and report what is found on the way."""
    reader, model, last, spacing, kept = CaptureReader(path), Model(log_lines=LOG_LINES), 0, KEEP_NS, 0
    placer, noted_second, moment, last_position = CheckpointPlacer(model), -1, 0, 0

    def noted(entries: Entries) -> Iterator[Event | IndexedTrouble]:
        nonlocal noted_second
        for entry in entries.parts:
            if isinstance(entry, FrameRun):
                # Whole sentences: nothing went wrong with them.
                continue
            if isinstance(entry, Event) and entry.name in MARK_EVENTS:
                yield entry
            elif is_trouble(entry) and (entry.time or 0) // SECOND != noted_second:
                noted_second = (entry.time or 0) // SECOND
                yield IndexedTrouble(entry.time or 0)

    for position, batch in _pieces(reader):
        moment = max(moment, batch[0].time or 0)
        model.know(reader.lanes)
        checkpoint = placer.before(position, moment)
        if checkpoint is not None:
            yield IndexProgress(moment, tuple(reader.described))
            yield checkpoint
        far = position - last_position >= KEEP_BYTES and moment - last >= spacing
        if far and last:
            state = LaneCheckpoint(moment, position, model.log.settled, model.saved())
            yield state
            kept += len(state.lanes)
            if kept >= KEPT_BYTES:
                # A capture of weeks, or of many lanes: wider steps, so that the states stay few.
                spacing, kept = 2 * spacing, 0
        if far or not last:
            last, last_position = moment, position
        yield from noted(model.feed(*batch))
        moment = max(moment, *(record.time or 0 for record in batch))
    yield from noted(model.finish())
    yield IndexProgress(moment, tuple(reader.described))
    yield placer.end(reader.position, moment)


def _pieces(reader: CaptureReader) -> Iterator[tuple[int, list[Record]]]:
    """The records of a file a piece at a time, each with the position at which it begins."""
    piece: list[Record] = []
    begin = size = 0
    for record in reader.records():
        begin = begin if piece else reader.position
        piece.append(record)
        size += 0 if isinstance(record, Event) else len(record.data)
        passed = (record.time or 0) - (piece[0].time or 0)
        if size >= PIECE_BYTES or len(piece) >= PIECE_RECORDS or passed >= KEEP_NS:
            yield begin, piece
            piece, size = [], 0
    if piece:
        yield begin, piece


class CaptureIndexer:
    """Runs ahead through one capture from `start` to `stop`; everything may be asked at any time."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._kept: list[LaneCheckpoint] = []
        self._book = MarkBook()
        self.marks: tuple[Mark, ...] = ()
        """Of the whole file, as far as it was gone through."""
        self._troubles: list[int] = []
        self.until = IndexProgress(0, ())
        self.failure = ""
        """Why it did not go through the whole file; empty while all is well."""
        self._through = False
        self.history = ReadBack(lambda: path, lambda: self.until.described)
        self._process: multiprocessing.process.BaseProcess | None = None
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="indexer", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        """End it, wherever it is."""
        self._stop.set()
        if self._process is not None and self._process.is_alive():
            self._process.terminate()
        if self._thread.is_alive():
            self._thread.join()

    @property
    def done(self) -> bool:
        """Whether it has gone through the whole file."""
        return self._through

    def heed(self, event: Event) -> None:
        """Take what was noted, or what became of it."""
        self._book.heed(event)
        self.marks = self._book.marks()

    @property
    def troubles(self) -> tuple[int, ...]:
        return tuple(self._troubles)

    def nearest(self, moment: int) -> LaneCheckpoint | None:
        """The latest state that was kept at or before a moment."""
        checkpoint = bisect.bisect_right(self._kept, moment, key=lambda kept: kept.moment)
        return self._kept[checkpoint - 1] if checkpoint else None

    def _run(self) -> None:
        try:
            large = self._path.stat().st_size > LARGE_BYTES
            for found in self._from_process() if large else _surveyed(self._path):
                if self._stop.is_set():
                    return
                self._take(found)
        except (OSError, Trouble) as trouble:
            self._take(IndexEnd(f"The capture cannot be looked through any more: {trouble}"))
        except Exception as fault:
            # An indexer that ends in silence would count as one that is through.
            self._take(IndexEnd(fault_words(fault)))
        if not self._through and not self.failure and not self._stop.is_set():
            # A process that was killed says nothing.
            self._take(IndexEnd("What looks through the capture has ended before its end; jumps take longer"))

    def _from_process(self) -> Iterator[Found]:
        context = multiprocessing.get_context("spawn")
        ours, theirs = context.Pipe(duplex=False)
        self._process = context.Process(target=_run_ahead, args=(self._path, theirs), name="indexer", daemon=True)
        self._process.start()
        theirs.close()
        try:
            while True:
                yield ours.recv()
        except EOFError:
            self._process.join()

    def _take(self, found: Found) -> None:
        if isinstance(found, LaneCheckpoint):
            self._kept.append(found)
        elif isinstance(found, Checkpoint):
            self.history.note(found)
        elif isinstance(found, IndexProgress):
            self.until = found
        elif isinstance(found, IndexEnd):
            self.failure, self._through = found.failure, not found.failure
        elif isinstance(found, Event):
            self.heed(found)
        elif len(self._troubles) < MOST_NOTED:
            self._troubles.append(found.moment)


def _run_ahead(path: Path, out: Connection) -> None:
    """What the process does."""
    lower_priority()
    with contextlib.suppress(BrokenPipeError, KeyboardInterrupt):
        for found in _surveyed(path):
            out.send(found)
    out.close()


def _surveyed(path: Path) -> Iterator[Found]:
    """The survey and how it ended."""
    try:
        yield from survey(path)
    except Trouble as trouble:
        yield IndexEnd(str(trouble))
    except Exception as fault:
        # The end is a message, whatever it came by: the other process sees nothing else of it.
        yield IndexEnd(fault_words(fault))
    else:
        yield IndexEnd("")
