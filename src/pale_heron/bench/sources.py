"""A file of either kind, a capture or raw bytes, as frames or as lanes that have seen all of it."""

import io
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import BinaryIO, cast

from pale_heron.bench.secrets import Secrets
from pale_heron.capture import pcapng
from pale_heron.capture.reader import CaptureReader, Record, open_file, raw_chunks
from pale_heron.core.frames import Chunk, Direction, Event, Frame
from pale_heron.core.lane import Lane, LaneSnapshot
from pale_heron.core.wire.framer import Framer
from pale_heron.core.wire.visible import safe_label

PROGRESS_RECORDS = 20_000


class Source:
    """One file, gone through once. `torn` says where a capture stopped being readable; it is empty for a whole one."""

    def __init__(self, path: Path | None, standard_input: BinaryIO | None = None) -> None:
        """The file at `path`, or standard input where that is None. Raises Trouble where it cannot be read."""
        self.name = safe_label(path.name) if path else "standard input"
        self._file = _peekable(open_file(path) if path else standard_input or io.BytesIO())
        self.is_capture = self._file.peek(4)[:4] == pcapng.MAGIC
        if self.is_capture and not self._file.seekable():
            self._file = _peekable(io.BytesIO(self._file.read()))
        self._reader = CaptureReader(path or Path(self.name))
        self.span: tuple[int, int] | None = None
        self._size = path.stat().st_size if path else 0
        self._marks: list[tuple[int, str]] = []

    @property
    def torn(self) -> str:
        return self._reader.torn

    def close(self) -> None:
        self._file.close()

    def records(self) -> Iterator[Record]:
        """Chunks and events; a raw file is one lane named after it, without times."""
        if not self.is_capture:
            yield from raw_chunks(self._file, self.name)
            return
        for record in self._reader.records_of(self._file):
            time = record.time or 0
            self.span = (self.span[0], max(time, self.span[1])) if self.span else (time, time)
            yield record

    def frames(self, *, masked: bool = False) -> Iterator[Frame]:
        """Every frame of every lane and direction, as it becomes whole.

        `masked` has stars for the secrets of modules, as far as a capture tells how they speak.
        """
        framers: dict[tuple[str, Direction], Framer] = {}
        secrets = Secrets() if masked and self.is_capture else None
        for record in self.records():
            if secrets is not None:
                secrets.hear(record)
            if isinstance(record, Chunk):
                key = record.lane, record.direction
                framer = framers.get(key) or framers.setdefault(key, Framer(*key))
                frames = framer.feed(record)
                yield from frames if secrets is None else secrets.masked(record, frames)
        for framer in framers.values():
            left = framer.finish()
            yield from left if secrets is None else (secrets.starred(frame) for frame in left)

    @property
    def share(self) -> float:
        """How much of the file was gone through, 0 to 1; 0 where that cannot be told."""
        return self._file.tell() / self._size if self._size else 0.0

    @property
    def marks(self) -> tuple[tuple[int, str], ...]:
        """What was noted, in the order of the file, as far as that was gone through."""
        return tuple(self._marks)

    def lanes(self, progress: Callable[[float], None] = lambda _: None) -> list[LaneSnapshot]:
        """All lanes at the end of the file; `progress` is told the share gone through now and then."""
        lanes: dict[str, Lane] = {}
        if not self.is_capture:
            lanes[self.name] = Lane(self.name, own_time=True, epochs_kept=None)
        for count, record in enumerate(self.records()):
            if count % PROGRESS_RECORDS == 0:
                progress(self.share)
            lane = lanes.get(record.lane)
            if isinstance(record, Event) and record.name == "mark":
                self._marks.append((record.time, safe_label(str(record.details.get("text", "")))))
            if lane is None and record.lane:
                lane = lanes[record.lane] = Lane(record.lane, epochs_kept=None)
            if isinstance(record, Chunk):
                assert lane is not None, "a chunk names its lane"
                lane.feed(record)
            elif lane is not None:
                lane.event(record)
        for name in self._reader.lanes:
            lanes.setdefault(name, Lane(name))
        for lane in lanes.values():
            lane.finish()
        end = self.span[1] if self.span else None
        return [lane.snapshot(end) for lane in lanes.values()]


def _peekable(file: BinaryIO) -> io.BufferedReader:
    return file if isinstance(file, io.BufferedReader) else io.BufferedReader(cast(io.RawIOBase, file))
