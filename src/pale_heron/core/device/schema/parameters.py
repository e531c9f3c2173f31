"""A value that a command takes: what is legal for it, and whether it must not be shown."""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field

from pale_heron.core.device.schema.toml_table import TomlTable

FORBIDDEN_IN_SENTENCES = "*$!"
"""They begin or end something in a sentence (NMEA 0183, 5.3)."""

FORBIDDEN_IN_COMMANDS = '"'
"""It ends a text in a command line (ITU-T V.250, 5.4.2.2)."""


@dataclass(frozen=True, slots=True)
class Parameter:
    """One of `choices`, or a number from `least` to `most`, or some of `letters`, or a text.

    `choices` are the values with what each means; a text has at most `longest` characters.
    """

    name: str
    meaning: str = ""
    unit: str = ""
    choices: Mapping[str, str] = field(default_factory=dict)
    least: float | None = None
    most: float | None = None
    letters: str = ""
    longest: int | None = None
    hexadecimal: bool = False
    """Whether numbers are written so; least and most are numbers all the same."""
    secret: bool = False
    forbidden: str = FORBIDDEN_IN_SENTENCES

    @property
    def legal(self) -> str:
        """What may be given, in words."""
        unit = f" {self.unit}" if self.unit else ""
        if self.choices:
            choices = (f"{value} {meaning}".strip() for value, meaning in self.choices.items())
            return "one of " + ", ".join(choices) + unit
        if self.letters:
            return f"one or more of {' '.join(self.letters)}"
        if self.least is None and self.most is None:
            return "anything printable" if self.longest is None else f"1 to {self.longest} characters"
        plain = _hexadecimal if self.hexadecimal else _plain
        if self.most is None:
            return f"{plain(self.least or 0)}{unit} or more"
        least = "at most" if self.least is None else f"{plain(self.least)} to"
        return f"{least} {plain(self.most)}{unit}{', hexadecimal' if self.hexadecimal else ''}"

    def check(self, value: str) -> str:
        """What is wrong with a value; empty where it is legal. A secret value is not quoted."""
        shown = "that" if self.secret else repr(value)
        if not value or not value.isprintable() or any(sign in value for sign in self.forbidden):
            return f"{self.name} = {shown} is nothing that can be sent: {self.legal}"
        return f"{self.name} = {shown} is not {self.legal}" if self._is_wrong(value) else ""

    def _is_wrong(self, value: str) -> bool:
        if self.choices:
            return value not in self.choices
        if self.letters:
            return len(set(value)) != len(value) or not set(value) <= set(self.letters)
        if self.least is None and self.most is None:
            in_sentence = self.forbidden == FORBIDDEN_IN_SENTENCES
            return (in_sentence and "," in value) or (self.longest is not None and len(value) > self.longest)
        if self.hexadecimal:
            if not re.fullmatch(r"[0-9A-Fa-f]{1,16}", value):
                return True
            value = str(int(value, 16))
        return not _is_between(value, self.least, self.most)

    def same(self, value: str) -> str:
        """One text of all that are the same value."""
        if self.hexadecimal and re.fullmatch(r"[0-9A-Fa-f]{1,16}", value):
            return f"{int(value, 16):X}"
        return str(int(value)) if value.isascii() and value.isdecimal() else value


def _hexadecimal(number: float) -> str:
    return f"{int(number):X}"


def _plain(number: float) -> str:
    return str(int(number)) if number == int(number) else str(number)


def _is_between(value: str, least: float | None, most: float | None) -> bool:
    if not re.fullmatch(r"[+-]?\d+(\.\d+)?", value):
        return False
    number = float(value)
    return (least is None or number >= least) and (most is None or number <= most)


def read_parameter(name: str, table: TomlTable, forbidden: str) -> Parameter:
    """A parameter as its table has it."""
    choices = table.choices("choices")
    least, most = table.limit("least"), table.limit("most")
    letters = table.text("letters")
    longest = table.limit("longest")
    if least is not None and most is not None and least > most:
        table.wrong("least", f"{least:g} is more than most = {most:g}")
    if sum(map(bool, (choices, letters, least is not None or most is not None))) > 1:
        key = "choices" if choices else "letters"
        table.wrong(key, "only one of choices, letters, least and most says what is legal")
    parameter = Parameter(
        name=name,
        meaning=table.text("meaning"),
        unit=table.text("unit"),
        choices=choices,
        least=least,
        most=most,
        letters=letters,
        longest=None if longest is None else int(longest),
        hexadecimal=table.flag("hexadecimal"),
        secret=table.flag("secret"),
        forbidden=forbidden,
    )
    table.end()
    return parameter
