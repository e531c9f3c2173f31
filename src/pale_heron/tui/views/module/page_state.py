"""The page `state` of Module: its readings with their ages, how it speaks now, and the milestones of this run."""

from collections.abc import Iterator

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.device.dialogue.exchanges import MODE_WORDS
from pale_heron.core.device.dialogue.tracker import ModuleSnapshot, Reading
from pale_heron.core.device.schema.commands import QUERY, RUN
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.fields import Field
from pale_heron.core.device.schema.notices import FIRST_DATA, MILESTONES
from pale_heron.core.frames import SECOND
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.paint import BLANK, Line, beside, cut, line, titled
from pale_heron.tui.views.module.choices import ModuleChoices, age, progress

LABEL, VALUE = 16, 34
RIGHT = 46


def paint(
    snapshot: BenchSnapshot, lane: LaneSnapshot, module: ModuleSnapshot, look: ModuleChoices, width: int, room: int
) -> list[Line]:
    """Readings on the left; how it speaks and its milestones on the right."""
    now = snapshot.now
    right = [
        *titled("HOW IT SPEAKS", _speech(lane, module, now)),
        BLANK,
        *titled("MILESTONES", *_milestones(module, now)),
    ]
    left_width = width - RIGHT - 3 if width >= 100 else width
    rows = titled("READINGS", _readings(module, now, left_width), "as last reported; R asks for all")
    doing = progress(look.doing, width, max(0, min(10, room - max(len(rows), len(right)) - 1)))
    body = beside([(rows, left_width), (right, RIGHT)], gap=3) if width >= 100 else [*rows, BLANK, *right]
    return [*body, BLANK, *doing] if doing else body


def _readings(module: ModuleSnapshot, now: int, width: int) -> list[Line]:
    rows = []
    for label, field, reading in every(module):
        if reading is None:
            asks = asked_by(module.dialect, field)
            rows.append(line((f"{label:<{LABEL}}", "quiet"), (f"{figures.NONE:<{VALUE}}", "quiet"), (asks, "faint")))
        else:
            unknown = reading.field.value(reading.raw) is None and not reading.field.secret
            value = safe_label(reading.words)
            aged = age(now, reading.time)
            rows.append(
                cut(
                    line(
                        (f"{label:<{LABEL}}", "quiet"),
                        (f"{value:<{VALUE}} ", "amber" if unknown else "*text"),
                        (aged, "quiet"),
                    ),
                    width,
                )
            )
    return rows or [line((f"the dialect {module.dialect.name} names no readings", "quiet"))]


def every(module: ModuleSnapshot) -> Iterator[tuple[str, Field, Reading | None]]:
    """Each reading of the dialect by its word; of a table each row that was told."""
    for label, field in module.dialect.readings.items():
        rows = f"{label} " if field.row else "\n"
        told = [(name, each) for name, each in module.readings.items() if name == label or name.startswith(rows)]
        for name, each in told:
            yield name, field, each
        if not told:
            yield label, field, None


def asked_by(dialect: Dialect, field: Field) -> str:
    """The harmless command that reports a field."""
    for command in dialect.commands.values():
        if any(field.name in pattern.groupindex for pattern in command.replies):
            for form in (QUERY, RUN):
                if form in command.forms and not command.risk(form):
                    return f"{command.forms[form][0]} asks"
    return "reported by itself"


def _speech(lane: LaneSnapshot, module: ModuleSnapshot, now: int) -> list[Line]:
    rows = [
        ("dialect", module.dialect.name),
        ("mode", MODE_WORDS[module.mode]),
        ("", f"{module.mode_why}, {age(now, module.mode_since)}" if module.mode_why else ""),
        ("echo", {True: "on", False: "off", None: "not seen yet"}[module.echo]),
        ("results", {True: "words", False: "numbers", None: "not seen yet"}[module.words]),
        ("line", str(lane.settings or figures.NONE)),
        ("exchanges", _counts(module)),
        ("starts", figures.several(len(module.restarts), "time") if module.restarts else "none seen"),
    ]
    return [
        line((f"{name:<11}", "quiet"), (safe_label(value), "amber" if value.startswith("data mode") else "text"))
        for name, value in rows
        if value
    ]


def _counts(module: ModuleSnapshot) -> str:
    return f"{figures.count(module.exchanges)}, refused {module.refused}, unanswered {module.unanswered}"


def _milestones(module: ModuleSnapshot, now: int) -> tuple[list[Line], str]:
    """Each with its time, and how long after the first."""
    reached = module.milestones
    known = [*(name for name in MILESTONES if name in module.dialect.milestones), FIRST_DATA]
    first = min((time for time in reached.values() if time is not None), default=None)
    rows = []
    for name in known:
        if name not in reached:
            rows.append(line(("○ ", "faint"), (f"{name:<12}", "quiet"), (figures.NONE, "quiet")))
            continue
        time = reached[name]
        after = "" if time is None or first is None else f"  +{(time - first) / SECOND:.1f} s"
        at = figures.NONE if time is None else clock(time, 1)
        rows.append(line(("● ", "reed"), f"{name:<12}", at, (after, "quiet")))
    if first is None:
        return rows, "none yet"
    seen = module.restarts[-1] if module.restarts else None
    return rows, f"since it started, {age(now, seen)}" if seen is not None else f"first seen {age(now, first)}"
