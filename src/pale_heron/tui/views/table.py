"""The views: their names, keys and questions. Tabs, keys, the palette and help follow from this table."""

import importlib
from collections.abc import Mapping
from typing import Final, NamedTuple

from pale_heron.answers.answer import QUESTIONS


class View(NamedTuple):
    """One view; its painters lie in the room of its name, `views/NAME/NAME.py`."""

    key: str
    title: str
    question: str


KEYS: Final = (
    ("1", "line"),
    ("2", "traffic"),
    ("3", "fix"),
    ("4", "clock"),
    ("5", "module"),
    ("6", "link"),
    ("7", "proof"),
)
VIEWS: Final[Mapping[str, View]] = {name: View(key, name.capitalize(), QUESTIONS[name]) for key, name in KEYS}
"""By their names, in the order of the tabs."""


def help_of(name: str) -> tuple[str, ...]:
    """What a view says of itself, a paragraph each; its painters are loaded for that."""
    found: tuple[str, ...] = importlib.import_module(f"pale_heron.tui.views.{name}.{name}").HELP
    return found
