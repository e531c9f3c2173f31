"""`pale-heron redact`: a copy of a capture without secrets."""

from pathlib import Path

import click

from pale_heron.bench.config.dialects import known_dialects
from pale_heron.bench.redacting import COARSE, EXACT, PLACES, PlacesLeft
from pale_heron.bench.redacting import redact as redacted
from pale_heron.capture.reader import is_capture
from pale_heron.cli.parameters import FILE
from pale_heron.core import figures
from pale_heron.core.line.settings import did_you_mean
from pale_heron.core.trouble import Exit, Trouble


@click.command("redact")
@click.argument("file", type=FILE, help="A capture.")
@click.option("-o", "--out", type=FILE, help="The copy; else NAME-redacted.pcapng.")
@click.option("--dialect", "dialects", multiple=True, metavar="LANE=NAME", help="How the device of a lane speaks.")
@click.option("--place", default=EXACT, show_default=True, help=f"How positions stand in it: {', '.join(PLACES)}.")
@click.option("--secret", multiple=True, help="One more text that must not be shared.")
def redact(file: Path, out: Path | None, secret: tuple[str, ...], dialects: tuple[str, ...], place: str) -> None:
    """Copy a capture without its secrets. Stars stand for pass phrases, pins, own numbers and identities.

    They are found as the dialects mark them, in commands, replies and echoes; without a dialect as any known one does,
    and by the standards' own commands in every spelling. Look at the copy before you share it: what no dialect calls a
    secret, and no --secret names, is still there.

    With --place coarse all positions move by one offset that nobody knows: distances stay, checksums are right. With
    --place none they are taken out.

    Example: pale-heron redact bench-1204.pcapng -o for-the-forum.pcapng --place coarse
    """
    if not is_capture(file):
        raise Trouble(f"{file} is not a capture", "pale-heron record makes one")
    if place not in PLACES:
        raise Trouble(f"--place {place!r} is not known", f"Write one of {', '.join(PLACES)}")
    target = out or file.with_name(f"{file.stem}-redacted.pcapng")
    more = list(secret or [])
    if any(len(each) < 3 for each in more):
        raise Trouble("A --secret of less than 3 characters would be found everywhere", "Name a longer text")
    try:
        done = redacted(file, target, more, _show, _named(dialects), place)
    except PlacesLeft as left:
        click.echo(f"pale-heron: {left}", err=True)
        raise click.exceptions.Exit(Exit.NO) from None
    if done.torn:
        click.echo(f"pale-heron: {file.name}: {done.torn}.", err=True)
    for lane in done.unknown:
        click.echo(
            f"pale-heron: how {lane} speaks is not known, so some of its secrets may still be there. "
            f"Name them: --secret TEXT; or its dialect: --dialect '{lane}=NAME' (pale-heron dialect list)",
            err=True,
        )
    if place != EXACT:
        moved = "moved by an offset that is kept nowhere" if place == COARSE else "taken out"
        click.echo(
            f"pale-heron: {figures.several(done.positions, 'position')} {moved}. Heights and the directions of "
            "satellites are still there, from which a place can be reckoned to some tens of kilometres; so are names "
            "of places and of cells.",
            err=True,
        )
    print(f"{target}: {done.secrets} secrets masked at {done.places} places")


def _show(words: str) -> None:
    click.echo(f"pale-heron: {words}", err=True)


def _named(texts: tuple[str, ...]) -> dict[str, str]:
    known, found = known_dialects(), {}
    for text in texts:
        lane, equals, name = text.rpartition("=")
        if not equals or not lane:
            raise Trouble(f"--dialect {text!r} is not LANE=NAME", "Write --dialect hide=bittern")
        if name not in known:
            nearest = did_you_mean(name, known)
            raise Trouble(f"There is no dialect {name!r}{nearest}", f"There are: {', '.join(known)}")
        found[lane] = name
    return found
