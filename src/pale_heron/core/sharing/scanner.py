"""What the lines of one lane tell, both directions, line by line: by what a line is, whoever speaks it.

    what came                                     what is told
    a prompt that asks for a password, a name     the line that is sent next
    the prompt of a command (`> `)                all that is sent up to its end, and its echo
    the head of a message (+CMT:, +CMGR: …)       the lines behind it
    a question for an identity                    a number alone, some lines on

The rest is in the line itself: by the standards' own commands, by what any known dialect says, by its words.
"""

import re
from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Final, NamedTuple, Protocol

from pale_heron.core.device.schema.command_line import PROMPT, is_command_line
from pale_heron.core.sharing.kinds import IDENTITY, MESSAGE, SECRET, SECRETS, SensitiveSpan, is_masked
from pale_heron.core.sharing.standards import (
    FOLLOWED,
    IDENTITIES,
    SHORTEST,
    secret_places_of,
    set_commands,
    standard_spans,
)
from pale_heron.core.sharing.wordings import asked_for, hints_at_secret, secret_wordings, shared_wordings

if TYPE_CHECKING:
    # Loaded with the first module that a lane speaks to.
    from pale_heron.core.sharing.dialect_tables import DialectTables, TellingReply

MOST: Final = 500
"""So many secret values are kept of a lane, the newest."""

LINES_AFTER: Final = 6
"""So many lines after a question for an identity may be its answer."""

MESSAGE_LINES: Final = 64
"""A message has no more lines than these."""

_ASKS: Final = re.compile(r"\+C?[A-Z]{2,4}", re.IGNORECASE)
_IDENTITY: Final = re.compile(r'\s*(?:\+[A-Z0-9]+:\s*)?"?(\d{8,22}[0-9A-Fa-f]?)"?\s*', re.IGNORECASE)
_ENDS: Final = re.compile(r"(?:\w+ )?OK|(?:\w+ )?ERROR.*|\+CM[ES] ERROR.*|NO CARRIER|BUSY|NO ANSWER|[04]")
_TEXT_ENDS: Final = ("\x1a", "\x1b")


class LineRules(Protocol):
    """Rules of a user's own."""

    def spans(self, line: str) -> list[SensitiveSpan]: ...


class _Payload(NamedTuple):
    """What is sent at a prompt, and of what kind it is."""

    kind: str
    text: str = ""


class LineScanner:
    """`values` are the secret ones that it saw, the newest MOST of them: echoes of them are secret too.

    Without `shared` it says what is secret alone; with it also what only a copy for others must not hold, the rules
    of `also` included.
    """

    def __init__(self, *, shared: bool = False, also: LineRules | None = None) -> None:
        self.values: dict[str, None] = {}
        self._shared = shared
        self._also = also
        self._answers = 0
        self._bare: tuple[TellingReply, ...] = ()
        """What a line may be, as long as it may be the answer."""
        self._asked = ""
        self._typed = ""
        self._payload: _Payload | None = None
        self._prompt = "", False
        """The text with which what was sent last may ask for more, and whether that is secret."""
        self._following = 0
        self._message: str = ""

    def take(
        self, text: str, tables: "DialectTables | None" = None, *, sent: bool, waiting: str = ""
    ) -> list[SensitiveSpan]:
        """What of a line must not be told; one character a byte, its line end with it.

        `tables` are those of the dialects that are known. `waiting` is what was received and has no line end yet: it
        may be what asks for this line.
        """
        line = text.strip("\r\n")
        found = self._sent(text, line, waiting, tables) if sent else self._received(text, line)
        if found is None:
            found = list(tables.spans(line)) if tables is not None else []
            # Most of what a console says is neither a command, nor speaks of a secret.
            if sent or self._shared or "+" in line or hints_at_secret(line):
                found = [*standard_spans(line), *found, *secret_wordings(line)]
                found += tables.unknown_values(line) if tables is not None else ()
                found += tables.order_spans(line) if sent and tables is not None else ()
            if self._shared:
                found += shared_wordings(line)
        if self._shared and self._also is not None:
            found += self._also.spans(line)
        for begin, end, kind in found:
            if kind in SECRETS:
                self.keep(line[begin:end])
        at = text.index(line) if line else 0
        told = [
            each
            for each in found
            if (self._shared or each.kind in SECRETS) and not is_masked(line[each.begin : each.end])
        ]
        return [SensitiveSpan(at + begin, at + end, kind) for begin, end, kind in _outermost(told)]

    def secret_asked(self, waiting: str) -> bool:
        """Whether what is sent next is secret, by what was received before it and `waiting`."""
        if self._payload is not None or self._is_prompt(waiting):
            return self._prompt[1]
        return (self._asked or asked_for(waiting)) in SECRETS

    def keep(self, value: str) -> None:
        """A secret value; its newest place is that of the newest."""
        if len(value) < SHORTEST or is_masked(value):
            return
        self.values.pop(value, None)
        self.values[value] = None
        if len(self.values) > MOST:
            del self.values[next(iter(self.values))]

    def _sent(self, text: str, line: str, waiting: str, tables: "DialectTables | None") -> list[SensitiveSpan] | None:
        """What of a sent line is told by what asked for it; None where nothing did."""
        if self._payload is None and self._is_prompt(waiting):
            self._payload = _Payload(SECRET if self._prompt[1] else MESSAGE)
        if self._payload is not None:
            body = line.strip("".join(_TEXT_ENDS))
            whole = any(each in text for each in _TEXT_ENDS)
            if self._payload.kind in SECRETS:
                self.keep(body)
            self._message, kind = self._payload.text + body, self._payload.kind
            self._payload = None if whole else self._payload._replace(text=self._message)
            begin = line.find(body)
            return [SensitiveSpan(begin, begin + len(body), kind)] if body else []
        asked = self._asked or asked_for(waiting)
        if asked:
            whole = line != text
            self._typed += line
            if asked in SECRETS and whole:
                self.keep(self._typed)
            self._asked, self._typed = ("", "") if whole else (asked, self._typed)
            return [SensitiveSpan(0, len(line), asked)]
        self._following, self._message = 0, ""
        if line:
            known = tables.prompt_of(line) if tables is not None else ("", False)
            self._prompt = known if known[0] or not is_command_line(line) else (PROMPT, False)
        asks = any(each.upper() in IDENTITIES for each in _ASKS.findall(line))
        self._bare = tables.bare_replies(line) if tables is not None and line else ()
        self._answers = LINES_AFTER if asks or self._bare else 0
        return None

    def _received(self, text: str, line: str) -> list[SensitiveSpan] | None:
        """What of a received line is told by what came before it; None where nothing says it."""
        whole = line != text
        if not whole:
            self._asked = asked_for(line)
            if self._is_prompt(line):
                self._payload = _Payload(SECRET if self._prompt[1] else MESSAGE)
            return None
        said = line.strip()
        ends = _ENDS.fullmatch(said) is not None
        self._asked = "" if said else self._asked
        if ends:
            self._payload, self._following, self._message, self._answers = None, 0, "", 0
            return None
        if said and self._message and said in self._message:
            # The module gives back what was sent at its prompt.
            begin = line.index(said)
            return [SensitiveSpan(begin, begin + len(said), MESSAGE)]
        if said.startswith(FOLLOWED):
            # What comes unasked is one line; a line feed alone does not end it.
            self._following = MESSAGE_LINES if said.startswith(("+CMGL", "+CMGR")) else 1
            return None
        if self._following and said:
            self._following -= "\r" in text or self._following > 1
            begin = line.index(said)
            return [SensitiveSpan(begin, begin + len(said), MESSAGE)]
        if self._answers:
            self._answers -= 1
            identity = _IDENTITY.fullmatch(line)
            known = [] if is_command_line(line) else [span for each in self._bare for span in each.spans(line)]
            return [SensitiveSpan(*identity.span(1), IDENTITY)] if identity is not None else known or None
        return None

    def _is_prompt(self, said: str) -> bool:
        return bool(self._prompt[0]) and said.strip() == self._prompt[0].strip()


def _outermost(found: list[SensitiveSpan]) -> Iterator[SensitiveSpan]:
    """Without those that lie in another; of several of the same characters the first, by the surest rule."""
    for place, each in enumerate(found):
        inside = (
            other.begin <= each.begin and each.end <= other.end and (other[:2] != each[:2] or before < place)
            for before, other in enumerate(found)
            if before != place
        )
        if not any(inside):
            yield each


def line_secrets(tables: "DialectTables | None", line: str) -> set[str]:
    """The secret values of one line, whatever came before it."""
    scanner = LineScanner()
    scanner.take(line, tables, sent=True)
    return set(scanner.values)


def starred_typing(tables: "DialectTables | None", line: str) -> str:
    """A command line while it is typed, of the same length: stars stand for what is typed where a secret belongs.

    How long it is does not matter here, nor whether the line is finished: the first letter is starred too.
    """
    own: Mapping[str, frozenset[int]] = tables.secret_places if tables is not None else {}
    letters = list(line)
    for name, values in set_commands(line):
        places = secret_places_of(name) | own.get(name, frozenset())
        for place, value in enumerate(values):
            if place in places:
                letters[value.begin : value.end] = "*" * (value.end - value.begin)
    return "".join(letters)
