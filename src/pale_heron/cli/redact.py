"""`pale-heron redact`: a copy of a capture that can be shared."""

from dataclasses import replace
from pathlib import Path
from typing import Final

import click

from pale_heron.bench.config.dialects import known_dialects
from pale_heron.bench.redacting import EXACT, SharingWishes, StillThere
from pale_heron.bench.redacting import redact as redacted
from pale_heron.capture.reader import is_capture
from pale_heron.cli.parameters import FILE
from pale_heron.cli.progress import telling
from pale_heron.cli.sharing import sharing
from pale_heron.core.line.settings import did_you_mean
from pale_heron.core.trouble import Exit, Trouble

NOT_LOOKED_FOR: Final = (
    "names of people, sites and networks in free text",
    "what only a dialect that nobody knows calls a secret",
    "heights and the directions of satellites, from which a place can be reckoned to some tens of kilometres",
)


@click.command("redact")
@click.argument("file", type=FILE, help="A capture.")
@click.option("-o", "--out", type=FILE, help="The copy; else NAME-redacted.pcapng.")
@click.option("--dialect", "dialects", multiple=True, metavar="LANE=NAME", help="How the device of a lane speaks.")
@sharing
def redact(file: Path, out: Path | None, dialects: tuple[str, ...], wishes: SharingWishes) -> None:
    """Copy a capture without its secrets and without people. Stars of the same length stand for them.

    Passwords, keys and identities are found as the dialects and the standards mark them, in commands, replies, echoes
    and answers to prompts, and by their words in free text; then numbers and texts of messages, names and addresses.
    In what was noted "person 1", "host 2" stand for people and hosts. The copy is looked through again: one that still
    tells something is not kept.

    With --place coarse all positions move by one offset that nobody knows: distances stay, checksums are right. With
    --place none they are taken out; cells and areas of a mobile network go with both.

    Example: pale-heron redact bench-1204.pcapng -o for-the-forum.pcapng --place coarse
    """
    if not is_capture(file):
        raise Trouble(f"{file} is not a capture", "pale-heron record makes one")
    target = out or file.with_name(f"{file.stem}-redacted.pcapng")
    show, clear = telling()
    try:
        done = redacted(file, target, replace(wishes, dialects=_named(dialects)), show)
    except StillThere as left:
        click.echo(f"pale-heron: {left}", err=True)
        raise click.exceptions.Exit(Exit.NO) from None
    finally:
        clear()
    if done.torn:
        click.echo(f"pale-heron: {file.name}: {done.torn}.", err=True)
    for lane in done.unknown:
        click.echo(
            f"pale-heron: how {lane} speaks is not known, or it speaks in frames, so some of its secrets may still "
            f"be there. Name them: --secret TEXT; or its dialect: --dialect '{lane}=NAME' (pale-heron dialect list)",
            err=True,
        )
    places = () if wishes.place != EXACT else ("positions and cells (--place coarse or none)",)
    click.echo(f"pale-heron: not looked for: {'; '.join((*places, *NOT_LOOKED_FOR))}.", err=True)
    print(f"{target}: masked {done.words}")


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
