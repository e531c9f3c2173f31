r"""A field of a line that a module says: what it means, its unit, and how it is written in words.

Patterns of replies and notices name their fields, `(?P<signal>\d+)`; what a name means is said once for the dialect:

    [field.signal]
    meaning = "Signal strength"
    kind = "integer"
    unit = "dBm"
    scale = 2            # value = scale * number + offset
    offset = -113
    unknown = ["99"]
    grades = [[-73, "strong"], [-93, "good"], [-105, "weak"], [-200, "hardly there"]]
    reading = "signal"   # it stands in State under this word

A list in one field is told apart by `item`, an expression for one of them, and `shown`, how each is told: `{name}` are
its groups, of which the one called `word` goes through `words`.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Final

from pale_heron.core.device.schema.toml_table import PLACEHOLDER, TomlTable
from pale_heron.core.line.settings import nearest_words
from pale_heron.core.patterns import Match, Pattern

TEXT, INTEGER, NUMBER, HEXADECIMAL = "text", "integer", "number", "hexadecimal"
LATITUDE, LONGITUDE, NORTH_SOUTH, EAST_WEST, ALTITUDE, TIME, USED, CELL = (
    "latitude", "longitude", "north-south", "east-west", "altitude", "time", "satellites-used", "cell",
)  # fmt: skip
DATE, HDOP, SPEED, COURSE, FIX_MODE = "date", "hdop", "speed", "course", "fix-mode"
KINDS: Final = (
    TEXT,
    INTEGER,
    NUMBER,
    HEXADECIMAL,
    LATITUDE,
    LONGITUDE,
    NORTH_SOUTH,
    EAST_WEST,
    ALTITUDE,
    TIME,
    USED,
    CELL,
    DATE,
    HDOP,
    SPEED,
    COURSE,
    FIX_MODE,
)
"""The kinds behind the first four make a position; latitude and longitude are signed decimal degrees, or packed
degrees and minutes where a hemisphere stands beside them. A time is `hhmmss.ss` UTC. A fix mode says whether there is a
position at all: which of its words is `none`."""

NONE: Final = "none"

NUMERIC: Final = (INTEGER, NUMBER, HEXADECIMAL, ALTITUDE, USED, HDOP, SPEED, COURSE)
KNOTS: Final = {"": 1.0, "knots": 1.0, "km/h": 1 / 1.852, "m/s": 3.6 / 1.852}
"""The units that a speed may have, in knots: a knot is 1.852 km/h."""

MASK: Final = "●●●●"
"""What stands for a secret. Its length gives nothing away."""

Value = str | int | float | None


@dataclass(frozen=True, slots=True)
class Field:
    """`words` are what raw texts mean; `grades` words for numbers, from the best down, each from its figure on."""

    name: str
    meaning: str = ""
    kind: str = TEXT
    unit: str = ""
    scale: float = 1.0
    offset: float = 0.0
    unknown: tuple[str, ...] = ()
    words: Mapping[str, str] = field(default_factory=dict)
    grades: tuple[tuple[float, str], ...] = ()
    reading: str = ""
    row: str = ""
    """The field beside it that says of which row of a table it is."""
    secret: bool = False
    item: Pattern[str] | None = None
    shown: str = ""

    def reading_of(self, fields: Mapping[str, str]) -> str:
        """The word under which it stands in State: of a table each row has its own."""
        row = fields.get(self.row, "")
        return f"{self.reading} {row}" if row and self.reading else self.reading

    def scaled(self, raw: str) -> str:
        """The digits in its unit. ValueError where there are none, and it has a scale."""
        if self.scale == 1.0 and self.offset == 0.0:
            return raw
        return f"{self.scale * float(raw) + self.offset:.10g}"

    def value(self, raw: str) -> Value:
        """The typed value; None where it says that it is not known, the text where it is not a number after all."""
        if not raw or raw in self.unknown:
            return None
        if self.kind not in NUMERIC:
            return raw
        try:
            number: float
            if self.kind == HEXADECIMAL:
                number = int(raw, 16)
            else:
                number = int(raw) if self.kind in (INTEGER, USED) else float(raw)
        except ValueError:
            return raw
        if self.scale == 1.0 and self.offset == 0.0:
            return number
        scaled = self.scale * number + self.offset
        return int(scaled) if scaled == int(scaled) else scaled

    def in_words(self, raw: str, *, open_secret: bool = False) -> str:
        """The value in words: with unit, meaning and grade; a secret only where it is asked for."""
        if self.secret and not open_secret:
            return MASK if raw else "empty"
        if self.item is not None and (items := self.item.every(raw)):
            return "; ".join(self._told(each) for each in items)
        value = self.value(raw)
        if value is None:
            return f"unknown ({raw})" if raw else "–"
        if raw in self.words:
            return f"{raw}, {self.words[raw]}"
        shown = f"{value:g}" if isinstance(value, float) else str(value)
        text = f"{shown} {self.unit}" if self.unit else shown
        grade = next((word for least, word in self.grades if isinstance(value, int | float) and value >= least), "")
        return f"{text}, {grade}" if grade else text

    def _told(self, item: Match[str]) -> str:
        """One of a list."""
        groups = {name: told or "" for name, told in item.groupdict().items()}
        groups["word"] = self.words.get(groups.get("word", ""), groups.get("word", ""))
        return " ".join(PLACEHOLDER.sub(lambda place: groups.get(place[1], place[0]), self.shown).split())


def read_field(name: str, table: TomlTable) -> Field:
    """A field as its table has it."""
    scale, offset = table.limit("scale"), table.limit("offset")
    kind, unit = table.one_of("kind", KINDS, TEXT), table.text("unit")
    if kind == SPEED and unit not in KNOTS:
        table.wrong("unit", f"a speed is in one of {', '.join(filter(None, KNOTS))}")
    found = Field(
        name=name,
        meaning=table.text("meaning"),
        kind=kind,
        unit=unit,
        scale=1.0 if scale is None else scale,
        offset=0.0 if offset is None else offset,
        unknown=table.texts("unknown"),
        words=table.choices("words"),
        grades=table.grades("grades"),
        reading=table.text("reading"),
        row=table.text("row"),
        secret=table.flag("secret"),
        item=next(iter(table.compiled("item")), None),
        shown=table.text("shown"),
    )
    groups = found.item.groupindex if found.item is not None else {}
    for used in PLACEHOLDER.findall(found.shown):
        if used not in groups:
            table.wrong("shown", f"{{{used}}} is no group of item{nearest_words(used, groups)}")
    if (found.item is None) != (not found.shown):
        table.wrong("item", "item and shown belong together")
    if kind == FIX_MODE and NONE not in found.words.values():
        table.wrong("words", f"a fix mode says which of its words is {NONE!r}")
    table.end()
    return found
