"""Adds events to a finished capture: what people say of it afterwards. Nothing that is there is touched."""

import contextlib
import os
from collections.abc import Sequence
from pathlib import Path

from pale_heron.capture.reader import CaptureReader
from pale_heron.capture.writer import event_block
from pale_heron.core.frames import Event
from pale_heron.core.trouble import Trouble
from pale_heron.system import claim, write_at

COPY_FIRST = "Make a whole copy and take that: pale-heron cut CAPTURE -o COPY"


def last_moment(path: Path) -> int:
    """The latest time of a whole capture, where what is added has its place. Trouble where nothing may be added."""
    reader, latest = CaptureReader(path), 0
    for record in reader.records():
        latest = max(latest, record.time or 0)
    if reader.torn:
        raise Trouble(f"{path.name} does not end whole: {reader.torn}", COPY_FIRST)
    if not reader.takes_events:
        raise Trouble(f"{path.name} has no events of ours: another program wrote it", COPY_FIRST)
    return latest


def append_events(path: Path, events: Sequence[Event]) -> None:
    """Write events behind the last block, all of them or none. `last_moment` has looked at the file.

    Trouble where it cannot be written, or somebody else writes it now.
    """
    blocks = b"".join(event_block(each, str(each.details.get("text", ""))) for each in events)
    try:
        file = os.open(path, os.O_WRONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_BINARY", 0))
    except OSError as problem:
        raise Trouble(f"{path} cannot be written: {problem.strerror}", "Ask its owner for the right to") from None
    try:
        if not claim(file):
            raise Trouble(f"{path.name} is being recorded by another program", "Note it there, or wait until it ends")
        _write(path, file, blocks)
    finally:
        os.close(file)


def _write(path: Path, file: int, blocks: bytes) -> None:
    size, done = os.fstat(file).st_size, 0
    try:
        while done < len(blocks):
            done += write_at(file, blocks[done:], size + done)
        os.fsync(file)
    except OSError as problem:
        with contextlib.suppress(OSError):
            os.ftruncate(file, size)
        raise Trouble(f"{path} cannot be written: {problem.strerror}", "It is as it was; free some space") from None
