"""The choice of sentences: now and then, how full the line would be, which facts would no longer be known."""

from typing import Final

from pale_heron.core import figures
from pale_heron.core.device.schema.sentence_plan import PlannedSentence, SentencePlan
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.paint import BLANK, Line, line, wrapped
from pale_heron.tui.views.panels.rows import keys_lines, selectable


def paint(
    lane: str,
    planned: SentencePlan,
    epochs_per_s: float,
    settings: LineSettings | None,
    choices: int,
    chosen: int,
    can_stop: bool,
    width: int,
) -> list[Line]:
    """The first `choices` rows can be chosen; `can_stop` where a sentence may be wanted never."""
    rows = [
        line(
            (f"{safe_label(lane)}: which sentences?", "*heron"),
            (f"   {epochs_per_s:.1f} epochs/s", "quiet"),
        ),
        BLANK,
        line((f"  {'sentence':<10}{'now, 1/s':>9}{'B/s':>8}   {'wanted':<18}{'then, B/s':>10}", "faint")),
    ]
    for index, row in enumerate(planned.rows):
        painted = _row(row)
        rows.append(selectable(painted, index, chosen, width) if index < choices else (line("  ")[0], *painted))
    rows += [BLANK, *_load(planned, settings, width), *_facts(planned, width), BLANK]
    keys = [each for each in _KEYS if each[0] != "0" or can_stop]
    return [*rows, *keys_lines(keys, width)]


def _load(planned: SentencePlan, settings: LineSettings | None, width: int) -> list[Line]:
    """The line before and after."""
    capacity = settings.bytes_per_s if settings and not settings.decorative else None
    words = f"{planned.bytes_now:.0f} B/s now, about {planned.bytes_then:.0f} B/s then"
    if capacity is None:
        return [line(("the line ", "quiet"), words)]
    share = planned.bytes_then / capacity
    role = "coral" if share > 1 else "amber" if share > 0.9 else "reed"
    fill = f"{figures.share(planned.bytes_now / capacity)} full now, "
    more = ": too much for this rate" if share > 1 else ""
    return wrapped(
        line(("the line ", "quiet"), f"{words}; {fill}", (f"{figures.share(share)} then{more}", role)), width
    )


_KEYS: Final[tuple[tuple[str, str], ...]] = (
    ("↑↓", "choose"),
    ("◂▸", "how often"),
    ("0", "never"),
    ("enter", "send and verify"),
    ("escape", "leave it"),
)


def _row(row: PlannedSentence) -> Line:
    heard = row.heard
    wanted = "as it is" if row.wanted is None else "never" if row.wanted == 0 else _rhythm(row.wanted)
    role = "quiet" if row.wanted is None else "*amber"
    per_s = figures.NONE if heard is None else f"{heard.per_s:.2f}"
    bytes_per_s = figures.NONE if heard is None else f"{heard.bytes_per_s:.0f}"
    return line(
        (f"{row.name:<10}", "text" if heard else "quiet"),
        f"{per_s:>9}{bytes_per_s:>8}   ",
        (f"{wanted:<18}", role),
        (f"{row.bytes_per_s:>10.0f}", "quiet" if row.wanted is None else "text"),
    )


def _rhythm(interval: int) -> str:
    return "every epoch" if interval == 1 else f"1 epoch in {interval}"


def _facts(planned: SentencePlan, width: int) -> list[Line]:
    rows = []
    if planned.facts_lost:
        facts = f"{', '.join(planned.facts_lost)}"
        rows += wrapped(line(("no longer known: ", "*amber"), (facts, "amber")), width)
    if planned.appearing:
        rows += wrapped(line(("known then: ", "*reed"), (", ".join(planned.appearing), "reed")), width)
    return rows or [line(("every fact that is known now stays known", "quiet"))]
