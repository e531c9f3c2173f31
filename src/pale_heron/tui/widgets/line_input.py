"""A line to type in that takes several pasted lines as lines, instead of keeping the first in silence."""

from collections.abc import Callable, Sequence
from typing import Any, Final

from textual import events
from textual.widgets import Input

MANY: Final = 5
"""So many lines and more are asked about before they go out."""


class LineInput(Input):
    """`take_lines` gets several lines that were pasted; what was typed before stands in front of the first."""

    def __init__(self, *arguments: Any, take_lines: Callable[[Sequence[str]], None], **options: Any) -> None:
        super().__init__(*arguments, **options)
        self._take_lines = take_lines

    def _on_paste(self, event: events.Paste) -> None:
        lines = event.text.splitlines()
        if len(lines) < 2:
            super()._on_paste(event)
            return
        event.stop()
        event.prevent_default()
        lines[0] = self.value + lines[0]
        self.value = ""
        self._take_lines([each for each in lines if each.strip()])
