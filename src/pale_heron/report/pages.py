"""A report as PDF: pages of text and tables, then each chart on a page of its own; text can be searched."""

import itertools
import textwrap
from collections.abc import Iterator
from pathlib import Path
from typing import Final, NamedTuple

import matplotlib
from matplotlib.backends.backend_pdf import PdfPages
from matplotlib.figure import Figure
from matplotlib.lines import Line2D

from pale_heron.core.trouble import Trouble
from pale_heron.files.whole import written_whole
from pale_heron.report.contents import Report, ReportPart, ReportTable
from pale_heron.report.figures import AMBER, GREEN, GREY, INK, RED, NothingToDraw

A4_IN: Final = (8.27, 11.69)
LANDSCAPE_IN: Final = (11.69, 8.27)
MARGIN: Final = 0.07
NUMBER_AT: Final = 0.96
LINE_IN: Final = 0.185
LETTERS: Final = 104
SIZE: Final = 8.5
INKS: Final = {"reed": GREEN, "amber": AMBER, "coral": RED, "quiet": GREY}
LONGEST_CELL: Final = 44
GAP: Final = 3
LETTER: Final = 0.56
"""The mean width of a letter, as a share of its size; a little more, so that columns do not meet."""

TOGETHER: Final = 5
"""A heading and what follows it have so many lines at least."""

SMALLEST: Final = 5.5
WIDTH_PT: Final = 72 * A4_IN[0] * (1 - 2 * MARGIN)
RULE: Final = "#a9b5bd"


class PrintedLine(NamedTuple):
    """A line of a page: its words, colour, size in points, whether it is bold; or the cells of a row of a table."""

    words: str = ""
    ink: str = INK
    size: float = SIZE
    bold: bool = False
    cells: tuple[tuple[float, str], ...] = ()
    """Where each begins, as a share of the page's width, and what it says."""
    ruled: bool = False
    """A thin line under it."""


def write_pdf(report: Report, path: Path) -> None:
    """Whole or not at all. Trouble where it cannot be written."""
    try:
        with (
            written_whole(path) as fresh,
            matplotlib.rc_context({"pdf.fonttype": 42}),
            PdfPages(fresh, metadata={"Title": report.title, "CreationDate": None}) as pages,
        ):
            for number, figure in enumerate(_figures(report), 1):
                figure.text(NUMBER_AT, 0.012, str(number), ha="right", fontsize=8, color=GREY)
                pages.savefig(figure)
    except OSError as problem:
        raise Trouble(f"{path} cannot be written: {problem.strerror}", "Choose another place") from None


def _figures(report: Report) -> Iterator[Figure]:
    """The pages of text, then the charts."""
    for lines in _paged(_lines(report), int((A4_IN[1] * (1 - 2 * MARGIN)) / LINE_IN)):
        yield _page(lines)
    for part in report.parts:
        for chart in part.charts:
            try:
                figure = chart.draw()
            except NothingToDraw:
                continue
            figure.set_size_inches(*LANDSCAPE_IN)
            yield figure


def _paged(lines: Iterator[PrintedLine], room: int) -> Iterator[list[PrintedLine]]:
    """Pages of so many lines; a heading never stands at the foot of one, and none begins with a blank."""
    page: list[PrintedLine] = []
    for line in lines:
        if len(page) == room or (line.bold and len(page) > room - TOGETHER):
            yield page
            page = []
        if page or line.words or line.cells:
            page.append(line)
    if page:
        yield page


def _page(lines: list[PrintedLine]) -> Figure:
    figure = Figure(figsize=A4_IN)
    for place, line in enumerate(lines):
        top = 1 - MARGIN - place * LINE_IN / A4_IN[1]
        for left, words in line.cells or ((MARGIN, line.words),):
            if words:
                figure.text(
                    left,
                    top,
                    # A dollar sign would begin a formula.
                    words.replace("$", r"\$"),
                    fontsize=line.size,
                    color=line.ink,
                    weight="bold" if line.bold else "normal",
                    va="top",
                )
        if line.ruled:
            under = top - 0.76 * LINE_IN / A4_IN[1]
            figure.add_artist(Line2D([MARGIN, 1 - MARGIN], [under, under], color=RULE, linewidth=0.5))
    return figure


def _lines(report: Report) -> Iterator[PrintedLine]:
    yield PrintedLine(report.title, size=15, bold=True)
    yield PrintedLine()
    for name, value in report.facts:
        yield from _wrapped(f"{name}: {value}", GREY)
    for part in report.parts:
        yield from _part(part)
    yield PrintedLine()
    yield PrintedLine("What is not here", size=12, bold=True)
    for words in report.left_out:
        yield from _wrapped(words, INK)


def _part(part: ReportPart) -> Iterator[PrintedLine]:
    yield PrintedLine()
    yield PrintedLine(part.title, size=12, bold=True)
    yield PrintedLine(part.question, GREY)
    for answer in part.answers:
        yield PrintedLine()
        if answer.subject:
            yield PrintedLine(answer.subject, bold=True)
        yield from _wrapped(answer.words, INKS.get(answer.role, INK))
    for table in part.tables:
        yield from _table(table)
    if part.notes:
        yield PrintedLine()
        yield PrintedLine("What stands behind it", bold=True)
        for note in part.notes:
            yield from _wrapped(note, INK)


def _wrapped(words: str, ink: str) -> Iterator[PrintedLine]:
    for line in textwrap.wrap(words, LETTERS) or [""]:
        yield PrintedLine(line, ink)


def _table(table: ReportTable) -> Iterator[PrintedLine]:
    yield PrintedLine()
    yield PrintedLine(table.title, bold=True)
    rows = [table.heads, *table.rows]
    letters = [min(LONGEST_CELL, max(len(row[place]) for row in rows)) + GAP for place in range(len(table.heads))]
    # Small enough that all columns have room; nothing is smaller than can be read.
    size = max(SMALLEST, min(SIZE - 0.5, WIDTH_PT / (LETTER * sum(letters))))
    if LETTER * size * sum(letters) > WIDTH_PT:
        most = max(letters)
        letters = [min(each, int(most * WIDTH_PT / (LETTER * size * sum(letters)))) for each in letters]
    lefts = [MARGIN + sum(letters[:place]) * LETTER * size / (72 * A4_IN[0]) for place in range(len(letters))]
    for number, row in enumerate(rows):
        # What does not fit its column goes on below.
        folded = [textwrap.wrap(cell, max(4, width - GAP)) or [""] for cell, width in zip(row, letters, strict=True)]
        for pieces in itertools.zip_longest(*folded, fillvalue=""):
            cells = tuple(zip(lefts, pieces, strict=True))
            yield PrintedLine(ink=GREY if number == 0 else INK, size=size, cells=cells, ruled=number == 0)
