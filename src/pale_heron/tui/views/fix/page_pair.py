"""The page `two receivers` of Fix: the chosen lane and another one over the same moments."""

from itertools import pairwise

import numpy as np

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.comparison import Comparison, ReceiverSide, Spread
from pale_heron.core.gnss.course import Start
from pale_heron.core.gnss.snapshot import FixSnapshot
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.dots import Dots
from pale_heron.tui.painting.paint import BLANK, Line, beside, fitted, line, titled, wrapped
from pale_heron.tui.views.fix.choices import FixChoices

TABLE = 56
LEAST_CHART = 24
ROLES = ("tide", "amber", "heather")


def paint(snapshot: BenchSnapshot, lane: LaneSnapshot, look: FixChoices, width: int, room: int) -> list[Line]:
    """Side by side on the left, the differences over time on the right."""
    other, found = look.other, look.comparison
    if other is None:
        alone = len(snapshot.lanes) < 2
        words = "there is one lane only: a adds another" if alone else "c chooses the lane to compare with"
        return titled("TWO RECEIVERS", [line((words, "quiet"))])
    left = _sides(snapshot, lane, other, found)
    if found is None:
        words = "no moment yet for which both give a position and a date: nothing to compare"
        return [*left, BLANK, *wrapped(line((words, "amber")), width)]
    left += [BLANK, *_differences(lane, other, found)]
    chart_width = width - TABLE - 3
    if chart_width < LEAST_CHART:
        return left
    right = _chart(found, chart_width, max(6, room - 2))
    return beside([(left, TABLE), (right, chart_width)], gap=3)


def _satellites(fix: FixSnapshot) -> str:
    return f"{fix.sky.used} of {len(fix.sky.satellites)}" if fix.sky.heard else "no list came"


def _sides(snapshot: BenchSnapshot, lane: LaneSnapshot, other: LaneSnapshot, found: Comparison | None) -> list[Line]:
    fixes = (lane.fix, other.fix)
    sides: tuple[ReceiverSide | None, ReceiverSide | None] = found.sides if found else (None, None)
    first = [start.first_fix for start in (_start(fix) for fix in fixes) if start and start.first_fix]
    rows = [
        ("state", [fix.state.state for fix in fixes]),
        ("kind", [fix.state.kind or figures.NONE for fix in fixes]),
        ("since", [_since(snapshot, fix) for fix in fixes]),
        ("satellites now", [_satellites(fix) for fix in fixes]),
        ("used, mean", [_shown(side.used if side else None, "{:.1f}") for side in sides]),
        ("C/N0 best 4, mean", [_shown(side.cn0 if side else None, "{:.1f} dB-Hz") for side in sides]),
        ("first fix", [_first_fix(fix, side, first) for fix, side in zip(fixes, sides, strict=True)]),
        ("to the first fix", [_to_fix(fix) for fix in fixes]),
        ("epochs, with fix", [f"{fix.epochs}, {fix.epochs_with_fix}" for fix in fixes]),
    ]
    head = line((f"{'':<19}", "quiet"), *((fitted(safe_label(each.name), 17) + " ", "*text") for each in (lane, other)))
    body = [line((f"{name:<19}", "quiet"), *(f"{cell:<18}" for cell in cells)) for name, cells in rows]
    return titled("SIDE BY SIDE", [head, *body], "c chooses the other")


def _start(fix: FixSnapshot) -> Start | None:
    return fix.history.starts[-1] if fix.history.starts else None


def _first_fix(fix: FixSnapshot, side: ReceiverSide | None, both: list[int]) -> str:
    """When, and whether it was the earlier one."""
    start = _start(fix)
    time = start.first_fix if start else None
    if time is None:
        return "before opening" if side and side.first_fix else figures.NONE
    sooner = len(both) == 2 and time == min(both) != max(both)
    return clock(time, 0) + (" first" if sooner else "")


def _to_fix(fix: FixSnapshot) -> str:
    start = _start(fix)
    return figures.NONE if start is None else figures.duration(start.seconds_to_first_fix)


def _since(snapshot: BenchSnapshot, fix: FixSnapshot) -> str:
    return figures.duration(None if fix.since is None else (snapshot.now - fix.since) / SECOND)


def _shown(value: float | None, form: str) -> str:
    return figures.NONE if value is None else form.format(value)


def _differences(lane: LaneSnapshot, other: LaneSnapshot, found: Comparison) -> list[Line]:
    head = line((f"{'m':<10}{'mean':>9}{'± dev.':>9}{'least':>9}{'most':>9}", "faint"))
    rows = [
        _spread(name, spread, role)
        for name, spread, role in (
            ("north", found.north, ROLES[0]),
            ("east", found.east, ROLES[1]),
            ("up", found.up, ROLES[2]),
            ("distance", found.distance, "text"),
        )
    ]
    words = line(
        (f"{figures.count(found.matched)} moments", "text"),
        (f" over {figures.duration(found.span_s)} that both report, worth about ", "quiet"),
        (
            f"{found.independent:.0f} independent; 95 % of distances within {figures.distance(found.distance95_m)}",
            "quiet",
        ),
    )
    note = f"from {safe_label(lane.name)} to {safe_label(other.name)}"
    return titled("DIFFERENCES", [head, *rows, *wrapped(words, TABLE)], note)


def _spread(name: str, spread: Spread | None, role: str) -> Line:
    if spread is None:
        return line((f"{name:<10}", role), ("a height is missing", "quiet"))
    sign = "" if name == "distance" else "+"
    cells = "".join(
        f"{value:>{form}9.2f}"
        for value, form in zip(
            (spread.mean, spread.deviation, spread.least, spread.most), (sign, "", sign, sign), strict=True
        )
    )
    return line((f"{name:<10}", role), cells)


def _chart(found: Comparison, width: int, rows: int) -> list[Line]:
    """North, east and up over time, in metres; each point the mean of what falls on its dot."""
    dots = Dots(width, rows)
    across, down = dots.size
    pieces = np.array_split(found.offsets_m[:, [1, 0, 2]], min(across, found.matched))
    means = np.array([piece.mean(axis=0) for piece in pieces])
    known = means[~np.isnan(means)]
    least, most = float(min(known.min(), 0.0)), float(max(known.max(), 0.0))
    margin = max(0.05, 0.08 * (most - least))
    least, most = least - margin, most + margin

    def height(metres: float) -> float:
        return (most - metres) / (most - least) * (down - 1)

    dots.line(0, height(0.0), across, height(0.0), "line", gap=3.0)
    step = across / max(1, len(means) - 1)
    for place, role in enumerate(ROLES):
        points = [(at * step, height(value)) for at, value in enumerate(means[:, place]) if not np.isnan(value)]
        for before, after in pairwise(points):
            dots.line(*before, *after, role)
    dots.word(0, 1, f"{most:+.2f} m", "quiet")
    dots.word(0, down - 2, f"{least:+.2f} m", "quiet")
    begin, end = clock(int(found.times[0]), 0), clock(int(found.times[-1]), 0)
    axis = line((begin, "quiet"), (" " * max(1, width - len(begin) - len(end)), "quiet"), (end, "quiet"))
    legend = titled("OVER TIME", [], "metres")
    legend[0] = (*legend[0], *line(("   north ", ROLES[0]), ("east ", ROLES[1]), ("up", ROLES[2])))
    return [*legend, *dots.lines(), axis]
