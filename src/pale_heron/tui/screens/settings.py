"""All settings of a lane in one panel, changeable while it is open, copied and pasted as one line."""

from collections.abc import Callable
from dataclasses import replace
from typing import Final

from pale_heron.core.line.settings import (
    ENDINGS_IN,
    ENDINGS_OUT,
    FLOWS,
    KEYS,
    USUAL,
    LineSettings,
    changed,
    parse_short_line,
    said,
    short_line,
)
from pale_heron.tui.painting.paint import Line
from pale_heron.tui.screens.panel import AskLine, Panel
from pale_heron.tui.views.panels import settings as painter

RATES: Final = (1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200, 230400, 460800, 921600, 1_000_000, 2_000_000)
FRAMINGS: Final = ("8N1", "8E1", "8O1", "7E1", "7O1", "8N2")
_STEPS: Final = {
    "rate": tuple(map(str, RATES)),
    "framing": FRAMINGS,
    "flow": FLOWS,
    "in": ENDINGS_IN,
    "out": (USUAL, *ENDINGS_OUT),
    "gap": ("20", "50", "100", "300", "1000", "3000"),
    "char-delay": ("0", "1", "5", "10", "50"),
    "line-delay": ("0", "10", "50", "200", "1000"),
}
_NAMES: Final = tuple(KEYS)


class SettingsPanel(Panel[None]):
    """`settings` and `settings_error` are asked again for every picture; `change` gets each change at once."""

    ABOUT = (
        "How our side of the line is set. A change holds at once, also while the lane is open, and "
        "is kept in the record; the device does not hear of it."
    )

    def __init__(
        self,
        title: str,
        settings: Callable[[], LineSettings],
        change: Callable[[LineSettings], None],
        settings_error: Callable[[], str],
        send_break: Callable[[], None] | None = None,
    ) -> None:
        super().__init__()
        self._title = title
        self._settings = settings
        self._change = change
        self._settings_error = settings_error
        self._send_break = send_break

    @property
    def count(self) -> int:
        return len(_NAMES)

    def paint(self, width: int) -> list[Line]:
        can_break = self._send_break is not None
        return painter.paint(self._title, self._settings(), self._settings_error(), self.chosen, can_break, width)

    def pressed(self, key: str) -> bool:
        if key in ("left", "right", "space"):
            self._step(-1 if key == "left" else 1)
        elif key == "enter":
            self._type()
        elif key == "y":
            self.app.copy_to_clipboard(short_line(self._settings()))
            self.notify("Handed to the terminal as one line: one that has no clipboard drops it", markup=False)
        elif key == "p":
            self.app.push_screen(
                AskLine("Settings as one line, e.g. 9600,8N1,none,dtr=off", "", _wrong_line), self._take
            )
        elif key == "b" and self._send_break is not None:
            self._send_break()
        else:
            return False
        return True

    def _step(self, direction: int) -> None:
        """Go to the next usual value."""
        name = _NAMES[self.chosen]
        settings = self._settings()
        value = getattr(settings, KEYS[name].field)
        if isinstance(value, bool):
            self._change(changed(settings, name, said(not value)))
            return
        values = _STEPS[name]
        if said(value) in values:
            index = (values.index(said(value)) + direction) % len(values)
        else:
            nearest = [index for index, each in enumerate(values) if each.isdecimal() and int(each) > value]
            index = nearest[0] if nearest else len(values) - 1
        self._change(changed(settings, name, values[index]))

    def _type(self) -> None:
        name = _NAMES[self.chosen]
        key = KEYS[name]

        def check(text: str) -> str:
            try:
                changed(self._settings(), name, text)
            except ValueError as problem:
                return str(problem)
            return ""

        def take(text: str | None) -> None:
            if text is not None:
                self._change(changed(self._settings(), name, text))

        value = said(getattr(self._settings(), key.field))
        self.app.push_screen(AskLine(f"{key.label}: {key.allowed}", value, check), take)

    def _take(self, text: str | None) -> None:
        if text:
            self._change(replace(parse_short_line(text), decorative=self._settings().decorative))


def _wrong_line(text: str) -> str:
    try:
        parse_short_line(text)
    except ValueError as problem:
        return str(problem)
    return ""
