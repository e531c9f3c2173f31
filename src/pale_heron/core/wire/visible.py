"""The one door between device bytes and any screen.

A device may send anything: sequences that set a title, clear the screen or query the terminal, C1 controls, marks that
turn the reading direction. What passes here is printable and one column wide, so it can do nothing and columns hold.
"""

import re
from collections.abc import Iterable

_PICTURES = {code: chr(0x2400 + code) for code in range(0x20)} | {0x7F: "\u2421"}
_LATIN = dict.fromkeys(range(128, 256), "·")
_BYTES = {code: chr(code) for code in range(0x20, 0x7F)} | _PICTURES | _LATIN
_TABLE = "".join(_BYTES[code] for code in range(0x100))

READABLE = bytes(range(0x20, 0x7F)) + b"\t\r\n"
"""The bytes that count as legible: printable ASCII, tab and line ends."""

_PLAIN = re.compile(r"[\x20-\x7e]*").fullmatch


def safe_text(data: bytes) -> str:
    """`data` as text of exactly one column a byte: printable ASCII as it is, controls as their pictures, the rest `·`.

    Bytes above 0x7E are not guessed at: an unknown encoding would bring back the controls that this keeps out.
    """
    text = data.decode("latin-1")
    return text if _PLAIN(text) else text.translate(_TABLE)


def beside_hex(data: bytes) -> str:
    """`data` as the text that stands beside its hexadecimal digits: what the digits show already is a dot."""
    return "".join(letter if letter.isascii() else "·" for letter in safe_text(data))


def safe_label(text: str) -> str:
    """Text from outside that is no device byte (a port's description, a file's name), without what could act.

    Letters of any script stay; controls, separators of lines, marks of direction and invisible characters go.
    """
    return "".join(
        character if character.isprintable() else _PICTURES.get(ord(character), "\u00b7") for character in text
    )


def unreadable_count(data: bytes) -> int:
    """How many bytes of `data` are not legible."""
    return len(data.translate(None, READABLE))


def starred(data: bytes, secrets: Iterable[str]) -> bytes:
    """Bytes of the same length in which stars stand for each secret."""
    for each in sorted(secrets, key=len, reverse=True):
        secret = each.encode("latin-1", "replace")
        data = data.replace(secret, b"*" * len(secret))
    return data
