"""Writes a capture as it happens: every block goes to the system at once, so that a killed program loses none of them.

Nothing is ever rewritten but one thing: when a block cannot be written whole (a full disk), the file is cut back to the
last whole one. A writer that began never raises: that it cannot write is a state that it reports, with what was lost
meanwhile; it tries again now and then, and goes on where there is room again.

    writing ── cannot be written ──▶ failing ── RETRY_S later, written ──▶ writing, with an event that describes the gap
                                       └── not written: what came is counted ──▶ failing

Where somebody deletes, moves or cuts off the file meanwhile, that is seen when it is looked at, and another one is
begun beside it: what is in the old one is left as it is. What was written since the last look into one that has no name
any more is written into the new one: the file is open still, and nobody else can read it.
"""

import contextlib
import io
import json
import math
import os
from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path
from time import monotonic
from typing import Any, Final, NamedTuple

from pale_heron import __version__
from pale_heron.capture import pcapng
from pale_heron.core.frames import Chunk, Direction, Event
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.trouble import Trouble
from pale_heron.files.user_folders import is_file, is_there
from pale_heron.system import claim, write_at
from pale_heron.system.private import new_file

NOT_MASKED = "Every byte as it went over the line: passwords and identities in it are not masked."
REDACTED = "A copy made for sharing: stars stand for what the dialects call secret."
EVENTS: Final = "events"
GAP: Final = "not-recorded"
"""The event that says how much could not be written before it."""

MOVED: Final = "record-moved"
"""The event with which a file begins that goes on for another one."""

RETRY_S: Final = 1.0
DESCRIBED_FIRST: Final = 2
"""Before the lanes stand the section and the events; the interface of these has the number 0."""


class LeftFile(NamedTuple):
    """A file that could not be gone on with, and what became of it."""

    path: Path
    why: str


NO_CAPTURE: Final = "no-capture"
"""The cause where a capture cannot be begun."""


_PACKET_HEAD: Final = pcapng.ENHANCED_PACKET.to_bytes(4, "little")


class CaptureWriter:
    """One file, from its section header to its last event. One thread owns it; all may read `size` and `failure`."""

    def __init__(self, path: Path, comment: str = NOT_MASKED) -> None:
        """Begin the file; raises Trouble where it cannot be written, and never overwrites one.

        `comment` stands in its header and says whether secrets in it are masked.
        """
        self.path = path
        self.size = 0
        self.failure = ""
        """Why nothing can be written now; empty while all is well."""
        self.lost = 0
        """Bytes of lanes that could not be written since the file was begun."""
        self.left: list[LeftFile] = []
        """Files that could not be gone on with, before this one."""
        self._looked = 0
        """How much of the file was there when it was looked at last, and all was well."""
        self.described: list[int] = []
        """Where the describing blocks begin, as a reader needs them to begin in the middle."""
        self._interfaces: dict[str, int] = {}
        self._undescribed: list[tuple[str, bytes]] = []
        self._lanes: list[tuple[str, bytes]] = []
        self._comment = comment
        self._retry_at = 0.0
        self._gap: dict[str, Any] | None = None
        self._gap_event: Event | None = None
        if is_there(path):
            raise Trouble(f"{path} is there already", "Choose another name: a capture is never overwritten")
        try:
            path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            self._begin(path)
        except OSError as problem:
            why = f"{path.parent} is a file" if is_file(path.parent) else problem.strerror
            raise Trouble(
                f"The capture {path} cannot be written: {why}",
                "Choose a place where you may write",
                NO_CAPTURE,
            ) from None

    def _begin(self, path: Path) -> None:
        """Begin a file; OSError where that cannot be."""
        # Pass phrases went over the line: the record is for its user alone.
        self._file = new_file(path)
        claim(self._file)
        self._put(pcapng.section(f"pale-heron {__version__}", self._comment), describes=True)
        self._put(pcapng.interface(pcapng.EVENTS, EVENTS, "what is not line data, as JSON"), describes=True)
        self._interfaces[EVENTS] = 0

    def look(self, time: int) -> Event | None:
        """See whether the file is still there, and whole; else go on in another: gives the event that says so."""
        if self._file < 0:
            return None
        try:
            own, there = os.fstat(self._file), self.path.stat()
        except FileNotFoundError:
            return self._go_on_elsewhere("was deleted or moved", time)
        except OSError:
            return None
        if (own.st_dev, own.st_ino) != (there.st_dev, there.st_ino):
            return self._go_on_elsewhere("was replaced by another file", time)
        if own.st_size < self.size:
            return self._go_on_elsewhere(f"was cut off at {own.st_size} of {self.size} bytes", time)
        if self._has_hole():
            # What was written since stands behind a hole, where no reader comes to.
            return self._go_on_elsewhere("was cut off in the middle", time, save=True)
        if self._retry_at == math.inf:
            # It was away, and is back.
            self._retry_at = 0.0
        self._looked = self.size
        return None

    def _has_hole(self) -> bool:
        """Whether a part is gone before what was written since: a block that is cut into does not end with its length.

        One that ended where the last look ended is looked at too: the hole may have begun before it.
        """
        try:
            if self._looked and not any(self._read(self._looked - 4, 4)):
                return True
            written = self._read(self._looked, self.size - self._looked)
        except OSError:
            return False
        return any(isinstance(each, pcapng.Torn) for each in pcapng.read_blocks(io.BytesIO(written)))

    def _read(self, begin: int, count: int) -> bytes:
        """Some bytes of the file. OSError where they cannot be read."""
        with os.fdopen(os.dup(self._file), "rb") as file:
            file.seek(begin)
            return file.read(count)

    def _go_on_elsewhere(self, why: str, time: int, *, save: bool = False) -> Event | None:
        old, name, size = self._file, self.path, self.size
        described, interfaces = self.described, self._interfaces
        found = (name.with_name(f"{name.stem}-{count}{name.suffix}") for count in range(2, 1000))
        path = next((each for each in found if not is_there(each)), name)
        missing = self._written_unseen(save=save)
        self.size, self.described, self._interfaces = 0, [], {}
        try:
            self._begin(path)
        except OSError as problem:
            if self._file != old:
                # Begun, and nothing could be written into it.
                os.close(self._file)
                path.unlink(missing_ok=True)
            self._file, self.size = old, size
            self.described, self._interfaces = described, interfaces
            self.failure = f"the record {why}, and {path} cannot be begun: {problem.strerror}"
            # What is written now is lost: not before another look finds room for a new file.
            self._retry_at = math.inf
            return None
        self._retry_at = 0.0
        with contextlib.suppress(OSError):
            os.close(old)
        self.path, self.failure = path, ""
        self.left.append(LeftFile(name, why))
        self._undescribed = list(self._lanes)
        saved = sum(self._write(partial(bytes, block), time) for block in missing)
        details = {"reason": f"{name.name} {why}", "before": str(name), "bytes": size, "saved": saved}
        moved = Event(time, "", MOVED, details)
        self.event(moved)
        self._looked = self.size
        return moved

    def _written_unseen(self, *, save: bool) -> list[bytes]:
        """The records that were written since the last look into a file that has no name any more, or on `save`."""
        try:
            data = self._read(self._looked, self.size - self._looked)
            if os.fstat(self._file).st_nlink and not save:
                return []
        except OSError:
            return []
        # Lanes are described again there, and have the same numbers, in the order in which they were added.
        return [data[each.offset : each.end] for each in _last_blocks(data) if each.kind == pcapng.ENHANCED_PACKET]

    def add_lane(self, name: str, address: str, settings: LineSettings | None) -> None:
        """Describe a lane, before its first chunk."""
        speed = settings.rate if settings and not settings.decorative else None
        self.describe_lane(name, f"{address} {settings}" if settings else address, speed)

    def describe_lane(self, name: str, described: str, speed: int | None) -> None:
        """Describe a lane in words, before its first chunk."""
        lane = name, pcapng.interface(pcapng.LINE_DATA, name, described, speed)
        self._lanes.append(lane)
        self._undescribed.append(lane)
        if not self.failure:
            try:
                self._describe()
            except OSError as problem:
                self._fail(problem)

    def chunk(self, chunk: Chunk) -> None:
        """Record bytes of a lane that was added. A chunk without time is a ValueError: a record needs it."""
        if chunk.time is None:
            raise ValueError("a chunk without time cannot be recorded")
        options = [pcapng.flags(chunk.direction is Direction.OUT)]
        if chunk.continued:
            options.append((pcapng.OPT_COMMENT, pcapng.CONTINUED))
        time = chunk.time
        if not self._write(lambda: pcapng.packet(self._interfaces[chunk.lane], time, chunk.data, options), time):
            self._lose(len(chunk.data))

    def event(self, event: Event, comment: str = "") -> None:
        """Record what happened; `comment` is shown by general packet tools (the text of a mark)."""
        if not self._write(lambda: event_block(event, comment), event.time):
            self._lose(0)

    def second_file(self) -> int:
        """The file under another number, for a thread that brings it to the disk. OSError where there is none."""
        return os.dup(self._file)

    def sync(self) -> None:
        """Ask the system to bring everything to the disk, for the case of a power cut."""
        if self._file >= 0 and not self.failure:
            try:
                os.fsync(self._file)
            except OSError as problem:
                self._fail(problem)

    def close(self) -> None:
        """Bring everything to the disk and end the file; a second call does nothing."""
        if self._file < 0:
            return
        self.sync()
        self._cut_back()
        with contextlib.suppress(OSError):
            os.close(self._file)
        self._file = -1

    def taken_gap(self) -> Event | None:
        """The event of a gap that was written since this was asked last: who shows the record shows it too."""
        gap, self._gap_event = self._gap_event, None
        return gap

    def _write(self, make: Callable[[], bytes], time: int) -> bool:
        """Write what `make` gives once all lanes are described; False where nothing can be written for now."""
        if self._file < 0 or (self.failure and monotonic() < self._retry_at):
            return False
        try:
            self._describe()
            if self._gap is not None:
                gap = Event(time, "", GAP, self._gap)
                self._put(event_block(gap))
                self._gap, self._gap_event = None, gap
            self._put(make())
        except OSError as problem:
            self._fail(problem)
            return False
        if self.failure:
            # What could not be cut off then may reach beyond what stands there now.
            self._cut_back()
        self.failure = ""
        return True

    def _describe(self) -> None:
        while self._undescribed:
            name, block = self._undescribed[0]
            self._put(block, describes=True)
            self._interfaces[name] = len(self.described) - DESCRIBED_FIRST
            del self._undescribed[0]

    def _put(self, block: bytes, *, describes: bool = False) -> None:
        """Write one whole block behind the last whole one."""
        done = 0
        while done < len(block):
            done += write_at(self._file, block[done:], self.size + done)
        if describes:
            self.described.append(self.size)
        self.size += len(block)

    def _lose(self, count: int) -> None:
        self.lost += count
        gap = self._gap or {"bytes": 0, "records": 0, "reason": self.failure.partition(";")[0]}
        self._gap = gap | {"bytes": gap["bytes"] + count, "records": gap["records"] + 1}

    def _fail(self, problem: OSError) -> None:
        self.failure = f"{problem.strerror}; {self.size} bytes are kept in {self.path}"
        self._retry_at = monotonic() + RETRY_S
        self._cut_back()

    def _cut_back(self) -> None:
        """Let the file end with its last whole block. Where even that fails, a reader finds its end by itself."""
        with contextlib.suppress(OSError):
            # One that somebody cut off is not filled up again.
            if os.fstat(self._file).st_size > self.size:
                os.ftruncate(self._file, self.size)


def _last_blocks(data: bytes) -> list[pcapng.Block]:
    """The blocks that `data` ends with: all of it, or those behind a hole."""
    begin = 0
    while begin >= 0:
        file = io.BytesIO(data)
        file.seek(begin)
        blocks = list(pcapng.read_blocks(file))
        whole = [each for each in blocks if isinstance(each, pcapng.Block)]
        if len(whole) == len(blocks):
            return whole
        begin = data.find(_PACKET_HEAD, begin + 1)
    return []


def _utf8(text: str) -> bytes:
    return text.encode("utf-8", "backslashreplace")


def event_block(event: Event, comment: str = "") -> bytes:
    """An event as a block of a capture whose events have the first interface; `comment` is for general tools."""
    options = [(pcapng.OPT_COMMENT, _utf8(comment))] if comment else []
    data = _utf8(json.dumps(event_object(event), ensure_ascii=False, default=str))
    return pcapng.packet(0, event.time, data, options)


def event_object(event: Event) -> Mapping[str, Any]:
    """An event as the JSON object that stands in a capture."""
    return {"event": event.name, "lane": event.lane, **event.details}
