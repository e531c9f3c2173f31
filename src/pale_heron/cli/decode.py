"""`pale-heron decode`: every frame of a capture or of raw bytes."""

import json
import sys
from pathlib import Path

import click

from pale_heron.bench.decoded import decoded, printable
from pale_heron.bench.sources import Source
from pale_heron.cli.parameters import FILE
from pale_heron.cli.progress import tell_torn
from pale_heron.core.frames import Frame, Kind, Status
from pale_heron.core.trouble import Exit
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label


@click.command("decode")
@click.argument("file", type=FILE, help="A capture, a file of raw bytes, or - for standard input.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object a frame.")
@click.option("--show-secrets", is_flag=True, help="No stars for the secrets of modules.")
def decode(file: Path, as_json: bool, show_secrets: bool) -> None:
    """Decode a capture, or raw bytes. `-` reads standard input.

    Example: pale-heron decode morning.pcapng --json
    """
    # One encoder for all of them: `dumps` would make one for each.
    encoded = json.JSONEncoder(ensure_ascii=False).encode
    source = Source(None if str(file) == "-" else file, sys.stdin.buffer)
    legible = False
    for frame in source.frames(masked=not show_secrets):
        legible = legible or frame.kind is not Kind.BYTES
        said = encoded(decoded(frame, source.is_capture)) if as_json else _line(frame, source)
        sys.stdout.write(f"{said}\n")
    tell_torn(source)
    if not legible:
        click.echo(f"pale-heron: {safe_label(source.name)}: nothing legible in it.", err=True)
        raise click.exceptions.Exit(Exit.NO)


def _line(frame: Frame, source: Source) -> str:
    """One frame as people read it."""
    when = f"{clock(frame.time)}  {frame.lane:<12} " if source.is_capture and frame.time is not None else ""
    arrow = {"in": "◂", "out": "▸"}[frame.direction]
    what = printable(frame)
    if what is None:
        what = frame.data[:24].hex(" ") + (" …" if len(frame.data) > 24 else "")
    trouble = f"   ✕ {frame.reason}" if frame.bad else f"   ({frame.reason})" if frame.status is Status.PARTIAL else ""
    return f"{when}{arrow} {frame.offset:>8} {frame.type:<10} {what}{trouble}"
