"""What both full screens have in common: colours, and an end that shows no values when something of ours goes wrong."""

from typing import TypeVar

from rich.text import Text
from textual.app import App

from pale_heron.core.trouble import Exit, fault_words
from pale_heron.tui.theme import THEMES, theme_names

Result = TypeVar("Result")


class FullScreen(App[Result]):
    """An application in our colours."""

    TITLE = "pale heron"
    CSS_PATH = "app.tcss"

    def __init__(self) -> None:
        super().__init__()
        for theme in THEMES:
            self.register_theme(theme)
        self.theme = theme_names(self.console.color_system)[0]

    def _fatal_error(self) -> None:
        """End after a fault of ours with one line, instead of a traceback that shows the values of all variables.

        A value may be a pass phrase that a device was sent.
        """
        self._return_code = Exit.OWN_FAULT
        fault = self._exception or RuntimeError("unknown")
        self.panic(Text(f"pale-heron: {fault_words(fault)}"))
