"""The entry line of Module: completes commands, checks their values, says what they mean, remembers them."""

from collections.abc import Callable, Mapping, Sequence
from typing import ClassVar, Final

from textual import events
from textual.binding import Binding, BindingType
from textual.message import Message
from textual.suggester import Suggester
from textual.widgets import Input

from pale_heron.bench.config.dialects import sensitive_tables
from pale_heron.core.device.schema.commands import FORMS, Command
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.toml_table import PLACEHOLDER
from pale_heron.core.sharing.masking import masked_command
from pale_heron.core.sharing.scanner import starred_typing
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.paint import Line, cut, line
from pale_heron.tui.widgets.line_input import LineInput

MATCHES = 4
EDITS: Final[Mapping[str, Callable[[Input], None]]] = {
    "backspace": Input.action_delete_left,
    "delete": Input.action_delete_right,
    "left": Input.action_cursor_left,
    "right": Input.action_cursor_right,
    "home": Input.action_home,
    "end": Input.action_end,
    "ctrl+w": Input.action_delete_left_word,
    "ctrl+u": Input.action_delete_left_all,
    "ctrl+k": Input.action_delete_right_all,
}
"""Keys that change the line, or where one types in it."""


class _Completions(Suggester):
    """The first command of the dialect that begins with what is typed."""

    def __init__(self, dialect: Callable[[], Dialect | None]) -> None:
        super().__init__(use_cache=False, case_sensitive=True)
        self._dialect = dialect

    async def get_suggestion(self, value: str) -> str | None:
        found = matching(self._dialect(), value)
        typed = len(value)
        text = next((begin for begin, *_ in found if len(begin) > typed), None)
        return value + text[typed:] if text and value else None


def matching(dialect: Dialect | None, typed: str) -> list[tuple[str, str, Command, str]]:
    """Forms that begin with what is typed: up to their first value, whole, with their command and form."""
    found = []
    for command in dialect.commands.values() if dialect and typed else ():
        for form in FORMS:
            for template in command.forms.get(form, ()):
                begin = template[: index.start()] if (index := PLACEHOLDER.search(template)) else template
                meant = typed.upper() if len(typed) <= len(begin) else typed[: len(begin)].upper()
                if begin.upper().startswith(meant) and (index or len(typed) <= len(begin)):
                    found.append((begin, template, command, form))
    return sorted(found, key=lambda each: (len(each[0]) < len(typed), len(each[1]), each[1]))


class EntryLine(LineInput):
    """`submit` is given what is entered, at once: what is typed next belongs to the next line. Leaving it is `Left`."""

    class Left(Message):
        """Escape was pressed."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape", "leave", "leave", show=False),
        Binding("up", "recall(-1)", "earlier command", show=False),
        Binding("down", "recall(1)", "later command", show=False),
    ]

    def __init__(
        self,
        dialect: Callable[[], Dialect | None],
        submit: Callable[[str], None],
        take_lines: Callable[[Sequence[str]], None],
        secret_asked: Callable[[], bool],
    ) -> None:
        super().__init__(
            take_lines=take_lines,
            secret_asked=secret_asked,
            id="entry",
            select_on_focus=False,
            suggester=_Completions(dialect),
            placeholder=": a command, as AT",
        )
        self._dialect = dialect
        self._submit = submit
        self._entered: list[str] = []
        self._recalled = 0
        self.problem = ""

    async def _on_key(self, event: events.Key) -> None:
        """Take Enter and what edits here, in turn with the letters: as bindings they come behind those that follow."""
        edit = EDITS.get(event.key)
        if event.key == "enter" or edit is not None:
            event.stop()
            event.prevent_default()
            if edit is None:
                self._submit(self.value)
            else:
                edit(self)
        else:
            await super()._on_key(event)

    def on_input_changed(self, event: Input.Changed) -> None:
        event.stop()
        self.problem = ""

    def on_focus(self, _event: events.Focus) -> None:
        self.placeholder = "a command, as AT; escape leaves the line"

    def on_blur(self, _event: events.Blur) -> None:
        self.placeholder = ": opens the entry line"

    def remember(self, text: str) -> None:
        """It was sent: the line is free for the next one."""
        if text and text not in self._entered[-1:] and not self._secret_asked():
            self._entered.append(text)
        self._recalled = len(self._entered)
        self.value = ""

    def action_leave(self) -> None:
        """Give the keys back to the view."""
        self.post_message(self.Left())

    def action_recall(self, step: int) -> None:
        """Bring back an earlier command."""
        if self._entered:
            self._recalled = max(0, min(len(self._entered), self._recalled + step))
            self.value = self._entered[self._recalled] if self._recalled < len(self._entered) else ""
            self.cursor_position = len(self.value)

    def hints(self, width: int) -> list[Line]:
        """What the typed line means, what is wrong with it, or what it may become."""
        dialect = self._dialect()
        if self.problem:
            return [cut(line((f"✕ {safe_label(self.problem)}", "coral")), width)]
        if self._secret_asked():
            return [line(("it asks for a secret: what is typed is shown nowhere", "amber"))]
        if dialect is None or not self.value:
            return []
        rows = []
        spoken = [each for each in dialect.spoken(self.value) if each.command]
        for each in spoken[:2]:
            assert each.command is not None, "only those are taken"
            typed = starred_typing(sensitive_tables(), each.text)
            # What is wrong is told with its value: not where that is a secret.
            told = each.wrong if typed == each.text else "a value is not allowed"
            wrong = f"  ✕ {told}" if each.wrong else ""
            risk = f"  asks first: {each.risk}" if each.risk else ""
            rows.append(
                cut(
                    line(
                        (masked_command(sensitive_tables(), typed), "*text"),
                        (f"  {each.command.meaning}", "quiet"),
                        (safe_label(wrong), "coral"),
                        (risk, "amber"),
                    ),
                    width,
                )
            )
        for _, template, command, form in matching(dialect, self.value)[: MATCHES - len(rows)]:
            legal = ", ".join(
                f"{name} {command.parameters[name].legal}" for name in PLACEHOLDER.findall(template) if form == "set"
            )
            rows.append(
                cut(line((template, "heron"), (f"  {command.meaning}", "quiet"), (f"  {legal}", "faint")), width)
            )
        return rows
