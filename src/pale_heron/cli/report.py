"""`pale-heron report`: what was found, as a file for others."""

import hashlib
from pathlib import Path
from typing import TYPE_CHECKING, Final

import click

from pale_heron import __version__
from pale_heron.cli.parameters import FILE
from pale_heron.cli.progress import progress
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label

if TYPE_CHECKING:
    from pale_heron.report.contents import ReportMatter

PLACES: Final = ("exact", "coarse", "none")
FORMATS: Final = (".html", ".pdf")
READ_BYTES: Final = 1 << 20


@click.command("report")
@click.argument("capture", type=FILE, help="A capture.")
@click.option("-o", "--output", "out", required=True, type=FILE, help="Where to; its ending says which: .html or .pdf.")
@click.option("--expect", "expected", type=FILE, help="Hold it against this file of expectations too.")
@click.option("--title", default="", help="What stands over it.")
@click.option("--by", default="", help="Who made it.")
@click.option("--where", default="", help="Where it was recorded.")
@click.option("--place", default="exact", show_default=True, help=f"How positions stand in it: {', '.join(PLACES)}.")
@click.option("--short", is_flag=True, help="One page for a glance: the answers, and expectations.")
def report(
    capture: Path, out: Path, expected: Path | None, title: str, by: str, where: str, place: str, short: bool
) -> None:
    """Write a report on a capture: question by question the answer, and what carries it.

    HTML is one file that opens from a stick; PDF has text that can be searched. Secrets are masked.

    Example: pale-heron report morning.pcapng -o morning.html --by "the marsh team" --place coarse

    Example: pale-heron report walk.pcapng -o walk.pdf --expect buoy7.toml
    """
    if out.suffix.lower() not in FORMATS:
        raise Trouble(f"{out} has no ending that says a format", f"End its name with {' or '.join(FORMATS)}")
    if place not in PLACES:
        raise Trouble(f"--place {place!r} is not known", f"Write one of {', '.join(PLACES)}")
    matter = _matter(capture, expected)
    # Slow to load: after the questions that cost nothing.
    from pale_heron.report.contents import ReportWishes, report_of

    made = report_of(matter, ReportWishes(title, by, where, place, short))
    if out.suffix.lower() == ".html":
        from pale_heron.report.html import write_html

        write_html(made, out)
    else:
        from pale_heron.report.pages import write_pdf

        write_pdf(made, out)
    print(out)


def _matter(capture: Path, expected: Path | None) -> "ReportMatter":
    """One pass over the capture gives all that the report needs."""
    from pale_heron.bench.config.expectation_file import read_expectations
    from pale_heron.bench.evident import evident_of
    from pale_heron.bench.snapshot import BenchSnapshot, CaptureState
    from pale_heron.bench.sources import Source
    from pale_heron.core.link.probe_log import ProbeLog
    from pale_heron.core.proof.expectation import judge
    from pale_heron.report.contents import ReportMatter
    from pale_heron.report.words import span_words

    wanted = read_expectations(expected) if expected is not None else None
    source, probes = Source(capture), ProbeLog()
    if not source.is_capture:
        raise Trouble(f"{source.name} is not a capture", "pale-heron record makes one; summary takes raw bytes too")
    show, clear = progress(f"reading {safe_label(source.name)}")
    known = evident_of(source, show, probes)
    clear()
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
        dated=source.dated,
    )
    length, digest = _digest(capture)
    facts = (
        ("capture", source.name),
        ("recorded", span_words(begin, end)),
        ("length", f"{length} bytes"),
        ("SHA-256", digest),
        ("made with", f"Pale Heron {__version__}"),
    )
    judged = tuple(judge(each, known) for each in wanted.expectations) if wanted is not None else ()
    title = wanted.title if wanted is not None else ""
    return ReportMatter(source.name, facts, known, shown, probes, judged, title, source.dated)


def _digest(path: Path) -> tuple[int, str]:
    """Length and SHA-256 of a file."""
    found, length = hashlib.sha256(), 0
    with path.open("rb") as file:
        while piece := file.read(READ_BYTES):
            found.update(piece)
            length += len(piece)
    return length, found.hexdigest()
