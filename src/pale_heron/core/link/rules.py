"""What the right answer to a message is: rules that the one who asks, and the one who answers, go by.

echo                the message itself
plus N              a whole number: that number and N
text TEMPLATE       a text; {message} and {round} stand for what was asked
matches REGEX       any text that the whole expression matches (to ask by; nobody can answer by it)
table FILE.toml     pairs of messages and answers
"""

import re
from collections.abc import Mapping
from typing import Final, NamedTuple

from pale_heron.core.patterns import Broken, Pattern

NOT_UNDERSTOOD: Final = "not understood: "
KINDS: Final = ("echo", "plus", "text", "matches", "table")
_NUMBER: Final = re.compile(r"\s*([+-]?\d{1,15})\s*")


class Rule(NamedTuple):
    """One rule; `pairs` are those of a table."""

    kind: str
    value: str = ""
    pairs: Mapping[str, str] = {}

    def __str__(self) -> str:
        return f"{self.kind} {self.value}".strip()

    def message(self, round_number: int) -> str:
        """What is asked in a round, from 1, where nothing else is said."""
        if self.kind == "table":
            return list(self.pairs)[(round_number - 1) % len(self.pairs)]
        return str(round_number) if self.kind == "plus" else f"round {round_number}"

    def answer(self, message: str, round_number: int = 0) -> str:
        """What somebody answers who goes by it. For what it does not know it says so, and what that was."""
        if self.kind == "echo":
            return message
        if self.kind == "plus":
            number = _NUMBER.fullmatch(message)
            return str(int(number[1]) + int(self.value)) if number else NOT_UNDERSTOOD + message
        if self.kind == "text":
            return self.value.replace("{message}", message).replace("{round}", str(round_number))
        return self.pairs.get(message.strip(), NOT_UNDERSTOOD + message)

    def right(self, message: str, reply: str, round_number: int) -> bool:
        """Whether a reply is the right one. Blanks around it do not count."""
        if self.kind == "matches":
            return Pattern(self.value).fullmatch(reply) is not None
        return reply.strip() == self.answer(message, round_number).strip()

    def wanted(self, message: str, round_number: int) -> str:
        """The right answer in words."""
        return f"what matches {self.value}" if self.kind == "matches" else self.answer(message, round_number)


def parse_rule(text: str, pairs: Mapping[str, str] | None = None) -> Rule:
    """A rule as it is typed; `pairs` are those of a table's file. Raises ValueError that says what is wrong."""
    kind, _, value = text.strip().partition(" ")
    if kind not in KINDS:
        raise ValueError(f"{kind!r} is not one of {', '.join(KINDS)}")
    value = value.strip()
    if kind == "echo" and value:
        raise ValueError(f"echo takes no value: {value!r}")
    if kind == "plus" and not _NUMBER.fullmatch(value):
        raise ValueError(f"plus takes a whole number, not {value!r}")
    if kind in ("text", "matches", "table") and not value:
        raise ValueError(f"{kind} takes a value behind it")
    if kind == "matches":
        try:
            Pattern(value)
        except Broken as problem:
            raise ValueError(f"{value!r} is not a regular expression: {problem}") from None
    if kind == "table" and not pairs:
        raise ValueError(f"the table {value} holds no pairs")
    return Rule(kind, value, pairs or {})
