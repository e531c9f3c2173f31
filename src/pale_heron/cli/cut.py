"""`pale-heron cut`: a part of a capture."""

from pathlib import Path
from typing import Final

import click

from pale_heron.bench.cutting import cut as written_cut
from pale_heron.bench.cutting import received
from pale_heron.bench.part import CutPart, part_in, place_in
from pale_heron.cli.parameters import FILE
from pale_heron.cli.progress import progress
from pale_heron.core.figures import several, size
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label

RAW: Final = (".nmea", ".bin")


@click.command("cut")
@click.argument("capture", type=FILE, help="A capture.")
@click.option("-o", "--output", "out", required=True, type=FILE, help="Where to; .nmea or .bin: received bytes alone.")
@click.option("--from", "begin", default="", help="From when: 09:41:07, +90s, or the text of a mark.")
@click.option("--to", "end", default="", help="Until when, the same way; +90s counts from --from.")
@click.option("--part", "name", default="", help="This measured part, by its name.")
@click.option("--lane", "lanes", multiple=True, help="This lane; may be given again. Without it all.")
def cut(capture: Path, out: Path, begin: str, end: str, name: str, lanes: tuple[str, ...]) -> None:
    """Write a part of a capture as a capture of its own, or a lane's received bytes as they came.

    How the lanes were opened and set, and how their devices speak, stands at its beginning: it can be read by itself.
    Bytes are as they went over the line: secrets in it are not masked.

    Example: pale-heron cut walk.pcapng -o launch.pcapng --from launch --to +10min

    Example: pale-heron cut walk.pcapng -o curlew.nmea --lane curlew
    """
    if name and (begin or end):
        raise Trouble("--part says from when to when: --from and --to say it again", "Leave one of them out")
    first = place_in(capture, begin) if begin else None
    part = CutPart(first, place_in(capture, end, first) if end else None, tuple(lanes))
    part = part_in(capture, name)._replace(lanes=part.lanes) if name else part
    if part.begin is not None and part.end is not None and part.end < part.begin:
        raise Trouble("The part would end before it begins", "Change --from and --to")
    if out.suffix.lower() in RAW:
        if len(lanes) != 1:
            raise Trouble("Received bytes are those of one lane", "Name it: --lane NAME")
        done = received(capture, out, part)
    else:
        show, clear = progress(f"reading {safe_label(capture.name)}")
        done = written_cut(capture, out, part, show)
        clear()
    if done.torn:
        click.echo(f"pale-heron: {capture.name}: {done.torn}.", err=True)
    if done.broken_trials:
        click.echo(
            f"pale-heron: {several(done.broken_trials, 'trial')} began before this part, and is none in it.", err=True
        )
    print(f"{out}: {size(done.bytes)} in {several(done.records, 'record')}")
