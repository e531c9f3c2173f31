"""`pale-heron export`: the track of a capture in an open format, or its trials and their probes as tables."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from pale_heron.bench.redacting import NONE, SharingWishes
from pale_heron.bench.sources import Source
from pale_heron.cli.chart import chosen_lane
from pale_heron.cli.parameters import FILE, FORCE, free_output
from pale_heron.cli.progress import progress, reading
from pale_heron.cli.sharing import shared, sharing, told_nowhere
from pale_heron.cli.watch import expectations_in
from pale_heron.core import figures
from pale_heron.core.line.settings import did_you_mean
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.report.kinds import TABLE_FORMATS, TABLES, TRACKS

if TYPE_CHECKING:
    from pale_heron.bench.config.expectation_file import ExpectationFile

WHAT = ("track", *TABLES)


@click.command("export")
@click.argument("file", type=FILE, help="A capture or a file of raw bytes.")
@click.option(
    "--to", default="", help=f"The format: of a track {', '.join(TRACKS)}; of a table {', '.join(TABLE_FORMATS)}."
)
@click.option("-o", "--output", "out", type=FILE, help="Where to.")
@click.option("--what", default="track", show_default=True, help=f"What: {', '.join(WHAT)}.")
@click.option("--lane", default="", help="Of which lane alone; else of all that have it.")
@click.option(
    "--every", default=0.0, type=float, help="Seconds between positions at least; 0 for all of them.", show_default=True
)
@click.option("--all", "folder", type=FILE, help="Everything, in every format, into this folder, with an index.")
@FORCE
@sharing
@click.option("--expect", "expected", type=FILE, help="With --all: hold it against this file of expectations too.")
def export(
    file: Path,
    to: str,
    out: Path | None,
    what: str,
    lane: str,
    every: float,
    folder: Path | None,
    force: bool,
    expected: Path | None,
    wishes: SharingWishes,
) -> None:
    """Write what a capture holds in open formats: positions as tracks (gaps split them), all else as tables.

    With --place, --also or --secret all of it is made of a copy as redact makes it.

    Example: pale-heron export morning.pcapng --to gpx -o morning.gpx

    Example: pale-heron export morning.pcapng --what probes --to csv -o probes.csv

    Example: pale-heron export morning.pcapng --all morning
    """
    if folder is not None:
        if to or out is not None:
            raise Trouble("--all writes everything in every format: --to and -o say less", "Leave them out")
        if lane:
            words = f"pale-heron cut {file} -o PART.pcapng --lane {lane}, then --all of that"
            raise Trouble("--all writes all lanes: --lane says less", words)
        _write_all(file, folder, expectations_in(expected), wishes)
        return
    if out is None or not to:
        raise Trouble("Where to, and in which format, is missing", "--to FORMAT -o FILE, or --all FOLDER")
    if what not in WHAT:
        raise Trouble(f"There is no {what!r} to write{did_you_mean(what, WHAT)}", f"There are: {', '.join(WHAT)}")
    formats = TRACKS if what == "track" else TABLE_FORMATS
    if to not in formats:
        nearest = did_you_mean(to, formats)
        raise Trouble(f"There is no format {to!r}{nearest}", f"There are: {', '.join(formats)}")
    if every < 0:
        raise Trouble(f"--every {every:g} is less than nothing", "Give seconds, or leave it out for every position")
    free_output(out, force=force, of=[file])
    with shared(file, wishes, out.parent) as read:
        source = Source(read)
        if what == "track":
            _write_track(source, to, out, lane, every)
        else:
            _write_table(source, what, to, out, lane)


def _write_track(source: Source, to: str, out: Path, lane: str, every: float) -> None:
    from pale_heron.report.tracks import Track, segments, write_tracks

    show, clear = reading(source)
    lanes = source.lanes(show)
    clear()
    named = chosen_lane(lanes, lane) if lane else None
    wanted = [named] if named else [each for each in lanes if each.fix.positions]
    count = write_tracks(to, [Track(each.name, segments(each.fix.track, every), source.dated) for each in wanted], out)
    _tell(source, count, "position", out)


def _write_table(source: Source, what: str, to: str, out: Path, lane: str) -> None:
    from pale_heron.report.tables import write_tables

    show, clear = reading(source)
    rows = write_tables(
        source,
        {out.name: (what, to)},
        out.parent,
        lambda source, probes, tables: source.lanes(show, probes, listener=tables),
        lane,
    )
    clear()
    _tell(source, rows[out.name], "row", out, what)


def _write_all(file: Path, folder: Path, wanted: "ExpectationFile | None", wishes: SharingWishes) -> None:
    from pale_heron.report.everything import ShownCapture, write_everything

    with shared(file, wishes, folder.parent) as tables, shared(file, told_nowhere(wishes), folder.parent) as report:
        shown = ShownCapture(tables, report if wishes.place == NONE else tables, wishes.place)
        show, clear = progress(f"reading {safe_label(file.name)}")
        written = write_everything(file, folder, show, wanted, shown)
        clear()
    print(f"{folder / 'index.html'}: {figures.several(len(written), 'file')}")


def _tell(source: Source, count: int, noun: str, out: Path, what: str = "track") -> None:
    """How much was written. Exit status 1 where there was nothing."""
    if not count:
        missing = "position" if what == "track" else what
        click.echo(f"pale-heron: {source.name} holds no {missing}: nothing is written", err=True)
        raise click.exceptions.Exit(Exit.NO)
    print(f"{out}: {count} {noun}{'' if count == 1 else 's'}")
