"""How far the link reaches: what was delivered and how strong by distance, and a map of where it was lost."""

import math
from collections.abc import Callable, Sequence
from typing import Final

from pale_heron.core.link.certainty import percent
from pale_heron.core.link.reach import RangeBin, RangePoint, RangeSnapshot
from pale_heron.core.link.reach_words import bin_words, distance_words, strength_words
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.dots import Dots
from pale_heron.tui.painting.paint import BLANK, Line, Span, beside, cut, line, titled

LABEL: Final = 17
TABLE: Final = 82
BAR: Final = 8
MAP_ROWS: Final = 22
LEAST_MAP: Final = 28
CELLS: Final = "▏▎▍▌▋▊▉█"
NICE: Final = (1, 2, 5, 10)


def paint(trial: TrialSnapshot, width: int) -> list[Line]:
    """Of each way that is followed by distance."""
    if not trial.ranges:
        words = (
            "This trial has no distances: begin one with a lane that says where the moving end is (d in its question)"
        )
        return [cut(line((words, "quiet")), width)]
    rows: list[Line] = []
    for found in trial.ranges:
        rows += [*_way(found, trial, width), BLANK]
    return rows


def _way(found: RangeSnapshot, trial: TrialSnapshot, width: int) -> list[Line]:
    unit = "dBm" if trial.described.strength else ""
    table = titled(f"{safe_label(found.way)}: BY DISTANCE", [_head(), *(_bin(each, unit) for each in found.bins)])
    if not found.bins:
        table = titled(f"{safe_label(found.way)}: BY DISTANCE", [line(("nothing has its place yet", "quiet"))])
    room = width - TABLE - 2
    if room >= LEAST_MAP:
        return beside([(table, TABLE), (titled("WHERE", _map(found.points, room, MAP_ROWS)), room)])
    cut_table = [cut(row, width) for row in table]
    return [*cut_table, BLANK, *titled("WHERE", _map(found.points, min(width, 70), MAP_ROWS // 2))]


def _head() -> Line:
    words = f"{'':{LABEL}}{'delivered':<{BAR + 13}}{'not delivered, 95 %':<20}{'strength'}"
    return line((words, "faint"))


def _bin(each: RangeBin, unit: str) -> Line:
    share = each.delivered / each.settled
    role = "reed" if each.delivered == each.settled else "coral" if share < 0.5 else "amber"
    low_high = "–" if each.bad_95 is None else f"{percent(each.bad_95[0])} to {percent(each.bad_95[1])}"
    count = f"{each.delivered} of {each.settled}"
    return (
        Span(f"{bin_words(each):<{LABEL}}", "quiet" if each.low_m is None else "text"),
        *_bar(share, role),
        Span(f" {count:<12}", role),
        Span(f"{low_high:<20}", "quiet"),
        Span(strength_words(each.strength, unit), "text" if each.strength else "quiet"),
    )


def _bar(share: float, role: str) -> tuple[Span, Span]:
    """From nothing to all."""
    eighths = round(share * BAR * 8)
    full, part = divmod(eighths, 8)
    text = CELLS[-1] * full + (CELLS[part - 1] if part else "")
    return Span(text, role), Span("·" * (BAR - len(text)), "line")


def _map(points: Sequence[RangePoint], width: int, rows: int) -> list[Line]:
    """North is up, the known point is marked; what was lost is drawn over what was delivered."""
    if not points:
        return [line(("no position was heard", "quiet"))]
    dots = Dots(width, rows - 1)
    across, down = dots.size
    # A dot is as high as it is wide, near enough: a cell has two by four.
    east = [0.0, *(point.east_m for point in points)]
    north = [0.0, *(point.north_m for point in points)]
    span = max(max(east) - min(east), (max(north) - min(north)) * across / down, 1.0)
    scale = (across - 4) / (1.1 * span)
    middle_east, middle_north = (max(east) + min(east)) / 2, (max(north) + min(north)) / 2

    def at(point_east: float, point_north: float) -> tuple[float, float]:
        return across / 2 + (point_east - middle_east) * scale, down / 2 - (point_north - middle_north) * scale

    step = _ring_step(span)
    for ring in range(1, math.ceil(1.5 * span / step) + 1):
        dots.ring(*at(0, 0), ring * step * scale, "line", gap=4.0)
        _label(dots, at, ring * step)
    for lost in (False, True):
        for point in points:
            if (point.delivered < point.settled) is lost:
                x, y = at(point.east_m, point.north_m)
                for near in ((0, 0), (1, 0), (0, 1), (1, 1)) if lost else ((0, 0),):
                    dots.dot(x + near[0], y + near[1], "coral" if lost else "reed")
    dots.word(*at(0, 0), "▲", "heron")
    where = line(("▲ ", "heron"), ("known point, north is up", "faint"))
    fates = line(("⠒ ", "reed"), ("delivered  ", "faint"), ("⠶ ", "coral"), ("not delivered", "faint"))
    return [*dots.lines(), where, fates]


def _label(dots: Dots, at: Callable[[float, float], tuple[float, float]], metres: float) -> None:
    """Name a ring where it runs through the picture, away from the track."""
    across, down = dots.size
    words = distance_words(metres)
    for degrees in range(0, 360, 15):
        turn = math.radians(degrees + 45)
        x, y = at(metres * math.sin(turn), metres * math.cos(turn))
        inside = 0 <= x < across - 2 * len(words) and 0 <= y < down
        if inside and dots.is_free(x, y, len(words)):
            dots.word(x, y, words, "faint")
            return


def _ring_step(span_m: float) -> float:
    """1, 2 or 5 times a power of ten: about three rings."""
    wanted = span_m / 3
    power = 10.0 ** math.floor(math.log10(wanted))
    return next(factor * power for factor in NICE if factor * power >= wanted - 1e-9)
