"""All lanes of a record on one axis of time, made for print: what was counted, and what happened when."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from pale_heron.core import figures as told
from pale_heron.core.clock.events import CLOCK_STEP
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.states import LEVELS
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.link.tracker import BEGUN, ENDED
from pale_heron.core.proof.chronicle import ChronicleSnapshot, Happening
from pale_heron.core.proof.marks import MARK, Mark
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
    time_picture,
)
from pale_heron.report.figures import (
    AMBER,
    BLUE,
    GREEN,
    INK,
    PLUM,
    RED,
    TEAL,
    NothingToDraw,
    check_format,
    clock_axis,
    plain,
    save,
    times_of,
    titled,
)
from pale_heron.report.words import span_words

COLUMNS: Final = 400
MOST_ROWS: Final = 24
ROW_IN: Final = 0.42
HEAD_IN: Final = 1.5
TALLEST_IN: Final = 10.6
STYLES: Final = {
    "lost": ("X", RED, "lane lost"),
    "refused": ("X", RED, "lane lost"),
    "not-recorded": ("X", RED, "lane lost"),
    "dropped": ("X", RED, "lane lost"),
    FIX_LOST: ("x", RED, "fix lost"),
    CLOCK_STEP: ("d", AMBER, "clock set"),
    "start": (">", AMBER, "start"),
    RESTART: (">", AMBER, "start"),
    "told": ("s", AMBER, "order"),
    "break": ("s", AMBER, "order"),
    BEGUN: ("D", BLUE, "trial begins"),
    ENDED: ("d", BLUE, "trial ends"),
    "returned": ("o", GREEN, "opened, back"),
    "opened": ("o", GREEN, "opened, back"),
    FIX_BACK: (".", GREEN, "reached, fix back"),
    MILESTONE: (".", GREEN, "reached, fix back"),
}
"""Marker, colour and name of what happened; marks are lines through all lanes."""

INKS: Final = {LEVEL: GREEN, CN0: BLUE}


@dataclass(frozen=True, slots=True)
class RecordChartInput:
    """What it is drawn from: a record from `begin` to `end`, nanoseconds."""

    source: str
    lanes: Sequence[LaneSnapshot]
    chronicle: ChronicleSnapshot
    marks: Sequence[Mark]
    begin: int
    end: int


def save_record_chart(kind: str, charted: RecordChartInput, path: Path) -> None:
    """Draw and write. Raises NothingToDraw, or Trouble where it cannot be written."""
    check_format(path)
    save(RECORD_KINDS[kind](charted), path)


def lanes_chart(charted: RecordChartInput) -> Figure:
    """A row for each quantity of each lane, the lanes one above the other."""
    end = max(charted.end, charted.begin + SECOND)
    picture = time_picture(
        charted.lanes, charted.chronicle, charted.marks, charted.begin, end, COLUMNS, max(charted.end, 1)
    )
    rows = picture.rows[:MOST_ROWS]
    if not rows:
        raise NothingToDraw("Nothing was received or sent", "A picture of a record needs lanes that carry something")
    sample = f"{told.several(len(charted.lanes), 'lane')}, {told.several(len(picture.happenings), 'happening')}; "
    sample += f"{span_words(charted.begin, charted.end)}; in steps of {told.duration(picture.step_s)}"
    if len(picture.rows) > MOST_ROWS:
        sample += f"; {len(picture.rows) - MOST_ROWS} more rows are left out"
    figure = titled("All lanes on one axis of time", sample, charted.source)
    figure.set_size_inches(figure.get_figwidth(), min(TALLEST_IN, HEAD_IN + ROW_IN * len(rows)))
    axes = np.ravel(figure.subplots(len(rows), 1, sharex=True))
    plain(axes)
    for axis, row in zip(axes, rows, strict=True):
        _draw_row(axis, row, picture)
    _draw_happenings(axes, rows, picture)
    clock_axis(axes[-1], dated=True)
    return figure


def _draw_row(axis: Axes, row: TimeRow, picture: TimePicture) -> None:
    span = picture.end - picture.begin
    steps = times_of([picture.begin + span * place // picture.columns for place in range(picture.columns + 1)])
    values = np.array([np.nan if value is None else float(value) for value in row.values])
    ink = INKS.get(row.name, GREEN if row.share else TEAL)
    if row.name == LEVEL:
        axis.stairs(values, steps, fill=True, color=ink, alpha=0.6, baseline=-0.6)
        axis.set_ylim(-0.6, len(LEVELS) - 0.5)
        known = sorted({int(value) for value in values[~np.isnan(values)]})
        shown = known if len(known) < 3 else [known[0], known[-1]]
        axis.set_yticks(shown, [LEVELS[level] for level in shown], fontsize=6)
    else:
        axis.stairs(values, steps, color=ink, linewidth=0.9, baseline=None)
        axis.locator_params(axis="y", nbins=2)
        axis.tick_params(axis="y", labelsize=6)
        if row.unit == BYTES_A_SECOND or row.share:
            axis.set_ylim(bottom=0, top=1.05 if row.share else None)
    unit = f", {row.unit}" if row.unit and not row.share else ""
    axis.set_ylabel(
        f"{row.lane}\n{row.name}{unit}", color=INK, fontsize=6.5, rotation=0, ha="right", va="center", labelpad=22
    )
    axis.grid(visible=False, axis="y")


def _draw_happenings(axes: Any, rows: Sequence[TimeRow], picture: TimePicture) -> None:
    """Signs at the top edge of the first row of their lane; of the bench through all of them."""
    first: dict[str, Axes] = {}
    for axis, row in zip(axes, rows, strict=True):
        first.setdefault(row.lane, axis)
    named: dict[str, Any] = {}
    for each in picture.happenings:
        when = times_of([each.moment])[0]
        if each.kind == MARK:
            for axis in axes:
                named["mark"] = axis.axvline(when, color=PLUM, linewidth=0.9, linestyle=":")
        elif each.kind in STYLES:
            named[STYLES[each.kind][2]] = _sign(first.get(each.lane, axes[0]), when, each)
    if named:
        # Above the signs of the first lane, and below the title.
        axes[0].legend(
            named.values(), named.keys(), fontsize=6.5, frameon=False, loc="lower right", bbox_to_anchor=(1.0, 1.12),
            ncols=min(6, len(named)), borderaxespad=0.0,
        )  # fmt: skip


def _sign(axis: Axes, when: Any, each: Happening) -> Any:
    shape, ink, _ = STYLES[each.kind]
    (drawn,) = axis.plot(
        [when], [1.0], shape, color=ink, markersize=5, transform=axis.get_xaxis_transform(), clip_on=False, zorder=5
    )
    return drawn


RECORD_KINDS: Final[dict[str, Callable[[RecordChartInput], Figure]]] = {"lanes": lanes_chart}
