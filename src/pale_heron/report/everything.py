"""All that a capture holds in open formats, in one folder with an index, made in one pass over it."""

import json
import platform
import re
import shutil
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Final, NamedTuple

from jinja2 import Environment, StrictUndefined

from pale_heron.bench.config.expectation_file import ExpectationFile
from pale_heron.bench.redacting import EXACT
from pale_heron.bench.sources import Source
from pale_heron.core import figures
from pale_heron.core.clock.clock_object import clock_object
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.link.probe_log import ProbeLog
from pale_heron.core.trouble import Trouble
from pale_heron.files.user_folders import is_there
from pale_heron.report.contents import report_of
from pale_heron.report.figures import FORMATS, NothingToDraw, save
from pale_heron.report.junit import JudgedRecord, write_junit
from pale_heron.report.kinds import TABLE_FORMATS, TABLES, TRACKS
from pale_heron.report.report import ReportMatter, ReportWishes
from pale_heron.report.tables import Tables, write_tables
from pale_heron.report.tracks import Track, segments, write_tracks
from pale_heron.report.writing import matter_from, matter_of, write_report

_NO_NAME: Final = re.compile(r"[^\w.-]+")
INDEX: Final = """<!DOCTYPE html>
<html lang="en"><head><meta charset="utf-8"><title>{{ source }}</title>
<style>body { font-family: sans-serif; margin: 2em; color: #1b2530 }
td, th { text-align: left; padding: .2em 1em .2em 0 }</style></head>
<body><h1>{{ source }}</h1>
<table><thead><tr><th scope="col">file</th><th scope="col">what</th><th scope="col">how much</th></tr></thead><tbody>
{% for each in files %}<tr><td><a href="{{ each.name }}">{{ each.name }}</a></td><td>{{ each.what }}</td>\
<td>{{ each.amount }}</td></tr>
{% endfor %}</tbody></table></body></html>
"""


class ShownCapture(NamedTuple):
    """Copies of a capture: for tables and tracks, and for drawings and the report, which need distances alone."""

    tables: Path
    report: Path
    place: str


class WrittenFile(NamedTuple):
    """One file of the folder: what is in it, and how much."""

    name: str
    what: str
    amount: str


def write_everything(
    capture: Path,
    folder: Path,
    progress: Callable[[float], None] = lambda _: None,
    wanted: ExpectationFile | None = None,
    shown: "ShownCapture | None" = None,
) -> list[WrittenFile]:
    """Tables, tracks, drawings and the report. The folder is there whole or not at all.

    `shown` is what may be shown of it, where that is not all. Trouble where it is there already, or cannot be written.
    """
    if is_there(folder):
        raise Trouble(f"{folder} is there already", "Choose another name: nothing is overwritten")
    try:
        folder.parent.mkdir(parents=True, exist_ok=True)
        fresh = Path(tempfile.mkdtemp(prefix=f".{folder.name}-", dir=folder.parent))
    except OSError as problem:
        raise Trouble(f"{folder} cannot be written: {problem.strerror}", "Choose another place") from None
    try:
        written = _fill(capture, shown or ShownCapture(capture, capture, EXACT), fresh, progress, wanted)
        fresh.chmod(0o755)
        fresh.rename(folder)
    except BaseException:
        shutil.rmtree(fresh, ignore_errors=True)
        raise
    return written


def _fill(
    capture: Path,
    shown: ShownCapture,
    folder: Path,
    progress: Callable[[float], None],
    wanted: ExpectationFile | None,
) -> list[WrittenFile]:
    matter: ReportMatter | None = None

    def pass_over(source: Source, probes: ProbeLog, tables: Tables) -> Sequence[LaneSnapshot]:
        nonlocal matter
        matter = matter_from(source, capture, wanted, progress, probes, tables, read=shown.tables)
        return matter.shown.lanes

    names = {f"{what}.{form}": (what, form) for what in TABLES for form in TABLE_FORMATS}
    rows = write_tables(Source(shown.tables), names, folder, pass_over)
    assert matter is not None, "the tables were filled by one pass"
    files = [WrittenFile(name, names[name][0], figures.several(count, "row")) for name, count in rows.items() if count]
    files += _tracks(matter, folder)
    if shown.report != shown.tables:
        matter = matter_of(capture, wanted, progress, read=shown.report)
    files += _results(matter, folder)
    wishes = ReportWishes(place=shown.place)
    files += _drawings(matter, folder)
    for form in ("html", "pdf"):
        write_report(matter, wishes, folder / f"report.{form}")
        files.insert(0, WrittenFile(f"report.{form}", "the report", ""))
    index = Environment(autoescape=True, undefined=StrictUndefined).from_string(INDEX)
    (folder / "index.html").write_text(index.render(source=matter.source, files=files), "utf-8")
    return files


def _results(matter: ReportMatter, folder: Path) -> list[WrittenFile]:
    """What was measured of clocks, and how expectations stand."""
    clocks = clock_object(matter.known.clock)
    (folder / "clock.json").write_text(json.dumps(clocks, ensure_ascii=False, indent=1) + "\n", "utf-8")
    found = [WrittenFile("clock.json", "lags, pulses, time servers", figures.several(len(clocks["lanes"]), "lane"))]
    if matter.judged:
        record = JudgedRecord(matter.source, matter.shown.began, matter.known.record.duration_s, platform.node())
        write_junit(matter.expected_title, matter.judged, record, folder / "expectations.xml")
        amount = figures.several(len(matter.judged), "expectation")
        found.append(WrittenFile("expectations.xml", "results of tests (JUnit XML)", amount))
    return found


def _tracks(matter: ReportMatter, folder: Path) -> list[WrittenFile]:
    lanes = [lane for lane in matter.shown.lanes if lane.fix.positions]
    found = []
    for form in TRACKS if lanes else ():
        tracks = [Track(lane.name, segments(lane.fix.track), matter.dated) for lane in lanes]
        count = write_tracks(form, tracks, folder / f"track.{form}")
        found += [WrittenFile(f"track.{form}", "positions", figures.several(count, "position"))] if count else []
    return found


def _drawings(matter: ReportMatter, folder: Path) -> list[WrittenFile]:
    found: list[WrittenFile] = []
    taken: set[str] = set()
    report = report_of(matter, ReportWishes())
    charts = [("record", report.overview)] if report.overview is not None else []
    charts += [(part.title, chart) for part in report.parts for chart in part.charts]
    for title, chart in charts:
        try:
            figure = chart.draw()
        except NothingToDraw:
            continue
        stem = _NO_NAME.sub("-", f"{title}-{chart.title.partition(',')[0]}").strip("-").lower()[:60]
        while stem in taken:
            stem += "-2"
        taken.add(stem)
        for ending in FORMATS:
            save(figure, folder / f"{stem}{ending}")
            found.append(WrittenFile(f"{stem}{ending}", chart.title, ""))
    return found
