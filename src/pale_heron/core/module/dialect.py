"""A dialect: how one kind of device is told things, as a table that people write (docs/dialects.md).

    [action.line-rate]
    meaning = "The line rate, from the next epoch on"
    send = "PCURLEW,LINE,{rate}"
    answered = "PCURLEW,DONE,LINE,{rate}"
    changes-rate = "rate"
    [action.line-rate.parameter.rate]
    choices = [4800, 9600, 19200]

Reading it never stops at the first mistake: every one is told with the place where it stands, as the path of its keys.
"""

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Final, NamedTuple

from pale_heron.core.line.settings import nearest_words

NMEA, TEXT, HEX = "nmea", "text", "hex"
FORMS: Final = (NMEA, TEXT, HEX)
STARTS: Final = ("cold", "warm", "hot", "unknown")
WITHIN_S: Final = 2.0
MOST_WITHIN_S: Final = 3600.0

ROLES: Final = {
    "identify": (),
    "start-cold": (),
    "start-warm": (),
    "start-hot": (),
    "sentence": ("sentence", "interval"),
    "update-rate": ("milliseconds",),
    "line-rate": ("rate",),
    "systems": ("systems",),
    "store": (),
    "restart": (),
}
"""Names of actions that the program uses by itself, with the parameters that each must have."""

_PLACE = re.compile(r"\{([a-z][a-z0-9-]*)\}")
_NAME = re.compile(r"[a-z][a-z0-9-]*").fullmatch
_HEX_BODY = re.compile(r"(?:\s*(?:[0-9A-Fa-f]{2}|\{[a-z][a-z0-9-]*\}))+\s*").fullmatch


class Problem(NamedTuple):
    """What is wrong, and at which keys, from the outermost inwards."""

    keys: tuple[str, ...]
    words: str


@dataclass(frozen=True, slots=True)
class Parameter:
    """One value of an action: one of `choices`, or a number from `least` to `most`, or some of `letters`."""

    name: str
    meaning: str = ""
    unit: str = ""
    choices: tuple[str, ...] = ()
    least: float | None = None
    most: float | None = None
    letters: str = ""

    @property
    def legal(self) -> str:
        """What may be given, in words."""
        unit = f" {self.unit}" if self.unit else ""
        if self.choices:
            return "one of " + ", ".join(self.choices) + unit
        if self.letters:
            return f"one or more of {' '.join(self.letters)}"
        if self.least is None and self.most is None:
            return "anything printable"
        if self.most is None:
            return f"{self.least:g}{unit} or more"
        return f"at most {self.most:g}{unit}" if self.least is None else f"{self.least:g} to {self.most:g}{unit}"

    def check(self, value: str) -> str:
        """What is wrong with a value; empty where it is legal."""
        if not value or not value.isprintable() or any(sign in value for sign in "*$!"):
            return f"{self.name} = {value!r} is nothing that can be sent: {self.legal}"
        if self.choices:
            wrong = value not in self.choices
        elif self.letters:
            wrong = len(set(value)) != len(value) or not set(value) <= set(self.letters)
        elif self.least is None and self.most is None:
            wrong = "," in value
        else:
            wrong = not _is_between(value, self.least, self.most)
        return f"{self.name} = {value!r} is not {self.legal}" if wrong else ""


def _is_between(value: str, least: float | None, most: float | None) -> bool:
    if not re.fullmatch(r"[+-]?\d+(\.\d+)?", value):
        return False
    number = float(value)
    return (least is None or number >= least) and (most is None or number <= most)


@dataclass(frozen=True, slots=True)
class Action:
    """One thing that the device can be told."""

    name: str
    send: str
    meaning: str = ""
    form: str = NMEA
    answered: str = ""
    """A regular expression for the line that acknowledges it, parameters filled in; empty where nothing does."""
    refused: str = ""
    within_s: float = WITHIN_S
    forgets: str = ""
    """What is lost by it, in words; empty for nothing."""
    restarts: bool = False
    starts: str = ""
    """The mode of the start that it begins; empty where it begins none."""
    stores: bool = False
    changes_rate: str = ""
    """The parameter that becomes the line rate."""
    parameters: tuple[Parameter, ...] = ()

    @property
    def risk(self) -> str:
        """Why it asks first; empty where it need not."""
        told = [f"it forgets {self.forgets}" if self.forgets else "", "it restarts" if self.restarts else ""]
        return " and ".join(filter(None, told))

    def check(self, values: Mapping[str, str]) -> str:
        """What is wrong with the values; empty where all are legal."""
        for parameter in self.parameters:
            wrong = parameter.check(values.get(parameter.name, ""))
            if wrong:
                return wrong
        return ""

    def text(self, values: Mapping[str, str]) -> str:
        """What is sent, in the words of the send line: a sentence begins with `$`, bytes are hexadecimal.

        Raises ValueError for a value that is not legal.
        """
        wrong = self.check(values)
        if wrong:
            raise ValueError(wrong)
        filled = _PLACE.sub(lambda place: values[place[1]], self.send)
        if self.form == NMEA:
            return "$" + filled.removeprefix("$")
        if self.form == TEXT:
            return filled.replace("<", "<<")
        return "".join(f"<0x{byte:02X}>" for byte in bytes.fromhex("".join(filled.split())))

    def answers(self, values: Mapping[str, str], line: str) -> bool | None:
        """Whether a line acknowledges (True) or refuses (False) it; None where it does neither."""
        for pattern, verdict in ((self.answered, True), (self.refused, False)):
            filled = _PLACE.sub(lambda place: re.escape(values.get(place[1], "")), pattern)
            if pattern and re.search(filled, line):
                return verdict
        return None


@dataclass(frozen=True, slots=True)
class Dialect:
    """`says` are regular expressions of what such a device says of itself."""

    name: str
    title: str = ""
    says: tuple[str, ...] = ()
    actions: Mapping[str, Action] = field(default_factory=dict)

    def recognises(self, line: str) -> bool:
        """Whether a line is one that only such a device says."""
        return any(re.search(pattern, line) for pattern in self.says)


def read_dialect(told: Mapping[str, Any]) -> tuple[Dialect, list[Problem]]:
    """The dialect of a TOML file that was read, and all that is wrong with it; where that is nothing it can be used."""
    problems: list[Problem] = []
    top = _Table(told, (), problems)
    name = top.text("name", needed=True)
    if name and not _NAME(name):
        top.wrong("name", f"{name!r} is not lower-case letters, digits and -")
    title = top.text("title")
    recognise = top.table("recognise")
    says = recognise.patterns("says")
    recognise.end()
    actions = {}
    for key, table in top.tables("action"):
        if not _NAME(key):
            top.wrong("action", f"{key!r} is not lower-case letters, digits and -")
        actions[key] = _action(key, table)
    top.end()
    if not actions and not problems:
        problems.append(Problem((), "there is no action: write at least one [action.NAME]"))
    return Dialect(name, title, says, actions), problems


def _action(name: str, table: "_Table") -> Action:
    form = table.text("form", NMEA)
    if form not in FORMS:
        table.wrong("form", f"{form!r} is none of {', '.join(FORMS)}{nearest_words(form, dict.fromkeys(FORMS))}")
    parameters = tuple(_parameter(key, each) for key, each in table.tables("parameter"))
    names = [parameter.name for parameter in parameters]
    send = table.text("send", needed=True)
    if form == HEX and send and not _HEX_BODY(send):
        table.wrong("send", f"{send!r} is not bytes of two hexadecimal digits")
    answered, refused = table.pattern("answered"), table.pattern("refused")
    for key, text in (("send", send), ("answered", answered), ("refused", refused)):
        for used in _PLACE.findall(text):
            if used not in names:
                nearest = nearest_words(used, dict.fromkeys(names))
                table.wrong(key, f"{{{used}}} is no parameter of this action{nearest}")
    for parameter in names:
        if f"{{{parameter}}}" not in send:
            table.wrong("send", f"the parameter {parameter!r} stands nowhere in it")
    starts = table.text("starts")
    if starts and starts not in STARTS:
        table.wrong("starts", f"{starts!r} is none of {', '.join(STARTS)}")
    changes = table.text("changes-rate")
    if changes and changes not in names:
        table.wrong("changes-rate", f"{changes!r} is no parameter of this action")
    for wanted in ROLES.get(name, ()):
        if wanted not in names:
            table.wrong("send", f"an action called {name!r} needs a parameter {wanted!r}")
    action = Action(
        name=name,
        send=send,
        meaning=table.text("meaning"),
        form=form,
        answered=answered,
        refused=refused,
        within_s=table.number("within-s", WITHIN_S, 0.05, MOST_WITHIN_S),
        forgets=table.text("forgets"),
        restarts=table.flag("restarts"),
        starts=starts,
        stores=table.flag("stores"),
        changes_rate=changes,
        parameters=parameters,
    )
    table.end()
    return action


def _parameter(name: str, table: "_Table") -> Parameter:
    choices = table.choices("choices")
    least, most = table.limit("least"), table.limit("most")
    letters = table.text("letters")
    if least is not None and most is not None and least > most:
        table.wrong("least", f"{least:g} is more than most = {most:g}")
    if sum(map(bool, (choices, letters, least is not None or most is not None))) > 1:
        table.wrong(
            "choices" if choices else "letters", "only one of choices, letters, least and most says what is legal"
        )
    parameter = Parameter(name, table.text("meaning"), table.text("unit"), choices, least, most, letters)
    table.end()
    return parameter


class _Table:
    """One table of the file: hands out its values, notes what is wrong, and at the end what nobody asked for."""

    def __init__(self, told: Any, keys: tuple[str, ...], problems: list[Problem]) -> None:
        self._told = told if isinstance(told, Mapping) else {}
        self._keys = keys
        self._problems = problems
        self._known: dict[str, None] = {}
        if not isinstance(told, Mapping):
            problems.append(Problem(keys, "a table is wanted here"))

    def wrong(self, key: str, words: str) -> None:
        self._problems.append(Problem((*self._keys, key), words))

    def _take(self, key: str, kind: type | tuple[type, ...], words: str) -> Any:
        self._known[key] = None
        value = self._told.get(key)
        if value is None:
            return None
        if not isinstance(value, kind) or (isinstance(value, bool) and kind is not bool):
            self.wrong(key, f"{key} = {value!r}: {words} is wanted")
            return None
        return value

    def text(self, key: str, usual: str = "", *, needed: bool = False) -> str:
        value = self._take(key, str, "text in quotes")
        if needed and not value:
            self.wrong(key, f"{key} is missing")
        return usual if value is None else str(value)

    def flag(self, key: str) -> bool:
        return bool(self._take(key, bool, "true or false"))

    def limit(self, key: str) -> float | None:
        value = self._take(key, (int, float), "a number")
        return None if value is None else float(value)

    def number(self, key: str, usual: float, least: float, most: float) -> float:
        value = self.limit(key)
        if value is not None and not least <= value <= most:
            self.wrong(key, f"{key} = {value:g} is not {least:g} to {most:g}")
        return usual if value is None else value

    def pattern(self, key: str) -> str:
        value = self.text(key)
        self._compile(key, value)
        return value

    def patterns(self, key: str) -> tuple[str, ...]:
        found = self._take(key, list, "a list of texts") or []
        for each in found:
            if isinstance(each, str):
                self._compile(key, each)
            else:
                self.wrong(key, f"{each!r} is no text in quotes")
        return tuple(each for each in found if isinstance(each, str))

    def _compile(self, key: str, pattern: str) -> None:
        try:
            re.compile(_PLACE.sub("x", pattern))
        except re.error as problem:
            self.wrong(key, f"{pattern!r} is no regular expression: {problem}")

    def choices(self, key: str) -> tuple[str, ...]:
        found = self._take(key, list, "a list") or []
        return tuple(str(each) for each in found)

    def table(self, key: str) -> "_Table":
        self._known[key] = None
        return _Table(self._told.get(key, {}), (*self._keys, key), self._problems)

    def tables(self, key: str) -> Iterator[tuple[str, "_Table"]]:
        inner = self.table(key)
        for name in inner._told:
            inner._known[name] = None
            yield str(name), inner.table(name)

    def end(self) -> None:
        """Note the keys that mean nothing."""
        for key in self._told:
            if key not in self._known:
                self.wrong(str(key), f"{key!r} is no key here{nearest_words(str(key), self._known)}")
