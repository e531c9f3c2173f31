"""What the parameters of several commands have in common."""

from pathlib import Path
from typing import Final

import click

from pale_heron.core.trouble import Trouble
from pale_heron.files.user_folders import is_there

FILE: Final = click.Path(path_type=Path)
"""A file as a Path; whether it is there, and what it holds, is for the command to say."""

FORCE: Final = click.option("--force", is_flag=True, help="Write over a file that is there.")
"""Of commands that make files which can be made again; captures are never written over."""


def free_output(path: Path, *, force: bool) -> None:
    """Trouble where a file is there already and nobody said that it may be written over."""
    if is_there(path) and not force:
        raise Trouble(f"{path} is there already", "Choose another name, or say --force to write over it")
