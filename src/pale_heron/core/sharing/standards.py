"""What the standards' own commands and replies tell, value by value (3GPP 27.005 and 27.007, ITU-T V.250).

However they are written: quoted or not, with blanks, in either case, several in a line.
"""

import re
from collections.abc import Callable, Iterator, Mapping
from typing import Final, NamedTuple

from pale_heron.core.sharing.kinds import CELL, MESSAGE, NUMBER, OWN_NUMBER, PERSON, SECRET, SensitiveSpan

SHORTEST: Final = 3
"""What is shorter would be masked wherever two letters come together."""


class WrittenValue(NamedTuple):
    """One value of a command or a reply, without its quotes: where it stands in the line."""

    begin: int
    end: int
    text: str
    quoted: bool


ValueRule = Callable[[int, WrittenValue], str]
"""The kind of a value by its place, from 0, and how it is written; empty where it tells nothing."""


def _at(kind: str, *places: int) -> ValueRule:
    return lambda place, _: kind if place in places else ""


_DIALLED: Final = re.compile(r"[+*#]?[\d*#]{3,}")
_NO_NAME: Final = re.compile(r"(?:REC (?:UN)?READ|STO (?:UN)?SENT|ALL)|\d\d/\d\d/\d\d.*|[\d,-]{0,2}", re.IGNORECASE)
_HEX: Final = re.compile(r"[0-9A-Fa-f]{4,}")


def _of_people(_: int, value: WrittenValue) -> str:
    """Numbers and names, in quotes or without; not the state of a message, and not its time."""
    if _DIALLED.fullmatch(value.text) and (value.quoted or len(value.text) > 4):
        return NUMBER
    return PERSON if value.quoted and not _NO_NAME.fullmatch(value.text) else ""


def _of_cells(place: int, value: WrittenValue) -> str:
    return CELL if place and (value.quoted or _HEX.fullmatch(value.text)) else ""


def _of_operators(_: int, value: WrittenValue) -> str:
    return CELL if value.quoted or re.fullmatch(r"\d{5,6}", value.text) else ""


def _nothing(*_: object) -> str:
    return ""


def _own(place: int, value: WrittenValue) -> str:
    return OWN_NUMBER if place == 1 else _of_people(place, value)


def _texts(place: int, value: WrittenValue) -> str:
    return MESSAGE if value.quoted and place == 1 else ""


_PEOPLE: Final[Mapping[str, ValueRule]] = dict.fromkeys(
    ("+CMGS", "+CMGW", "+CMSS", "+CSCA", "+CPBW", "+CPBF", "+CCFC", "+CMGL", "+CMGR", "+CMT", "+CDS", "+CLIP", "+COLP",
     "+CCWA", "+CDIP", "+CLCC", "+CPBR", "+CMGC"),
    _of_people,
)  # fmt: skip
"""Messages (27.005, 3 and 4), calls (27.007, 7) and phone books (8.12 to 8.14)."""

COMMANDS: Final[Mapping[str, ValueRule]] = {
    **_PEOPLE,
    # PIN, PUK and their successors (27.007, 8.3), passwords of locks (7.4, 7.5), user and password (10.1.31).
    "+CPIN": _at(SECRET, 0, 1),
    "+CPIN2": _at(SECRET, 0, 1),
    "+CLCK": _at(SECRET, 2),
    "+CPWD": _at(SECRET, 1, 2),
    "+CGAUTH": _at(SECRET, 2, 3),
    "+COPS": _of_operators,
    "+CUSD": _texts,
}
"""By the name of a command, what its values tell."""

REPLIES: Final[Mapping[str, ValueRule]] = {
    **_PEOPLE,
    "+CNUM": _own,  # 27.007, 7.1
    "+COPS": _of_operators,  # 7.3
    "+CREG": _of_cells,  # 7.2
    "+CGREG": _of_cells,  # 10.1.20
    "+CEREG": _of_cells,  # 10.1.22
    "+C5GREG": _of_cells,  # 10.1.47
    "+CUSD": _texts,  # 7.15
}
"""The same of replies and notices."""

IDENTITIES: Final = ("+CGSN", "+GSN", "+CIMI", "+CCID")
"""Questions whose answer is a number alone: of the equipment, the subscriber, the card (27.007, 5.4 and 5.6)."""

FOLLOWED: Final = ("+CMGL:", "+CMGR:", "+CMT:", "+CDS:", "+CBM:")
"""Replies and notices behind which comes a message, as text or packed (27.005, 3.4 and 4.1)."""

_SET: Final = re.compile(r'(\+[A-Z0-9]+)\s*=\s*((?:"[^"]*"?|[^;"\r\n])*)', re.IGNORECASE)
_REPLY: Final = re.compile(r'\s*(\+[A-Z0-9]+):\s*((?:"[^"]*"?|[^"\r\n])*)', re.IGNORECASE)
_VALUE: Final = re.compile(r'[\s(]*(?:"([^"]*)"?|([^,()]*))[\s)]*(?:,|$)')
_DIAL: Final = re.compile(r"ATD[TPLIS>]?\s*([+*#\d][\d*#+,.\-()]{2,})", re.IGNORECASE)


def values_of(text: str, offset: int = 0) -> list[WrittenValue]:
    """The values of a command or a reply, which begin at an offset of its line; lists in brackets are laid flat."""
    found, at = [], 0
    while at < len(text):
        match = _VALUE.match(text, at)
        if match is None or match.end() == at:
            break
        quoted = match[1] is not None
        begin, end = match.span(1 if quoted else 2)
        end = end if quoted else begin + len(text[begin:end].rstrip())
        found.append(WrittenValue(offset + begin, offset + end, text[begin:end], quoted))
        at = match.end()
    return found


def set_commands(line: str) -> "Iterator[tuple[str, list[WrittenValue]]]":
    """The extended commands of a line that set something, by name, with their values."""
    for match in _SET.finditer(line) if "=" in line else ():
        yield match[1].upper(), values_of(match[2], match.start(2))


def standard_spans(line: str) -> list[SensitiveSpan]:
    """What a line tells by the standards' own commands and replies."""
    found = []
    if "+" in line:
        told = [(COMMANDS, each) for each in set_commands(line)]
        match = _REPLY.match(line)
        told += [(REPLIES, (match[1].upper(), values_of(match[2], match.start(2))))] if match else []
        for table, (name, values) in told:
            rule = table.get(name, _nothing)
            for place, value in enumerate(values):
                kind = rule(place, value)
                if kind and value.end - value.begin >= SHORTEST:
                    found.append(SensitiveSpan(value.begin, value.end, kind))
    if "ATD" in line or "atd" in line:
        found += [SensitiveSpan(*match.span(1), NUMBER) for match in _DIAL.finditer(line)]
    return found


def secret_places_of(name: str) -> frozenset[int]:
    """Which values of a standard command are secret, from 0, however they are written."""
    rule, any_value = COMMANDS.get(name, _nothing), WrittenValue(0, 1, "x", quoted=False)
    return frozenset(place for place in range(4) if rule(place, any_value) == SECRET)
