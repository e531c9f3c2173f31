"""`pale-heron decode`: every frame of a capture or of raw bytes."""

import json
import sys
from collections.abc import Callable, Generator, Iterator, Sequence
from contextlib import closing
from functools import partial
from itertools import islice
from pathlib import Path
from typing import Final

import click

from pale_heron.bench.decoded import decoded, printable
from pale_heron.bench.sources import Source
from pale_heron.cli.parameters import FILE, streamed
from pale_heron.cli.progress import tell_torn
from pale_heron.core.frames import Frame, Kind, Status
from pale_heron.core.trouble import Exit
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label
from pale_heron.system import processors

Work = Callable[[Sequence[Frame]], str]

AT_A_TIME: Final = 2000
LARGE_BYTES: Final = 4 << 20
"""From this length of a file on other processes are worth starting."""


@click.command("decode")
@click.argument("file", type=FILE, help="A capture, a file of raw bytes, or - for standard input.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object a frame.")
@click.option("--show-secrets", is_flag=True, help="No stars for the secrets of modules.")
def decode(file: Path, as_json: bool, show_secrets: bool) -> None:
    """Decode a capture, or raw bytes. `-` reads standard input.

    Example: pale-heron decode morning.pcapng --json
    """
    stream = streamed(file)
    piped = stream is not None
    source = Source(None if piped else file, stream)
    frames = source.frames(masked=not show_secrets)
    legible = False

    def pieces() -> Iterator[list[Frame]]:
        nonlocal legible
        # What comes through a pipe is told as it comes.
        while some := list(islice(frames, 1 if piped else AT_A_TIME)):
            legible = legible or any(frame.kind is not Kind.BYTES for frame in some)
            yield some

    work = partial(told, as_json=as_json, timed=source.is_capture)
    several = source.size >= LARGE_BYTES and processors() > 1
    with closing(_spread(work, pieces()) if several else (work(some) for some in pieces())) as texts:
        for text in texts:
            sys.stdout.write(text)
    tell_torn(source)
    if not legible:
        click.echo(f"pale-heron: {safe_label(source.name)}: nothing legible in it.", err=True)
        raise click.exceptions.Exit(Exit.NO)


def _spread(work: Work, pieces: Iterator[Sequence[Frame]]) -> Generator[str, None, None]:
    """By several processes. What that takes is loaded for a long file alone."""
    from pale_heron.bench.spread import spread

    return spread(work, pieces, processors())


def told(frames: Sequence[Frame], *, as_json: bool, timed: bool) -> str:
    """A line for each."""
    if not as_json:
        return "".join([f"{_line(frame, timed)}\n" for frame in frames])
    # One encoder for all of them: `dumps` would make one for each.
    encoded = json.JSONEncoder(ensure_ascii=False).encode
    return "".join([f"{encoded(decoded(frame, timed))}\n" for frame in frames])


def _line(frame: Frame, timed: bool) -> str:
    """One frame as people read it."""
    when = f"{clock(frame.time)}  {frame.lane:<12} " if timed and frame.time is not None else ""
    arrow = {"in": "◂", "out": "▸"}[frame.direction]
    what = printable(frame)
    if what is None:
        what = frame.data[:24].hex(" ") + (" …" if len(frame.data) > 24 else "")
    trouble = f"   ✕ {frame.reason}" if frame.bad else f"   ({frame.reason})" if frame.status is Status.PARTIAL else ""
    return f"{when}{arrow} {frame.offset:>8} {frame.type:<10} {what}{trouble}"
