"""Commands of a module: their forms, what they answer, how long it may take, and what they risk.

    [command.node]
    meaning = "Its address on the air"
    query = "AT+NODE?"
    set = "AT+NODE={node}"
    test = "AT+NODE=?"
    reply = '\\+NODE: (?P<node>\\d+)'
    [command.node.parameter.node]
    least = 1
    most = 250

A command line may hold several commands (ITU-T V.250, 5.2): behind `AT` basic ones one after the other, and extended
ones, which begin with `+` and end with `;` or with the line.
"""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Final, NamedTuple

from pale_heron.core.device.schema.command_line import CTRL_Z, ESCAPE, PROMPT, is_command_line, pieces
from pale_heron.core.device.schema.parameters import FORBIDDEN_IN_COMMANDS, Parameter, read_parameter
from pale_heron.core.device.schema.toml_table import PLACEHOLDER, TomlTable
from pale_heron.core.line.settings import nearest_words
from pale_heron.core.patterns import Match, Pattern

RUN, QUERY, SET, TEST = "run", "query", "set", "test"
FORMS: Final = (SET, QUERY, TEST, RUN)
"""In the order in which they are recognised: `=?` is a test before it is a value."""

HARMLESS: Final = (QUERY, TEST)
WITHIN_S: Final = 2.0
THEN_WITHIN_S: Final = 30.0
MOST_WITHIN_S: Final = 3600.0

RISKS: Final = {
    "erases": "it erases what cannot be brought back",
    "costs": "it may cost money",
    "changes-line": "it changes the line: what we hear may become illegible",
    "restarts": "it restarts the module",
    "leaves-command-mode": "it leaves command mode: what is sent then goes to the far end",
    "transmits": "it sends something to somebody",
    "locks-out": "a wrong value may lock everybody out",
}
"""Why a command asks first, in words."""

MODES: Final = ("command", "data")


@dataclass(frozen=True, slots=True)
class Command:
    """One command in its forms. `forms` gives the texts of each, values standing as `{name}`."""

    name: str
    meaning: str
    forms: Mapping[str, tuple[str, ...]]
    parameters: Mapping[str, Parameter]
    source: str = ""
    """The standard and section that defines it."""
    replies: tuple[Pattern[str], ...] = ()
    follows: bool = False
    """Whether behind each information line comes a line of free text that belongs to it."""
    within_s: float = WITHIN_S
    risks: tuple[str, ...] = ()
    prompts: bool = False
    prompt: str = PROMPT
    """The text that asks, where it prompts."""
    counted: str = ""
    """The parameter that says how many bytes are sent at the prompt; empty where `text_end` ends them."""
    inline: str = ""
    """The parameter that holds the bytes themselves, where they stand in the command and no prompt asks for them."""
    payload_secret: bool = False
    """Whether what is sent at the prompt must not be shown."""
    text_end: bytes = CTRL_Z
    gives_up: bytes = ESCAPE
    """What ends the text at the prompt, and what is sent instead of one."""
    arrives: str = ""
    """The field of a reply that says how many bytes follow it."""
    enters: str = ""
    """The mode in which the module is after its OK."""
    enters_if: str = ""
    """`name=value`: only where the module is set so."""
    ends: tuple[str, ...] = ()
    """The good results that end it; others come between. Empty where any ends it."""
    then: Pattern[str] | None = None
    """The line that comes later, behind its OK, and is the real answer."""
    then_within_s: float = 0.0
    broken_off: tuple[str, ...] = ()
    """The forms that a character ends which is sent meanwhile (V.250, 5.6.1)."""
    note: str = ""
    """What the user noted."""

    def risk(self, form: str) -> str:
        """Why this form asks first, in words; asking something never does."""
        return "" if form in HARMLESS else " and ".join(RISKS[each] for each in self.risks)

    def abortable(self, form: str) -> bool:
        """Whether a character that is sent while it runs ends it."""
        return form in self.broken_off

    def check(self, values: Mapping[str, str]) -> str:
        """What is wrong with values; empty where all are legal."""
        problems = (self.parameters[name].check(value) for name, value in values.items() if name in self.parameters)
        return next(filter(None, problems), "") or self.miscounted(values)

    def miscounted(self, values: Mapping[str, str], payload: bytes | None = None) -> str:
        """What is wrong with a number of bytes that the command announces; empty where it is right, or none is known.

        `payload` are the bytes, else they stand in the command.
        """
        if payload is None and self.inline in values:
            payload = values[self.inline].encode("utf-8", "replace")
        told = values.get(self.counted, "")
        if payload is None or not told.isdecimal() or int(told) == len(payload):
            return ""
        return f"{self.counted} is {told}, but {len(payload)} bytes are to be sent"

    def fitting(self, form: str, values: Mapping[str, str]) -> dict[str, str]:
        """Of these values those of the form that takes the most of them; all where none can be filled with them."""
        forms = [set(PLACEHOLDER.findall(each)) for each in self.forms.get(form, ())]
        fit = max((each for each in forms if each <= values.keys()), key=len, default=set(values))
        return {name: values[name] for name in fit}

    def text(self, form: str, values: Mapping[str, str]) -> str:
        """The command line of a form. Raises ValueError where a value is missing or not legal."""
        for template in self.forms.get(form, ()):
            if set(PLACEHOLDER.findall(template)) == set(values):
                wrong = self.check(values)
                if wrong:
                    raise ValueError(wrong)
                return PLACEHOLDER.sub(lambda placeholder: values[placeholder[1]], template)
        wanted = " or ".join(self.forms.get(form, ())) or f"{self.name} has no {form} form"
        raise ValueError(f"{self.name} cannot be sent with {', '.join(values) or 'no value'}: {wanted}")


class TypedCommand(NamedTuple):
    """One command of a line: as it was typed, and what it is in the dialect, if it is known there."""

    text: str
    command: Command | None = None
    form: str = ""
    values: Mapping[str, str] = {}

    @property
    def wrong(self) -> str:
        """What is wrong with its values; empty where nothing is, or it is unknown."""
        return self.command.check(self.values) if self.command else ""

    @property
    def risk(self) -> str:
        return self.command.risk(self.form) if self.command else ""


class _RankedForm(NamedTuple):
    """A form as it is looked for, the lowest `rank` first; no two have the same."""

    rank: int
    pattern: Pattern[str]
    command: Command
    form: str


class CommandMatcher:
    """Finds the commands of a dialect in what is typed or sent."""

    def __init__(
        self, commands: Mapping[str, Command], canonical: Callable[[str], str], secrets: frozenset[str] = frozenset()
    ) -> None:
        """`canonical` makes one text of all that stand for the same bytes; `secrets` names values not to be shown."""
        self._canonical = canonical
        forms = [
            (_pattern(canonical(template), command.inline), _head(canonical(template)), command, form)
            for form in FORMS
            for command in commands.values()
            for template in sorted(command.forms.get(form, ()), key=lambda each: PLACEHOLDER.sub("", each).count(","))
        ]
        # The longest text without its values is the most certain one.
        forms.sort(key=lambda each: (each[3] == SET, -len(each[0].pattern)))
        self._by_head: dict[str, list[_RankedForm]] = {}
        for rank, (pattern, head, command, form) in enumerate(forms):
            self._by_head.setdefault(head, []).append(_RankedForm(rank, pattern, command, form))
        self._head_sizes = sorted({len(head) for head in self._by_head})
        # Each command of a line is matched with `AT` in front, and only the first of them has it there.
        self.secret_heads = {
            head.removeprefix("at")
            for head, ranked in self._by_head.items()
            for each in ranked
            if secrets & {name.replace("__", "-") for name in each.pattern.groupindex}
        }

    def spoken(self, line: str) -> tuple[TypedCommand, ...]:
        """The commands of a line, in their order."""
        whole = self._canonical(line.strip())
        cut = [self._one(each) for each in (pieces(whole) if is_command_line(whole) else [whole])]
        if len(cut) > 1 and not all(each.command for each in cut):
            # A basic command of the module's own may have several letters.
            known = self._one(whole)
            return (known,) if known.command else tuple(cut)
        return tuple(cut)

    def _one(self, text: str) -> TypedCommand:
        folded = text.casefold()
        # Looking for what it begins with is many times faster than matching all forms.
        likely = [each for size in self._head_sizes for each in self._by_head.get(folded[:size], ())]
        for _, pattern, command, form in sorted(likely):
            found = pattern.fullmatch(text)
            if found:
                values = {name.replace("__", "-"): each for name, each in _values(found)}
                return TypedCommand(text, command, form, _with_zero(text, command, values))
        return TypedCommand(text)


def _with_zero(text: str, command: Command, values: dict[str, str]) -> dict[str, str]:
    """A number that is left out behind a basic command or an S-parameter is 0 (V.250, 5.3.1 and 5.3.2)."""
    if text[2:3] == "+" or len(values) != 1:
        return values
    ((name, value),) = values.items()
    parameter = command.parameters.get(name)
    numeric = parameter is not None and (parameter.choices or parameter.least is not None)
    return {name: "0"} if not value and numeric else values


def _values(found: "Match[str]") -> list[tuple[str, str]]:
    return [(name, each or "") for name, each in found.groupdict().items()]


def _head(template: str) -> str:
    """What every line of a form begins with, whatever its values are, without difference of case."""
    return PLACEHOLDER.split(template, maxsplit=1)[0].casefold()


def _pattern(template: str, inline: str = "") -> Pattern[str]:
    """What a form matches: letters of commands in either case (V.250, 5.4.1), values as far as they may go.

    Data that stand in the command may hold commas.
    """
    out, last = "", 0
    for placeholder in PLACEHOLDER.finditer(template):
        out += re.escape(template[last : placeholder.start()])
        quoted = template[placeholder.start() - 1 : placeholder.start()] == '"'
        value = '[^"]*' if quoted else ".*" if placeholder[1] == inline else '[^,"]*'
        out += f"(?P<{placeholder[1].replace('-', '__')}>{value})"
        last = placeholder.end()
    return Pattern(out + re.escape(template[last:]), ignore_case=True)


_EXTENDED_NAME = re.compile(r"AT\+[A-Z][A-Z0-9!%./:_-]*", re.IGNORECASE)


def _tests(forms: Mapping[str, tuple[str, ...]]) -> tuple[str, ...]:
    """The test forms: those that the table has, and that of each extended command (V.250, 5.4.2.4 and 5.4.4.4).

    What only runs need not have one: there is nothing that it might take.
    """
    told = forms.get(TEST, ())
    named = [found[0] for form in (SET, QUERY) for text in forms.get(form, ()) if (found := _EXTENDED_NAME.match(text))]
    return (*told, *(test for name in dict.fromkeys(named) if (test := f"{name}=?") not in told))


def read_condition(table: TomlTable) -> str:
    """The key `enters-if` of a command, result or notice."""
    text = table.text("enters-if")
    if text and not all(text.partition("=")):
        table.wrong("enters-if", f"{text!r} is not NAME=VALUE")
    return text


def read_command(name: str, table: TomlTable) -> Command:
    """A command as its table has it."""
    parameters = {key: read_parameter(key, each, FORBIDDEN_IN_COMMANDS) for key, each in table.tables("parameter")}
    forms = {form: texts for form in FORMS if (texts := table.texts(form))}
    forms |= {TEST: tests} if (tests := _tests(forms)) else {}
    if not forms:
        table.wrong(RUN, f"a command needs at least one of {', '.join(FORMS)}")
    used = {placeholder for texts in forms.values() for text in texts for placeholder in PLACEHOLDER.findall(text)}
    for placeholder in sorted(used - set(parameters)):
        table.wrong(
            SET, f"{{{placeholder}}} is not a parameter of this command{nearest_words(placeholder, parameters)}"
        )
    for placeholder in sorted(set(parameters) - used):
        table.wrong(SET, f"the parameter {placeholder!r} is used in no form")
    counted = table.text("counted")
    if counted and counted not in parameters:
        table.wrong("counted", f"{counted!r} is not a parameter of this command")
    inline = table.text("inline")
    if inline and inline not in parameters:
        table.wrong("inline", f"{inline!r} is not a parameter of this command")
    payload_secret = table.flag("payload-secret")
    if payload_secret and inline in parameters:
        parameters[inline] = replace(parameters[inline], secret=True)
    replies = table.compiled("reply")
    arrives = table.text("arrives")
    if arrives and not any(arrives in each.groupindex for each in replies):
        table.wrong("arrives", f"{arrives!r} is not a field of its reply")
    command = Command(
        name=name,
        meaning=table.text("meaning"),
        forms=forms,
        parameters=parameters,
        source=table.text("source"),
        replies=replies,
        follows=table.flag("follows"),
        within_s=table.number("within-s", WITHIN_S, 0.05, MOST_WITHIN_S),
        risks=table.some_of("risk", RISKS),
        prompts=table.flag("prompts") or bool(counted and not inline),
        prompt=table.text("prompt", PROMPT),
        payload_secret=payload_secret,
        counted=counted,
        inline=inline,
        text_end=table.text("text-end", CTRL_Z.decode()).encode("latin-1", "replace"),
        gives_up=table.text("gives-up", ESCAPE.decode()).encode("latin-1", "replace"),
        arrives=arrives,
        enters=table.one_of("enters", MODES),
        enters_if=read_condition(table),
        ends=table.texts("ends"),
        then=next(iter(table.compiled("then")), None),
        then_within_s=table.number("then-within-s", THEN_WITHIN_S, 0.05, MOST_WITHIN_S),
        broken_off=table.some_of("broken-off", FORMS),
        note=table.text("note"),
    )
    if table.has("prompt") and not command.prompts:
        table.wrong("prompt", "'prompt' is what it prompts with: say prompts = true, or counted")
    for example in table.texts("examples"):
        if not any(each.fullmatch(example) for each in replies):
            table.wrong("examples", f"{example!r} is not one of its replies")
    table.end()
    return command
