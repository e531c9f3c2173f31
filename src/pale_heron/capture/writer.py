"""Writes a capture as it happens: every block goes to the system at once, so that a killed program loses none of them.

Nothing is ever rewritten but one thing: when a block cannot be written whole (a full disk), the file is cut back to the
last whole one. From then on the writer takes nothing more and says why; the program goes on without a record.
"""

import json
import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from pale_heron import __version__
from pale_heron.capture import pcapng
from pale_heron.core.frames import Chunk, Direction, Event
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.trouble import Trouble

NOT_MASKED = "Every byte as it went over the line: passwords and identities in it are not masked."
REDACTED = "A copy made for sharing: stars stand for what the dialects call secret."


class CaptureWriter:
    """One file, from its section header to its last event. Not for several threads at once."""

    def __init__(self, path: Path, comment: str = NOT_MASKED) -> None:
        """Begin the file; raises Trouble where it cannot be written, and never overwrites one.

        `comment` stands in its header and says whether secrets in it are masked.
        """
        self.path = path
        self.size = 0
        self.failure = ""
        self.described: list[int] = []
        """Where the describing blocks begin, as a reader needs them to begin in the midst."""
        self._interfaces: dict[str, int] = {}
        if path.exists():
            raise Trouble(f"{path} is there already", "Choose another name: a capture is never overwritten")
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._file = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o644)
        except OSError as problem:
            raise Trouble(
                f"The capture {path} cannot be written: {problem.strerror}",
                "Choose another place with -o, set PALE_HERON_CAPTURES, or go without a record: --no-capture",
            ) from None
        self.described.append(self.size)
        self._write(pcapng.section(f"pale-heron {__version__}", comment))
        self._events = self._add(pcapng.interface(pcapng.EVENTS, "events", "what is not line data, as JSON"), "")

    def add_lane(self, name: str, address: str, settings: LineSettings | None) -> None:
        """Describe a lane, before its first chunk."""
        speed = settings.rate if settings and not settings.decorative else None
        self.describe_lane(name, f"{address} {settings}" if settings else address, speed)

    def describe_lane(self, name: str, described: str, speed: int | None) -> None:
        """Describe a lane in words, before its first chunk."""
        self._add(pcapng.interface(pcapng.LINE_DATA, name, described, speed), name)

    def chunk(self, chunk: Chunk) -> None:
        """Record bytes of a lane that was added. A chunk without time is a ValueError: a record needs it."""
        if chunk.time is None:
            raise ValueError("a chunk without time cannot be recorded")
        options = (pcapng.flags(chunk.direction is Direction.OUT),)
        self._write(pcapng.packet(self._interfaces[chunk.lane], chunk.time, chunk.data, options))

    def event(self, event: Event, comment: str = "") -> None:
        """Record what happened; `comment` is shown by general packet tools (the text of a mark)."""
        data = json.dumps(event_object(event), ensure_ascii=False).encode()
        options = [(pcapng.OPT_COMMENT, comment.encode())] if comment else []
        self._write(pcapng.packet(self._events, event.time, data, options))

    def sync(self) -> None:
        """Ask the system to bring everything to the disk, for the case of a power cut."""
        if not self.failure:
            try:
                os.fsync(self._file)
            except OSError as problem:
                self._fail(problem)

    def close(self) -> None:
        """Bring everything to the disk and end the file; a second call does nothing."""
        if self._file >= 0:
            self.sync()
            os.close(self._file)
            self._file = -1

    def _add(self, block: bytes, name: str) -> int:
        number = len(self._interfaces)
        self._interfaces[name] = number
        self.described.append(self.size)
        self._write(block)
        return number

    def _write(self, block: bytes) -> None:
        if self.failure:
            return
        try:
            written = os.write(self._file, block)
            while written < len(block):
                written += os.write(self._file, block[written:])
        except OSError as problem:
            self._fail(problem)
            return
        self.size += len(block)

    def _fail(self, problem: OSError) -> None:
        self.failure = f"{problem.strerror}; {self.size} bytes are kept in {self.path}"
        os.ftruncate(self._file, self.size)


def event_object(event: Event) -> Mapping[str, Any]:
    """An event as the JSON object that stands in a capture."""
    return {"event": event.name, "lane": event.lane, **event.details}
