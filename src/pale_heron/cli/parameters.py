"""What the parameters of several commands have in common."""

import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO, Final

import click

from pale_heron.capture.reader import is_pipe
from pale_heron.core.moments import seconds
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.files.user_folders import is_there
from pale_heron.files.whole import must_be_replaceable

if TYPE_CHECKING:
    from pale_heron.core.gnss.earth.points import Point

FILE: Final = click.Path(path_type=Path)
"""A file as a Path; whether it is there, and what it holds, is for the command to say."""


class _Seconds(click.ParamType[float]):
    """A time as in 20s or 500ms."""

    name = "TIME"

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> float:
        """Seconds; a plain number is seconds too."""
        try:
            return seconds(str(value))
        except (ValueError, Trouble) as problem:
            self.fail(str(problem), param, ctx)


SECONDS: Final = _Seconds()

FORCE: Final = click.option("--force", is_flag=True, help="Write over a file that is there.")
"""Of commands that make files which can be made again; captures are never written over."""


def free_output(path: Path, *, force: bool, of: Sequence[Path] = ()) -> None:
    """Trouble where something is there already that must not give way, or of which nobody said that it may.

    `of`: what is read; it never gives way.
    """
    if is_there(path) and not force:
        raise Trouble(f"{path} is there already", "Choose another name, or say --force to write over it")
    if any(is_there(path) and is_there(each) and path.samefile(each) for each in of):
        raise Trouble(f"{path} is what is read: it would be lost", "Choose another name")
    try:
        must_be_replaceable(path)
    except OSError as problem:
        raise Trouble(f"{path} cannot be written: {problem.strerror}", "Choose another name") from None


def streamed(file: Path) -> BinaryIO | None:
    """What is read once, as it comes: standard input for `-`, or a pipe, for which it waits; None for a file."""
    if str(file) == "-":
        return sys.stdin.buffer
    if not is_pipe(file):
        return None
    click.echo(f"{safe_label(str(file))} is a pipe: reading until whoever writes into it ends.", err=True)
    return file.open("rb")


def point_typed(text: str) -> "Point | None":
    """The point of a `--reference`; None where there is none. Raises Trouble where it cannot be read."""
    from pale_heron.core.gnss.earth.notation import position_typed

    if not text:
        return None
    try:
        return position_typed(text)
    except ValueError as problem:
        raise Trouble(f"--reference {text!r}: {problem}", "Write it in one of the usual notations") from None
