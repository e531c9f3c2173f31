"""A report as one HTML file: no script, nothing fetched, light and dark, fit for print."""

import io
import re
from importlib.resources import files
from pathlib import Path
from typing import Final, NamedTuple

from jinja2 import Environment, StrictUndefined
from markupsafe import Markup, escape

from pale_heron import __version__
from pale_heron.core.trouble import Trouble
from pale_heron.files.whole import written_whole
from pale_heron.report.figures import NothingToDraw, draw
from pale_heron.report.report import Report, ReportChart

_HEAD: Final = re.compile(r"^.*?(?=<svg)", re.DOTALL)
_IDS: Final = re.compile(r'(\bid="|xlink:href="#|\burl\(#)')


class DrawnChart(NamedTuple):
    """A chart as it stands in the page."""

    title: str
    svg: Markup


def write_html(report: Report, path: Path) -> None:
    """Whole or not at all. Trouble where it cannot be written."""
    number = 0
    overview = _svg(report.overview, "c0-") if report.overview is not None else None
    charts: list[list[DrawnChart]] = []
    for part in report.parts:
        drawn = []
        for chart in part.charts:
            number += 1
            svg = _svg(chart, f"c{number}-")
            drawn += [DrawnChart(chart.title, svg)] if svg is not None else []
        charts.append(drawn)
    environment = Environment(autoescape=True, undefined=StrictUndefined)
    template = environment.from_string((files("pale_heron.report") / "page.html").read_text("utf-8"))
    try:
        with written_whole(path) as fresh:
            fresh.write_text(
                template.render(report=report, overview=overview, charts=charts, version=__version__), "utf-8"
            )
    except OSError as problem:
        raise Trouble(f"{path} cannot be written: {problem.strerror}", "Choose another place") from None


def _svg(chart: ReportChart, prefix: str) -> Markup | None:
    """The drawing for this place in a page, its identifiers its own; None where there is nothing to draw."""
    try:
        figure = chart.draw()
    except NothingToDraw:
        return None
    out = io.BytesIO()
    # No date in it: the same capture gives the same bytes.
    draw(figure, out, "svg", {"Date": None})
    drawn = _IDS.sub(lambda match: match[0] + prefix, _HEAD.sub("", out.getvalue().decode()))
    label = f'<svg role="img" aria-label="{escape(chart.title)}"'
    # What matplotlib wrote is well-formed, and escapes the names that stand in it.
    return Markup(drawn.replace("<svg", label, 1))
