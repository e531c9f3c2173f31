"""`pale-heron report`: what was found, as a file for others."""

from pathlib import Path
from typing import Final

import click

from pale_heron.bench.redacting import SharingWishes
from pale_heron.cli.parameters import FILE, FORCE, free_output
from pale_heron.cli.progress import progress
from pale_heron.cli.sharing import shared, sharing, told_nowhere
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label

FORMATS: Final = (".html", ".pdf")


@click.command("report")
@click.argument("capture", type=FILE, help="A capture, or a raw log of sentences.")
@click.option("-o", "--output", "out", required=True, type=FILE, help="Where to; its ending says which: .html or .pdf.")
@click.option("--expect", "expected", type=FILE, help="Hold it against this file of expectations too.")
@click.option("--title", default="", help="What stands over it.")
@click.option("--by", default="", help="Who made it.")
@click.option("--where", default="", help="Where it was recorded.")
@click.option("--part", default="", help="Of this measured part alone, by its name.")
@FORCE
@click.option("--short", is_flag=True, help="One page for a glance: the answers, and expectations.")
@sharing
def report(
    capture: Path,
    out: Path,
    expected: Path | None,
    title: str,
    by: str,
    where: str,
    part: str,
    force: bool,
    short: bool,
    wishes: SharingWishes,
) -> None:
    """Write a report on a capture: question by question the answer, and what carries it.

    HTML is one file that opens from a stick; PDF has text that can be searched. Secrets are masked.

    With --place coarse or none, with --secret and with --also it is made of a copy as redact makes it.

    Example: pale-heron report morning.pcapng -o morning.html --by "the marsh team" --place coarse

    Example: pale-heron report walk.pcapng -o walk.pdf --expect buoy7.toml
    """
    if out.suffix.lower() not in FORMATS:
        raise Trouble(f"{out} has no ending that says a format", f"End its name with {' or '.join(FORMATS)}")
    free_output(out, force=force, of=[capture])
    # Slow to load: after the questions that cost nothing.
    from pale_heron.bench.config.expectation_file import read_expectations
    from pale_heron.report.report import ReportWishes
    from pale_heron.report.writing import matter_of, write_report

    wanted = read_expectations(expected) if expected is not None else None
    with shared(capture, told_nowhere(wishes), out.parent) as read:
        show, clear = progress(f"reading {safe_label(capture.name)}")
        matter = matter_of(capture, wanted, show, part, read)
        clear()
    if torn := matter.known.record.torn:
        click.echo(f"pale-heron: {safe_label(capture.name)}: {torn}.", err=True)
    write_report(matter, ReportWishes(title, by, where, wishes.place, short), out)
    print(out)
