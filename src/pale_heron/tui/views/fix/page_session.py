"""The page `session` of Fix: the ribbon, every start with its milestones, every outage with what was lost."""

from typing import Final

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.course import ACTION, BANNER, MILESTONES, OPENING, SILENCE, Start, starts_by_mode
from pale_heron.core.gnss.epochs.outages import Outage
from pale_heron.core.gnss.snapshot import FixSnapshot
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.utc import clock
from pale_heron.tui.painting.paint import BLANK, Line, beside, ends, line, titled
from pale_heron.tui.views.fix.choices import FixChoices
from pale_heron.tui.views.fix.page_now import NARROW
from pale_heron.tui.views.fix.ribbon import tall

STARTS = 52
_CAUSES: Final = {
    ACTION: "asked for",
    BANNER: "announced by the receiver",
    OPENING: "from the first byte",
    SILENCE: "after a silence, without the time",
}


def paint(snapshot: BenchSnapshot, lane: LaneSnapshot, look: FixChoices, width: int, room: int) -> list[Line]:
    """Ribbon over the whole width, then starts and outages, side by side where there is room."""
    fix = lane.fix
    begin = fix.strip.begin if fix.strip.levels else None
    passed = figures.duration((snapshot.now - begin) / SECOND) if begin else figures.NONE
    share = f"{figures.count(fix.epochs_with_fix)} of {figures.several(fix.epochs, 'epoch')} with a fix"
    head = titled("SESSION", tall(snapshot, fix, look.moment, width), f"{passed}, {share}; ▾ mark, ▸ start")
    left_width = width if width < NARROW else STARTS
    left = [*_under_way(snapshot, fix, left_width), BLANK, *_by_mode(fix, left_width)]
    if width < NARROW:
        # One below the other: what does not fit is reached by scrolling, and no figure is cut.
        rows = [*_under_way(snapshot, fix, width), *_by_mode(fix, width), *_outages(snapshot, fix, room, width)]
        return [*head, BLANK, *rows]
    right = _outages(snapshot, fix, room - len(head) - 3, width - left_width - 3)
    return [*head, BLANK, *beside([(left, left_width), (right, width - left_width - 3)], gap=3)]


def _under_way(snapshot: BenchSnapshot, fix: FixSnapshot, width: int) -> list[Line]:
    """The latest start: stopwatch and milestones."""
    start = fix.history.starts[-1] if fix.history.starts else None
    if start is None:
        return titled("THE LATEST START", [line(("it had its fix when the lane was opened", "quiet"))])
    rows = []
    if start.begin is not None and start.first_fix is None:
        passed = figures.duration((snapshot.now - start.begin) / SECOND)
        rows.append(line((f"{passed}", "*amber"), (f" and waiting for: {start.waiting_for}", "amber")))
    elif start.seconds_to_first_fix is not None:
        rows.append(line(("first fix after ", "quiet"), (figures.duration(start.seconds_to_first_fix), "*reed")))
    rows += _milestones(start, width)
    return titled("THE LATEST START", rows, f"{start.mode}, {_CAUSES[start.cause]}")


def _milestones(start: Start, width: int) -> list[Line]:
    """Each milestone with the time that it took; two columns."""
    cells = []
    for name in MILESTONES:
        seconds = start.seconds_to(name)
        reached = figures.duration(seconds) if seconds is not None else "…"
        if name in start.reached and seconds is None:
            reached = "reached"
        cells.append(line((f"{name:<16}", "quiet"), (reached, "text" if name in start.reached else "amber")))
    half = len(cells) // 2
    return beside([(cells[:half], width // 2 - 1), (cells[half:], width // 2 - 1)], gap=2)


def _by_mode(fix: FixSnapshot, width: int) -> list[Line]:
    """All starts by mode, with median and spread of the time to the first fix."""
    rows = [line((f"{'mode':<9}{'starts':>6}{'fixed':>7}{'median':>9}{'least, most':>14}", "faint"))]
    wide = width >= STARTS
    if wide:
        rows[0] = line(*rows[0], (f"{'±':>6}", "faint"))
    for row in starts_by_mode(fix.history.starts):
        between = figures.NONE
        if row.least_s is not None and row.most_s is not None:
            between = f"{row.least_s:.1f}, {row.most_s:.1f}"
        median = figures.NONE if row.median_s is None else f"{row.median_s:.1f} s"
        spread = figures.NONE if row.deviation_s is None else f"{row.deviation_s:.1f}"
        text = f"{row.mode:<9}{row.starts:>6}{row.fixed:>7}{median:>9}{between:>14}"
        rows.append(line(text + (f"{spread:>6}" if wide else "")))
    if len(rows) == 1:
        rows = [line(("no start yet", "quiet"))]
    return titled("ALL STARTS", rows, "time to the first fix, s")


def _outages(snapshot: BenchSnapshot, fix: FixSnapshot, rows: int, width: int) -> list[Line]:
    """The newest first; what was lost, and how reception was before and at its worst."""
    outages = fix.history.outages
    if not outages:
        words = "none" if fix.epochs_with_fix else "there was no fix yet that could be lost"
        return titled("OUTAGES", [line((words, "quiet"))])
    # One that lasts counts as long as it has.
    lengths = [_seconds(snapshot, each) for each in outages]
    total = f"{figures.count(len(outages))}, {figures.duration(sum(lengths))} in all"
    longest = f", the longest {figures.duration(max(lengths))}"
    head = line((f"{'begin':<10}{'lasted':>11}  {'lost':<13}{'used':<9}{'C/N0':<9}", "faint"))
    shown = [_outage(snapshot, each, width) for each in list(outages)[::-1][: max(1, rows)]]
    return titled("OUTAGES", [head, *shown], f"{total}{longest}")


def _outage(snapshot: BenchSnapshot, outage: Outage, width: int) -> Line:
    lasted = figures.duration(_seconds(snapshot, outage)) + ("" if outage.end is not None else " …")
    used = _change(outage.before.used, outage.worst.used, "{}")
    strength = _change(outage.before.cn0, outage.worst.cn0, "{:.0f}")
    row = line(
        (f"{clock(outage.begin, 0):<10}", "quiet"),
        (f"{lasted:>11}  ", "text" if outage.end is not None else "*coral"),
        (f"{outage.lost:<13}", "text"),
        (f"{used:<9}{strength:<9}", "quiet"),
    )
    return ends(row, line(), width)


def _seconds(snapshot: BenchSnapshot, outage: Outage) -> float:
    return outage.seconds if outage.seconds is not None else max(0.0, (snapshot.now - outage.begin) / SECOND)


def _change(before: float | None, worst: float | None, form: str) -> str:
    """`11 → 0`."""
    shown = [figures.NONE if each is None else form.format(each) for each in (before, worst)]
    return f"{shown[0]} → {shown[1]}"
