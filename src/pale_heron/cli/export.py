"""`pale-heron export`: the track of a capture in an open format."""

from pathlib import Path

import click

from pale_heron.bench.sources import Source
from pale_heron.cli.chart import chosen_lane
from pale_heron.cli.parameters import FILE
from pale_heron.cli.progress import progress
from pale_heron.core.line.settings import nearest_words
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.report.kinds import TRACKS


@click.command("export")
@click.argument("file", type=FILE, help="A capture or a file of raw bytes.")
@click.option("--to", required=True, help=f"The format: {', '.join(TRACKS)}.")
@click.option("-o", "--output", "out", required=True, type=FILE, help="Where to.")
@click.option("--lane", default="", help="Which lane; else all that report positions.")
@click.option(
    "--every", default=0.0, type=float, help="Seconds between positions at least; 0 for all of them.", show_default=True
)
def export(file: Path, to: str, out: Path, lane: str, every: float) -> None:
    """Write positions as GPX, KML, GeoJSON or CSV. Gaps split the track.

    Example: pale-heron export morning.pcapng --to gpx -o morning.gpx
    """
    if to not in TRACKS:
        nearest = nearest_words(to, dict.fromkeys(TRACKS))
        raise Trouble(f"There is no format {to!r}{nearest}", f"There are: {', '.join(TRACKS)}")
    if every < 0:
        raise Trouble(f"--every {every:g} is less than nothing", "Give seconds, or leave it out for every position")
    from pale_heron.report.tracks import Track, segments, write_tracks

    source = Source(file)
    show, clear = progress(f"reading {source.name}")
    lanes = source.lanes(show)
    clear()
    named = chosen_lane(lanes, lane) if lane else None
    wanted = [named] if named else [each for each in lanes if each.fix.epochs_with_fix]
    count = write_tracks(to, [Track(each.name, segments(each.fix.track, every), source.dated) for each in wanted], out)
    if not count:
        click.echo(f"pale-heron: {source.name} holds no position: nothing is written", err=True)
        raise click.exceptions.Exit(Exit.NO)
    print(f"{out}: {count} position{'' if count == 1 else 's'}")
