"""What opens over a view: help, and the line in which a mark is typed."""

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
    return [*rows, BLANK, line(("escape closes this page", "quiet"))]


class Help(ModalScreen[None]):
    """The help page of one view."""

    BINDINGS: ClassVar[list[BindingType]] = [("escape,question_mark,q", "dismiss", "close")]

    def __init__(self, view: str, replay: bool) -> None:
        super().__init__()
        self._view = view
        self._replay = replay

    def compose(self) -> ComposeResult:
        with Vertical(id="page"):
            yield Canvas(ground="panel", id="help")

    def on_resize(self) -> None:
        self.call_after_refresh(self._paint)

    def _paint(self) -> None:
        canvas = self.query_one("#help", Canvas)
        canvas.show(help_lines(self._view, self._replay, max(20, canvas.size.width - 2)))


class MarkLine(ModalScreen[str | None]):
    """One line for the words of a mark; Enter notes it, Escape gives up."""

    BINDINGS: ClassVar[list[BindingType]] = [("escape", "dismiss", "give up")]

    def compose(self) -> ComposeResult:
        yield Input(placeholder="what happened? Enter notes it with this time, Escape gives up", id="mark")

    def on_input_submitted(self, event: Input.Submitted) -> None:
        self.dismiss(event.value.strip() or None)
