"""The outer form of an NMEA 0183 sentence: start, address, fields, checksum, line end (NMEA 0183, 5.3)."""

import re

from pale_heron.core.frames import Status
from pale_heron.core.wire.checksum import xor8

WHOLE = rb"[$!]([A-Z][A-Z0-9]{3,14}),[\x20\x22\x23\x25-\x29\x2b-\x7e]*\*([0-9A-Fa-f]{2})"
"""A sentence with nothing odd in it, up to its line end: what nearly every line of a receiver is."""

START = re.compile(rb"[$!][A-Z][A-Z0-9]{3,14}[,*]")
"""Where a sentence begins, even in the middle of a line."""

START_BYTES = 17
"""The most bytes that START needs to decide."""

START_SO_FAR = re.compile(rb"[$!](?:[A-Z][A-Z0-9]{0,14})?")
"""What may still become a START when more bytes come."""

_ADDRESS = re.compile(rb"[$!]([A-Z][A-Z0-9]{3,14})(?=[,*\r\n]|$)")
_TAIL = re.compile(rb"\*([0-9A-Fa-f]{2})?")
_UNPRINTABLE = re.compile(rb"[^\x20-\x7e]")


def mismatch(expected: int, found: int) -> str:
    """The reason given for a bad checksum."""
    return f"checksum {found:02X} found, {expected:02X} expected"


def verdict(data: bytes) -> tuple[Status, str | None, str]:
    """Status, reason and type of a line that begins with `$` or `!`, whatever follows."""
    body = data.rstrip(b"\r\n")
    address = _ADDRESS.match(body)
    kind = address[1].decode("ascii") if address else "nmea"
    if address is None:
        return Status.MALFORMED, "the address is not 4 to 15 capital letters and digits", kind
    tail = _TAIL.search(body)
    if tail is None:
        odd = _UNPRINTABLE.search(body)
        if odd:
            return Status.MALFORMED, f"byte 0x{odd[0][0]:02X} at {odd.start()}, and no checksum", kind
        return Status.NO_CHECKSUM, "no checksum", kind
    if tail[1] is None:
        return Status.MALFORMED, "the checksum is not two hexadecimal digits", kind
    # Some pad their lines with blanks: what is in front of them is whole.
    if tail.end() != len(body.rstrip(b" ")):
        return Status.MALFORMED, f"{len(body) - tail.end()} bytes after the checksum", kind
    expected, found = xor8(body[1 : tail.start()]), int(tail[1], 16)
    if expected != found:
        return Status.BAD_CHECKSUM, mismatch(expected, found), kind
    return Status.OK, None, kind
