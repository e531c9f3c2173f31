"""Reads captures, and raw files of bytes, as the chunks and events that were recorded."""

import json
import os
from collections.abc import Container, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import groupby
from pathlib import Path
from typing import BinaryIO, Final, NamedTuple

from pale_heron.capture import pcapng
from pale_heron.core.frames import SECOND, Chunk, Direction, Event
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.system import claim

RAW_CHUNK = 65_536
_made: Final = tuple.__new__
"""A row without a call to its class, which takes as long as all the rest."""

Record = Chunk | Event

LATEST: Final = 7_258_118_400 * SECOND
"""2200-01-01: a later time is damage. Nanoseconds in 64 bits end in 2262."""

MOST_INTERFACES: Final = 1000
"""More are damage: a bench has 64 lanes at most, and a few of these may be joined."""


class LaneInfo(NamedTuple):
    """What a capture says of a lane: its nickname, and its address and settings in words."""

    name: str
    description: str
    speed: int | None


class _Interface(NamedTuple):
    """`multiply` and `divide` make nanoseconds of its units of time."""

    name: str
    link_type: int
    multiply: int
    divide: int


class Piece(NamedTuple):
    """Records that stand behind one another, with the place of each one's block, and where the last one's ends."""

    records: list[Record]
    places: list[int]
    end: int


@dataclass(slots=True)
class CaptureReader:
    """Goes through a capture once, in the order of recording. `torn` is set where the file does not end whole."""

    path: Path
    lanes: dict[str, LaneInfo] = field(default_factory=dict)
    torn: str = ""
    position: int = 0
    """Where the block of the latest record begins; at the end, the size of the file."""
    described: list[int] = field(default_factory=list)
    """Where the blocks begin that describe what follows: sections and interfaces, in order."""
    _interfaces: list[_Interface] = field(default_factory=list)
    _is_ours: bool = False
    """Whether any interface is one of serial lines."""
    _order: str = "<"
    _program: str = ""

    @property
    def takes_events(self) -> bool:
        """Whether events of ours may stand behind what was read: in our own byte order, and on the first interface."""
        first = self._interfaces[0] if self._interfaces else None
        return (
            self._order == "<"
            and first is not None
            and first.link_type == pcapng.EVENTS
            and (first.multiply, first.divide) == (1, 1)
        )

    def resume(self, position: int, described: Sequence[int]) -> Iterator[Record]:
        """The records from a `position` on, where a block begins; `described` are the describing blocks of the file."""
        with open_file(self.path) as file:
            self.described = []
            for place in described:
                if place < position:
                    file.seek(place)
                    block = next(pcapng.read_blocks(file, self._order))
                    if isinstance(block, pcapng.Block):
                        self._describe(block)
            file.seek(position)
            yield from self.records_of(file)

    def records(self) -> Iterator[Record]:
        """Chunks and events. Raises Trouble where the file cannot be read or is not a capture."""
        with open_file(self.path) as file:
            if file.read(4) != pcapng.MAGIC:
                file.seek(0)
                check_raw(self.path, file.read(pcapng.OLD_HEADER_BYTES))
                raise Trouble(
                    f"{self.path} is not a capture", "Captures are pcapng files; `decode` also takes raw bytes"
                )
            file.seek(0)
            yield from self.records_of(file)

    def records_of(self, file: BinaryIO) -> Iterator[Record]:
        """The same for a file that is open already and can be sought in."""
        for piece in self.pieces_of(file):
            for self.position, record in zip(piece.places, piece.records, strict=True):
                yield record
            self.position = piece.end

    def pieces_of(self, file: BinaryIO, lanes: Container[str] | None = None) -> Iterator[Piece]:
        """The same, all records together that one read brought and no other description stands between.

        Of chunks those of `lanes` alone, where these are given.
        """
        self.position = file.tell()
        for blocks in pcapng.read_runs(file, self._order):
            if isinstance(blocks, pcapng.Torn):
                self.position = blocks.offset
                self.torn = f"{blocks.why} at byte {blocks.offset}; everything before it is used"
                return
            yield from self._pieces(blocks, lanes)
            if self.torn:
                return

    def _pieces(self, blocks: Sequence[pcapng.Block], lanes: Container[str] | None) -> Iterator[Piece]:
        for are_packets, group in groupby(blocks, _is_packet):
            run = list(group)
            piece = Piece([], [], run[-1].end)
            broken: ValueError | Trouble | None = None
            try:
                if are_packets:
                    self._read_packets(run, piece, lanes)
                else:
                    for block in run:
                        self.position = block.offset
                        self._describe(block)
            except (ValueError, Trouble) as problem:
                broken = problem
            place = self.position
            if piece.records:
                yield piece if broken is None else piece._replace(end=place)
            if isinstance(broken, Trouble):
                raise broken
            if broken is not None:
                self.position, self.torn = place, f"{broken} at byte {place}; everything before it is used"
                return
            self.position = piece.end

    def _describe(self, block: pcapng.Block) -> None:
        """Take what a block says of those after it, if it does. ValueError where it is broken."""
        self._order = block.order
        if block.kind == pcapng.SECTION:
            self.described, self._interfaces, self._is_ours = [block.offset], [], False
            self._program = pcapng.program_of(block)
        elif block.kind == pcapng.INTERFACE:
            if len(self._interfaces) >= MOST_INTERFACES or len(self.lanes) >= MOST_INTERFACES:
                raise ValueError(f"more than {MOST_INTERFACES} interfaces")
            self.described.append(block.offset)
            self._interfaces.append(self._interface(block, len(self._interfaces)))
            self._is_ours = any(each.link_type in OWN_TYPES for each in self._interfaces)

    def _interface(self, block: pcapng.Block, number: int) -> _Interface:
        link_type, options = pcapng.parse_interface(block)
        name = safe_label(options.get(pcapng.IF_NAME, b"").decode("utf-8", "replace")) or f"lane {number}"
        description = safe_label(options.get(pcapng.IF_DESCRIPTION, b"").decode("utf-8", "replace"))
        speed = int.from_bytes(options.get(pcapng.IF_SPEED, b""), "little" if block.order == "<" else "big")
        info = LaneInfo(name, description, speed or None)
        if link_type == pcapng.LINE_DATA:
            self.lanes.setdefault(name, info)
        return _Interface(name, link_type, *_resolution(options.get(pcapng.IF_TSRESOL, b"\x06")))

    def _read_packets(self, blocks: Iterable[pcapng.Block], piece: Piece, lanes: Container[str] | None) -> None:
        """Read what packets hold into a piece. ValueError, or Trouble, where one is broken: `position` is its place.

        One loop without calls: it runs for every read of a port that was ever recorded.
        """
        interfaces, order, known = self._interfaces, self._order, len(self._interfaces)
        head = pcapng.PACKET_HEADS[order].unpack_from
        add, add_place = piece.records.append, piece.places.append
        for offset, _, content, _ in blocks:
            self.position = offset
            if len(content) < pcapng.PACKET_HEAD_BYTES:
                raise ValueError(f"a packet of less than {pcapng.PACKET_HEAD_BYTES} bytes")
            number, high, low, length, _ = head(content)
            end = pcapng.PACKET_HEAD_BYTES + length
            if end > len(content):
                raise ValueError("a packet longer than its block")
            if number >= known:
                raise ValueError(f"a packet of interface {number}, which was not described,")
            name, link_type, multiply, divide = interfaces[number]
            if link_type != pcapng.LINE_DATA and not self._is_ours:
                raise foreign(self.path, link_type, self._program)
            time = (high << 32 | low) * multiply // divide
            if time > LATEST:
                raise ValueError("a time beyond the year 2200")
            record: Record | None = None
            if link_type == pcapng.LINE_DATA:
                if lanes is not None and name not in lanes:
                    continue
                options = content[end + (-length & 3) :]
                read = _direction if len(options) <= FEW_OPTIONS else _direction.__wrapped__
                direction, continued = read(options, order)
                record = _made(Chunk, (name, direction, time, content[20:end], continued))
            elif link_type == pcapng.EVENTS:
                record = _event(content[20:end], time)
            if record is not None:
                add(record)
                add_place(offset)


def _is_packet(block: pcapng.Block) -> bool:
    return block.kind == pcapng.ENHANCED_PACKET


FEW_OPTIONS: Final = 64
"""Bytes of options that are worth being remembered: those that we write are the same for nearly all packets."""


@lru_cache(maxsize=64)
def _direction(options: bytes, order: str) -> tuple[Direction, bool]:
    """Which way a packet went, and whether more of the same piece that was sent follows."""
    found = dict(pcapng.parse_options(options, order))
    flags = int.from_bytes(found.get(pcapng.EPB_FLAGS, b""), "little" if order == "<" else "big")
    if flags & 3 != pcapng.OUTBOUND:
        return Direction.IN, False
    return Direction.OUT, found.get(pcapng.OPT_COMMENT) == pcapng.CONTINUED


OWN_TYPES: Final = (pcapng.LINE_DATA, pcapng.EVENTS)


def foreign(path: Path, link_type: int, program: str = "") -> Trouble:
    """What is told of a packet capture that holds no serial lines."""
    by = f", made by {safe_label(program)}" if program else ""
    name = LINK_TYPES.get(link_type)
    kind = f"{link_type} ({name})" if name else str(link_type)
    return Trouble(
        f"{path.name} is a packet capture of another kind: its link type is {kind}{by}, and no serial line is in it",
        "pale-heron record makes captures of serial lines",
    )


LINK_TYPES: Final = {0: "loopback", 1: "Ethernet", 101: "IP", 105: "IEEE 802.11", 113: "Linux cooked", 189: "USB"}
"""Those that are met most, by their registered numbers."""


def check_raw(path: Path, head: bytes) -> None:
    """Trouble where a file begins as a packet capture of the older form (pcap): its bytes are no device's."""
    link_type = pcapng.old_link_type(head)
    if link_type is not None:
        raise foreign(path, link_type)


def is_claimed(path: Path) -> bool:
    """Whether another program says that it still writes a file."""
    try:
        file = os.open(path, os.O_RDONLY | getattr(os, "O_BINARY", 0))
    except OSError:
        return False
    try:
        return not claim(file)
    finally:
        os.close(file)


def _event(data: bytes, time: int) -> Event | None:
    """The event that a JSON object describes; None where it is not one, so that later versions may add kinds."""
    try:
        details = json.loads(data)
    except (ValueError, RecursionError):
        return None
    if not isinstance(details, dict) or not isinstance(details.get("event"), str):
        return None
    return Event(time, safe_label(str(details.pop("lane", ""))), details.pop("event"), details)


def _resolution(option: bytes) -> tuple[int, int]:
    """Multiplier and divisor from an interface's units to nanoseconds (if_tsresol: powers of ten or of two)."""
    exponent = option[0] if option else 6
    if exponent & 0x80:
        return 10**9, 2 ** (exponent & 0x7F)
    return (10 ** (9 - exponent), 1) if exponent <= 9 else (1, 10 ** (exponent - 9))


def is_pipe(path: Path) -> bool:
    """Whether what stands there can be read only once; what cannot be looked at is said when it is opened."""
    try:
        return path.is_fifo()
    except OSError:
        return False


def open_file(path: Path) -> BinaryIO:
    """The file for reading, or Trouble that says why not."""
    if is_pipe(path):
        way = "Write it to a file first; summary, decode and link read pipes"
        raise Trouble(f"{path} is a pipe: it can be read only once, and more is needed here", way)
    try:
        return path.open("rb")
    except OSError as problem:
        ways = {
            FileNotFoundError: "Check the spelling of its name",
            IsADirectoryError: "Name a file in it",
            PermissionError: "Ask its owner for the right to read it",
        }
        raise Trouble(f"{path} cannot be read: {problem.strerror}", ways.get(type(problem), "")) from None


def is_capture(path: Path) -> bool:
    """Whether a file begins as a capture does. Trouble where it cannot be read, or is one of another kind."""
    with open_file(path) as file:
        head = file.read(pcapng.OLD_HEADER_BYTES)
    check_raw(path, head)
    return head[:4] == pcapng.MAGIC


def raw_chunks(file: BinaryIO, lane: str) -> Iterator[Chunk]:
    """A raw file as one lane's received bytes, without times."""
    read = getattr(file, "read1", file.read)
    while data := read(RAW_CHUNK):
        yield Chunk(lane, Direction.IN, None, data)
