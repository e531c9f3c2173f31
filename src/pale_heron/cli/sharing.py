"""What may be shared, as the commands that make something for others take it."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from functools import wraps
from pathlib import Path
from typing import Any, TypeVar

import click

from pale_heron.bench.redacting import EXACT, HIDDEN, HOW_PLACES_STAND, NONE, SharingWishes, StillThere, shared_copy
from pale_heron.capture.reader import is_capture
from pale_heron.cli.parameters import FILE
from pale_heron.cli.progress import telling
from pale_heron.core.sharing.own_rules import read_own_rules
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.files.pages import page
from pale_heron.files.toml_file import read_tables

Made = TypeVar("Made")
SHORTEST = 3


def sharing(command: Callable[..., Made]) -> Callable[..., Made]:
    """Give a command the options that say what may be shared; it gets them together, as `wishes`."""

    @click.option(
        "--place", default=EXACT, show_default=True, help=f"How positions stand in it: {', '.join(HOW_PLACES_STAND)}."
    )
    @click.option("--secret", "named", multiple=True, help="One more text that must not be shared.")
    @click.option("--also", type=FILE, help="A file of rules for what else must not be shared.")
    @wraps(command)
    def told(*given: Any, place: str, named: tuple[str, ...], also: Path | None, **more: Any) -> Made:
        return command(*given, wishes=_wishes(place, named, also), **more)

    return told


def _wishes(place: str, named: tuple[str, ...], also: Path | None) -> SharingWishes:
    if place not in HOW_PLACES_STAND:
        raise Trouble(f"--place {place!r} is not known", f"Write one of {', '.join(HOW_PLACES_STAND)}")
    if any(len(each) < SHORTEST for each in named or ()):
        raise Trouble(f"A --secret of less than {SHORTEST} characters would be found everywhere", "Name a longer text")
    if also is None:
        return SharingWishes(place, tuple(named or ()))
    rules, problems = read_own_rules(read_tables(also)[1])
    if problems:
        first = problems[0]
        where = f", {' '.join(first.keys)}" if first.keys else ""
        raise Trouble(f"{also}{where}: {first.words}", f"{page('showing-what-was-found.md')} says how it is written")
    return SharingWishes(place, tuple(named or ()), also=rules)


def told_nowhere(wishes: SharingWishes) -> SharingWishes:
    """The same for what tells no position by itself: its distances stay as they are, to the last digit."""
    return replace(wishes, place=HIDDEN) if wishes.place == NONE else wishes


@contextmanager
def shared(capture: Path, wishes: SharingWishes, beside: Path) -> Iterator[Path]:
    """What may be shown of a file, as long as something is made of it. Exit status 1 where it does not come clean."""
    if wishes.hides and not is_capture(capture):
        raise Trouble(f"{capture} is not a capture: all of it is shown", "Leave out --place, --secret and --also")
    show, clear = telling()
    try:
        with shared_copy(capture, wishes, beside, show) as copy:
            clear()
            yield copy
    except StillThere as left:
        click.echo(f"pale-heron: {left}", err=True)
        raise click.exceptions.Exit(Exit.NO) from None
    finally:
        clear()
