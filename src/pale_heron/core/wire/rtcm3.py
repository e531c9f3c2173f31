"""The transport layer of RTCM 3 (RTCM 10403): preamble, length, payload, CRC-24Q."""

from typing import Final

from pale_heron.core.wire.checksum import crc24q

PREAMBLE = 0xD3
HEADER_BYTES = 3
CRC_BYTES = 3
LEAST_BYTES: Final = HEADER_BYTES + 2 + CRC_BYTES
"""Of a message with a number."""

NUMBERS: Final = frozenset((*range(1001, 1305), *range(4001, 4096)))
"""The numbers of messages that are given out: by the standard, and to makers."""


def total_length(header: bytes | bytearray | memoryview) -> int | None:
    """Length of the whole message in bytes (6 to 1029), from its first three; None where they start no message."""
    if header[0] != PREAMBLE or header[1] & 0xFC:
        return None
    return HEADER_BYTES + ((header[1] & 0x03) << 8 | header[2]) + CRC_BYTES


def message_number(data: bytes) -> int | None:
    """The twelve bits that name the message; None for an empty one, which the standard allows as a filler."""
    if len(data) < LEAST_BYTES:
        return None
    return data[3] << 4 | data[4] >> 4


def payload_length(data: bytes) -> int:
    """Bytes between header and CRC, as the header has it: of a torn message not all of them are there."""
    return (data[1] & 0x03) << 8 | data[2]


def encode(payload: bytes) -> bytes:
    """A whole message around `payload` (at most 1023 bytes; more is a ValueError)."""
    if len(payload) > 0x3FF:
        raise ValueError(f"an RTCM 3 payload holds at most 1023 bytes, not {len(payload)}")
    body = bytes([PREAMBLE, len(payload) >> 8, len(payload) & 0xFF]) + payload
    return body + crc24q(body).to_bytes(3, "big")
