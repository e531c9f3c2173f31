"""Frames written as tables, in the pass over a file or, where it is long, by a process beside it.

To say in full what a frame holds costs more than to follow its lane, and needs nothing but the frame. The pipe between
the two bounds what waits.
"""

import contextlib
import multiprocessing
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Final, NamedTuple, Protocol

from pale_heron.core.frames import Frame
from pale_heron.report.table_file import FRAME_HEADS, TableFile, write_frames

LARGE_BYTES: Final = 4 << 20
"""From this length of a file on it is worth a process."""

GONE: Final = "the process that writes them has ended"


class FrameWriter(Protocol):
    """Writes frames into their files; OSError where that cannot be done."""

    def write(self, frames: Sequence[Frame]) -> None: ...

    def end(self) -> int:
        """The rows of each file."""
        ...


@contextmanager
def frame_writer(files: Sequence[tuple[Path, str]], size: int, *, timed: bool) -> Iterator[FrameWriter]:
    """What writes the frames of a source of so many bytes; each file is there, and is written in its format.

    `timed` is False for a raw file, whose bytes nobody saw coming.
    """
    if files and size > LARGE_BYTES:
        process = FrameProcess(files, timed=timed)
        try:
            yield process
        finally:
            process.stop()
    else:
        with ExitStack() as stack:
            yield FramesHere(_opened(files, stack), timed=timed)


def _opened(files: Sequence[tuple[Path, str]], stack: ExitStack) -> list[TableFile]:
    return [
        TableFile(FRAME_HEADS, form, stack.enter_context(path.open("w", encoding="utf-8", newline="")))
        for path, form in files
    ]


class FramesHere:
    """Writes them in the pass itself."""

    def __init__(self, files: Sequence[TableFile], *, timed: bool) -> None:
        self._files = files
        self._timed = timed

    def write(self, frames: Sequence[Frame]) -> None:
        write_frames(self._files, frames, timed=self._timed)

    def end(self) -> int:
        return self._files[0].rows if self._files else 0


class FramesWritten(NamedTuple):
    """How many rows each file got; or the system's number and word for what went wrong."""

    rows: int
    number: int = 0
    problem: str = ""


class FrameProcess:
    """Started at once; `write` as often as there is something, then `end`, and `stop` in any case."""

    def __init__(self, files: Sequence[tuple[Path, str]], *, timed: bool) -> None:
        context = multiprocessing.get_context("spawn")
        self._pipe, theirs = context.Pipe()
        self._process = context.Process(target=_write_down, args=(files, timed, theirs), name="frames", daemon=True)
        self._process.start()
        theirs.close()

    def write(self, frames: Sequence[Frame]) -> None:
        """Waits where much is waiting. OSError where it cannot be written."""
        try:
            self._pipe.send(frames)
        except OSError:
            self._end_of(self._told())

    def end(self) -> int:
        """Rows of each file, all of which are on the disk. OSError where that went wrong."""
        with contextlib.suppress(OSError):
            self._pipe.send(None)
        return self._end_of(self._told())

    def stop(self) -> None:
        """End it, wherever it is."""
        self._pipe.close()
        self._process.terminate()
        self._process.join()

    def _told(self) -> FramesWritten:
        try:
            found = self._pipe.recv()
        except (EOFError, OSError):
            raise OSError(0, GONE) from None
        return found if isinstance(found, FramesWritten) else FramesWritten(0, 0, GONE)

    def _end_of(self, told: FramesWritten) -> int:
        if told.problem:
            raise OSError(told.number, told.problem)
        return told.rows


def _write_down(files: Sequence[tuple[Path, str]], timed: bool, pipe: Connection) -> None:
    """What the process does."""
    with contextlib.suppress(BrokenPipeError, KeyboardInterrupt, EOFError):
        try:
            told = FramesWritten(_written(files, timed, pipe))
        except OSError as problem:
            told = FramesWritten(0, problem.errno or 0, problem.strerror or str(problem))
        pipe.send(told)


def _written(files: Sequence[tuple[Path, str]], timed: bool, pipe: Connection) -> int:
    with ExitStack() as stack:
        here = FramesHere(_opened(files, stack), timed=timed)
        while (frames := pipe.recv()) is not None:
            here.write(frames)
        return here.end()
