"""The kinds of what must not be told: secrets, which are never shown, and what only a copy for others must not hold."""

from collections.abc import Mapping
from typing import Final, NamedTuple

from pale_heron.core import figures

SECRET, IDENTITY, OWN_NUMBER = "secret", "identity", "own-number"
NUMBER, MESSAGE, PERSON, ADDRESS, QUOTED, NAMED = "number", "message", "person", "address", "quoted", "named"
POSITION, CELL = "position", "cell"

WORDS: Final[Mapping[str, tuple[str, str]]] = {
    SECRET: ("password or key", "passwords and keys"),
    IDENTITY: ("identity of a device or a subscriber", "identities of devices and subscribers"),
    OWN_NUMBER: ("own number", "own numbers"),
    NUMBER: ("phone number", "phone numbers"),
    MESSAGE: ("text of a message", "texts of messages"),
    PERSON: ("name of somebody", "names of people and accounts"),
    ADDRESS: ("address of a host", "addresses of hosts"),
    QUOTED: ("value that an unknown command quotes", "values that unknown commands quote"),
    NAMED: ("text that you named", "texts that you named"),
    POSITION: ("position", "positions"),
    CELL: ("cell, area or operator", "cells, areas and operators"),
    "file": ("name of a file", "names of files"),
    "device": ("name of a device", "names of devices"),
    "adapter": ("adapter", "adapters"),
}
"""One, and several; in the order in which they are told."""

SECRETS: Final = frozenset({SECRET, IDENTITY, OWN_NUMBER})
"""Masked on the screen and wherever something is handed on."""

PLACES: Final = frozenset({POSITION, CELL})
"""Taken out of a copy that must not tell where it was recorded."""


MASKS: Final = "*x●"
"""What stands for letters that are masked; in a sentence a star would end its fields, so it is an x there."""


def is_masked(text: str) -> bool:
    """Whether nothing of a text tells anything."""
    return not text.strip(MASKS)


class SensitiveSpan(NamedTuple):
    """Characters of a line, from `begin` to before `end`, that tell something of a kind."""

    begin: int
    end: int
    kind: str


def counted(kinds: Mapping[str, int]) -> str:
    """`3 phone numbers, 812 positions`, in the order of WORDS; kinds of a user's own stand under their names."""
    known = [kind for kind in WORDS if kinds.get(kind)]
    told = [f"{figures.count(kinds[kind])} {WORDS[kind][kinds[kind] != 1]}" for kind in known]
    told += [f"{figures.count(count)} {kind}" for kind, count in kinds.items() if kind not in WORDS and count]
    return ", ".join(told) or "nothing"
