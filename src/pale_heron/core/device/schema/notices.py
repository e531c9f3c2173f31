"""What a module says: results, which end a reply, and notices, which come when they like; milestones they reach.

    [result.ok]
    line = "OK"
    code = 0
    status = "ok"

    [notice.heard]
    meaning = "{length} bytes came from node {from}"
    line = '\\+HEARD: (?P<from>\\d+),(?P<length>\\d+)'
    arrives = "length"        # so many bytes follow the line

Result codes are words, or numbers where the module was set so (ITU-T V.250, 5.7.1 and 6.2.6).
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from pale_heron.core.device.schema.commands import MODES, read_condition
from pale_heron.core.device.schema.toml_table import PLACEHOLDER, TomlTable
from pale_heron.core.patterns import Pattern

OK, ERROR, NO_ANSWER, UNCLEAR = "ok", "error", "no-answer", "unclear"
"""How an exchange ended. Unclear: it was answered, with no result that the dialect knows."""

STATUSES: Final = (OK, ERROR)
MILESTONES: Final = ("powered", "ready", "registered", "connected")
FIRST_DATA: Final = "first data"


@dataclass(frozen=True, slots=True)
class FinalResult:
    """One final result. `code` is its number; `enters` the mode in which the module is afterwards."""

    name: str
    line: Pattern[str]
    status: str
    meaning: str = ""
    code: int | None = None
    enters: str = ""
    enters_if: str = ""
    """`name=value`: it enters that mode only where the module is set so."""
    of: tuple[str, ...] = ()
    """The commands that alone can end so; empty where any can."""

    def in_words(self, fields: Mapping[str, str]) -> str:
        """What it means, with the fields of the line."""
        return PLACEHOLDER.sub(lambda place: fields.get(place[1], ""), self.meaning)


@dataclass(frozen=True, slots=True)
class Notice:
    """A line that comes unasked. `meaning` may name fields as `{field}`."""

    name: str
    line: Pattern[str]
    meaning: str = ""
    code: int | None = None
    arrives: str = ""
    """The field that says how many bytes follow."""
    behind: bool = False
    """Whether these bytes come right behind what `line` matches, on the same line."""
    follows: bool = False
    """Whether a line of free text follows, which belongs to it."""
    enters: str = ""
    enters_if: str = ""
    restarts: bool = False
    """Whether it means that the module has restarted."""

    def in_words(self, fields: Mapping[str, str]) -> str:
        """What it means, with the fields of the line."""
        return PLACEHOLDER.sub(lambda place: fields.get(place[1], ""), self.meaning)


@dataclass(frozen=True, slots=True)
class Milestone:
    """Reached by a notice, or when a field has one of the values."""

    name: str
    notice: str = ""
    fields: tuple[str, ...] = ()
    values: tuple[str, ...] = ()


def _line(table: TomlTable) -> Pattern[str]:
    found = table.compiled("line")
    if len(found) != 1:
        table.wrong("line", "one regular expression for the whole line is wanted")
    for example in table.texts("examples"):
        if not any(each.fullmatch(example) for each in found):
            table.wrong("examples", f"{example!r} is not such a line")
    return found[0] if found else Pattern("(?!)")


def _code(table: TomlTable) -> int | None:
    code = table.limit("code")
    return None if code is None else int(code)


def read_result(name: str, table: TomlTable) -> FinalResult:
    """A result as its table has it."""
    meaning, enters = table.text("meaning"), table.one_of("enters", MODES)
    status = table.one_of("status", STATUSES, ERROR)
    found = FinalResult(
        name, _line(table), status, meaning, _code(table), enters, read_condition(table), table.texts("of")
    )
    table.end()
    return found


def read_notice(name: str, table: TomlTable) -> Notice:
    """A notice as its table has it."""
    line, arrives = _line(table), table.text("arrives")
    if arrives and arrives not in line.groupindex:
        table.wrong("arrives", f"{arrives!r} is not a field of its line")
    behind = table.flag("behind")
    if behind and not arrives:
        table.wrong("behind", "'behind' needs arrives: the field that says how many bytes there are")
    found = Notice(
        name=name,
        line=line,
        meaning=table.text("meaning"),
        code=_code(table),
        arrives=arrives,
        behind=behind,
        follows=table.flag("follows"),
        enters=table.one_of("enters", MODES),
        enters_if=read_condition(table),
        restarts=table.flag("restarts"),
    )
    table.end()
    return found


def read_milestone(name: str, table: TomlTable) -> Milestone:
    """A milestone as its table has it."""
    found = Milestone(name, table.text("notice"), table.texts("field"), table.texts("values"))
    if name not in MILESTONES:
        table.wrong("notice", f"{name!r} is not one of {', '.join(MILESTONES)}")
    if bool(found.notice) == bool(found.fields):
        table.wrong("notice", "a milestone is reached by a notice, or by a field with values: one of the two")
    table.end()
    return found
