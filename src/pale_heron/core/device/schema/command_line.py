"""Command lines as ITU-T V.250 has them, and what is sent at a prompt."""

import re
from typing import Final

PROMPT: Final = ">"
CTRL_Z, ESCAPE = b"\x1a", b"\x1b"
"""Of a text at a prompt: its end, and giving it up (27.005, 3.5.1)."""

_BASIC = re.compile(r"D[^;]*;?|S\d+(?:=\d*|\?)?|&?[A-Z]\d*(?:=\?|\?|=[^;+&]*)?", re.IGNORECASE)
_SURELY = re.compile(r"(?:AT|at)(?:|[A-Za-z]\d*|(?:&?[A-Z]\d+)+|[+&][A-Za-z].*)").fullmatch
_NUMBER = re.compile(rb"[=,](\d{1,5})$")
_EXTENDED = re.compile(r'\+(?:"[^"]*"|[^;"])*')


def is_surely_command_line(line: str) -> bool:
    """Whether it can hardly be anything else: `at noon?` to a far end begins as a command line does, and is none."""
    return _SURELY(line) is not None


def number_at_end(sent: bytes) -> int | None:
    """The number with which a command ends; None where it ends otherwise."""
    found = _NUMBER.search(sent.strip())
    return int(found[1]) if found else None


def sets_something(sent: bytes) -> bool:
    """Whether a command gives the module a value: such a one may prompt for what belongs to it."""
    return b"=" in sent and not sent.strip().endswith(b"?")


def is_command_line(line: str) -> bool:
    """Whether it begins as a command line of V.250 does (5.2.1)."""
    return line[:2].upper() == "AT"


def pieces(line: str) -> list[str]:
    """A command line that begins with AT, cut into its commands, each with `AT` in front (V.250, 5.2.1).

    What has not the form of a command stays whole.
    """
    found, at, body = [], 0, line[2:]
    while at < len(body):
        if body[at] in "; ":
            at += 1
            continue
        match = (_EXTENDED if body[at] == "+" else _BASIC).match(body, at)
        text = match[0] if match else body[at:]
        found.append(line[:2].upper() + text.rstrip())
        at += len(text)
    return found or [line.upper()]
