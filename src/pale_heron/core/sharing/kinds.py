"""The kinds of what must not be told: secrets, which are never shown, and what only a copy for others must not hold."""

from collections.abc import Mapping
from typing import Final, NamedTuple

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
}
"""One, and several; in the order in which they are told."""

SECRETS: Final = frozenset({SECRET, IDENTITY, OWN_NUMBER})
"""Masked on the screen and wherever something is handed on."""

PLACES: Final = frozenset({POSITION, CELL})
"""Taken out of a copy that must not tell where it was recorded."""


class SensitiveSpan(NamedTuple):
    """Characters of a line, from `begin` to before `end`, that tell something of a kind."""

    begin: int
    end: int
    kind: str
