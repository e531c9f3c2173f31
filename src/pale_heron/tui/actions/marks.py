"""What people do with marks on the screen: note, begin and end a measured part, reword, withdraw."""

from typing import TYPE_CHECKING, Final, Protocol, runtime_checkable

from textual.app import App

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.proof.marks import BEGIN, END, NOTE, Mark, kind_words, measured_parts
from pale_heron.core.trouble import Trouble
from pale_heron.core.utc import clock
from pale_heron.tui.screens.panel import AskLine, Choice

if TYPE_CHECKING:
    from collections.abc import Callable

QUESTIONS: Final = {
    NOTE: "What happened? Enter notes it with the time {when}",
    BEGIN: "What is measured from now on? Enter begins the part with the time {when}",
    END: "Which measured part ends? Enter ends it with the time {when}",
}
LIVE: Final = "at which you press it"
NEWEST: Final = 30


@runtime_checkable
class MarkKeeper(Protocol):
    """What holds marks, live or on replay. Any of these may raise Trouble."""

    def mark(self, text: str, kind: str = NOTE) -> None: ...

    def reword(self, mark: Mark, text: str) -> None: ...

    def withdraw(self, mark: Mark) -> None: ...


class MarkActions:
    """Of one bench."""

    def __init__(self, app: App[None], keeper: MarkKeeper, snapshot: "Callable[[], BenchSnapshot]") -> None:
        self._app = app
        self._keeper = keeper
        self._snapshot = snapshot

    def note(self, kind: str = NOTE) -> None:
        """Ask for its words."""
        shown = self._snapshot()
        when = LIVE if shown.replay is None else f"{clock(shown.now, 0)} of the record"
        parts = [part.name for part in measured_parts(shown.marks) if part.end is None]
        if kind == END and not parts:
            self._app.notify("No measured part is open: < begins one", severity="warning", markup=False)
            return

        def take(text: str | None) -> None:
            if text and text.strip():
                self._attempt(lambda: self._keeper.mark(text.strip(), kind))

        self._app.push_screen(AskLine(QUESTIONS[kind].format(when=when), parts[-1] if kind == END else ""), take)

    def change(self) -> None:
        """Choose a mark, and what becomes of it."""
        marks = self._snapshot().marks[-NEWEST:]
        if not marks:
            self._app.notify("There is no mark yet: m notes something", severity="warning", markup=False)
            return
        listed = {str(number): mark for number, mark in enumerate(reversed(marks), 1)}

        def take(key: str | None) -> None:
            if key is not None:
                self._change(listed[key])

        rows = [(key, f"{clock(mark.moment, 0)}  {kind_words(mark)}") for key, mark in listed.items()]
        self._app.push_screen(Choice("WHICH MARK?", rows), take)

    def _change(self, mark: Mark) -> None:
        def reword(text: str | None) -> None:
            if text and text.strip() and text.strip() != mark.text:
                self._attempt(lambda: self._keeper.reword(mark, text.strip()))

        def take(key: str | None) -> None:
            if key == "r":
                self._app.push_screen(AskLine("What is it to say?", mark.text), reword)
            elif key == "w":
                self._attempt(lambda: self._keeper.withdraw(mark))

        title = f"{clock(mark.moment, 0)}  {kind_words(mark)}"
        ways = [("r", "reword it"), ("w", "withdraw it: it counts no more, and stays in the record")]
        self._app.push_screen(Choice(title, ways), take)

    def _attempt(self, do: "Callable[[], None]") -> None:
        """Live at once, so that its time is right; adding to a capture looks through all of it first, in a thread."""
        if self._snapshot().replay is None:
            do()
            return

        def work() -> None:
            try:
                do()
            except Trouble as trouble:
                self._app.call_from_thread(self._app.notify, str(trouble), severity="error", markup=False)

        self._app.run_worker(work, thread=True, group="marks", exit_on_error=False)
