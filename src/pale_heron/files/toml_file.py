"""TOML files that people write: read whole, also with a byte order mark in front, and however deep they are nested."""

import tomllib
from pathlib import Path
from typing import Any

from pale_heron.core.trouble import Trouble


class NoToml(ValueError):
    """A text that breaks the rules of TOML; its words say where."""


def tables(text: str) -> dict[str, Any]:
    """The tables of a text. NoToml where it breaks the rules."""
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as problem:
        raise NoToml(str(problem)) from None
    except RecursionError:
        raise NoToml("tables are nested too deep") from None


def text_of(path: Path) -> str:
    """The text of a file. Trouble where it cannot be read, or is no text."""
    try:
        return path.read_text("utf-8-sig")
    except OSError as problem:
        raise Trouble(f"{path} cannot be read: {problem.strerror}", "Check the spelling of its name") from None
    except UnicodeDecodeError:
        raise Trouble(f"{path} is not UTF-8 text", "Write it as a TOML file") from None


def read_tables(path: Path) -> tuple[str, dict[str, Any]]:
    """The text of a file and its tables. Trouble where it cannot be read, or is not TOML."""
    text = text_of(path)
    try:
        return text, tables(text)
    except NoToml as problem:
        raise Trouble(f"{path} is not TOML: {problem}", "Mend it in an editor") from None
