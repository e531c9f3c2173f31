"""A copy of a capture that can be shared: stars of the same length stand for secrets, wherever they went over the line.

The capture is gone through twice. First the trackers hear all of it, and know the secrets that commands and replies
carried; then it is copied. A secret that chunks have cut apart is found too: each stream is looked at as one.
"""

import json
import re
import secrets
from bisect import bisect_left
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

from pale_heron.bench.config.dialect_book import DialectBook
from pale_heron.bench.distance import distance_and_bearing
from pale_heron.bench.pipeline import Pipeline
from pale_heron.bench.sources import Source, batches
from pale_heron.capture.reader import CaptureReader, Record, open_file
from pale_heron.capture.writer import REDACTED, CaptureWriter
from pale_heron.core.frames import Chunk, Direction, Event
from pale_heron.core.nmea.places import (
    UNITS,
    KnownDigits,
    PlaceEditor,
    PlaceOffset,
    RestFinder,
    with_edits,
    without_places,
)
from pale_heron.core.sharing.masking import without
from pale_heron.core.streams import LaneStreams
from pale_heron.core.trouble import Trouble
from pale_heron.core.utc import clock

EXACT, COARSE, NONE = "exact", "coarse", "none"
PLACES: Final = (EXACT, COARSE, NONE)
LEAST_MOVED_M: Final = 1000.0
"""A position that was moved lies at least so far from where it was."""

LONGEST: Final = 256
"""Secrets are no longer than this, in bytes."""

Stream = tuple[str, Direction]


@dataclass(frozen=True, slots=True)
class RedactionCount:
    """What was masked: places in streams and in events, and how many different secrets."""

    places: int
    secrets: int
    torn: str
    unknown: tuple[str, ...]
    """Lanes with text whose dialect is not known: they may hold secrets that nobody can see."""
    positions: int = 0
    """So many were moved or taken out."""


class _SecretFinder:
    """Finds secrets in the streams of one lane, chunk by chunk, also across their borders."""

    def __init__(self, secrets: Iterable[str]) -> None:
        self._secrets = [each.encode("latin-1", "replace") for each in secrets]
        self._tails: dict[Stream, bytes] = {}
        self._offsets: dict[Stream, int] = {}
        self.found: dict[Stream, list[tuple[int, int]]] = {}

    def feed(self, chunk: Chunk) -> None:
        stream = (chunk.lane, chunk.direction)
        tail = self._tails.get(stream, b"")
        data = tail + chunk.data
        begin = self._offsets.get(stream, 0) - len(tail)
        places = self.found.setdefault(stream, [])
        for secret in self._secrets:
            at = data.find(secret)
            while at >= 0:
                if at + len(secret) > len(tail):
                    places.append((begin + at, begin + at + len(secret)))
                at = data.find(secret, at + 1)
        self._offsets[stream] = begin + len(data)
        self._tails[stream] = data[-LONGEST:]


def redact(
    source: Path,
    target: Path,
    more: Iterable[str] = (),
    progress: Callable[[str], None] = lambda _: None,
    dialects: Mapping[str, str] = {},
    place: str = EXACT,
) -> RedactionCount:
    """Write the copy. `more` are secrets that nobody else knows, `dialects` those of lanes by nickname.

    `place` says how positions stand in it: EXACT, COARSE (all moved by one offset that is kept nowhere) or NONE.
    Raises Trouble where it cannot be read or written, or a dialect or a lane is not there.
    """
    progress("looking for secrets")
    book, reader = DialectBook(), CaptureReader(source)
    pipeline = Pipeline(lambda name: LaneStreams(name, book), heed=book.heed)
    for name, dialect in dialects.items():
        pipeline.lane(name).speak(book.named(dialect), chosen=True)
    for batch in batches(_records(reader, source)):
        pipeline.feed(batch)
    pipeline.finish()
    strangers = dialects.keys() - reader.lanes.keys()
    if strangers:
        known = ", ".join(reader.lanes) or "none"
        raise Trouble(f"There is no lane {min(strangers)!r} in {source.name}", f"There are: {known}")
    masked = {name: {*more, *pipeline.lane(name).secrets} for name in reader.lanes}
    progress("finding them in the streams")
    finders = {name: _SecretFinder(known) for name, known in masked.items()}
    for record in _records(CaptureReader(source), source):
        if isinstance(record, Chunk):
            finders.setdefault(record.lane, _SecretFinder(more)).feed(record)
    moved = _Places(source, place, progress) if place != EXACT else None
    progress("writing the copy")
    places = {stream: sorted(found) for finder in finders.values() for stream, found in finder.found.items()}
    every = set().union(*masked.values(), more)
    in_events = _write(source, target, places, every, moved)
    if moved is not None:
        progress("reading the copy again")
        try:
            _check(source, target, place)
        except PlacesLeft:
            target.unlink()
            raise
    unknown = tuple(name for name in reader.lanes if pipeline.lane(name).speaks_unknown())
    return RedactionCount(
        sum(map(len, places.values())) + in_events, len(every), reader.torn, unknown, moved.positions if moved else 0
    )


def _records(reader: CaptureReader, path: Path) -> Iterator[Record]:
    with open_file(path) as file:
        yield from reader.records_of(file)


class _Places:
    """What becomes of positions: in one pass whole ones are found, in another what is left of others."""

    def __init__(self, source: Path, place: str, progress: Callable[[str], None]) -> None:
        progress("finding positions")
        known = KnownDigits()
        self._offset = _drawn(source) if place == COARSE else None
        editors: dict[Stream, PlaceEditor] = {}
        for chunk in _chunks(source):
            stream = chunk.lane, chunk.direction
            if stream not in editors:
                editors[stream] = PlaceEditor(self._offset, known)
            editors[stream].feed(chunk.data)
        for editor in editors.values():
            editor.finish()
        rests = {stream: RestFinder(known, editor.edits) for stream, editor in editors.items()}
        for chunk in _chunks(source):
            rests[chunk.lane, chunk.direction].feed(chunk.data)
        for rest in rests.values():
            rest.finish()
        self.positions = sum(each.positions for each in editors.values()) + sum(
            each.positions for each in rests.values()
        )
        self._edits = {stream: sorted([*editors[stream].edits, *rest.edits]) for stream, rest in rests.items()}
        self._next = dict.fromkeys(self._edits, 0)

    def of_chunk(self, stream: Stream, data: bytes, offset: int) -> bytes:
        """The bytes of the next chunk of a stream, changed."""
        changed, self._next[stream] = with_edits(data, offset, self._edits.get(stream, ()), self._next.get(stream, 0))
        return changed

    def of_event(self, event: Event) -> Event:
        """The known point of a trial moves with all others, or is left out; what people typed gets stars."""
        details, found = _placeless(event.details)
        self.positions += found
        event = event._replace(details=details)
        place = event.details.get("place")
        if not isinstance(place, list) or len(place) != 2 or not all(isinstance(each, int | float) for each in place):
            return event
        rest = {name: value for name, value in event.details.items() if name != "place"}
        if self._offset is None:
            return event._replace(details=rest)
        degrees = (each / UNITS / 60 for each in self._offset)
        return event._replace(details=rest | {"place": [have + add for have, add in zip(place, degrees, strict=True)]})


def _placeless(value: Any) -> tuple[Any, int]:
    """Texts of an event without positions, and how many there were."""
    if isinstance(value, str):
        return without_places(value)
    if isinstance(value, dict):
        told = {key: _placeless(each) for key, each in value.items()}
        return {key: each for key, (each, _) in told.items()}, sum(count for _, count in told.values())
    if isinstance(value, list):
        listed = [_placeless(each) for each in value]
        return [each for each, _ in listed], sum(count for _, count in listed)
    return value, 0


class PlacesLeft(Trouble):
    """Read again, the copy still tells where something was: it is not kept."""


def _check(source: Path, target: Path, place: str) -> None:
    """Read the copy as whoever gets it will. Raises PlacesLeft where it still holds a position that it should not."""
    before = {lane.name: lane.fix.track for lane in Source(source).lanes()} if place == COARSE else {}
    for lane in Source(target).lanes():
        true = {
            each.arrived: (each.latitude, each.longitude)
            for each in before.get(lane.name, ())
            if each.latitude is not None and each.longitude is not None
        }
        for epoch in lane.fix.track:
            if epoch.latitude is None or epoch.longitude is None:
                continue
            was = true.get(epoch.arrived)
            apart = (
                LEAST_MOVED_M
                if place == COARSE and was is None
                else 0.0
                if was is None
                else distance_and_bearing(*was, epoch.latitude, epoch.longitude)[0]
            )
            if apart < LEAST_MOVED_M:
                at = clock(epoch.arrived) if epoch.arrived is not None else "an unknown time"
                raise PlacesLeft(
                    f"{lane.name} still tells a position at {at}: the copy is not kept",
                    "Name the dialect of that lane (--dialect), or the text (--secret); please report the form",
                )


def _drawn(source: Path) -> PlaceOffset:
    """An offset of 2 to 11 km towards the equator, and up to 40 km east or west: known to nobody, kept nowhere."""
    south = any(re.search(rb"\d{4}(?:\.\d+)?,S,\d{5}", chunk.data) for chunk in _chunks(source))
    minutes = 1 + secrets.randbelow(5 * UNITS) / UNITS, 4 + secrets.randbelow(16 * UNITS) / UNITS
    north = round(minutes[0] * UNITS) * (1 if south else -1)
    return PlaceOffset(north, round(minutes[1] * UNITS) * secrets.choice((-1, 1)))


def _chunks(source: Path) -> Iterator[Chunk]:
    return (record for record in _records(CaptureReader(source), source) if isinstance(record, Chunk))


def _write(
    source: Path, target: Path, places: dict[Stream, list[tuple[int, int]]], every: set[str], moved: _Places | None
) -> int:
    """Copy all records; gives how many events held a secret."""
    reader, masked = CaptureReader(source), 0
    writer = CaptureWriter(target, REDACTED)
    described: set[str] = set()
    offsets: dict[Stream, int] = {}
    try:
        for record in _records(reader, source):
            for name, info in reader.lanes.items():
                if name not in described:
                    described.add(name)
                    writer.describe_lane(name, info.description, info.speed)
            if isinstance(record, Chunk):
                stream = (record.lane, record.direction)
                offset = offsets.get(stream, 0)
                offsets[stream] = offset + len(record.data)
                data = _starred(record.data, offset, places.get(stream, []))
                writer.chunk(record._replace(data=moved.of_chunk(stream, data, offset) if moved is not None else data))
            else:
                event = _event(record, every)
                masked += event.details != record.details
                event = moved.of_event(event) if moved is not None else event
                writer.event(event, comment=str(event.details.get("text", "")))
            if writer.failure:
                raise Trouble(f"{target} cannot be written: {writer.failure}", "Free some space")
    finally:
        writer.close()
    return masked


def _starred(data: bytes, offset: int, places: list[tuple[int, int]]) -> bytes:
    """The bytes of a chunk that begins at an offset of its stream, with stars at the places that lie in it."""
    out = bytearray(data)
    first = bisect_left(places, (offset - LONGEST, 0))
    for begin, end in places[first:]:
        if begin >= offset + len(data):
            break
        low, high = max(begin, offset) - offset, min(end, offset + len(data)) - offset
        if low < high:
            out[low:high] = b"*" * (high - low)
    return bytes(out)


def _event(event: Event, every: set[str]) -> Event:
    """What happened, with the mask for each secret in its texts."""
    details = json.dumps(event.details, ensure_ascii=False)
    if not any(each in details for each in every):
        return event
    return event._replace(details=_masked(event.details, every))


def _masked(value: Any, every: set[str]) -> Any:
    if isinstance(value, str):
        return without(value, every)
    if isinstance(value, dict):
        return {key: _masked(each, every) for key, each in value.items()}
    return [_masked(each, every) for each in value] if isinstance(value, list) else value
