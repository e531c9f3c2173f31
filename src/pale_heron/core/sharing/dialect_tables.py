"""What the known dialects say of lines: which values are secret, which make a position, which name a cell."""

import contextlib
import re
from collections.abc import Iterable, Iterator, Mapping
from typing import Final, NamedTuple

from pale_heron.core.device.schema import fields
from pale_heron.core.device.schema.command_line import is_command_line
from pale_heron.core.device.schema.commands import SET, TypedCommand
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.line_form import ASCII
from pale_heron.core.device.schema.toml_table import PLACEHOLDER
from pale_heron.core.patterns import Pattern
from pale_heron.core.sharing.kinds import CELL, POSITION, QUOTED, SECRET, SensitiveSpan, is_masked
from pale_heron.core.sharing.standards import COMMANDS, SHORTEST, set_commands

_OF_FIELDS: Final = {fields.LATITUDE: POSITION, fields.LONGITUDE: POSITION, fields.CELL: CELL}
_SECRET_NAME: Final = re.compile(r"PASS|PWD|PSK|KEY|SECRET|TOKEN|AUTH|LOGIN|CRED", re.IGNORECASE)


class TellingReply(NamedTuple):
    """An expression for a line, and the kinds of those of its fields that tell something."""

    line: Pattern[str]
    kinds: Mapping[str, str]

    def spans(self, line: str) -> Iterator[SensitiveSpan]:
        """What the fields of a line tell."""
        text = line.strip()
        match = self.line.fullmatch(text)
        if match is not None:
            at = line.index(text)
            for name, kind in self.kinds.items():
                begin, end = match.span(name)
                if end - begin >= (SHORTEST if kind == SECRET else 1):
                    yield SensitiveSpan(at + begin, at + end, kind)


class DialectTables:
    """Of some dialects, whichever of them is spoken: what none was chosen for is masked too."""

    def __init__(self, dialects: Iterable[Dialect]) -> None:
        self._dialects = tuple(dialects)
        # Many grow from the same one, and have its replies.
        told = {each.line: each for dialect in self._dialects for each in _telling(dialect, dialect.patterns)}
        self._replies = tuple(each for each in told.values() if each.line.head)
        self._bare = {
            (dialect.name, command.name): replies
            for dialect in self._dialects
            for command in dialect.commands.values()
            if (replies := [each for each in _telling(dialect, command.replies) if not each.line.head])
        }
        heads = {head for dialect in self._dialects if dialect.line.text == ASCII for head in dialect.secret_heads}
        self._heads = re.compile("|".join(map(re.escape, sorted(heads))) or r"(?!)", re.IGNORECASE)
        self._not_plain = tuple(each for each in self._dialects if each.line.text != ASCII)
        self._orders = tuple(each for dialect in self._dialects for each in _secret_orders(dialect))
        self._prompting = tuple(
            (dialect, command) for dialect in self._dialects for command in dialect.commands.values() if command.prompts
        )
        begins = {
            # In a line of several commands only the first has AT in front.
            re.sub("(?i)^at", "", PLACEHOLDER.split(text)[0]) if dialect.line.text == ASCII else ""
            for dialect in self._dialects
            for command in dialect.commands.values()
            if command.prompts or (dialect.name, command.name) in self._bare
            for texts in command.forms.values()
            for text in texts
        }
        self._asking = re.compile("|".join(map(re.escape, sorted(begins))) or r"(?!)", re.IGNORECASE)
        self.secret_places = _secret_places(self._dialects)
        """By the name of a command, which of its values some dialect calls secret, from 0."""
        self._names = {
            name
            for dialect in self._dialects
            for command in dialect.commands.values()
            for template in command.forms.get(SET, ())
            for name, _ in set_commands(template)
        } | set(COMMANDS)

    def spans(self, line: str) -> list[SensitiveSpan]:
        """What some dialect says of a line, of whatever kind."""
        likely = self._dialects if self._heads.search(line) is not None else self._not_plain
        found = [
            SensitiveSpan(*place, SECRET)
            for dialect in likely
            for value in _told(dialect, line)
            for place in _places(value, line)
        ]
        # A reply may be a word alone, and any command looks like one.
        if not is_command_line(line):
            for reply in self._replies:
                found += reply.spans(line)
        return found

    def bare_replies(self, line: str) -> tuple[TellingReply, ...]:
        """What may be answered to the commands of a line that does not say of itself what it is."""
        return tuple(
            reply
            for name, spoken in self._spoken(line).items()
            for each in spoken
            if each.command is not None
            for reply in self._bare.get((name, each.command.name), ())
        )

    def order_spans(self, line: str) -> list[SensitiveSpan]:
        """The secret values of an order to a receiver."""
        return [
            SensitiveSpan(*match.span(group), SECRET)
            for order in self._orders
            if (match := order.search(line)) is not None
            for group in range(1, order.groups + 1)
        ]

    def prompt_of(self, line: str) -> tuple[str, bool]:
        """The prompt with which a command asks for a text, and whether that is secret; both empty where none does."""
        spoken = self._spoken(line)
        for dialect, command in self._prompting if spoken else ():
            if any(each.command is command for each in spoken[dialect.name]):
                return command.prompt, command.payload_secret
        return "", False

    def _spoken(self, line: str) -> Mapping[str, tuple[TypedCommand, ...]]:
        """The commands of a line, by dialect; nothing where it is sure to hold none that asks or answers barely."""
        if not self._asking.search(line):
            return {}
        return {dialect.name: dialect.spoken(line) for dialect in self._dialects}

    def unknown_values(self, line: str) -> Iterator[SensitiveSpan]:
        """What a command quotes that no dialect knows; a secret where its name speaks of one."""
        for name, values in set_commands(line):
            if name not in self._names:
                kind = SECRET if _SECRET_NAME.search(name) else QUOTED
                yield from (
                    SensitiveSpan(each.begin, each.end, kind)
                    for each in values
                    if each.quoted and each.end - each.begin >= SHORTEST and not is_masked(each.text)
                )


def _told(dialect: Dialect, line: str) -> set[str]:
    """The secret values of commands, one character a byte as the line has them."""
    if dialect.line.text == ASCII and not dialect.line.check:
        told = dialect.secrets_told(line)
    else:
        form = dialect.line
        told = set()
        for value in dialect.secrets_told(form.line_of(line.encode("latin-1", "replace"))):
            with contextlib.suppress(ValueError):
                told.add(form.encoded(value).decode("latin-1"))
    return {each for each in told if len(each) >= SHORTEST and not is_masked(each)}


def _telling(dialect: Dialect, patterns: Iterable[Pattern[str]]) -> Iterator[TellingReply]:
    for pattern in patterns:
        kinds = {name: _kind_of(dialect, name) for name in pattern.groupindex}
        kinds = {name: kind for name, kind in kinds.items() if kind}
        if kinds:
            yield TellingReply(pattern, kinds)


def _secret_orders(dialect: Dialect) -> Iterator["re.Pattern[str]"]:
    """Expressions whose groups are the secret values of an order that has some."""
    for action in dialect.actions.values():
        secret = {each.name for each in action.parameters if each.secret}
        if secret:
            pieces = PLACEHOLDER.split(action.send)
            written = (
                re.escape(each) if not at % 2 else r"([^,*\r\n]+)" if each in secret else r"[^,*\r\n]*"
                for at, each in enumerate(pieces)
            )
            yield re.compile("".join(written))


def _kind_of(dialect: Dialect, name: str) -> str:
    return SECRET if name in dialect.secrets else _OF_FIELDS.get(dialect.field_of(name).kind, "")


def _places(value: str, line: str) -> Iterator[tuple[int, int]]:
    at = line.find(value)
    while at >= 0:
        yield at, at + len(value)
        at = line.find(value, at + 1)


def _secret_places(dialects: Iterable[Dialect]) -> Mapping[str, frozenset[int]]:
    found: dict[str, frozenset[int]] = {}
    for dialect in dialects:
        for command in dialect.commands.values():
            for template in command.forms.get(SET, ()):
                for name, values in set_commands(template):
                    named = [PLACEHOLDER.fullmatch(each.text) for each in values]
                    secret = {at for at, each in enumerate(named) if each is not None and each[1] in dialect.secrets}
                    if secret:
                        found[name] = found.get(name, frozenset()) | secret
    return found
