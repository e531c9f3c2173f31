"""What a typed line becomes on the wire: bytes written by number or by name, checksum completed, line end added.

Between angle brackets stand bytes: hexadecimal (`<0x55>`), decimal (`<85>`), or the name of a control character
(`<ESC>`, ECMA-48), several separated by spaces (`<0xB5 0x62 CR LF>`). `<<` is one angle bracket. A line of bytes alone
gets no line end. What has the form of a sentence, on a lane that speaks sentences, gets its checksum where it has none
(NMEA 0183, 5.3).
"""

import re
from typing import Final, NamedTuple

from pale_heron.core.wire.checksum import xor8

_NAMES = (
    "NUL SOH STX ETX EOT ENQ ACK BEL BS TAB LF VT FF CR SO SI "
    "DLE DC1 DC2 DC3 DC4 NAK SYN ETB CAN EM SUB ESC FS GS RS US"
)
CONTROLS: Final = {name: code for code, name in enumerate(_NAMES.split())} | {
    "DEL": 127,
    "XON": 17,
    "XOFF": 19,
    "SPACE": 32,
}
"""Codes of control characters by their names."""

ONE_KEY: Final = {
    "r": "CR",
    "l": "LF",
    "z": "SUB",
    "e": "ESC",
    "c": "ETX",
    "d": "EOT",
    "t": "TAB",
    "n": "NUL",
    "q": "XON",
    "s": "XOFF",
}
"""Single bytes that one key sends."""

ONLY_BYTES: Final = re.compile(r"(?:<[^<>]+>)+")
_SENTENCE = re.compile(rb"[$!](?:[A-OQ-Z][A-Z][A-Z0-9]{3}|P[A-Z]{3}[A-Z0-9]{0,8})(?:[,*].*)?", re.DOTALL).fullmatch
_END = re.compile(rb"\r\n|\r|\n")
_PIECE = re.compile(r"<<|<([^<>]*)>|([^<]+)|<")
_CHECKED = re.compile(rb"\*[0-9A-Fa-f]{2}\Z")


class TypedBytes(NamedTuple):
    """The bytes, and what was added or is odd, in words."""

    data: bytes
    note: str


def compose(text: str, ending: bytes, *, sentences: bool = True) -> TypedBytes:
    """The bytes of a typed line. `sentences`: the lane speaks them. ValueError names the part that is wrong."""
    body = bytes_of(text)
    if ONLY_BYTES.fullmatch(text):
        return TypedBytes(body, "no line end behind bytes alone" if ending else "")
    note = ""
    if is_sentence_like(body):
        sealed, note = _sealed(body)
        body, note = (sealed, note) if sentences else (body, f"sent as typed, no sentence was heard here: {note}")
    return TypedBytes(body + ending, note)


def is_sentence_like(body: bytes) -> bool:
    """Whether it has the form of a sentence: `$` or `!`, an address, and a comma, a checksum or the end."""
    return _SENTENCE(body) is not None


def bytes_of(text: str, encoding: str = "ascii") -> bytes:
    """The bytes that a text stands for, as they are. ValueError names the part that is wrong."""
    return b"".join(_piece(match, encoding) for match in _PIECE.finditer(text))


def line_end_of(data: bytes) -> bytes | None:
    """The line end that is used in all of it; None where there is none, or several kinds."""
    kinds = set(_END.findall(data))
    return kinds.pop() if len(kinds) == 1 else None


def with_line_ends(data: bytes, end: bytes) -> bytes:
    """The same with all its line ends changed."""
    return _END.sub(lambda _: end, data)


def text_of(data: bytes) -> str:
    """The text that stands for these bytes: `bytes_of` gives them back."""
    return "".join(_text_of(byte) for byte in data)


def _text_of(byte: int) -> str:
    letter = chr(byte)
    if letter == "<":
        return "<<"
    return letter if letter.isascii() and letter.isprintable() else f"<0x{byte:02X}>"


def _piece(match: re.Match[str], encoding: str) -> bytes:
    if match[0] == "<<":
        return b"<"
    if match[2] is not None:
        try:
            return match[2].encode(encoding)
        except UnicodeEncodeError as problem:
            letter = match[2][problem.start]
            raise ValueError(f"{letter!r} is not ASCII; write its bytes: <0xC3 0xA9>") from None
    if match[1] is None:
        raise ValueError("a < without its >; one angle bracket alone is <<")
    return b"".join(bytes([_byte(word)]) for word in match[1].split())


def _byte(word: str) -> int:
    code = CONTROLS.get(word.upper())
    if code is not None:
        return code
    try:
        code = int(word, 16) if word.lower().startswith("0x") else int(word)
    except ValueError:
        raise ValueError(f"<{word}> is no byte: write <0x55>, <85> or a name such as <ESC>") from None
    if not 0 <= code <= 255:
        raise ValueError(f"<{word}> is not 0 to 255")
    return code


def _sealed(body: bytes) -> tuple[bytes, str]:
    """A sentence with its checksum."""
    checked = _CHECKED.search(body)
    covered = body[1 : checked.start()] if checked else body[1:].rstrip(b"*")
    digits = f"{xor8(covered):02X}"
    if checked is None:
        return body[:1] + covered + f"*{digits}".encode(), f"checksum {digits} added"
    sent = body[-2:].decode("ascii").upper()
    return body, "" if sent == digits else f"the checksum {sent} is wrong, {digits} would be right"
