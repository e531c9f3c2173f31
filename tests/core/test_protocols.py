"""Framed protocols are named where their frames check, and noise has none."""

import binascii
import random
import zlib
from collections.abc import Callable
from typing import Final

import pytest

from pale_heron.core.wire.protocols import CHECKS, protocol_of

Framer = Callable[[random.Random, bytes], bytes]


def fcs16(data: bytes) -> int:
    """RFC 1662, appendix C: bit by bit."""
    crc = 0xFFFF
    for byte in data:
        for bit in range(8):
            one = (crc ^ byte >> bit) & 1
            crc = crc >> 1 ^ (0x8408 if one else 0)
    return crc ^ 0xFFFF


def ppp(_: random.Random, body: bytes) -> bytes:
    body = b"\xff\x03" + body
    body += fcs16(body).to_bytes(2, "little")
    stuffed = b"".join(
        bytes([0x7D, each ^ 0x20]) if each in (0x7E, 0x7D) or each < 0x20 else bytes([each]) for each in body
    )
    return b"\x7e" + stuffed + b"\x7e"


def slip(chance: random.Random, body: bytes) -> bytes:
    head = bytearray(b"\x45\x00" + (20 + len(body)).to_bytes(2, "big") + chance.randbytes(4) + b"\x40\x11\x00\x00")
    head += chance.randbytes(8)
    total = sum(int.from_bytes(head[at : at + 2], "big") for at in range(0, 20, 2))
    while total > 0xFFFF:
        total = (total & 0xFFFF) + (total >> 16)
    head[10:12] = (total ^ 0xFFFF).to_bytes(2, "big")
    packet = bytes(head) + body
    return b"\xc0" + packet.replace(b"\xdb", b"\xdb\xdd").replace(b"\xc0", b"\xdb\xdc") + b"\xc0"


def fletcher(chance: random.Random, body: bytes) -> bytes:
    """A class, a number, a length of two bytes, and two sums."""
    body = bytes([chance.randrange(4), chance.randrange(30)]) + len(body).to_bytes(2, "little") + body
    first = second = 0
    for byte in body:
        first = (first + byte) % 256
        second = (second + first) % 256
    return b"\xa5\x5a" + body + bytes([first, second])


def crc32(_: random.Random, body: bytes) -> bytes:
    frame = b"\xfe\x01" + len(body).to_bytes(1, "little") + body
    return frame + zlib.crc32(frame).to_bytes(4, "little")


def ccitt(_: random.Random, body: bytes) -> bytes:
    frame = b"\x02\x80\x07" + len(body).to_bytes(2, "big") + body
    return frame + binascii.crc_hqx(frame, 0xFFFF).to_bytes(2, "big")


def fixed(chance: random.Random, _: bytes) -> bytes:
    """Always as long, with a sum of its bytes."""
    frame = b"\x9a\x31" + chance.randbytes(14)
    return frame + bytes([sum(frame[2:]) % 256])


KINDS: Final[dict[str, tuple[Framer, str]]] = {
    "PPP": (ppp, "PPP frames (RFC 1662)"),
    "SLIP": (slip, "IP packets in SLIP (RFC 1055)"),
    "two sums": (fletcher, "frames that begin with A5 5A and end with a Fletcher checksum"),
    "CRC-32": (crc32, "frames that begin with FE 01 and end with a CRC-32"),
    "CRC-16": (ccitt, "frames that begin with 02 80 and end with a CRC-16 (0x1021, from 0xFFFF)"),
    "fixed": (fixed, "frames that begin with 9A 31 and end with a sum of bytes"),
}


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("seed", range(12))
def test_frames_are_named_where_they_check(kind: str, seed: int) -> None:
    chance = random.Random(seed)
    frame, name = KINDS[kind]
    frames = [frame(chance, chance.randbytes(chance.randrange(8, 120))) for _ in range(12)]
    # It begins amid one frame and ends amid another; one byte of one is damaged.
    frames[5] = frames[5][:6] + bytes([frames[5][6] ^ 0x10]) + frames[5][7:]
    data = b"".join(frames)[4:-3]
    found = protocol_of(data)
    assert found is not None and found.name == name
    assert 8 <= found.frames <= 10 and found.share > 0.5


@pytest.mark.parametrize("seed", range(40))
def test_noise_has_no_frames(seed: int) -> None:
    chance = random.Random(seed)
    noise = chance.randbytes(4096)
    few = bytes(chance.choice((0, 0x80, 0xE0, 0xFE)) for _ in range(2000))
    bits = bytes(chance.choices(range(256), [1 / (1 + each) for each in range(256)], k=3000))
    for data in (noise, few, bits, noise[:200] * 8):
        assert protocol_of(data) is None


def test_a_frame_alone_is_none() -> None:
    assert protocol_of(b"") is None and protocol_of(b"\x7e") is None
    assert protocol_of(ppp(random.Random(1), b"abcdef")) is None
    assert len({check.name for check in CHECKS}) == len(CHECKS)
