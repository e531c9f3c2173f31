"""Secret values in single lines: found by what a command or a reply is, whoever speaks and however it is written.

What no dialect was chosen for is masked too: by the standards' own commands in every spelling (quoted or not, with
blanks, several in a line), and by what any known dialect calls a secret.
"""

import re
from collections.abc import Iterable, Mapping
from typing import Final

from pale_heron.core.device.schema.commands import SET, is_command_line
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.toml_table import PLACEHOLDER

SHORTEST: Final = 3
"""What is shorter would be masked wherever two letters come together."""

MOST: Final = 500
LINES_AFTER: Final = 6
"""So many lines after a question for an identity may be its answer."""

COMMANDS: Final[Mapping[str, tuple[int, ...]]] = {
    "+CPIN": (0, 1),
    "+CPIN2": (0, 1),
    "+CLCK": (2,),
    "+CPWD": (1, 2),
    "+CGAUTH": (2, 3),
}
"""Which values of a command are secret, from 0: PIN, PUK and their successors (3GPP 27.007, 8.3), passwords of locks
(7.4, 7.5), user and password of a connection (10.1.31)."""

NUMBERS: Final = {"+CNUM": (1,)}
"""The same of replies: its own number (27.007, 7.1)."""

IDENTITIES: Final = ("+CGSN", "+GSN", "+CIMI", "+CCID")
"""Questions whose answer is a number alone: of the equipment, the subscriber, the card (27.007, 5.4 and 5.6)."""

_SET: Final = re.compile(r'(\+[A-Z0-9]+)\s*=\s*((?:"[^"]*"?|[^;"\r\n])*)', re.IGNORECASE)
_REPLY: Final = re.compile(r'\s*(\+[A-Z0-9]+):\s*((?:"[^"]*"?|[^"\r\n])*)', re.IGNORECASE)
_ASKS: Final = re.compile(r"\+C?[A-Z]{2,4}", re.IGNORECASE)
_IDENTITY: Final = re.compile(r'\s*(?:\+[A-Z0-9]+:\s*)?"?(\d{8,22}[0-9A-Fa-f]?)"?\s*', re.IGNORECASE)
_VALUE: Final = re.compile(r'\s*(?:"([^"]*)"?|([^,]*))\s*(?:,|$)')


def values_of(text: str) -> list[str]:
    """The values of a command or a reply, without quotes and blanks around them."""
    return [
        text[begin:end] if text[begin - 1 : begin] == '"' else text[begin:end].strip() for begin, end in _spans(text)
    ]


def standard_secrets(text: str) -> set[str]:
    """Secret values of a line by the standards' own commands and replies."""
    found: set[str] = set()
    for pattern, table in ((_SET, COMMANDS), (_REPLY, NUMBERS)):
        for match in pattern.finditer(text) if "+" in text else ():
            places = table.get(match[1].upper(), ())
            values = values_of(match[2])
            found.update(values[place] for place in places if place < len(values))
    return {each for each in found if len(each) >= SHORTEST}


class SecretTables:
    """What any of some dialects calls secret in a line: the values of a command, or the fields of a reply."""

    def __init__(self, dialects: Iterable[Dialect]) -> None:
        self._dialects = tuple(dialects)
        # Many grow from the same one, and have its replies.
        self._replies = tuple(dict.fromkeys(reply for dialect in self._dialects for reply in dialect.secret_replies))

    def values(self, line: str) -> set[str]:
        """Those of a line."""
        found = {value for dialect in self._dialects for value in dialect.secrets_told(line)}
        # A reply may be a word alone, and any command looks like one.
        for reply in () if is_command_line(line) else self._replies:
            match = reply.line.fullmatch(line.strip())
            if match is not None:
                found.update(value for name in reply.fields if (value := match[name]))
        return {each for each in found if len(each) >= SHORTEST}


def starred_typing(dialect: Dialect | None, line: str) -> str:
    """A command line while it is typed, of the same length: stars stand for what is typed where a secret belongs.

    How long it is does not matter here, nor whether the line is finished: the first letter is starred too.
    """
    own = {} if dialect is None else secret_places(dialect)
    letters = list(line)
    for match in _SET.finditer(line):
        name = match[1].upper()
        places = (*COMMANDS.get(name, ()), *own.get(name, ()))
        for place, (begin, end) in enumerate(_spans(match[2])):
            if place in places:
                letters[match.start(2) + begin : match.start(2) + end] = "*" * (end - begin)
    return "".join(letters)


def _spans(text: str) -> list[tuple[int, int]]:
    """Where the values of a command lie, without quotes."""
    found, at = [], 0
    while at < len(text):
        match = _VALUE.match(text, at)
        if match is None or match.end() == at:
            break
        found.append(match.span(1) if match[1] is not None else match.span(2))
        at = match.end()
    return found


def secret_places(dialect: Dialect) -> dict[str, tuple[int, ...]]:
    """By the name of a command, which of its values the dialect calls secret, from 0."""
    found: dict[str, tuple[int, ...]] = {}
    for command in dialect.commands.values():
        for template in command.forms.get(SET, ()):
            match = _SET.search(template)
            names = PLACEHOLDER.findall(match[2]) if match is not None else []
            places = tuple(place for place, name in enumerate(names) if name in dialect.secrets)
            if match is not None and places:
                found[match[1].upper()] = places
    return found


class SecretScanner:
    """Takes the text lines of one lane, both directions; keeps every secret value that it saw."""

    def __init__(self) -> None:
        self.values: set[str] = set()
        self._answers = 0

    def take(self, text: str, known: SecretTables | None = None, *, sent: bool) -> bool:
        """Whether the line held a secret that was not found before; by the standards, and what is `known` besides."""
        found: set[str] = set()
        if sent and any(each.upper() in IDENTITIES for each in _ASKS.findall(text)):
            self._answers = LINES_AFTER
        elif not sent and self._answers:
            self._answers -= 1
            identity = _IDENTITY.fullmatch(text)
            found = {identity[1]} if identity else set()
        if "+" in text or is_command_line(text):
            found |= standard_secrets(text)
            found |= known.values(text) if known is not None else set()
        new = found - self.values
        if not new or len(self.values) >= MOST:
            return False
        self.values |= new
        return True
