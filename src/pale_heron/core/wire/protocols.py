"""Which framed protocol bytes belong to that are no text: named only where its frames check.

PPP        HDLC-like framing, FCS-16 (RFC 1662)
SLIP       packets of IPv4, by their lengths and header checksums (RFC 1055, RFC 791)
others     a mark of two bytes, then a length or always as many bytes, and a check: none is known by name, but that
           many frames in a row fit their lengths and their checks is no chance
"""

import binascii
import zlib
from collections import Counter
from collections.abc import Callable, Iterator
from itertools import pairwise
from typing import Final, NamedTuple

from pale_heron.core.wire.checksum import crc24q, xor8

LEAST_FRAMES: Final = 3
"""So many with a check of a byte, or two with more, are no chance: of a thousand streams of noise none has them."""

FIT_SHARE: Final = 0.8
MOST_FRAME: Final = 2048
MARKS_TRIED: Final = 4


class FramedProtocol(NamedTuple):
    """What it is, how many of its frames check, and the share of the bytes that stand in them, 0 to 1."""

    name: str
    frames: int
    share: float


def protocol_of(data: bytes) -> FramedProtocol | None:
    """The protocol of these bytes; None where none is found that most of them belong to, or too few are here."""
    found = [each for look in (_ppp, _slip, _marked) if (each := look(data)) is not None]
    return max(found, key=lambda each: each.share, default=None)


def _ppp(data: bytes) -> FramedProtocol | None:
    return _delimited("PPP frames (RFC 1662)", data, 0x7E, _unstuffed, lambda body: _reflected(body, 0x8408) == 0xF0B8)


def _slip(data: bytes) -> FramedProtocol | None:
    return _delimited("IP packets in SLIP (RFC 1055)", data, 0xC0, _unescaped, _is_ip)


def _delimited(
    name: str, data: bytes, flag: int, plain: Callable[[bytes], bytes], checks: Callable[[bytes], bool]
) -> FramedProtocol | None:
    """Frames between flags."""
    parts = [part for part in data.split(bytes([flag])) if len(part) >= 4]
    good = [part for part in parts if checks(plain(part))]
    return _found(name, len(good), sum(len(part) + 2 for part in good), len(data), 2)


def _found(name: str, frames: int, size: int, of: int, least: int) -> FramedProtocol | None:
    return FramedProtocol(name, frames, min(1.0, size / of)) if frames >= least else None


def _unstuffed(part: bytes) -> bytes:
    """Without the escapes of HDLC (RFC 1662, 4.2)."""
    first, *others = part.split(b"\x7d")
    return first + b"".join(bytes([each[0] ^ 0x20]) + each[1:] for each in others if each)


def _unescaped(part: bytes) -> bytes:
    return part.replace(b"\xdb\xdc", b"\xc0").replace(b"\xdb\xdd", b"\xdb")


def _is_ip(packet: bytes) -> bool:
    """Whether it is a whole packet of IPv4 (RFC 791, 3.1)."""
    size = 4 * (packet[0] & 0x0F)
    if packet[0] >> 4 != 4 or size < 20 or len(packet) != int.from_bytes(packet[2:4], "big"):
        return False
    total = sum(int.from_bytes(packet[at : at + 2], "big") for at in range(0, size, 2))
    return total % 0xFFFF == 0


def _reflected(data: bytes, polynomial: int) -> int:
    """A CRC of 16 bits, the lowest first, that begins with all ones."""
    crc = 0xFFFF
    for byte in data:
        crc ^= byte
        for _ in range(8):
            crc = crc >> 1 ^ (polynomial if crc & 1 else 0)
    return crc


def _fletcher(data: bytes) -> int:
    """Two running sums of 8 bits, the first in the high byte (RFC 1145)."""
    first = second = 0
    for byte in data:
        first = first + byte & 0xFF
        second = second + first & 0xFF
    return first << 8 | second


class _Check(NamedTuple):
    name: str
    size: int
    of: Callable[[bytes], int]


CHECKS: Final = (
    _Check("CRC-32", 4, zlib.crc32),
    _Check("CRC-24Q", 3, crc24q),
    _Check("CRC-16 (0x1021, from 0xFFFF)", 2, lambda data: binascii.crc_hqx(data, 0xFFFF)),
    _Check("CRC-16 (0x1021, from 0)", 2, lambda data: binascii.crc_hqx(data, 0)),
    _Check("CRC-16 (0x8005)", 2, lambda data: _reflected(data, 0xA001)),
    _Check("CRC-16 (X.25)", 2, lambda data: _reflected(data, 0x8408) ^ 0xFFFF),
    _Check("Fletcher checksum", 2, _fletcher),
    _Check("sum of bytes", 1, lambda data: sum(data) & 0xFF),
    _Check("sum of bytes, negative", 1, lambda data: -sum(data) & 0xFF),
    _Check("XOR of bytes", 1, xor8),
)
"""The strongest first."""


class _Shape(NamedTuple):
    """Where a frame says its length, and how many bytes it has besides; `width` 0 where all are as long."""

    at: int
    width: int
    order: "str"
    more: int

    def size(self, data: bytes, begin: int) -> int:
        return self.more + _length(data, begin + self.at, self.width, self.order)


def _length(data: bytes, at: int, width: int, order: str) -> int:
    return int.from_bytes(data[at : at + width], "little" if order == "little" else "big")


def _marked(data: bytes) -> FramedProtocol | None:
    """Frames that begin with the same two bytes."""
    pairs = Counter(pairwise(data))
    marks = [bytes(pair) for pair, count in pairs.most_common(2 * MARKS_TRIED) if count >= LEAST_FRAMES]
    for mark in [each for each in marks if len(set(each)) > 1][:MARKS_TRIED]:
        for shape in _shapes(data, mark):
            frames = list(_frames(data, mark, shape))
            check = _check_of(list(dict.fromkeys(frames))[:LEAST_FRAMES])
            good = [frame for frame in frames if check is not None and _fits(frame, *check)]
            # What repeats itself to the byte has fitted once.
            if check is not None and len(set(good)) >= LEAST_FRAMES and len(good) >= FIT_SHARE * len(frames):
                name = f"frames that begin with {mark.hex(' ').upper()} and end with a {check[0].name}"
                return _found(name, len(good), sum(map(len, good)), len(data), LEAST_FRAMES)
    return None


def _shapes(data: bytes, mark: bytes) -> Iterator[_Shape]:
    """The ways in which most marks lie where the frame before says that it ends."""
    begins = []
    at = data.find(mark)
    while at >= 0:
        begins.append(at)
        at = data.find(mark, at + 2)
    gaps = [(begin, after - begin) for begin, after in pairwise(begins)]
    for width, order in ((1, "little"), (2, "little"), (2, "big"), (0, "little")):
        for offset in (2, 3, 4, 5) if width else (2,):
            more = Counter(gap - _length(data, begin + offset, width, order) for begin, gap in gaps)
            ((besides, count),) = more.most_common(1)
            if count >= max(LEAST_FRAMES - 1, 0.6 * len(gaps)) and offset + width < besides <= MOST_FRAME:
                yield _Shape(offset, width, order, besides)


def _frames(data: bytes, mark: bytes, shape: _Shape) -> Iterator[bytes]:
    """The frames one after the other; where none ends with a mark, the next mark is looked for."""
    at = data.find(mark)
    while at >= 0:
        end = at + shape.size(data, at)
        if end <= len(data) and end - at <= MOST_FRAME and data[end : end + 2] in (mark, b"", mark[:1]):
            yield data[at:end]
            at = end if data[end : end + 2] == mark else data.find(mark, end)
        else:
            at = data.find(mark, at + 2)


def _check_of(frames: list[bytes]) -> tuple[_Check, int, str] | None:
    """Which check, over the bytes from where on, in which order, all of these have at their end."""
    if len(frames) < LEAST_FRAMES:
        return None
    tried = ((check, start, order) for check in CHECKS for start in (2, 0, 1, 3) for order in ("little", "big"))
    return next((each for each in tried if all(_fits(frame, *each) for frame in frames)), None)


def _fits(frame: bytes, check: _Check, start: int, order: str) -> bool:
    body, end = frame[start : -check.size], frame[-check.size :]
    return bool(body) and check.of(body) == _length(end, 0, check.size, order)
