"""The views: their names, keys and questions. Tabs, keys, the palette and help follow from this table."""

import importlib
from collections.abc import Mapping
from typing import Final, NamedTuple


class View(NamedTuple):
    """One view; its painters lie in the room of its name, `views/NAME/NAME.py`."""

    key: str
    title: str
    question: str


VIEWS: Final[Mapping[str, View]] = {
    "line": View("1", "Line", "Is anything arriving, and is it legible?"),
    "traffic": View("2", "Traffic", "What is being said, by whom, when?"),
    "fix": View("3", "Fix", "Where are we, and how sure?"),
    "clock": View("4", "Clock", "What time is it, and how late does it reach us?"),
    "module": View("5", "Module", "Does the module obey, and is it set as intended?"),
    "link": View("6", "Link", "Does the link deliver, undamaged, how fast, how far?"),
}
"""By their names, in the order of the tabs."""


def help_of(name: str) -> tuple[str, ...]:
    """What a view says of itself, a paragraph each; its painters are loaded for that."""
    found: tuple[str, ...] = importlib.import_module(f"pale_heron.tui.views.{name}.{name}").HELP
    return found
