"""A dialect: how one kind of device speaks and is spoken to, as a table that people write (docs/dialects.md).

A receiver needs `[action.*]`, a module `[command.*]`, `[result.*]`, `[notice.*]`, `[field.*]`, `[setting.*]` and some
more. `extends` names a dialect that this one grows from: its tables are laid over those of the other.

Reading it never stops at the first mistake: each is reported with its place, as the path of its keys.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Final, TypeVar

from pale_heron.core.device.schema.actions import DeviceAction, read_action
from pale_heron.core.device.schema.commands import (
    MODES,
    QUERY,
    RUN,
    SET,
    Command,
    CommandMatcher,
    TypedCommand,
    read_command,
)
from pale_heron.core.device.schema.fields import Field, read_field
from pale_heron.core.device.schema.frame_form import read_frame_form
from pale_heron.core.device.schema.line_form import LineForm, read_line_form
from pale_heron.core.device.schema.notices import (
    FinalResult,
    Milestone,
    Notice,
    read_milestone,
    read_notice,
    read_result,
)
from pale_heron.core.device.schema.settings import Setting, read_setting
from pale_heron.core.device.schema.toml_table import PLACEHOLDER, TableProblem, TomlTable, is_name
from pale_heron.core.line.settings import nearest_words
from pale_heron.core.patterns import Pattern
from pale_heron.core.trouble import fault_words

GUARD_S: Final = 1.0
Part = TypeVar("Part")


@dataclass(frozen=True)
class Dialect:
    """`says` are regular expressions of what such a device says of itself. All tables go by name."""

    name: str
    title: str = ""
    extends: str = ""
    says: tuple[Pattern[str], ...] = ()
    actions: Mapping[str, DeviceAction] = field(default_factory=dict)
    commands: Mapping[str, Command] = field(default_factory=dict)
    results: Mapping[str, FinalResult] = field(default_factory=dict)
    notices: Mapping[str, Notice] = field(default_factory=dict)
    fields: Mapping[str, Field] = field(default_factory=dict)
    settings: Mapping[str, Setting] = field(default_factory=dict)
    milestones: Mapping[str, Milestone] = field(default_factory=dict)
    line: LineForm = field(default_factory=LineForm)
    escape: str = ""
    """What leads from data mode to command mode, after and before `guard_s` of silence; empty for nothing."""
    guard_s: float = GUARD_S
    escape_answered: bool = True
    """Whether the module says something to the escape; else silence after it is command mode."""
    starts_in: str = ""
    """The mode in which it is after a start; command mode where nothing is said."""
    command_ends_s: float = 0.0
    """After so long without a command it is back in data mode by itself; 0 where it stays."""
    payload_command: str = ""
    """The command that sends a payload to the far end."""
    payload_notice: str = ""
    """The notice with which one arrives."""

    def recognises(self, line: str) -> bool:
        """Whether a line is one that only such a device says."""
        return any(pattern.search(line) for pattern in self.says)

    @property
    def commands_modules(self) -> bool:
        """Whether it is that of something which answers commands, with results or a prompt."""
        return bool(self.results or self.line.waits_visibly)

    @property
    def hides_in_frames(self) -> bool:
        """Whether secrets of it stand in frames, where nobody finds them as text."""
        return self.line.frame is not None and bool(self.secrets)

    @cached_property
    def _recogniser(self) -> CommandMatcher:
        return CommandMatcher(self.commands, self.line.canonical, self.secrets)

    def spoken(self, line: str) -> tuple[TypedCommand, ...]:
        """The commands of a line that is typed or sent."""
        return self._recogniser.spoken(line)

    def risk_of(self, line: str) -> str:
        """Why a line that is typed asks first, in words; empty where it need not."""
        return " and ".join(dict.fromkeys(each.risk for each in self.spoken(line) if each.risk))

    def field_of(self, name: str) -> Field:
        """What a field of a line means; one that nobody described is a text."""
        return self.fields.get(name) or Field(name, secret=name in self.secrets)

    @property
    def patterns(self) -> "list[Pattern[str]]":
        """Every expression for a line that the module says."""
        found = [each for command in self.commands.values() for each in command.replies]
        found += [each.then for each in self.commands.values() if each.then is not None]
        found += [self.line.prompt_like] if self.line.prompt_like is not None else []
        found += [each.line for each in self.notices.values()]
        return found + [each.line for each in self.results.values()]

    @property
    def secret_heads(self) -> frozenset[str]:
        """What each command begins with that has a secret value, in small letters: a line without them has none."""
        return frozenset(self._recogniser.secret_heads)

    def secrets_told(self, line: str) -> set[str]:
        """What it calls secret among the values of commands in a line."""
        return {value for each in self.spoken(line) for name, value in each.values.items() if name in self.secrets}

    @property
    def slow(self) -> tuple[str, ...]:
        """The expressions that took too long and are passed over."""
        return tuple(each.pattern for each in (*self.says, *self.patterns) if each.slow)

    @cached_property
    def readings(self) -> Mapping[str, Field]:
        """The fields that stand in State, by the word under which they stand there."""
        return {each.reading: each for each in self.fields.values() if each.reading}

    def asking_for(self, reading: str) -> str:
        """The line that asks for a reading; empty where no command is known to."""
        name = self.readings[reading].name if reading in self.readings else ""
        for each in self.commands.values():
            if any(name in reply.groupindex for reply in each.replies):
                return next((each.forms[form][0] for form in (QUERY, RUN) if each.forms.get(form)), "")
        return ""

    @cached_property
    def secrets(self) -> frozenset[str]:
        """Names of fields and parameters that must not be shown."""
        return _secrets(self.fields, self.commands, self.actions)


def read_dialect(written: Mapping[str, Any]) -> tuple[Dialect, list[TableProblem]]:
    """The dialect of a TOML file that was read, and all that is wrong with it; where that is nothing it can be used.

    It may come out of a capture, from anybody: whatever stands in it, nothing is raised.
    """
    try:
        return _read(written)
    except Exception as fault:
        return Dialect(""), [TableProblem((), f"it cannot be read: {fault_words(fault)}")]


def _read(written: Mapping[str, Any]) -> tuple[Dialect, list[TableProblem]]:
    problems: list[TableProblem] = []
    top = TomlTable(written, (), problems)
    name = top.text("name", needed=True)
    if name and not is_name(name):
        top.wrong("name", f"{name!r} is not lower-case letters, digits and -")
    recognise, line, mode, payload = (top.table(key) for key in ("recognise", "line", "mode", "payload"))
    frame = read_frame_form(top.table("frame"))
    actions = _all(top, "action", lambda key, table: read_action(key, table, frame))
    commands = _all(top, "command", read_command)
    fields = _all(top, "field", read_field)
    notices = _all(top, "notice", read_notice)
    secrets = _secrets(fields, commands, actions)
    # A parameter that is secret is so in replies too.
    fields = {name: replace(each, secret=name in secrets) for name, each in fields.items()}
    dialect = Dialect(
        name=name,
        title=top.text("title"),
        extends=top.text("extends"),
        says=recognise.compiled("says"),
        actions=actions,
        commands=commands,
        results=_all(top, "result", read_result),
        notices=notices,
        fields=fields,
        settings=_all(top, "setting", lambda key, table: read_setting(key, table, commands, secrets)),
        milestones=_all(top, "milestone", read_milestone),
        line=read_line_form(line, frame),
        escape=mode.text("escape"),
        guard_s=mode.number("guard-s", GUARD_S, 0.0, 60.0),
        escape_answered=not mode.flag("escape-silent"),
        starts_in=mode.one_of("starts-in", MODES),
        command_ends_s=mode.number("command-ends-after-s", 0.0, 0.0, 3600.0),
        payload_command=payload.one_of("command", commands),
        payload_notice=payload.one_of("notice", notices),
    )
    for table in (recognise, line, mode, payload, top):
        table.end()
    if not actions and not commands and not problems:
        problems.append(TableProblem((), "it has nothing to send: write an [action.NAME] or a [command.NAME]"))
    problems += [*_unknown_names(dialect), *_too_wide(dialect), *_unreadable_settings(dialect), *_at_odds(dialect)]
    return dialect, problems


def _secrets(
    fields: Mapping[str, Field], commands: Mapping[str, Command], actions: Mapping[str, DeviceAction]
) -> frozenset[str]:
    """Names of what is secret, as a field or as a parameter."""
    parameters = [each for command in commands.values() for each in command.parameters.values()]
    parameters += [each for action in actions.values() for each in action.parameters]
    return frozenset(each.name for told in (fields.values(), parameters) for each in told if each.secret)


def _all(top: TomlTable, key: str, read: Callable[[str, TomlTable], Part]) -> dict[str, Part]:
    """Every table of a kind, by name."""
    found = {}
    for name, table in top.tables(key):
        if not is_name(name):
            top.wrong(key, f"{name!r} is not lower-case letters, digits and -")
        found[name] = read(name, table)
    return found


def _unknown_names(dialect: Dialect) -> list[TableProblem]:
    """What names something that is not there."""
    problems = [
        TableProblem(("milestone", each.name, "notice"), f"{each.notice!r} is not a notice")
        for each in dialect.milestones.values()
        if each.notice and each.notice not in dialect.notices
    ]
    named = {name for pattern in dialect.patterns for name in pattern.groupindex}
    problems += [
        TableProblem(("field", name), f"no reply, notice or result has a field {name!r}")
        for name in dialect.fields
        if name not in named
    ]
    problems += [
        TableProblem(("milestone", each.name, "field"), f"no reply, notice or result has a field {name!r}")
        for each in dialect.milestones.values()
        for name in each.fields
        if name not in named
    ]
    problems += [
        TableProblem(("setting", each.name, "refers"), f"{each.refers!r} is not a setting")
        for each in dialect.settings.values()
        if each.refers and each.refers not in dialect.settings
    ]
    problems += [
        TableProblem(("result", each.name, "of"), f"{name!r} is not a command{nearest_words(name, dialect.commands)}")
        for each in dialect.results.values()
        for name in each.of
        if name not in dialect.commands
    ]
    problems += [
        TableProblem(("command", each.name, "ends"), f"{name!r} is not a result{nearest_words(name, dialect.results)}")
        for each in dialect.commands.values()
        for name in each.ends
        if name not in dialect.results
    ]
    problems += [
        TableProblem(
            ("notice", each.name, "meaning"),
            f"{{{name}}} is not a field of its line{nearest_words(name, each.line.groupindex)}",
        )
        for each in dialect.notices.values()
        for name in PLACEHOLDER.findall(each.meaning)
        if name not in each.line.groupindex
    ]
    return problems + [
        TableProblem(("setting", each.name, "broken"), f"{{{name}}} is neither {{here}} nor {{there}}")
        for each in dialect.settings.values()
        for name in PLACEHOLDER.findall(each.broken)
        if name not in ("here", "there")
    ]


ANYTHING: Final = ("", "heron 4711", "[x] ~ 0,0,0 tide")
"""Lines that have nothing in common: what matches all of them tells nothing."""


def _too_wide(dialect: Dialect) -> list[TableProblem]:
    """Results, notices and recognitions that any line would be."""
    lines = [("result", each.name, "line", each.line) for each in dialect.results.values()]
    lines += [("notice", each.name, "line", each.line) for each in dialect.notices.values()]
    problems = [
        TableProblem((kind, name, key), f"{pattern.pattern!r} is any line at all")
        for kind, name, key, pattern in lines
        if all(pattern.fullmatch(each) for each in ANYTHING[1:])
    ]
    return problems + [
        TableProblem(("recognise", "says"), f"{pattern.pattern!r} is found in any line at all")
        for pattern in dialect.says
        if all(pattern.search(each) for each in ANYTHING[1:])
    ]


def _unreadable_settings(dialect: Dialect) -> list[TableProblem]:
    """Settings that can be written and never compared."""
    return [
        TableProblem(("setting", each.name, "command"), f"the command {each.command!r} has no query: it cannot be read")
        for each in dialect.settings.values()
        if each.command in dialect.commands
        and QUERY not in dialect.commands[each.command].forms
        and SET in dialect.commands[each.command].forms
    ]


def _at_odds(dialect: Dialect) -> list[TableProblem]:
    """What cannot both be so: results of one line, and settings of one command that no form of it takes together."""
    problems: list[TableProblem] = []
    lines: dict[str, FinalResult] = {}
    for each in dialect.results.values():
        other = lines.setdefault(each.line.pattern, each)
        if other is not each and (not each.of or not other.of or set(each.of) & set(other.of)):
            problems.append(TableProblem(("result", each.name, "line"), f"the result {other.name!r} has the same line"))
    together: dict[tuple[str, tuple[tuple[str, str], ...]], set[str]] = {}
    for setting in dialect.settings.values():
        together.setdefault((setting.command, setting.row), set()).add(setting.value)
    for (name, row), values in together.items():
        texts = dialect.commands[name].forms.get(SET, ()) if name in dialect.commands else ()
        wanted = values | {key for key, _ in row}
        if texts and not any(wanted <= set(PLACEHOLDER.findall(each)) for each in texts):
            words = f"no form takes {', '.join(sorted(wanted))} together, which are settings of it"
            problems.append(TableProblem(("command", name, SET), words))
    return problems


def merge(base: Mapping[str, Any], own: Mapping[str, Any]) -> dict[str, Any]:
    """The tables of a dialect over those of the one that it grows from; a value of its own replaces the other."""
    merged = dict(base)
    for key, value in own.items():
        before = merged.get(key)
        if isinstance(value, Mapping) and isinstance(before, Mapping) and key not in _WHOLE:
            merged[key] = merge(before, value)
        else:
            merged[key] = value
    return merged


_WHOLE: Final = ("words", "choices")
"""Tables of values: one of its own replaces the other as a whole."""
