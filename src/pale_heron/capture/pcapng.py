"""The blocks of a pcapng file that a capture is made of (IETF draft-ietf-opsawg-pcapng).

Three kinds are written: one section header, an interface description a lane, an enhanced packet a chunk or event.
Reading accepts either byte order, several sections and unknown blocks, and stops before the first block that is torn.
"""

import struct
from collections.abc import Iterable, Iterator
from typing import BinaryIO, Final, NamedTuple

SECTION: Final = 0x0A0D0D0A
INTERFACE: Final = 1
ENHANCED_PACKET: Final = 6
BYTE_ORDER: Final = 0x1A2B3C4D

LINE_DATA: Final = 147
EVENTS: Final = 148
"""Link types user 0 (bytes of a lane) and user 1 (one JSON object)."""

OPT_COMMENT: Final = 1
IF_NAME: Final = 2
IF_DESCRIPTION: Final = 3
IF_SPEED: Final = 8
IF_TSRESOL: Final = 9
SHB_USERAPPL: Final = 4
EPB_FLAGS: Final = 2
INBOUND: Final = 1
OUTBOUND: Final = 2
NANOSECONDS: Final = 9
CONTINUED: Final = b"continued"
"""The comment of a sent packet behind which more of the same sending follows."""

LARGEST_BLOCK: Final = 1 << 24
HEAD_BYTES: Final = 8
READ_BYTES: Final = 1 << 18
_HEADS: Final = {order: struct.Struct(order + "II") for order in "<>"}
_LENGTHS: Final = {order: struct.Struct(order + "I") for order in "<>"}
PACKET_HEAD_BYTES: Final = 20
PACKET_HEADS: Final = {order: struct.Struct(order + "IIIII") for order in "<>"}
"""How an enhanced packet begins: interface, high and low half of the time in its units, bytes captured and original."""

_made: Final = tuple.__new__
"""A row without a call to its class, which takes as long as all the rest."""

MAGIC: Final = SECTION.to_bytes(4, "little")
"""The first four bytes of every capture, the same in both byte orders."""

Options = Iterable[tuple[int, bytes]]


class Block(NamedTuple):
    """One whole block: where it begins in the file, its type, its content, and the byte order of its section."""

    offset: int
    kind: int
    content: bytes
    order: str

    @property
    def end(self) -> int:
        """Where the next one begins."""
        return self.offset + HEAD_BYTES + len(self.content) + 4


class Torn(NamedTuple):
    """Where reading stopped, and why."""

    offset: int
    why: str


def _padded(data: bytes) -> bytes:
    return data + b"\0" * (-len(data) % 4)


def _options(options: Options) -> bytes:
    out = b"".join(struct.pack("<HH", code, len(value)) + _padded(value) for code, value in options)
    return out + b"\0\0\0\0" if out else b""


def _block(kind: int, content: bytes) -> bytes:
    length = struct.pack("<I", len(content) + 12)
    return struct.pack("<I", kind) + length + content + length


def section(program: str, comment: str = "") -> bytes:
    """A section header of unknown length, named after the writing program."""
    options = [(SHB_USERAPPL, program.encode()), *([(OPT_COMMENT, comment.encode())] if comment else [])]
    return _block(SECTION, struct.pack("<IHHq", BYTE_ORDER, 1, 0, -1) + _options(options))


def interface(link_type: int, name: str, description: str = "", speed: int | None = None) -> bytes:
    """An interface with times in nanoseconds."""
    options = [(IF_NAME, name.encode()), (IF_TSRESOL, bytes([NANOSECONDS]))]
    if description:
        options.append((IF_DESCRIPTION, description.encode()))
    if speed:
        options.append((IF_SPEED, struct.pack("<Q", speed)))
    return _block(INTERFACE, struct.pack("<HHI", link_type, 0, 0) + _options(options))


def packet(number: int, time: int, data: bytes, options: Options = ()) -> bytes:
    """An enhanced packet of interface `number` at `time` nanoseconds since 1970."""
    head = struct.pack("<IIIII", number, time >> 32, time & 0xFFFFFFFF, len(data), len(data))
    return _block(ENHANCED_PACKET, head + _padded(data) + _options(options))


def flags(outbound: bool) -> tuple[int, bytes]:
    """The option that holds the direction of a packet."""
    return EPB_FLAGS, struct.pack("<I", OUTBOUND if outbound else INBOUND)


def read_blocks(file: BinaryIO, order: str = "<") -> Iterator[Block | Torn]:
    """The whole blocks from the place where `file` stands; a Torn last where it does not end with one.

    `order` is the byte order of the section that it stands in; each section header sets it again.
    """
    for blocks in read_runs(file, order):
        yield from (blocks,) if isinstance(blocks, Torn) else blocks


def read_runs(file: BinaryIO, order: str = "<") -> Iterator[list[Block] | Torn]:
    """The same, all blocks together that one read brought: most are far smaller than what a disk gives at once."""
    offset = file.tell()
    held = b""
    while True:
        # More each time where one block is larger than what was read.
        more = file.read(max(READ_BYTES, len(held)))
        held += more
        blocks, used, torn = _cut(held, offset, order)
        if blocks:
            order = blocks[-1].order
            yield blocks
        if torn:
            yield Torn(offset + used, torn)
            return
        offset, held = offset + used, held[used:]
        if not more:
            if held:
                yield Torn(offset, "the file ends in the middle of a block")
            return


def _cut(held: bytes, begin: int, order: str) -> tuple[list[Block], int, str]:
    """The whole blocks in bytes that begin with one; how many bytes they are, and what is wrong with the next."""
    blocks: list[Block] = []
    head, length_at = _HEADS[order].unpack_from, _LENGTHS[order].unpack_from
    at, size = 0, len(held)
    while size - at >= HEAD_BYTES + 4:
        kind, length = head(held, at)
        if kind == SECTION:
            mark = held[at + HEAD_BYTES : at + HEAD_BYTES + 4]
            order = ">" if mark == BYTE_ORDER.to_bytes(4, "big") else "<"
            if mark != BYTE_ORDER.to_bytes(4, "little" if order == "<" else "big"):
                return blocks, at, "a section without byte order"
            head, length_at = _HEADS[order].unpack_from, _LENGTHS[order].unpack_from
            kind, length = head(held, at)
        if length < HEAD_BYTES + 4 or length % 4 or length > LARGEST_BLOCK:
            return blocks, at, f"a block of {length} bytes"
        end = at + length
        if end > size:
            break
        if length_at(held, end - 4)[0] != length:
            return blocks, at, "a block whose two lengths differ"
        blocks.append(_made(Block, (begin + at, kind, held[at + HEAD_BYTES : end - 4], order)))
        at = end
    return blocks, at, ""


def parse_options(content: bytes, order: str) -> list[tuple[int, bytes]]:
    """Codes and values up to the end mark; what is torn within is left out."""
    found, at = [], 0
    while at + 4 <= len(content):
        code, length = struct.unpack_from(order + "HH", content, at)
        if code == 0:
            break
        if at + 4 + length > len(content):
            break
        found.append((code, content[at + 4 : at + 4 + length]))
        at += 4 + length + (-length % 4)
    return found


def parse_interface(block: Block) -> tuple[int, dict[int, bytes]]:
    """Link type and options of an interface description. ValueError where it is too short."""
    if len(block.content) < 8:
        raise ValueError("an interface description of less than 8 bytes")
    return struct.unpack_from(block.order + "H", block.content)[0], dict(parse_options(block.content[8:], block.order))


OLD_HEADER_BYTES: Final = 24
_OLD_MAGICS: Final = (0xA1B2C3D4, 0xA1B23C4D)


def old_link_type(head: bytes) -> int | None:
    """The link type of a capture in the form before pcapng; None where a file does not begin as one."""
    for order in "<>":
        if len(head) >= OLD_HEADER_BYTES and struct.unpack_from(order + "I", head)[0] in _OLD_MAGICS:
            return int(struct.unpack_from(order + "I", head, 20)[0]) & 0xFFFF
    return None


def program_of(section: Block) -> str:
    """The program that a section header names; empty where it names none."""
    try:
        options = dict(parse_options(section.content[16:], section.order))
    except ValueError:
        return ""
    return options.get(SHB_USERAPPL, b"").decode("utf-8", "replace")[:80]
