"""A line to type in that takes several pasted lines as lines, instead of keeping the first in silence."""

from collections.abc import Callable, Sequence
from typing import Any, Final

from rich.highlighter import Highlighter
from rich.text import Text
from textual import events
from textual.widgets import Input

from pale_heron.bench.config.dialects import sensitive_tables
from pale_heron.core.sharing.scanner import starred_typing

MANY: Final = 5
"""So many lines and more are asked about before they go out."""


def hidden(typed: str, *, asked: bool) -> str:
    """A line as it may be shown while it is typed: with stars where a secret belongs, or where it was `asked` for."""
    return "*" * len(typed) if asked else starred_typing(sensitive_tables(), typed)


class _Stars(Highlighter):
    """Hides what is typed where a secret belongs: in the line itself, and where it is called back."""

    def __init__(self, secret_asked: Callable[[], bool]) -> None:
        self._secret_asked = secret_asked

    def __call__(self, text: str | Text) -> Text:
        typed = text if isinstance(text, Text) else Text(text)
        shown = typed.blank_copy(hidden(typed.plain, asked=self._secret_asked()))
        shown.no_wrap, shown.overflow, shown.end = typed.no_wrap, typed.overflow, typed.end
        return shown

    def highlight(self, text: Text) -> None:
        """Nothing is coloured."""


class LineInput(Input):
    """`take_lines` gets several lines that were pasted; what was typed before stands in front of the first."""

    def __init__(
        self,
        *,
        take_lines: Callable[[Sequence[str]], None],
        secret_asked: Callable[[], bool],
        **options: Any,
    ) -> None:
        super().__init__(highlighter=_Stars(secret_asked), **options)
        self._take_lines = take_lines
        self._secret_asked = secret_asked

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
