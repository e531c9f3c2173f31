"""The list of everything that was said. It draws itself from the log, and keeps nothing but numbers."""

from collections.abc import Callable
from typing import Any

from textual import events
from textual.message import Message
from textual.strip import Strip
from textual.widget import Widget

from pale_heron.bench.log import Entry, TrafficLog
from pale_heron.tui.paint import line
from pale_heron.tui.views import traffic
from pale_heron.tui.widgets.canvas import strip_of


class TrafficList(Widget, can_focus=True):
    """Follows the newest line, or stands still at `held_end`, the number behind the last line shown."""

    class Chosen(Message):
        """Another line was chosen, or the list was held or let go."""

    def __init__(self, log: Callable[[], TrafficLog], **options: Any) -> None:
        super().__init__(**options)
        self._log = log
        self._lanes = 1
        self._drawn_end = -1
        self._drawn_log: TrafficLog | None = None
        self.held_end: int | None = None
        self.held_at: int | None = None
        self._cursor: int | None = None

    @property
    def new(self) -> int | None:
        """Lines that came since the list is held; None while it follows."""
        return None if self.held_end is None else self._log().end - self._held_until

    @property
    def chosen(self) -> Entry | None:
        """The chosen line; while following, the newest."""
        number = self._log().end - 1 if self._cursor is None else self._cursor
        return self._log().get(number)

    def update(self, lanes: int) -> None:
        """Draw again where something came or changed. Called ten times a second."""
        log = self._log()
        if log is not self._drawn_log:
            self._drawn_log = log
            self.follow()
        changed = log.end != self._drawn_end and self.held_end is None
        if changed or lanes != self._lanes:
            self._lanes = lanes
            self._drawn_end = log.end
            self.refresh()

    def hold(self, now: int) -> None:
        """Stand still; what comes is counted."""
        if self.held_end is None:
            self._held_until = self.held_end = self._log().end
            self.held_at = now
            self._cursor = self.held_end - 1 if self._cursor is None else self._cursor
            self.refresh()

    def follow(self) -> None:
        """Go to the newest line and stay there."""
        self.held_end = self.held_at = self._cursor = None
        self.refresh()

    def move(self, lines: int) -> None:
        """Choose a line so many further on; holds the list."""
        log = self._log()
        if not log.end:
            return
        if self.held_end is None:
            last = log.get(log.end - 1)
            self.hold(last.time or 0 if last else 0)
        assert self._cursor is not None and self.held_end is not None, "holding sets both"
        self._cursor = max(log.begin, min(log.end - 1, self._cursor + lines))
        rows = self._rows
        if self._cursor >= self.held_end:
            self.held_end = self._cursor + 1
        elif self._cursor < self.held_end - rows:
            self.held_end = min(log.end, self._cursor + rows)
        self.refresh()
        self.post_message(self.Chosen())

    @property
    def _rows(self) -> int:
        return max(1, self.size.height - 1)

    def render_line(self, y: int) -> Strip:
        width = self.size.width
        if y == 0:
            return strip_of(traffic.heading(self._lanes), width, self.app.theme, "ground")
        log = self._log()
        end = log.end if self.held_end is None else self.held_end
        number = max(end - self._rows, 0) + y - 1
        if number >= end:
            return strip_of(line(), width, self.app.theme, "ground")
        chosen = number == (end - 1 if self._cursor is None else self._cursor)
        row = traffic.row_of(log.get(number), log.get(number - 1), self._lanes, width - 1, chosen)
        return strip_of(row, width, self.app.theme, "ground")

    def on_key(self, event: events.Key) -> None:
        page = self._rows - 1
        steps = {"up": -1, "down": 1, "pageup": -page, "pagedown": page, "home": -(10**9)}
        if event.key in steps:
            event.stop()
            self.move(steps[event.key])

    def on_mouse_scroll_up(self, event: events.MouseScrollUp) -> None:
        event.stop()
        self.move(-3)

    def on_mouse_scroll_down(self, event: events.MouseScrollDown) -> None:
        event.stop()
        self.move(3)

    def on_click(self, event: events.Click) -> None:
        log = self._log()
        end = log.end if self.held_end is None else self.held_end
        wanted = max(end - self._rows, 0) + event.y - 1
        if event.y > 0 and log.begin <= wanted < end:
            self.move(wanted - (end - 1 if self._cursor is None else self._cursor))
