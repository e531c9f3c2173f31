"""A part of a capture as a capture of its own, or a lane's received bytes alone."""

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Final, NamedTuple

from pale_heron.bench.part import CutPart, PartRecords
from pale_heron.capture.reader import CaptureReader, Record
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import IN, Chunk
from pale_heron.core.trouble import Trouble
from pale_heron.files.user_folders import is_there
from pale_heron.files.whole import written_whole

COPY: Final = "A part of a longer capture. Every byte of it as it went over the line: secrets in it are not masked."
TOLD_EVERY: Final = 5000
"""So many records pass between two words of progress."""


class CutCount(NamedTuple):
    """What was copied; `broken_trials` began before the part."""

    bytes: int
    records: int
    broken_trials: int
    torn: str


def cut(source: Path, target: Path, part: CutPart, progress: Callable[[float], None] = lambda _: None) -> CutCount:
    """Write the part; `progress` gets the share gone through. Trouble where a file cannot be read or written.

    Also where a lane is not there, or nothing lies in the part: no file is left then.
    """
    size_of_all = source.stat().st_size if is_there(source) else 0
    reader = CaptureReader(source)
    records = PartRecords(_gone_through(reader, size_of_all, progress), part)
    writer: CaptureWriter | None = None
    described: set[str] = set()
    count = size = 0
    try:
        for record in records:
            if writer is None:
                writer = CaptureWriter(target, COPY)
            for name, info in reader.lanes.items():
                if name not in described and (not part.lanes or name in part.lanes):
                    described.add(name)
                    writer.describe_lane(name, info.description, info.speed)
            count += 1
            size += len(record.data) if isinstance(record, Chunk) else 0
            _write(writer, record)
            if writer.failure:
                raise Trouble(f"{target} cannot be written: {writer.failure}", "Free some space")
    finally:
        if writer is not None:
            writer.close()
    try:
        _check(part, reader, source, count)
    except Trouble:
        if writer is not None:
            target.unlink(missing_ok=True)
        raise
    return CutCount(size, count, records.broken, reader.torn)


def _gone_through(reader: CaptureReader, size: int, progress: Callable[[float], None]) -> Iterator[Record]:
    for gone, record in enumerate(reader.records(), 1):
        if gone % TOLD_EVERY == 0:
            progress(reader.position / max(1, size))
        yield record


def received(source: Path, target: Path, part: CutPart) -> CutCount:
    """The received bytes of one lane as they came, whole or not at all. Trouble where that cannot be."""
    reader, size, count = CaptureReader(source), 0, 0
    try:
        with written_whole(target, 0o600) as fresh, fresh.open("wb") as file:
            for record in reader.records():
                if isinstance(record, Chunk) and record.direction is IN and part.holds(record):
                    file.write(record.data)
                    size, count = size + len(record.data), count + 1
            _check(part, reader, source, count)
    except OSError as problem:
        raise Trouble(f"{target} cannot be written: {problem.strerror}", "Choose another place") from None
    return CutCount(size, count, 0, reader.torn)


def _check(part: CutPart, reader: CaptureReader, source: Path, count: int) -> None:
    strangers = [name for name in part.lanes if name not in reader.lanes]
    if strangers:
        known = ", ".join(reader.lanes) or "none"
        raise Trouble(f"There is no lane {strangers[0]!r} in {source.name}", f"There are: {known}")
    if not count:
        raise Trouble(f"Nothing of {source.name} lies in that part", "pale-heron summary says from when to when it is")


def _write(writer: CaptureWriter, record: Record) -> None:
    if isinstance(record, Chunk):
        writer.chunk(record)
    else:
        writer.event(record, comment=str(record.details.get("text", "")))
