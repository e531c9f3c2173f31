"""TOML files that people write: read whole, also with a byte order mark in front, and however deep they are nested."""

import re
import tomllib
from pathlib import Path
from typing import Any, Final

from pale_heron.core.trouble import Trouble

DEEPEST: Final = 100
"""The reader of the language goes one deeper into itself for each bracket."""

_BRACKETS: Final = re.compile(
    r'"""(?:[^\\]|\\.)*?"""|' r"'''.*?'''|" r'"(?:[^"\\\n]|\\.)*"|' r"'[^'\n]*'|#[^\n]*|[\[\]{}]", re.DOTALL
)
"""What is quoted or a comment, as a whole; else one bracket."""


class NoToml(ValueError):
    """A text that breaks the rules of TOML; its words say where."""


def tables(text: str) -> dict[str, Any]:
    """The tables of a text. NoToml where it breaks the rules, or nests deeper than anybody writes."""
    if _depth(text) > DEEPEST:
        raise NoToml(f"it is nested more than {DEEPEST} deep")
    try:
        return tomllib.loads(text)
    except (ValueError, RecursionError) as problem:
        # A number of thousands of digits is refused by the language, not by the rules of TOML.
        raise NoToml(str(problem)) from None


def _depth(text: str) -> int:
    """How deep brackets are nested outside quotes and comments, at most."""
    deepest = depth = 0
    for found in _BRACKETS.finditer(text):
        depth += {"[": 1, "{": 1, "]": -1, "}": -1}.get(found[0], 0)
        deepest = max(deepest, depth)
    return deepest


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
