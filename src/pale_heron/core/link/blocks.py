"""Blocks: numbered pieces of a stream for trials of throughput, made and found (docs/probe-format.md).

    #b3F7A,A,0000002A,03D6,R,5C1BD0F2,9C2E1B07 and then 03D6 (hexadecimal) bytes of payload

The header is printable ASCII: trial, who sends, number, length of the payload, content, CRC of the payload, and CRC of
the header before its comma, both that of ITU-T V.42. The payload follows from the header's first fields and the
content, so whoever knows these knows every byte of the block: no copy of what was sent is needed.
"""

import re
import zlib
from typing import Final, NamedTuple

from pale_heron.core.link.content import BY_LETTER, LONGEST_BLOCK, SHORTEST_BLOCK

HEADER: Final = 42
MOST_HELD: Final = 1 << 18
"""So many bytes may wait for the next whole block; more are given up as no block."""

_MARK: Final = b"#b"
_HEADER: Final = re.compile(
    rb"#b([0-9A-F]{4}),([A-Z]),([0-9A-F]{8}),([0-9A-F]{4}),([A-Z0-9]),([0-9A-F]{8}),([0-9A-F]{8})"
)


class DataBlock(NamedTuple):
    """What a header says. `size` is that of the whole block."""

    trial: int
    sender: str
    number: int
    """From 1."""
    size: int
    content: str
    """Its letter."""


def encode_block(block: DataBlock) -> bytes:
    """The whole block. ValueError where its size or its content is none."""
    if not SHORTEST_BLOCK <= block.size <= LONGEST_BLOCK:
        raise ValueError(f"a block of {block.size} bytes is not {SHORTEST_BLOCK} to {LONGEST_BLOCK}")
    if block.content not in BY_LETTER:
        raise ValueError(f"the content {block.content!r} is not one of {', '.join(BY_LETTER)}")
    first = b"%04X,%s,%08X" % (block.trial, block.sender.encode("ascii"), block.number)
    payload = BY_LETTER[block.content](zlib.crc32(first), block.size - HEADER)
    fields = (first, block.size - HEADER, block.content.encode("ascii"), zlib.crc32(payload))
    header = _MARK + b"%s,%04X,%s,%08X" % fields
    return header + b",%08X" % zlib.crc32(header) + payload


def header_at(data: bytes, at: int) -> DataBlock | None:
    """The header that begins there; None where none does, or not all of it is there, or it is damaged."""
    match = _HEADER.match(data, at)
    if match is None or zlib.crc32(data[at : at + HEADER - 9]) != int(match[7], 16):
        return None
    size = HEADER + int(match[4], 16)
    content = match[5].decode()
    if not SHORTEST_BLOCK <= size <= LONGEST_BLOCK or content not in BY_LETTER:
        return None
    return DataBlock(int(match[1], 16), match[2].decode(), int(match[3], 16), size, content)


class FoundBlock(NamedTuple):
    """A whole block, undamaged, and the bytes before it that are none."""

    before: bytes
    block: DataBlock
    data: bytes
    end: int
    """So many of the bytes that made it whole are its own, or of blocks before it."""


class BlockFinder:
    """Feed it a stream, cut anywhere. What is no whole block is kept until one follows, and comes along with that."""

    def __init__(self) -> None:
        self._held = bytearray()
        self._scan = 0
        """No block begins before it."""
        self.given_up = 0
        """Bytes that were too many to wait for a whole block with."""

    @property
    def rest(self) -> bytes:
        """What came behind the last whole block."""
        return bytes(self._held)

    def feed(self, data: bytes) -> list[FoundBlock]:
        """The blocks that became whole; each one ended with these bytes."""
        earlier = len(self._held)
        self._held += data
        found = []
        held = bytes(self._held)
        begin, scan = 0, self._scan
        while True:
            at = held.find(_MARK, scan)
            if at < 0:
                # The last byte may be the first of a mark.
                scan = max(scan, len(held) - 1)
                break
            scan = at
            if len(held) - at < HEADER:
                break
            block = header_at(held, at)
            if block is not None:
                if len(held) - at < block.size:
                    if self._another(held, at + 1, at + block.size):
                        scan = at + 1
                        continue
                    break
                payload = held[at + HEADER : at + block.size]
                if zlib.crc32(payload) == int(held[at + 25 : at + 33], 16):
                    end = at + block.size
                    found.append(FoundBlock(held[begin:at], block, held[at:end], end - earlier))
                    begin = scan = end
                    continue
            scan = at + 1
        if len(held) - begin > MOST_HELD:
            self.given_up += len(held) - MOST_HELD // 2 - begin
            begin = scan = len(held) - MOST_HELD // 2
        self._held = bytearray(held[begin:])
        self._scan = scan - begin
        return found

    @staticmethod
    def _another(held: bytes, at: int, end: int) -> bool:
        """Whether a header begins where a payload should still go on: bytes of that payload are missing."""
        while (at := held.find(_MARK, at, end)) >= 0:
            if header_at(held, at) is not None:
                return True
            at += 1
        return False
