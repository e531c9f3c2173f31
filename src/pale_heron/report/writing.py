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
from pale_heron.core.clock.host import host_words
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.link.probe_log import ProbeLog
from pale_heron.core.proof.expectation import judge
from pale_heron.core.proof.measured import Evident
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.report.contents import report_of
from pale_heron.report.html import write_html
from pale_heron.report.pages import write_pdf
from pale_heron.report.report import ReportMatter, ReportWishes
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
    parts = parts_in(read or capture, wanted.parts) if wanted is not None else {}
    known = evident_of(source, progress, probes, parts, listener)
    if not source.is_capture and not any(lane.line.valid for lane in known.lanes):
        raise Trouble(f"{source.name} is not a capture, and holds no sentence", "pale-heron record makes one")
    begin, end = source.span or _told(known)
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
    when = span_words(begin, end, dated=source.dated) if end else "at times that nothing tells"
    facts = (
        ("capture" if source.is_capture else "raw log", source.name),
        *((("measured part", safe_label(part)),) if part else ()),
        ("recorded" if source.is_capture else "tells of", when),
        ("length", f"{length} bytes"),
        ("SHA-256", digest),
        *((("expectations", f"{wanted.name}, SHA-256 {wanted.digest}"),) if wanted is not None else ()),
        *((f"lane {safe_label(lane.name)}", device_words(lane)) for lane in known.lanes),
        *((("clock", host_words(known.clock.host)),) if source.is_capture else ()),
        ("made with", f"Pale Heron {__version__}"),
    )
    judged = tuple(judge(each, known) for each in wanted.expectations) if wanted is not None else ()
    title = wanted.title if wanted is not None else ""
    return ReportMatter(
        source.name, facts, known, shown, probes, judged, title, source.dated, source.is_capture, source.joined
    )


def _told(known: Evident) -> tuple[int, int]:
    """From when to when the sentences of a raw log tell."""
    times = [
        moment
        for lane in known.lanes
        for each in lane.line.types
        for moment in (each.first, each.last)
        if moment is not None
    ]
    return (min(times), max(times)) if times else (0, 0)


def device_words(lane: LaneSnapshot) -> str:
    """What stood on a lane, as far as the record says."""
    speaks = f"speaks {safe_label(lane.module.dialect.name)}" if lane.module is not None else ""
    said = (safe_label(lane.address), str(lane.settings or ""), safe_label(lane.role), speaks)
    return ", ".join(each for each in said if each) or "not said"


def _digest(path: Path) -> tuple[int, str]:
    """Length and SHA-256 of a file."""
    found, length = hashlib.sha256(), 0
    with path.open("rb") as file:
        while piece := file.read(READ_BYTES):
            found.update(piece)
            length += len(piece)
    return length, found.hexdigest()
