"""The pages `settings` and `two modules` of Module: intended, read, differs; and two held together by rule."""

from pale_heron.bench.config.intended_settings import IntendedSetting, compared, rows_of
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.device.dialogue.tracker import NOT_STORED, PENDING, UNSEEN, ModuleSnapshot
from pale_heron.core.device.schema.settings import RULES, PairedSetting
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import BLANK, Line, Span, cut, fitted, line, padded, titled, wrapped
from pale_heron.tui.views.module.choices import ModuleChoices, age, progress
from pale_heron.tui.views.panels.rows import keys_lines

NAME, VALUE, STORAGE = 15, 20, 22
AGED = 92
"""Columns from which there is room for how long ago it was read."""
_KEYS = (
    ("enter", "says what is intended"),
    ("R", "reads all"),
    ("W", "writes what differs"),
    ("K", "keeps it"),
    ("L", "changes the line"),
)
_SHAPES = {True: ("✕", "coral"), False: ("●", "reed"), None: ("○", "faint")}
_HOLDS = {True: ("●", "reed"), False: ("✕", "coral"), None: ("○", "faint")}


def paint(snapshot: BenchSnapshot, module: ModuleSnapshot, look: ModuleChoices, width: int, room: int) -> list[Line]:
    """One row a setting, the chosen one with all that may be set."""
    rows = rows_of(module, look.intended)
    if not rows:
        words = f"The dialect {module.dialect.name} describes no settings. D chooses another dialect."
        return wrapped(line((words, "quiet")), width)
    index = max(0, min(look.row, len(rows) - 1))
    value = _value_width(width)
    words = f"   {'setting':<{NAME}}{'intended':<{value}}{'read':<{value}}{'':<4}{'how it stands':<{STORAGE}}"
    words += "read" if width >= AGED else ""
    heads = cut(line((words, "quiet")), width)
    table = [_row(each, snapshot.now, at, lit=at == index, width=width) for at, each in enumerate(rows)]
    chosen = rows[index]
    notes = [
        BLANK,
        *wrapped(line((f"{chosen.setting.name}: ", "*text"), chosen.setting.meaning), width),
        *wrapped(line(("may be ", "quiet"), chosen.legal, (_when(chosen), "quiet")), width),
        *(keys_lines(_KEYS, width) if look.live else ()),
        BLANK,
    ]
    left = room - len(table) - 1 - len(notes)
    return [heads, *table, *notes, *progress(look.doing, width, left)]


def _value_width(width: int) -> int:
    """Columns of a value: how the setting stands must not be cut off by it."""
    around = 3 + NAME + 4 + STORAGE + (8 if width >= AGED else 0)
    return max(8, min(VALUE, (width - around) // 2))


def _when(row: IntendedSetting) -> str:
    kept = "; kept at once" if row.setting.kept == "at-once" else "; kept by storing"
    return kept + ("; in force from the next restart on" if row.setting.restart else "")


def _row(row: IntendedSetting, now: int, index: int, *, lit: bool, width: int) -> Line:
    shown = row.setting.shown
    sign, role = _SHAPES[row.differs]
    value = _value_width(width)
    storage = row.state.storage
    storage_role = "amber" if storage in (NOT_STORED, PENDING, UNSEEN) else "quiet"
    intended = safe_label(shown(row.intended)) if row.intended else "–"
    seen = row.state.now or row.state.read_at is not None
    read = safe_label(shown(row.state.now)) if seen else figures.NONE
    spans = line(
        (f"{sign} ", role),
        (f"{row.setting.name:<{NAME}}", "text"),
        (fitted(intended, value - 1) + " ", "text" if row.intended else "quiet"),
        (fitted(read, value - 1) + " ", "coral" if row.differs else "*text" if row.state.now else "quiet"),
        (f"{'≠' if row.differs else '':<4}", "coral"),
        (f"{storage:<{STORAGE}}", storage_role),
        (age(now, row.state.read_at) if row.state.read_at and width >= AGED else "", "quiet"),
    )
    ground = "@select" if lit else ""
    bar = Span("▌" if lit else " ", f"heron{ground}")
    action = act(acts.choose_setting, index)
    return tuple(
        each._replace(role=each.role.partition("@")[0] + ground, action=action) for each in padded((bar, *spans), width)
    )


def paint_pair(lane: LaneSnapshot, module: ModuleSnapshot, look: ModuleChoices, width: int, room: int) -> list[Line]:
    """The rules for two modules, what breaks the link first in words."""
    other = look.other
    if other is None or other.module is None:
        return wrapped(
            line(("There is no other module to compare with. c chooses one; it must have been spoken to.", "quiet")),
            width,
        )
    try:
        rules = compared(module, other.module, (lane.name, other.name))
    except Trouble as trouble:
        return wrapped(line((str(trouble), "amber")), width)
    if not rules:
        return [line((f"The dialect {module.dialect.name} has no rules for two modules.", "quiet"))]
    broken = [each for each in rules if each.holds is False]
    unread = [each for each in rules if each.holds is None]
    verdict = [line(("✕ ", "coral"), (_words(each), "text")) for each in broken]
    verdict = [row for each in verdict for row in wrapped(each, width)]
    if unread:
        names = ", ".join(each.setting.name for each in unread)
        verdict += wrapped(line(("○ ", "faint"), (f"not read yet on both: {names}. R reads both.", "quiet")), width)
    if not broken and not unread:
        verdict = [line(("● ", "reed"), f"All {len(rules)} rules hold: nothing in the settings keeps them apart.")]
    here, there = safe_label(lane.name), safe_label(other.name)
    heads = cut(line((f"   {'setting':<{NAME}}{here:<{VALUE}}{there:<{VALUE}}rule", "quiet")), width)
    table = [cut(_rule(each), width) for each in rules]
    head = titled("WHAT BREAKS THE LINK" if broken else "THE LINK", verdict)
    body = [*head, BLANK, heads, *table, BLANK]
    keys = line((f"R reads both   W writes what differs on {here}   c another module", "quiet"))
    body += [keys, BLANK] if look.live else []
    return [*body, *progress(look.doing, width, room - len(body))]


def _words(found: PairedSetting) -> str:
    return safe_label(found.words)


def _rule(found: PairedSetting) -> Line:
    sign, role = _HOLDS[found.holds]
    shown = found.setting.shown
    value = "coral" if found.holds is False else "text"
    return line(
        (f" {sign} ", role),
        f"{found.setting.name:<{NAME}}",
        (fitted(safe_label(shown(found.here)) if found.here else figures.NONE, VALUE - 1) + " ", value),
        (fitted(safe_label(shown(found.there)) if found.there else figures.NONE, VALUE - 1) + " ", value),
        (RULES[found.setting.rule], "quiet"),
    )
