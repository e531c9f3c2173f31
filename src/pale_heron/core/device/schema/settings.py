"""Settings of a module: how each is read, written and kept, and how it must stand to that of the module it talks to.

    [setting.node]
    meaning = "Its address on the air"
    command = "node"          # read by its query, written by its set
    kept = "by-store"         # or at-once
    restart = false           # whether it holds only after a restart
    tells = "in-force"        # what its query tells before that: the value in force, or the one written
    rule = "differ"
    broken = "both have node {here}: neither will hear the other"

The rules for two modules: `equal`, `differ`, `opposite` (the two values are one of the pairs in `opposites`), and
`refers` (the value here is that of the setting `refers` over there).
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Final, NamedTuple

from pale_heron.core.device.schema.commands import QUERY, SET, Command
from pale_heron.core.device.schema.fields import MASK
from pale_heron.core.device.schema.parameters import Parameter
from pale_heron.core.device.schema.toml_table import TomlTable

EMPTY: Final = "empty"
IN_FORCE, WRITTEN = "in-force", "written"
BY_STORE, AT_ONCE = "by-store", "at-once"
EQUAL, DIFFER, OPPOSITE, REFERS = "equal", "differ", "opposite", "refers"
RULES: Final = {
    EQUAL: "must be equal",
    DIFFER: "must differ",
    OPPOSITE: "must be opposite",
    REFERS: "must name the other",
}


@dataclass(frozen=True, slots=True)
class Setting:
    """`value` is the field of the reply, and the parameter of the set form, that carries it."""

    name: str
    meaning: str
    command: str
    value: str
    parameter: Parameter | None
    kept: str = BY_STORE
    restart: bool = False
    tells: str = ""
    """What its query tells before a restart: IN_FORCE or WRITTEN; empty where that is to be found out."""
    rule: str = ""
    refers: str = ""
    opposites: tuple[tuple[str, ...], ...] = ()
    broken: str = ""
    row: tuple[tuple[str, str], ...] = ()
    """Fields and their values, which say of which row of a table it is; they are written with it."""
    secret: bool = False

    def is_row(self, fields: Mapping[str, str]) -> bool:
        """Whether a line of the reply, or the values of a command, are of its row."""
        return all(fields.get(name, value) == value for name, value in self.row)

    def shown(self, value: str, *, open_secret: bool = False) -> str:
        """A value as it may be shown."""
        if not value:
            return EMPTY
        if self.secret and not open_secret:
            return MASK
        meaning = self.parameter.choices.get(value, "") if self.parameter else ""
        return f"{value} {meaning}".strip()

    def differs(self, intended: str, read: str) -> bool:
        """Whether what was read is not what is intended; numbers are compared as such."""
        return self.same(intended) != self.same(read)

    def same(self, value: str) -> str:
        """One text of all that are the same value."""
        return self.parameter.same(value) if self.parameter else value


class PairedSetting(NamedTuple):
    """One setting of two modules. `holds` is None where one of the two is not known."""

    setting: Setting
    here: str
    there: str
    holds: bool | None
    words: str
    """What it breaks, where it does not hold."""


def compare_modules(
    settings: Mapping[str, Setting],
    here: Mapping[str, str],
    there: Mapping[str, str],
    names: tuple[str, str] = ("the first", "the second"),
    pending: frozenset[str] = frozenset(),
) -> list[PairedSetting]:
    """Every setting that has a rule, of two modules of one dialect; each value is the newest known, by setting.

    `names` are what the two are called in words. What is `pending` on one of them is not in force: nobody knows yet
    whether its rule holds.
    """
    found = [
        _refers(each, here, there, names) if each.rule == REFERS else _RULES_CHECKED[each.rule](each, here, there)
        for each in settings.values()
        if each.rule
    ]
    return [
        each._replace(holds=None, words=_when_in_force(each))
        if each.holds is not None and pending & {each.setting.name, each.setting.refers}
        else each
        for each in found
    ]


def _when_in_force(found: PairedSetting) -> str:
    """What is known of a rule before what was written is in force."""
    return "pending a restart: it would hold then" if found.holds else f"pending a restart: {found.words}"


def _equal(setting: Setting, here: Mapping[str, str], there: Mapping[str, str]) -> PairedSetting:
    return _paired(setting, here, there, lambda mine, other: mine == other)


def _differ(setting: Setting, here: Mapping[str, str], there: Mapping[str, str]) -> PairedSetting:
    return _paired(setting, here, there, lambda mine, other: mine != other)


def _opposite(setting: Setting, here: Mapping[str, str], there: Mapping[str, str]) -> PairedSetting:
    pairs = {*setting.opposites, *(pair[::-1] for pair in setting.opposites)}
    return _paired(setting, here, there, lambda mine, other: (mine, other) in pairs)


def _paired(
    setting: Setting, here: Mapping[str, str], there: Mapping[str, str], holds: Callable[[str, str], bool]
) -> PairedSetting:
    mine, other = here.get(setting.name, ""), there.get(setting.name, "")
    if not mine or not other:
        return PairedSetting(setting, mine, other, None, "")
    if holds(setting.same(mine), setting.same(other)):
        return PairedSetting(setting, mine, other, True, "")
    shown = setting.shown(mine), setting.shown(other)
    if setting.broken:
        return PairedSetting(setting, mine, other, False, _filled(setting.broken, *shown))
    return PairedSetting(
        setting, mine, other, False, f"{setting.name} is {shown[0]} and {shown[1]}, but {RULES[setting.rule]}"
    )


def _refers(
    setting: Setting, here: Mapping[str, str], there: Mapping[str, str], names: tuple[str, str]
) -> PairedSetting:
    """Each of the two must name what the other is."""
    mine, other = here.get(setting.name, ""), there.get(setting.name, "")
    asked = [(mine, there.get(setting.refers, ""), 0), (other, here.get(setting.refers, ""), 1)]
    known = [each for each in asked if each[0] and each[1]]
    wrong = [
        f"{names[place]} calls {setting.shown(value)}, but {names[1 - place]} is {setting.shown(target)}"
        for value, target, place in known
        if setting.differs(value, target)
    ]
    if not known:
        return PairedSetting(setting, mine, other, None, "")
    shown = _filled(setting.broken, setting.shown(mine), setting.shown(other))
    ending = f": {shown}" if shown else ""
    return PairedSetting(setting, mine, other, not wrong, " and ".join(wrong) + ending if wrong else "")


_RULES_CHECKED: Final = {EQUAL: _equal, DIFFER: _differ, OPPOSITE: _opposite}


def _filled(words: str, here: str, there: str) -> str:
    """The words of the dialect with the two values; secrets come masked already."""
    return words.replace("{here}", here).replace("{there}", there)


def read_setting(name: str, table: TomlTable, commands: Mapping[str, Command], secrets: frozenset[str]) -> Setting:
    """A setting as its table has it; `secrets` are the fields that must not be shown."""
    command = commands.get(table.text("command", name))
    value = table.text("value", name)
    parameter = command.parameters.get(value) if command else None
    if command is None:
        table.wrong("command", f"{table.text('command', name)!r} is not a command of this dialect")
    elif SET in command.forms and parameter is None:
        table.wrong("value", f"{value!r} is not a parameter of the command {command.name!r}")
    elif QUERY in command.forms and not any(value in each.groupindex for each in command.replies):
        table.wrong("value", f"{value!r} is not a field of the reply of {command.name!r}")
    opposites = tuple(tuple(pair.split(",")) for pair in table.texts("opposites"))
    found = Setting(
        name=name,
        meaning=table.text("meaning", command.meaning if command else ""),
        command=command.name if command else "",
        value=value,
        parameter=parameter,
        kept=table.one_of("kept", (BY_STORE, AT_ONCE), BY_STORE),
        restart=table.flag("restart"),
        tells=table.one_of("tells", (IN_FORCE, WRITTEN)),
        rule=table.one_of("rule", RULES),
        refers=table.text("refers"),
        opposites=opposites,
        broken=table.text("broken"),
        row=tuple((key, str(given)) for key, given in table.values("row")),
        secret=value in secrets or bool(parameter and parameter.secret),
    )
    table.end()
    return found
