"""A report as PDF: what somebody in a hurry wants on the first page, then part by part words, drawings and tables.

Text is text, and can be searched; drawings are lines, not pictures of lines.
"""

import base64
import io
import re
from datetime import UTC, datetime
from pathlib import Path
from typing import Final

import matplotlib
from fpdf import FPDF
from fpdf.enums import TableBordersLayout, XPos, YPos
from fpdf.fonts import FontFace, TTFFont
from matplotlib.figure import Figure
from PIL import Image

from pale_heron.core.frames import SECOND
from pale_heron.core.trouble import Trouble
from pale_heron.files.whole import written_whole
from pale_heron.report.figures import AMBER, GREEN, GREY, INK, RED, NothingToDraw, draw
from pale_heron.report.report import Report, ReportChart, ReportPart, ReportTable

MARGIN_MM: Final = 16.0
WIDTH_MM: Final = 210.0 - 2 * MARGIN_MM
LINE_MM: Final = 4.6
TITLE, HEADING, SMALL_HEADING, TEXT, SMALL = 16.0, 12.0, 9.5, 9.0, 7.5
"""The type of all pages, points."""

LEAST_MM: Final = 42.0
"""A heading, or the head of a table, has so much room below it, or stands on the next page."""

INKS: Final = {"reed": GREEN, "amber": AMBER, "coral": RED, "quiet": GREY}
SIGNS: Final = {"reed": "●", "amber": "◐", "coral": "✕", "quiet": "○"}
CHART_IN: Final = (WIDTH_MM / 25.4, 3.8)
OVERVIEW_IN: Final = (WIDTH_MM / 25.4, 3.9)
DOTS_PER_INCH: Final = 220
RULE: Final = "#a9b5bd"
FONT: Final = "text"
CELL_MM: Final = 4.0
"""Around the words of a cell."""

_DOTS: Final = re.compile(
    r'<image xlink:href="data:image/png;base64,(?P<data>[^"]*)" id="[^"]*" '
    r'transform="scale\(1 -1\) translate\(0 -(?P<down>[\d.]+)\)" '
    r'x="(?P<x>[\d.-]+)" y="(?P<y>[\d.-]+)" width="(?P<width>[\d.]+)" height="(?P<height>[\d.]+)"/>'
)
"""A cloud of dots, as the drawing has it: upside down, and turned over."""


def write_pdf(report: Report, path: Path) -> None:
    """Whole or not at all. Trouble where it cannot be written."""
    pages = _Pages(report.title, report.until)
    _first_page(pages, report)
    for part in report.parts:
        _part(pages, part)
    pages.heading("What is not here")
    for words in report.left_out:
        pages.words(words)
    try:
        with written_whole(path) as fresh:
            pages.output(str(fresh))
    except OSError as problem:
        raise Trouble(f"{path} cannot be written: {problem.strerror}", "Choose another place") from None


class _Pages(FPDF):
    """Pages of one column."""

    def __init__(self, title: str, until: int) -> None:
        """`until` is when what it tells of ended, nanoseconds."""
        super().__init__(format="A4")
        fonts = Path(matplotlib.get_data_path()) / "fonts" / "ttf"
        # What draws the charts brings a typeface with all signs that stand here.
        self.add_font(FONT, "", fonts / "DejaVuSans.ttf")
        self.add_font(FONT, "B", fonts / "DejaVuSans-Bold.ttf")
        self.set_title(title)
        # The same capture gives the same bytes.
        self.set_creation_date(datetime.fromtimestamp(until / SECOND, UTC))
        self.set_margin(MARGIN_MM)
        self.set_auto_page_break(True, MARGIN_MM)
        self._title = title
        self.add_page()

    def normalize_text(self, text: str) -> str:
        """With a dot for each letter that the typeface has not, in place of a box and a line on stderr."""
        font = self.current_font
        plain = (
            text if not isinstance(font, TTFFont) else "".join(each if ord(each) in font.cmap else "·" for each in text)
        )
        return str(super().normalize_text(plain))

    def footer(self) -> None:
        """The title and the number of the page."""
        self.set_y(-11)
        self._type(SMALL, GREY)
        self.cell(WIDTH_MM - 20, LINE_MM, _fit(self, self._title, WIDTH_MM - 24))
        self.cell(20, LINE_MM, f"{self.page_no()} of {{nb}}", align="R")

    def _type(self, size: float, ink: str = INK, *, bold: bool = False) -> None:
        self.set_font(FONT, "B" if bold else "", size)
        self.set_text_color(ink)

    def heading(self, words: str, size: float = HEADING) -> None:
        """Never at the foot of a page."""
        if self.will_page_break(LEAST_MM):
            self.add_page()
        self.ln(4 if size >= HEADING else 2)
        self._type(size, bold=True)
        self._flow(words, size / 2)

    def words(self, words: str, ink: str = INK, size: float = TEXT, *, bold: bool = False) -> None:
        """A paragraph."""
        self._type(size, ink, bold=bold)
        self._flow(words, LINE_MM * size / TEXT)

    def _flow(self, words: str, line_mm: float) -> None:
        self.multi_cell(0, line_mm, words, align="L", new_x=XPos.LMARGIN, new_y=YPos.NEXT)

    def marked(self, role: str, subject: str, words: str) -> None:
        """A paragraph behind the sign of how it stands."""
        ink = INKS.get(role, INK)
        if self.will_page_break(3 * LINE_MM):
            self.add_page()
        self._type(TEXT + 1, ink)
        self.cell(6, LINE_MM, SIGNS.get(role, "○"))
        self.set_left_margin(MARGIN_MM + 6)
        if subject:
            self.words(subject, bold=True)
        self.words(words, ink if role != "reed" else INK)
        self.set_left_margin(MARGIN_MM)
        self.ln(1.2)

    def drawing(self, chart: ReportChart, size_in: tuple[float, float]) -> None:
        """As wide as the text; nothing where there is nothing to draw."""
        try:
            figure = chart.draw()
        except NothingToDraw:
            return
        figure.set_size_inches(*size_in)
        height = WIDTH_MM * size_in[1] / size_in[0]
        if self.will_page_break(height + 3):
            self.add_page()
        self.ln(2)
        self.image(_drawn(figure), w=WIDTH_MM, h=height)
        self.ln(1)

    def rows(self, table: ReportTable) -> None:
        """A table whose head stands on every page that it goes over."""
        self.heading(table.title, SMALL_HEADING)
        self._type(SMALL)
        with self.table(
            col_widths=self._widths(table),
            width=int(WIDTH_MM),
            borders_layout=TableBordersLayout.HORIZONTAL_LINES,
            headings_style=FontFace(emphasis="", color=GREY),
            line_height=LINE_MM * SMALL / TEXT,
            text_align="LEFT",
            padding=(0.6, 2, 0.6, 0),
        ) as shown:
            self.set_draw_color(RULE)
            for row in (table.heads, *table.rows):
                line = shown.row()
                for cell in row:
                    line.cell(cell)

    def _widths(self, table: ReportTable) -> tuple[float, ...]:
        """As the longest cell of each column needs; where that is too much the wide ones share, but break no word."""
        columns = list(zip(table.heads, *table.rows, strict=True))
        needed = [max(map(self.get_string_width, column)) + CELL_MM for column in columns]
        words = [
            max(self.get_string_width(word) for cell in column for word in cell.split() or [""]) for column in columns
        ]
        least = [each + CELL_MM for each in words]
        spare, wanted = WIDTH_MM - sum(least), sum(needed) - sum(least)
        share = min(1.0, max(0.0, spare / wanted)) if wanted > 0 else 0.0
        return tuple(low + share * (high - low) for low, high in zip(least, needed, strict=True))


def _drawn(figure: Figure) -> io.BytesIO:
    """As lines; one with hatches, which who reads drawings here does not know, as a picture."""
    out = io.BytesIO()
    draw(figure, out, "svg", dict.fromkeys(("Date", "Creator", "Format", "Type")), paths=True)
    text = out.getvalue().decode()
    if "<pattern" not in text:
        return io.BytesIO(_DOTS.sub(_upright, text).encode())
    picture = io.BytesIO()
    draw(figure, picture, "png", {"Software": None}, dpi=DOTS_PER_INCH)
    return picture


def _upright(dots: re.Match[str]) -> str:
    """The same picture as it stands on the page: who reads the drawing here turns none over."""
    turned = io.BytesIO()
    picture = Image.open(io.BytesIO(base64.b64decode(dots["data"])))
    picture.transpose(Image.Transpose.FLIP_TOP_BOTTOM).save(turned, "PNG")
    top = float(dots["down"]) - float(dots["y"]) - float(dots["height"])
    return (
        f'<image xlink:href="data:image/png;base64,{base64.b64encode(turned.getvalue()).decode()}" '
        f'x="{dots["x"]}" y="{top:.6f}" width="{dots["width"]}" height="{dots["height"]}"/>'
    )


def _fit(pages: _Pages, words: str, width: float) -> str:
    """So much of a line as has room."""
    while words and pages.get_string_width(words) > width:
        words = words[:-2] + "…" if len(words) > 2 else ""
    return words


def _first_page(pages: _Pages, report: Report) -> None:
    """What it is, the answer to each question, and all lanes in one drawing."""
    pages.words(report.title, size=TITLE, bold=True)
    pages.ln(2)
    for answer in report.in_short:
        pages.marked(answer.role, answer.question, answer.words)
    if report.overview is not None:
        pages.drawing(report.overview, OVERVIEW_IN)
    pages.heading("What this is made of", SMALL_HEADING)
    for name, value in report.facts:
        pages.words(f"{name}: {value}", GREY, SMALL)


def _part(pages: _Pages, part: ReportPart) -> None:
    pages.heading(part.title)
    pages.words(part.question, GREY)
    pages.ln(1.5)
    for answer in part.answers:
        pages.marked(answer.role, answer.subject, answer.words)
    for chart in part.charts:
        pages.drawing(chart, CHART_IN)
    for table in part.tables:
        pages.rows(table)
    if part.notes:
        pages.heading("What stands behind it", SMALL_HEADING)
        for note in part.notes:
            pages.words(note)
            pages.ln(0.8)
