"""`pale-heron export`: the track of a capture in an open format, or its trials and their probes as tables."""

from pathlib import Path

import click

from pale_heron.bench.sources import Source
from pale_heron.cli.chart import chosen_lane
from pale_heron.cli.parameters import FILE
from pale_heron.cli.progress import progress
from pale_heron.core.line.settings import nearest_words
from pale_heron.core.link.probe_log import ProbeLog
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.report.kinds import RESULT_FORMATS, RESULTS, TRACKS

WHAT = ("track", *RESULTS)


@click.command("export")
@click.argument("file", type=FILE, help="A capture or a file of raw bytes.")
@click.option("--to", required=True, help=f"The format: {', '.join(TRACKS)}; of trials and probes csv or jsonl.")
@click.option("-o", "--output", "out", required=True, type=FILE, help="Where to.")
@click.option("--what", default="track", show_default=True, help=f"What: {', '.join(WHAT)}.")
@click.option("--lane", default="", help="Which lane's track; else of all that report positions.")
@click.option(
    "--every", default=0.0, type=float, help="Seconds between positions at least; 0 for all of them.", show_default=True
)
def export(file: Path, to: str, out: Path, what: str, lane: str, every: float) -> None:
    """Write positions as GPX, KML, GeoJSON or CSV (gaps split the track), or trials and probes as CSV or JSON Lines.

    Example: pale-heron export morning.pcapng --to gpx -o morning.gpx

    Example: pale-heron export morning.pcapng --what probes --to csv -o probes.csv
    """
    if what not in WHAT:
        raise Trouble(f"There is no {what!r} to write{nearest_words(what, dict.fromkeys(WHAT))}", f"{', '.join(WHAT)}")
    formats = TRACKS if what == "track" else RESULT_FORMATS
    if to not in formats:
        nearest = nearest_words(to, dict.fromkeys(formats))
        raise Trouble(f"There is no format {to!r}{nearest}", f"There are: {', '.join(formats)}")
    if every < 0:
        raise Trouble(f"--every {every:g} is less than nothing", "Give seconds, or leave it out for every position")
    source = Source(file)
    if what == "track":
        _write_track(source, to, out, lane, every)
    else:
        _write_results(source, what, to, out)


def _write_track(source: Source, to: str, out: Path, lane: str, every: float) -> None:
    from pale_heron.report.tracks import Track, segments, write_tracks

    show, clear = progress(f"reading {source.name}")
    lanes = source.lanes(show)
    clear()
    named = chosen_lane(lanes, lane) if lane else None
    wanted = [named] if named else [each for each in lanes if each.fix.epochs_with_fix]
    count = write_tracks(to, [Track(each.name, segments(each.fix.track, every), source.dated) for each in wanted], out)
    _tell(source, count, "position", out)


def _write_results(source: Source, what: str, to: str, out: Path) -> None:
    from pale_heron.report.results import write_results

    probes = ProbeLog()
    show, clear = progress(f"reading {source.name}")
    source.lanes(show, probes)
    clear()
    _tell(source, write_results(what, to, source.trials, probes, out), "row", out)


def _tell(source: Source, count: int, noun: str, out: Path) -> None:
    """How much was written. Exit status 1 where there was nothing."""
    if not count:
        missing = "position" if noun == "position" else "such result of a trial"
        click.echo(f"pale-heron: {source.name} holds no {missing}: nothing is written", err=True)
        raise click.exceptions.Exit(Exit.NO)
    print(f"{out}: {count} {noun}{'' if count == 1 else 's'}")
