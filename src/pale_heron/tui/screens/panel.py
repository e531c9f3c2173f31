"""The ground of everything that opens over a view: a page of lines, a list to choose from, one line to type in."""

from collections.abc import Callable, Sequence
from typing import ClassVar, Final, TypeVar

from textual import events
from textual.app import ComposeResult
from textual.binding import BindingType
from textual.containers import Vertical
from textual.screen import ModalScreen
from textual.widgets import Input

from pale_heron.tui.painting.paint import BLANK, Line, line, wrapped
from pale_heron.tui.views.panels.rows import keys_lines, selectable
from pale_heron.tui.widgets.canvas import Canvas

PICTURES_PER_S = 5
Result = TypeVar("Result")


class TextPage(ModalScreen[None]):
    """Lines over a view, painted for the width that there is; scrolls where they do not fit."""

    BINDINGS: ClassVar[list[BindingType]] = [("escape,enter,question_mark,q", "dismiss", "close")]

    def __init__(self, paint: Callable[[int], list[Line]]) -> None:
        super().__init__()
        self._paint_for = paint

    def compose(self) -> ComposeResult:
        with Vertical(classes="page"):
            yield Canvas(ground="panel", id="lines", focusable=True)

    def on_mount(self) -> None:
        self.query_one("#lines").focus()

    def on_resize(self) -> None:
        self.call_after_refresh(self._paint)

    def _paint(self) -> None:
        canvas = self.query_one("#lines", Canvas)
        rows = self._paint_for(max(20, canvas.size.width - 2))
        # At the head, where it can be seen however long the page is.
        canvas.show([line(("escape closes this page", "quiet")), BLANK, *rows])


MOVES: Final = {"up": -1, "down": 1, "pageup": -10, "pagedown": 10, "home": -(10**6), "end": 10**6}
ALWAYS: Final = (
    ("↑ ↓", "the row before, the next"),
    ("page up, page down", "ten rows further up, down"),
    ("home, end", "the first row, the last"),
    ("a click", "chooses a row, as the arrows do"),
    ("^p", "all commands by name"),
    ("escape", "closes this list"),
)
"""What keys do in every list; those of its own stand at its foot."""


class Panel(ModalScreen[Result]):
    """A list to choose from, painted again several times a second; subclasses say what stands in it and what keys do.

    Up and down choose, a click chooses too, ? tells what the list is for; every other key goes to `pressed`.
    """

    ABOUT: ClassVar[str]
    """What the list is for, and when what is chosen in it holds."""

    BINDINGS: ClassVar[list[BindingType]] = [("escape", "leave", "close"), ("question_mark", "help", "help")]

    def __init__(self) -> None:
        super().__init__()
        self.chosen = 0

    def compose(self) -> ComposeResult:
        with Vertical(classes="page"):
            yield Canvas(ground="panel", id="lines")

    def on_mount(self) -> None:
        self.set_interval(1 / PICTURES_PER_S, self.draw)
        self.call_after_refresh(self.draw)

    def on_resize(self) -> None:
        self.call_after_refresh(self.draw)

    @property
    def count(self) -> int:
        """How many rows can be chosen."""
        raise NotImplementedError

    def paint(self, width: int) -> list[Line]:
        """All lines."""
        raise NotImplementedError

    def pressed(self, key: str) -> bool:
        """Do what a key asks for; False where it asks for nothing."""
        raise NotImplementedError

    def draw(self) -> None:
        """Paint what holds now."""
        self.chosen = max(0, min(self.chosen, self.count - 1))
        canvas = self.query_one("#lines", Canvas)
        rows = self.paint(max(20, canvas.size.width - 2))
        canvas.show(rows)
        index = next((at for at, row in enumerate(rows) if any("@select" in span.role for span in row)), None)
        if index is not None:
            canvas.bring_into_view(index)

    def on_key(self, event: events.Key) -> None:
        if event.key in MOVES:
            self.chosen += MOVES[event.key]
        elif event.key in ("escape", "question_mark") or not self.pressed(event.key):
            return
        event.stop()
        if self.is_attached and self.is_current:
            self.draw()

    def action_leave(self) -> None:
        """Close without a result."""
        self.dismiss(None)

    def action_help(self) -> None:
        """What this list is for, and what keys do in every list."""
        self.app.push_screen(TextPage(self._help))

    def _help(self, width: int) -> list[Line]:
        keys = [line((f"  {key:<20}", "amber"), (does, "text")) for key, does in ALWAYS]
        head = line(("KEYS IN EVERY LIST", "quiet"), ("   those of this one stand at its foot", "faint"))
        return [*wrapped(line(self.ABOUT), width), BLANK, head, *keys]

    def pick(self, index: int) -> None:
        """Choose by a click."""
        self.chosen = index
        self.draw()


class AskLine(ModalScreen[str | None]):
    """One line to type in; Enter gives it, Escape gives up. `check` says what is wrong with a text, or nothing.

    What is secret is typed unseen.
    """

    BINDINGS: ClassVar[list[BindingType]] = [("escape", "dismiss", "give up")]

    def __init__(
        self, question: str, value: str = "", check: Callable[[str], str] = lambda _: "", *, secret: bool = False
    ) -> None:
        super().__init__()
        self._secret = secret
        self._question = question
        self._value = value
        self._check = check

    def compose(self) -> ComposeResult:
        with Vertical(classes="asking"):
            yield Canvas(ground="panel", id="question")
            yield Input(self._value, id="answer", password=self._secret)

    def on_mount(self) -> None:
        self.query_one("#question", Canvas).show([line((f" {self._question}", "text"))])

    def on_input_submitted(self, event: Input.Submitted) -> None:
        event.stop()
        wrong = self._check(event.value)
        if wrong:
            self.query_one("#question", Canvas).show([line((f" {wrong}", "coral"))])
        else:
            self.dismiss(event.value)


class Choice(Panel[str]):
    """One of several, each with its key."""

    ABOUT = "One answer of several: by its key, or chosen and then Enter. Escape changes nothing."

    def __init__(self, title: str, choices: Sequence[tuple[str, str]]) -> None:
        """`choices` are keys and words; the result is the key."""
        super().__init__()
        self._title = title
        self._choices = choices

    @property
    def count(self) -> int:
        return len(self._choices)

    def paint(self, width: int) -> list[Line]:
        rows = [
            selectable(line((f"{key:<8}", "amber"), words), index, self.chosen, width)
            for index, (key, words) in enumerate(self._choices)
        ]
        keys = (("↑↓ enter", "choose"), ("escape", "give up"))
        return [line((self._title, "*heron")), BLANK, *rows, BLANK, *keys_lines(keys, width)]

    def pressed(self, key: str) -> bool:
        if key == "enter":
            self.dismiss(self._choices[self.chosen][0])
        elif any(key == each for each, _ in self._choices):
            self.dismiss(key)
        else:
            return False
        return True
