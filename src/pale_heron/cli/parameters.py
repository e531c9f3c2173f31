"""What the parameters of several commands have in common."""

from pathlib import Path
from typing import Final

import click

FILE: Final = click.Path(path_type=Path)
"""A file as a Path; whether it is there, and what it holds, is for the command to say."""
