"""The session as a ribbon: one column a stretch of time, each showing the worst that happened in it.

The height of a bar is the state: nothing at all a dot, time only the lowest bar, RTK fixed the full one; a stretch
without any epoch is blank. Every column can be clicked: Traffic goes to its time.
"""

from typing import Final, NamedTuple

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.gnss.epochs.outages import UNSAID
from pale_heron.core.gnss.epochs.strip import SILENT, Strip
from pale_heron.core.gnss.snapshot import FixSnapshot
from pale_heron.core.gnss.states import LEVELS
from pale_heron.core.utc import clock
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import BLANK, Line, Span, line

SHAPES: Final = {
    "no fix": ("·", "coral"),
    "time only": ("▁", "amber"),
    "simulated": ("▂", "heather"),
    "manual": ("▂", "heather"),
    "estimated": ("▂", "heather"),
    "2D": ("▃", "amber"),
    "single": ("▅", "reed"),
    "differential": ("▆", "reed"),
    "RTK float": ("▇", "tide"),
    "RTK fixed": ("█", "tide"),
}
"""By name of the level: bar and role."""

_BARS = "▁▂▃▄▅▆▇█"
MOST_USED = 24
LEAST_CN0, MOST_CN0 = 20.0, 52.0


class RibbonColumn(NamedTuple):
    """The stretch of one column: its times, and the worst of it; None where nothing is known."""

    begin: int
    end: int
    level: int
    used: int | None
    cn0: float | None


def columns(strip: Strip, end: int, width: int) -> list[RibbonColumn]:
    """The session from its start to `end` in `width` columns."""
    if not strip.levels or end <= strip.begin:
        return []
    span = max(end - strip.begin, width)
    found = []
    for index in range(width):
        begin = strip.begin + span * index // width
        until = strip.begin + span * (index + 1) // width
        first = max(0, strip.column(begin))
        last = max(first, strip.column(until - 1))
        inside = slice(first, last + 1)
        levels = strip.levels[inside]
        used = [count for count in strip.used[inside] if count is not None]
        strengths = [strength for strength in strip.cn0[inside] if strength is not None]
        worst = min(levels, default=SILENT)
        found.append(RibbonColumn(begin, until, worst, min(used, default=None), min(strengths, default=None)))
    return found


def _end(snapshot: BenchSnapshot, fix: FixSnapshot) -> int:
    """The ribbon ends with the newest epoch, which is not yet whole; or now, where nothing comes any more."""
    silent = (
        bool(fix.history.outages) and fix.history.outages[-1].end is None and fix.history.outages[-1].lost in UNSAID
    )
    return snapshot.now if silent else min(snapshot.now, fix.strip.end)


def ribbon(snapshot: BenchSnapshot, fix: FixSnapshot, moment: int | None, width: int) -> list[Line]:
    """Two rows: marks, starts and the chosen moment; the states."""
    cells = columns(fix.strip, _end(snapshot, fix), width)
    return [_signs(snapshot, fix, cells, moment), _states(cells, moment)] if cells else []


def tall(snapshot: BenchSnapshot, fix: FixSnapshot, moment: int | None, width: int) -> list[Line]:
    """The ribbon with satellites used and C/N0 of the best four under it, and what the rows are."""
    label = 12
    cells = columns(fix.strip, _end(snapshot, fix), width - label)
    if not cells:
        return [line(("nothing came yet", "quiet"))]
    used = tuple(None if each.used is None else each.used / MOST_USED for each in cells)
    strengths = tuple(None if each.cn0 is None else (each.cn0 - LEAST_CN0) / (MOST_CN0 - LEAST_CN0) for each in cells)
    rows = [
        ("", [_signs(snapshot, fix, cells, moment)]),
        ("state", [_states(cells, moment)]),
        ("used", _bars(used, "tide")),
        ("C/N0 best 4", _bars(strengths, "heron")),
    ]
    out = []
    for name, lines in rows:
        for index, row in enumerate(lines):
            out.append((Span(f"{name if index == len(lines) - 1 else '':<{label}}", "quiet"), *row))
    return [*out, (Span(" " * label), *_axis(cells))]


def _axis(cells: list[RibbonColumn]) -> Line:
    """Times at both ends and in the middle."""
    begin, end, width = cells[0].begin, cells[-1].end, len(cells)
    left, middle, right = (clock(moment, 0) for moment in (begin, (begin + end) // 2, end))
    if width < 40:
        return line((f"{left} to {right}", "quiet"))
    gap = width // 2 - len(left) - len(middle) // 2
    row = left + " " * gap + middle
    return line((row + f"{right} UTC".rjust(width - len(row)), "quiet"))


def _signs(snapshot: BenchSnapshot, fix: FixSnapshot, cells: list[RibbonColumn], moment: int | None) -> Line:
    """`▾` a mark, `▸` a start, `│` the chosen moment."""
    begin, end = cells[0].begin, cells[-1].end
    signs: dict[int, tuple[str, str]] = {}
    drawn: list[tuple[int | None, tuple[str, str]]] = [(start.begin, ("▸", "amber")) for start in fix.history.starts]
    drawn += [(time, ("▾", "heather")) for time, *_ in snapshot.marks]
    drawn += [(moment, ("│", "*heron"))]
    for time, sign in drawn:
        if time is not None and begin <= time < end:
            signs[(time - begin) * len(cells) // (end - begin)] = sign
    return tuple(_cell(cell, *signs.get(index, (" ", "faint"))) for index, cell in enumerate(cells))


def _states(cells: list[RibbonColumn], moment: int | None) -> Line:
    out = []
    for cell in cells:
        shape, role = SHAPES[LEVELS[cell.level]] if cell.level != SILENT else (" ", "faint")
        ground = "@select" if moment is not None and cell.begin <= moment < cell.end else ""
        out.append(_cell(cell, shape, role + ground))
    return tuple(out)


def _cell(cell: RibbonColumn, text: str, role: str) -> Span:
    return Span(text, role, act(acts.take_moment, (cell.begin + cell.end) // 2))


def _bars(shares: tuple[float | None, ...], role: str) -> list[Line]:
    """Two rows of bars; a share of 0 to 1, nothing where nothing is known."""
    rows = []
    for row in (1, 0):
        text = ""
        for share in shares:
            eighths = 0 if share is None else round(16 * max(0.0, min(1.0, share))) - 8 * row
            text += " " if share is None or eighths <= 0 else _BARS[min(8, eighths) - 1]
            if row == 0 and share is not None and eighths <= 0:
                text = text[:-1] + "▁"
        rows.append(line((text, role)))
    return rows


def moment_words(snapshot: BenchSnapshot, fix: FixSnapshot, moment: int, width: int) -> Line:
    """What the ribbon shows at a moment."""
    cells = columns(fix.strip, _end(snapshot, fix), width)
    cell = next((cell for cell in cells if cell.begin <= moment < cell.end), None)
    if cell is None:
        return BLANK
    state = "nothing came" if cell.level == SILENT else LEVELS[cell.level]
    used = figures.NONE if cell.used is None else str(cell.used)
    strength = figures.NONE if cell.cn0 is None else f"{cell.cn0:.0f} dB-Hz"
    stretch = figures.duration((cell.end - cell.begin) / 1e9)
    return line(
        (f"{clock(moment, 0)} ", "*heron"),
        (f"worst within {stretch}: {state}, {used} used, C/N0 {strength}   ", "text"),
        ("enter", "amber"),
        (" Traffic then   ", "quiet"),
        ("escape", "amber"),
        (" let go", "quiet"),
    )
