"""From a capture to a report in a file."""

import hashlib
from collections.abc import Callable
from pathlib import Path
from typing import Final

from pale_heron import __version__
from pale_heron.bench.config.expectation_file import ExpectationFile
from pale_heron.bench.evident import evident_of, parts_in
from pale_heron.bench.heard import PassListener
from pale_heron.bench.part import part_in
from pale_heron.bench.snapshot import BenchSnapshot, CaptureState
from pale_heron.bench.sources import Source
from pale_heron.core.link.probe_log import ProbeLog
from pale_heron.core.proof.expectation import judge
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.report.contents import ReportMatter, ReportWishes, report_of
from pale_heron.report.html import write_html
from pale_heron.report.pages import write_pdf
from pale_heron.report.words import span_words

FORMATS: Final = {".html": write_html, ".pdf": write_pdf}
READ_BYTES: Final = 1 << 20


def write_report(matter: ReportMatter, wishes: ReportWishes, path: Path) -> None:
    """The ending of its name says the format. Trouble where it says none, or the file cannot be written."""
    write = FORMATS.get(path.suffix.lower())
    if write is None:
        raise Trouble(f"{path} has no ending that says a format", f"End its name with {' or '.join(FORMATS)}")
    write(report_of(matter, wishes), path)


def matter_of(
    capture: Path,
    wanted: ExpectationFile | None,
    progress: Callable[[float], None] = lambda _: None,
    part: str = "",
    read: Path | None = None,
) -> ReportMatter:
    """One pass over the capture, or over a measured part, gives all that a report needs. Trouble where it is none.

    `read` is the copy of it that may be shown.
    """
    shown = read or capture
    source = Source(shown, part=part_in(shown, part) if part else None)
    return matter_from(source, capture, wanted, progress, ProbeLog(), part=part, read=read)


def matter_from(
    source: Source,
    capture: Path,
    wanted: ExpectationFile | None,
    progress: Callable[[float], None],
    probes: ProbeLog,
    listener: PassListener | None = None,
    part: str = "",
    read: Path | None = None,
) -> ReportMatter:
    """The same of a source that was opened, with a listener to what goes by."""
    if not source.is_capture:
        raise Trouble(f"{source.name} is not a capture", "pale-heron record makes one; summary takes raw bytes too")
    parts = parts_in(read or capture, wanted.parts) if wanted is not None else {}
    known = evident_of(source, progress, probes, parts, listener)
    begin, end = source.span or (0, 0)
    shown = BenchSnapshot(
        bench=source.name,
        now=end,
        began=begin,
        lanes=known.lanes,
        capture=CaptureState(str(capture), 0, ""),
        replay=None,
        host_ahead_s=0.0,
        marks=source.marks,
        trials=known.trials,
        clock=source.clock,
        chronicle=source.chronicle,
        dated=source.dated,
    )
    length, digest = _digest(capture)
    facts = (
        ("capture", source.name),
        *((("measured part", safe_label(part)),) if part else ()),
        ("recorded", span_words(*(source.span or (None, None)))),
        ("length", f"{length} bytes"),
        ("SHA-256", digest),
        ("made with", f"Pale Heron {__version__}"),
    )
    judged = tuple(judge(each, known) for each in wanted.expectations) if wanted is not None else ()
    title = wanted.title if wanted is not None else ""
    return ReportMatter(source.name, facts, known, shown, probes, judged, title, source.dated, source.joined)


def _digest(path: Path) -> tuple[int, str]:
    """Length and SHA-256 of a file."""
    found, length = hashlib.sha256(), 0
    with path.open("rb") as file:
        while piece := file.read(READ_BYTES):
            found.update(piece)
            length += len(piece)
    return length, found.hexdigest()
