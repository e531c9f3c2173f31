"""All lanes on one axis of time: each with its life line, and under it what was counted there, column by column."""

from collections.abc import Iterable, Sequence
from typing import Final, NamedTuple

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.clock.events import CLOCK_STEP
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.states import LEVELS
from pale_heron.core.link.tracker import BEGUN, ENDED
from pale_heron.core.proof.chronicle import SENT, Happening
from pale_heron.core.proof.marks import MARK
from pale_heron.core.proof.picture import (
    BYTES_A_SECOND,
    CN0,
    FIX_BACK,
    FIX_LOST,
    LEVEL,
    MILESTONE,
    RESTART,
    TimePicture,
    TimeRow,
    level_name,
)
from pale_heron.core.proof.together import HappenedTogether, WhileSending, sending_words
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import BLANK, Line, Span, cells, cut, fitted, labelled, line, titled
from pale_heron.tui.views.fix.ribbon import LEAST_CN0, MOST_CN0, SHAPES

LABEL: Final = 23
AT_RIGHT: Final = 20
BARS: Final = "▁▂▃▄▅▆▇█"
SIGNS: Final = {
    "lost": ("✕", "coral"),
    "refused": ("✕", "coral"),
    "not-recorded": ("✕", "coral"),
    "dropped": ("✕", "coral"),
    FIX_LOST: ("╳", "coral"),
    CLOCK_STEP: ("↕", "amber"),
    "start": ("▸", "amber"),
    RESTART: ("▸", "amber"),
    MARK: ("▾", "heather"),
    "told": ("■", "amber"),
    "break": ("■", "amber"),
    BEGUN: ("◆", "tide"),
    ENDED: ("◇", "tide"),
    "returned": ("○", "reed"),
    "opened": ("○", "reed"),
    FIX_BACK: ("●", "reed"),
    MILESTONE: ("●", "reed"),
    "settings": ("■", "quiet"),
}
"""By kind: sign and role; where several share a column, the first of this table is shown."""

LEGEND: Final = "  ".join(
    each.replace(" ", "\u00a0")
    for each in (
        *("✕ lost", "╳ fix lost", "○ opened, back", "● reached, fix back", "▸ start"),
        *("■ order", "◆ ◇ trial", "▾ mark", "↕ clock set"),
    )
)
ROLES: Final = {SENT: "amber", CN0: "heron"}
NEAR_COLUMNS: Final = 2
MOST_LISTED: Final = 6


class LanesLook(NamedTuple):
    """What is chosen: a moment or None; and what was found to happen together."""

    moment: int | None
    groups: Sequence[HappenedTogether]
    sending: Sequence[WhileSending]
    whole: bool
    """Whether the whole record is shown."""


def room(width: int) -> int:
    """How many columns the axis has."""
    return max(10, width - LABEL - AT_RIGHT)


def paint(snapshot: BenchSnapshot, picture: TimePicture, look: LanesLook, width: int) -> list[Line]:
    """The page under the answer."""
    if not picture.rows:
        return [line(("nothing was received or sent yet", "quiet"))]
    rows = [_line_of_life("the bench", (each for each in picture.happenings if not each.lane), picture, look)]
    for lane in dict.fromkeys(row.lane for row in picture.rows):
        happened = (each for each in picture.happenings if each.lane == lane)
        rows.append(_line_of_life(lane, happened, picture, look))
        rows += [_row(row, picture, look) for row in picture.rows if row.lane == lane]
    rows += [_axis(picture, look), *labelled(Span("", "quiet"), line((LEGEND, "faint")), width, LABEL), BLANK]
    rows += _at_moment(picture, look, width) if look.moment is not None else []
    return [cut(row, width) for row in (*rows, *_found(look, width, snapshot))]


def _line_of_life(name: str, happenings: Iterable[Happening], picture: TimePicture, look: LanesLook) -> Line:
    order = list(SIGNS)
    shown: dict[int, Happening] = {}
    for each in happenings:
        place = picture.column(each.moment)
        if each.kind in SIGNS and (place not in shown or order.index(each.kind) < order.index(shown[place].kind)):
            shown[place] = each
    spans = [Span(fitted(safe_label(name), LABEL - 1) + " ", "*heron")]
    chosen = None if look.moment is None else picture.column(look.moment)
    for column in range(picture.columns):
        sign, role = SIGNS[shown[column].kind] if column in shown else ("─", "line")
        spans.append(_cell(picture, column, sign, role, chosen, shown.get(column)))
    return tuple(spans)


def _row(row: TimeRow, picture: TimePicture, look: LanesLook) -> Line:
    chosen = None if look.moment is None else picture.column(look.moment)
    shapes = _levels(row) if row.name == LEVEL else _bars(row)
    spans = [Span(fitted(f"  {safe_label(row.name)}", LABEL - 1) + " ", "quiet")]
    spans += [_cell(picture, at, shape, role, chosen) for at, (shape, role) in enumerate(shapes)]
    shown = row.values[chosen] if chosen is not None else None
    told = _value(row, shown) if chosen is not None else _range(row)
    return (*spans, Span(f" {told}", "text" if chosen is not None else "faint"))


def _cell(
    picture: TimePicture, column: int, shape: str, role: str, chosen: int | None, happening: Happening | None = None
) -> Span:
    moment = happening.moment if happening is not None else picture.moment(column)
    return Span(shape, role + ("@select" if column == chosen else ""), act(acts.take_record_moment, moment))


def _levels(row: TimeRow) -> list[tuple[str, str]]:
    return [(" ", "faint") if value is None else SHAPES[LEVELS[int(value)]] for value in row.values]


def _bars(row: TimeRow) -> list[tuple[str, str]]:
    """Bars from the least to the most that the row is drawn between; what is 0 is a dot, what is unknown nothing."""
    low, high = _bounds(row)
    role = "reed" if row.share else ROLES.get(row.name, "tide")
    found = []
    for value in row.values:
        if value is None:
            found.append((" ", "faint"))
        elif value <= 0 and low == 0:
            found.append(("✕", "coral") if row.share else ("·", "faint"))
        else:
            share = min(1.0, max(0.0, (value - low) / (high - low))) if high > low else 1.0
            weak = row.share and value < 1
            found.append((BARS[min(7, int(share * 8))], "amber" if weak else role))
    return found


def _bounds(row: TimeRow) -> tuple[float, float]:
    known = [value for value in row.values if value is not None]
    if row.name == CN0:
        return LEAST_CN0, MOST_CN0
    if row.share:
        return 0.0, 1.0
    return min(known, default=0.0) if row.unit != BYTES_A_SECOND else 0.0, max(known, default=0.0)


def _value(row: TimeRow, value: float | None) -> str:
    if value is None:
        return figures.NONE
    if row.name == LEVEL:
        return level_name(value)
    if row.share:
        return figures.share(value)
    if row.unit == BYTES_A_SECOND:
        return f"{figures.size(round(value))}/s"
    return f"{value:.3g} {row.unit}".strip()


def _range(row: TimeRow) -> str:
    """The least and the most of what is drawn."""
    known = [value for value in row.values if value is not None]
    if not known:
        return figures.NONE
    low, high = min(known), max(known)
    if row.name == LEVEL:
        return level_name(low) if low == high else f"{level_name(low)}…{level_name(high)}"
    if row.share:
        return f"{figures.share(low)} at least" if low < 1 else "all of it"
    if low == high:
        return _value(row, low)
    return f"≤ {_value(row, high)}" if row.unit == BYTES_A_SECOND else f"{low:.3g}…{_value(row, high)}"


def _axis(picture: TimePicture, look: LanesLook) -> Line:
    left, middle, right = (
        clock(moment, 0) for moment in (picture.begin, (picture.begin + picture.end) // 2, picture.end)
    )
    columns = picture.columns
    gap = columns // 2 - len(left) - len(middle) // 2
    text = f"{left}{'':{max(1, gap)}}{middle}" if gap > 0 else left
    text += f"{right} UTC".rjust(max(1, columns - cells(text)))
    stretch = f"in steps of {figures.duration(picture.step_s)}"
    head = "all of the record" if look.whole else "a part: Z shows more"
    return line((fitted(head, LABEL), "quiet"), (text, "quiet"), (f" {stretch}", "faint"))


def _at_moment(picture: TimePicture, look: LanesLook, width: int) -> list[Line]:
    """What happened in the chosen column and next to it."""
    assert look.moment is not None
    near_ns = NEAR_COLUMNS * round(picture.step_s * SECOND)
    near = [each for each in picture.happenings if abs(each.moment - look.moment) <= near_ns]
    rows: list[Line] = [
        line(
            (f"{clock(look.moment, 0)} UTC  ", "*heron"),
            ("enter", "amber"),
            (" shows Traffic then   ", "quiet"),
            ("z", "amber"),
            (" closer   ", "quiet"),
            ("escape", "amber"),
            (" lets go", "quiet"),
        )
    ]
    rows += [_happening(each) for each in near[:MOST_LISTED]]
    if len(near) > MOST_LISTED:
        rows.append(line((f"and {len(near) - MOST_LISTED} more", "quiet")))
    if not near:
        rows.append(line((f"nothing happened within {figures.duration(near_ns / SECOND)} of it", "quiet")))
    return [row for each in rows for row in labelled(Span("", "quiet"), each, width, LABEL)] + [BLANK]


def _happening(each: Happening) -> Line:
    sign, role = SIGNS.get(each.kind, ("·", "quiet"))
    where = f"{safe_label(each.lane)}: " if each.lane else ""
    return line(
        (f"{sign} ", role), (f"{clock(each.moment, 1)}  ", "quiet"), (f"{where}{safe_label(each.words)}", "text")
    )


def _found(look: LanesLook, width: int, snapshot: BenchSnapshot) -> list[Line]:
    """What happened together, newest first; and what sending does."""
    rows: list[Line] = []
    for each in look.sending:
        rows += labelled(Span("sending", "quiet"), line((safe_label(sending_words(each)), "amber")), width, LABEL)
    for group in reversed(look.groups[-MOST_LISTED:]):
        first = group.happenings[0].moment
        said = "; ".join(
            f"{safe_label(each.lane)}: {safe_label(each.words)}" if each.lane else safe_label(each.words)
            for each in group.happenings[:MOST_LISTED]
        )
        within = f" (within {figures.duration(group.within_s)})"
        told = labelled(Span(clock(first, 0), "quiet"), line((said, "text"), (within, "quiet")), width, LABEL)
        rows += [tuple(span._replace(action=act(acts.take_record_moment, first)) for span in row) for row in told]
    if not rows:
        lanes = len(snapshot.lanes)
        words = "nothing lay within 3 s of something on another lane" if lanes > 1 else "there is one lane"
        rows = [line((words, "quiet"))]
    return titled("WHAT HAPPENED TOGETHER", rows, "that one is the cause of the other is not shown by it")
