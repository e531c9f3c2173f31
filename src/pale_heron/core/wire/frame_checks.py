"""The checks that frames and lines of modules carry: sums, Fletcher's, and cyclic redundancy checks, by name."""

from collections.abc import Callable, Mapping
from functools import cache
from typing import Final, NamedTuple

from pale_heron.core.wire.checksum import xor8


class FrameCheck(NamedTuple):
    """`of` gives the value of some bytes; `size` bytes of it are sent, the low one first or last."""

    size: int
    of: Callable[[bytes], int]
    low_first: bool = False

    def sent(self, data: bytes) -> bytes:
        """The check of `data` as it stands in a frame."""
        return self.of(data).to_bytes(self.size, "little" if self.low_first else "big")


def fletcher16(data: bytes) -> int:
    """The two running sums modulo 256 (RFC 1145), the plain one in the high byte."""
    first = second = 0
    for byte in data:
        first = (first + byte) & 0xFF
        second = (second + first) & 0xFF
    return first << 8 | second


def _reversed(value: int, bits: int) -> int:
    return int(f"{value:0{bits}b}"[::-1], 2)


@cache
def _remainders(bits: int, polynomial: int, reflected: bool) -> tuple[int, ...]:
    """What each value of a byte leaves behind."""
    mask, top = (1 << bits) - 1, 1 << bits - 1
    found = []
    for byte in range(256):
        value = _reversed(byte, 8) << bits - 8 if reflected else byte << bits - 8
        for _ in range(8):
            value = (value << 1 ^ polynomial if value & top else value << 1) & mask
        found.append(_reversed(value, bits) if reflected else value)
    return tuple(found)


def crc(bits: int, polynomial: int, begin: int = 0, reflected: bool = False, last: int = 0) -> Callable[[bytes], int]:
    """A cyclic redundancy check of so many bits, 8 at least, by its polynomial without the highest term.

    It begins with `begin`; what comes out is combined with `last` by XOR. `reflected`: the low bit of each byte first.
    """

    def value_of(data: bytes) -> int:
        table, value = _remainders(bits, polynomial, reflected), begin
        for byte in data:
            if reflected:
                value = value >> 8 ^ table[(value ^ byte) & 0xFF]
            else:
                value = (value << 8 ^ table[value >> bits - 8 ^ byte]) & (1 << bits) - 1
        return value ^ last

    return value_of


CHECKS: Final[Mapping[str, FrameCheck]] = {
    "xor8": FrameCheck(1, xor8),
    "sum8": FrameCheck(1, lambda data: sum(data) & 0xFF),
    "sum8-negative": FrameCheck(1, lambda data: -sum(data) & 0xFF),
    "sum16": FrameCheck(2, lambda data: sum(data) & 0xFFFF),
    "fletcher16": FrameCheck(2, fletcher16),
    "crc8": FrameCheck(1, crc(8, 0x07)),
    "crc8-reflected": FrameCheck(1, crc(8, 0x31, 0, reflected=True)),
    "crc16": FrameCheck(2, crc(16, 0x8005, 0, reflected=True), low_first=True),
    "crc16-ones": FrameCheck(2, crc(16, 0x8005, 0xFFFF, reflected=True), low_first=True),
    "crc16-ccitt": FrameCheck(2, crc(16, 0x1021, 0xFFFF)),
    "crc16-ccitt-zero": FrameCheck(2, crc(16, 0x1021, 0)),
    "crc16-hdlc": FrameCheck(2, crc(16, 0x1021, 0xFFFF, reflected=True, last=0xFFFF), low_first=True),
    "crc32": FrameCheck(4, crc(32, 0x04C11DB7, 0xFFFFFFFF, reflected=True, last=0xFFFFFFFF), low_first=True),
}
"""By the names that a dialect gives them. `-ones`: it begins with ones; `-hdlc`: the FCS of ISO/IEC 13239."""
