"""A report as PDF: pages of text and tables, then each chart on a page of its own; text can be searched."""

import itertools
import textwrap
from collections.abc import Iterator
from pathlib import Path
from typing import Final, NamedTuple

import matplotlib
from matplotlib.backends.backend_pdf import PdfPages
from matplotlib.figure import Figure

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
LONGEST_CELL: Final = 40
GAP: Final = 2


class PrintedLine(NamedTuple):
    """A line of a page: its words, colour, size in points, and whether it is bold, or of fixed width."""

    words: str = ""
    ink: str = INK
    size: float = SIZE
    bold: bool = False
    fixed: bool = False


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
    lines = list(_lines(report))
    room = int((A4_IN[1] * (1 - 2 * MARGIN)) / LINE_IN)
    for begin in range(0, len(lines), room):
        yield _page(lines[begin : begin + room])
    for part in report.parts:
        for chart in part.charts:
            try:
                figure = chart.draw()
            except NothingToDraw:
                continue
            figure.set_size_inches(*LANDSCAPE_IN)
            yield figure


def _page(lines: list[PrintedLine]) -> Figure:
    figure = Figure(figsize=A4_IN)
    for place, line in enumerate(lines):
        if line.words:
            figure.text(
                MARGIN,
                1 - MARGIN - place * LINE_IN / A4_IN[1],
                # A dollar sign would begin a formula.
                line.words.replace("$", r"\$"),
                fontsize=line.size,
                color=line.ink,
                weight="bold" if line.bold else "normal",
                family="monospace" if line.fixed else "sans-serif",
                va="top",
            )
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
    cells = [table.heads, *table.rows]
    widths = [min(LONGEST_CELL, max(len(row[place]) for row in cells)) for place in range(len(table.heads))]
    size = min(SIZE - 1.5, SIZE * 98 / max(1, sum(widths) + GAP * len(widths)))
    for number, row in enumerate(cells):
        # What does not fit its column goes on below.
        folded = [textwrap.wrap(cell, width) or [""] for cell, width in zip(row, widths, strict=True)]
        for pieces in itertools.zip_longest(*folded, fillvalue=""):
            text = "".join(f"{piece:<{width + GAP}}" for piece, width in zip(pieces, widths, strict=True)).rstrip()
            yield PrintedLine(text, GREY if number == 0 else INK, size=size, fixed=True)
