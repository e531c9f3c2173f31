"""The send line: what is typed goes to the chosen lane; single bytes, repetition, and files with their progress."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import ClassVar, Protocol

from textual import events
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.screen import ModalScreen
from textual.widgets import Input

from pale_heron.core import figures
from pale_heron.core.line.settings import ENDINGS_OUT, LineSettings
from pale_heron.core.line.typed import CONTROLS, ONE_KEY, TypedBytes, compose, line_end_of, with_line_ends
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.ports.sender import SendJob, seconds_for
from pale_heron.tui.actions.consent import Consent
from pale_heron.tui.painting.paint import Line, line
from pale_heron.tui.screens.panel import AskLine, Choice
from pale_heron.tui.views.panels.rows import keys_lines
from pale_heron.tui.widgets.canvas import Canvas
from pale_heron.tui.widgets.line_input import MANY, LineInput, hidden

PICTURES_PER_S = 5
LARGEST_FILE = 64 << 20
BAR = 24
KEYS = (
    ("enter", "send"), ("↑↓", "sent before"), ("F2", "line end"), ("F3", "one byte"), ("F4", "repeat"),
    ("F5", "a file"), ("F6", "stop"), ("F7", "no checksum"), ("escape", "close"),
)  # fmt: skip


class SendBench(Protocol):
    """What the send line needs of a live bench."""

    def send(self, lane: str, job: SendJob) -> None: ...

    def jobs(self, lane: str) -> list[SendJob]: ...

    def change(self, lane: str, settings: LineSettings) -> None: ...


class SendLine(ModalScreen[None]):
    """Stays open until it is closed, so that answers can be watched above it. `history` is kept by the caller."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape", "dismiss", "close"),
        Binding("up", "recall(-1)", "sent before", priority=True),
        Binding("down", "recall(1)", "sent after", priority=True),
        Binding("f2", "ending", "line end"),
        Binding("f3", "byte", "one byte"),
        Binding("f4", "repeat", "repeat"),
        Binding("f5", "file", "a file"),
        Binding("f6", "stop", "stop"),
        Binding("f7", "exact", "no checksum"),
    ]

    def __init__(
        self,
        bench: SendBench,
        lane: str,
        settings: Callable[[], LineSettings],
        history: list[str],
        secret_asked: Callable[[], bool],
        sentences: Callable[[], bool],
        consent: Consent,
    ) -> None:
        """`sentences`: whether the lane speaks them."""
        super().__init__()
        self._sentences = sentences
        self._consent = consent
        self._exact = False
        self._bench = bench
        self._lane = lane
        self._settings = settings
        self._history = history
        self._secret_asked = secret_asked
        self._recalled = len(history)
        self._problem = ""

    def compose(self) -> ComposeResult:
        with Vertical(id="sending"):
            yield Canvas(ground="panel", id="send-state")
            yield LineInput(
                id="send-text", select_on_focus=False, take_lines=self._pasted, secret_asked=self._secret_asked
            )

    def on_mount(self) -> None:
        self.set_interval(1 / PICTURES_PER_S, self._draw)
        self.call_after_refresh(self._draw)

    def on_resize(self, _event: events.Resize) -> None:
        self.call_after_refresh(self._draw)

    @property
    def _typed(self) -> str:
        return self.query_one("#send-text", Input).value

    def _shown(self, text: str) -> str:
        """What may be shown of a line."""
        return hidden(text, asked=self._secret_asked())

    def _made(self, text: str) -> TypedBytes:
        """What a text becomes. ValueError where it cannot be sent."""
        return compose(text, self._settings().line_end, sentences=self._sentences() and not self._exact)

    def _draw(self) -> None:
        canvas = self.query_one("#send-state", Canvas)
        width = max(20, canvas.size.width - 2)
        settings = self._settings()
        head = line(
            ("send to ", "quiet"),
            (safe_label(self._lane), "*heron"),
            ("   it only listens: nothing can be sent" if settings.listen_only else "", "coral"),
            (f"   line end {(settings.chosen_end or 'crlf').upper()}", "text"),
            ("   <0x55> <85> <ESC> are bytes, << is <", "quiet"),
            ("   no checksum is added" if self._exact else "", "amber"),
        )
        rows = [head, self._preview(), *(self._progress(each) for each in self._bench.jobs(self._lane)[:2])]
        rows += [line()] * (4 - len(rows))
        canvas.show([*rows, *keys_lines(KEYS, width)[:1]])

    def _preview(self) -> Line:
        """What the typed text becomes, or what is wrong with it."""
        if self._problem:
            return line((f"✕ {safe_label(self._problem)}", "coral"))
        try:
            made = self._made(self._typed)
        except ValueError as problem:
            return line((f"✕ {safe_label(str(problem))}", "coral"))
        shown = made.data[:20].hex(" ").upper() + (" …" if len(made.data) > 20 else "")
        shown = "a secret" if self._shown(self._typed) != self._typed else shown
        size = figures.several(len(made.data), "byte")
        note = "amber" if "wrong" in made.note else "reed"
        return line((f"{size}: ", "quiet"), (shown, "text"), (f"   {made.note}" if made.note else "", note))

    def _progress(self, job: SendJob) -> Line:
        title = safe_label(job.title)
        if job.every_s is not None:
            words = f"every {figures.duration(job.every_s)}, {figures.several(job.times, 'time')} so far"
            return line((f"↻ {title}   ", "amber"), (words, "text"))
        share = job.sent / job.total if job.total else 1.0
        filled = round(BAR * share)
        left = seconds_for(job.data[job.sent :], self._settings())
        words = f"  {figures.share(share)} of {figures.size(job.total)}"
        words += "  held up by the other side" if job.stalled else f"  {figures.duration(left)} to go"
        return line((f"{title}   ", "text"), ("━" * filled + "─" * (BAR - filled), "tide"), (words, "quiet"))

    def on_input_changed(self) -> None:
        self._problem = ""
        self._draw()

    def on_input_submitted(self, event: Input.Submitted) -> None:
        event.stop()
        text = event.value
        try:
            made = self._made(text)
        except ValueError:
            return

        def send() -> None:
            asked = self._secret_asked()
            if not self._send(SendJob(made.data, self._shown(text))):
                return
            if text and text not in self._history[-1:] and not asked:
                self._history.append(text)
            self._recalled = len(self._history)
            event.input.value = ""

        def leave() -> None:
            event.input.value = ""

        self._consent.ask(self._lane, self._consent.risk(self._lane, text), send, left=leave)

    def _pasted(self, lines: Sequence[str]) -> None:
        """Send several lines one after the other, each with the line end; asked first where they are many."""
        try:
            jobs = [SendJob(self._made(text).data, self._shown(text)) for text in lines]
        except ValueError as problem:
            self._problem = f"none of {len(lines)} lines was sent: {problem}"
            self._draw()
            return

        def send() -> None:
            if all(self._send(job) for job in jobs):
                self._history += lines
                self._recalled = len(self._history)

        risks = dict.fromkeys(filter(None, (self._consent.risk(self._lane, text) for text in lines)))
        many = [f"{len(lines)} pasted lines are sent one after the other"] if len(lines) >= MANY or risks else []
        self._consent.ask(self._lane, "; ".join([*many, *risks]), send)

    def _send(self, job: SendJob) -> bool:
        try:
            self._bench.send(self._lane, job)
        except Trouble as trouble:
            self._problem = str(trouble)
            self._draw()
            return False
        self._draw()
        return True

    def action_recall(self, step: int) -> None:
        """Bring back what was sent before."""
        if self._history:
            self._recalled = max(0, min(len(self._history), self._recalled + step))
            field = self.query_one("#send-text", Input)
            field.value = self._history[self._recalled] if self._recalled < len(self._history) else ""
            field.cursor_position = len(field.value)

    def action_ending(self) -> None:
        """Take the next line end."""
        endings = list(ENDINGS_OUT)
        settings = self._settings()
        following = endings[(endings.index(settings.chosen_end or "crlf") + 1) % len(endings)]
        self._bench.change(self._lane, replace(settings, ending_out=following))

    def action_byte(self) -> None:
        """Put one byte into the line; alone it is sent without a line end."""

        def insert(key: str | None) -> None:
            if key:
                self.query_one("#send-text", Input).insert_text_at_cursor(f"<{ONE_KEY[key]}>")

        choices = [(key, f"{name:<6}0x{CONTROLS[name]:02X}  {CONTROLS[name]:>3}") for key, name in ONE_KEY.items()]
        self.app.push_screen(Choice("Which byte? Alone in the line it is sent without a line end", choices), insert)

    def action_exact(self) -> None:
        """Add no checksum to what looks like a sentence, or do so again."""
        self._exact = not self._exact
        self._draw()

    def action_repeat(self) -> None:
        """Send what is typed again and again."""
        typed = self._typed or (self._history[-1] if self._history else "")

        def check(text: str) -> str:
            try:
                seconds = float(text)
            except ValueError:
                seconds = 0.0
            return "" if 0.05 <= seconds <= 86_400 else f"{safe_label(text)!r} is not 0.05 to 86400 seconds"

        def repeat(text: str | None) -> None:
            if text is None:
                return
            try:
                made = self._made(typed)
            except ValueError:
                return
            self._send(SendJob(made.data, typed[:40], float(text)))

        self.app.push_screen(AskLine(f"Send {typed!r} every how many seconds? F6 ends it", "1", check), repeat)

    def action_file(self) -> None:
        """Send a file, at the pace that the settings ask for."""

        def check(text: str) -> str:
            path = Path(text).expanduser()
            try:
                size = path.stat().st_size
            except OSError as problem:
                return f"{safe_label(text)} cannot be read: {problem.strerror}"
            if not path.is_file():
                return f"{safe_label(text)} is not a file"
            return f"{safe_label(text)} has more than {figures.size(LARGEST_FILE)}" if size > LARGEST_FILE else ""

        def send(text: str | None) -> None:
            if text is None:
                return
            path = Path(text).expanduser()
            try:
                self._send_file(path.name, path.read_bytes())
            except OSError as problem:
                self._problem = f"{path} cannot be read: {problem.strerror}"

        settings = self._settings()
        pace = f"{settings.char_delay_ms} ms a character, {settings.line_delay_ms} ms a line"
        self.app.push_screen(AskLine(f"Which file? It is sent byte for byte, with delays of {pace}", "", check), send)

    def _send_file(self, name: str, data: bytes) -> None:
        """Send what a file holds; where its line ends are not those of the lane it is asked which are meant."""
        end, own = self._settings().line_end, line_end_of(data)
        if own is None or own == end or not end:
            self._send(SendJob(data, name))
            return

        def take(key: str | None) -> None:
            if key in ("a", "c"):
                self._send(SendJob(with_line_ends(data, end) if key == "c" else data, name))

        named = {each: key.upper() for key, each in ENDINGS_OUT.items()}
        choices = (
            ("n", "no, leave it"),
            ("c", f"change its line ends to {named[end]}"),
            ("a", f"as it is, with {named[own]}"),
        )
        question = f"Lines of {safe_label(name)} end with {named[own]}, the lane sends {named[end]}. Send it?"
        self.app.push_screen(Choice(question, choices), take)

    def action_stop(self) -> None:
        """Send no more of what is under way."""
        for job in self._bench.jobs(self._lane):
            job.stop()
