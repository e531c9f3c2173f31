"""What opens over a view: help, and the line in which a mark is typed."""

from collections.abc import Callable
from typing import ClassVar

from textual.app import ComposeResult
from textual.binding import BindingType
from textual.containers import Vertical
from textual.screen import ModalScreen
from textual.widgets import Input

from pale_heron.tui.actions import working
from pale_heron.tui.paint import BLANK, Line, line, wrapped
from pale_heron.tui.shell import VIEWS
from pale_heron.tui.views import fix as fix_view
from pale_heron.tui.views import line as line_view
from pale_heron.tui.views import traffic as traffic_view
from pale_heron.tui.widgets.canvas import Canvas

PAGES = {"line": line_view, "traffic": traffic_view, "fix": fix_view}


def help_lines(view: str, replay: bool, width: int) -> list[Line]:
    """What the view shows, what to look for, and the keys."""
    page = PAGES[view]
    rows: list[Line] = [line((f"{VIEWS[view]}: {page.QUESTION}", "*heron")), BLANK]
    for paragraph in page.HELP:
        rows += [*wrapped(line(paragraph), width), BLANK]
    rows.append(line(("KEYS HERE", "quiet")))
    for action in working(view, replay):
        rows.append(line((f"  {action.shown_key:<8}", "amber"), (action.help, "text")))
    return rows


class Page(ModalScreen[None]):
    """Lines over a view, painted for the width that there is; scrolls where they do not fit."""

    BINDINGS: ClassVar[list[BindingType]] = [("escape,enter,question_mark,q", "dismiss", "close")]

    def __init__(self, paint: Callable[[int], list[Line]]) -> None:
        super().__init__()
        self._paint_for = paint

    def compose(self) -> ComposeResult:
        with Vertical(id="page"):
            yield Canvas(ground="panel", id="lines", focusable=True)

    def on_mount(self) -> None:
        self.query_one("#lines").focus()

    def on_resize(self) -> None:
        self.call_after_refresh(self._paint)

    def _paint(self) -> None:
        canvas = self.query_one("#lines", Canvas)
        rows = self._paint_for(max(20, canvas.size.width - 2))
        canvas.show([*rows, BLANK, line(("escape closes this page", "quiet"))])


class MarkLine(ModalScreen[str | None]):
    """One line for the words of a mark; Enter notes it, Escape gives up."""

    BINDINGS: ClassVar[list[BindingType]] = [("escape", "dismiss", "give up")]

    def compose(self) -> ComposeResult:
        yield Input(placeholder="what happened? Enter notes it with this time, Escape gives up", id="mark")

    def on_input_submitted(self, event: Input.Submitted) -> None:
        self.dismiss(event.value.strip() or None)
