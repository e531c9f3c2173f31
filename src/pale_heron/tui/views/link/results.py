"""All trials in one table, those of a plan as a matrix, and two of them compared."""

from collections.abc import Mapping, Sequence
from typing import Final

from pale_heron.answers.link import ROLES, role_of
from pale_heron.core.link.comparison import NOTHING, MatrixCell, compare, matrix
from pale_heron.core.link.findings import FAILS, HOLDS, INCONCLUSIVE
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.link.verdict import verdict
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import BLANK, Line, Span, cut, line, padded, titled

"""Findings beside which a link that holds is not shown as good."""
SIGNS: Final = {HOLDS: "●", FAILS: "×", INCONCLUSIVE: "○"}
ENDS: Final = 26
CELL, LEAST_CELL = 24, 16
FIGURE: Final = 18
LABEL_LEAST: Final = 24


def paint(trials: Sequence[TrialSnapshot], chosen: int, held: int | None, width: int) -> list[Line]:
    """Every trial, the newest first; a click chooses one."""
    head = f"  {'begun, UTC':<12}{'kind':<12}{'ends':<{ENDS}}{'wired':<10}{'verdict':<14}figures"
    rows = [cut(line((head, "faint")), width)]
    rows += [_row(trials, index, chosen, held, width) for index in reversed(range(len(trials)))]
    columns, cells = matrix(trials)
    return [*rows, *([BLANK, *_matrix(columns, cells, width)] if cells else [])]


def _row(trials: Sequence[TrialSnapshot], index: int, chosen: int, held: int | None, width: int) -> Line:
    trial = trials[index]
    described, found = trial.described, verdict(trial)
    ground = "@select" if index == chosen else ""
    ends = " and ".join(safe_label(lane) for lane in described.lanes)
    result = found.result if trial.end is not None else "under way"
    sign = "▌ " if index == chosen else "= " if index == held else "  "
    spans = (
        Span(sign, f"heron{ground}"),
        Span(f"{clock(trial.begin, 0):<12}{described.kind:<12}", f"text{ground}"),
        *padded(line((ends, f"text{ground}")), ENDS, f"text{ground}"),
        Span(f"{safe_label(described.wiring) or NOTHING:<10}", f"quiet{ground}"),
        Span(f"{result:<14}", f"{role_of(found)}{ground}"),
        Span(safe_label(found.why), f"quiet{ground}"),
    )
    picked = act(acts.choose_trial, index)
    return tuple(span._replace(action=picked) for span in padded(cut(spans, width), width, f"text{ground}"))


def _matrix(columns: Sequence[str], cells: Mapping[str, Mapping[str, MatrixCell]], width: int) -> list[Line]:
    """One verdict a cell."""
    cell_width = max(LEAST_CELL, min(CELL, (width - ENDS) // max(1, len(columns))))
    head = "".join(f"{safe_label(column)[: cell_width - 2]:<{cell_width}}" for column in columns)
    rows = [cut(line((f"{'':{ENDS}}{head}", "faint")), width)]
    for row, found in cells.items():
        spans: list[Span] = [*padded(line((safe_label(row), "text")), ENDS)]
        for column in columns:
            cell = found.get(column)
            if cell is None:
                spans.append(Span(f"{NOTHING:<{cell_width}}", "quiet"))
                continue
            result, figure = cell
            spans.append(Span(f"{SIGNS[result]} {figure:<{cell_width - 2}}", ROLES[result]))
        rows.append(cut(tuple(spans), width))
    return titled("THE PLAN", rows)


def paint_comparison(trials: Sequence[TrialSnapshot], chosen: int, held: int | None, width: int) -> list[Line]:
    """The held one beside the chosen one; without a held one, the one before it."""
    first = held if held is not None and held < len(trials) else chosen - 1
    if first < 0 or first == chosen:
        return [cut(line(("Two trials are compared: = holds one, then choose the other", "quiet")), width)]
    one, other = trials[first], trials[chosen]
    names = [f"{each.described.kind} {clock(each.begin, 0)}" for each in (one, other)]
    wide = max(LABEL_LEAST, *(len(row.name) + 2 for row in compare(one, other)))
    rows = [cut(line((f"{'':{wide}}{names[0]:<{FIGURE + 4}}{names[1]:<{FIGURE + 4}}", "faint")), width)]
    for row in compare(one, other):
        spans = (
            Span(f"{safe_label(row.name):<{wide}}", "quiet"),
            Span(f"{row.one:<{FIGURE + 4}}{row.other:<{FIGURE + 4}}", "text"),
            Span(row.difference, "quiet" if row.difference.startswith("may be") else "text"),
        )
        rows.append(cut(spans, width))
    if one.described.kind != other.described.kind:
        rows += [BLANK, cut(line(("They are of different kinds: little of them can be compared.", "amber")), width)]
    return titled("COMPARED", rows)
