"""The list of everything that was said. It draws itself from the lines of the bench, and keeps nothing but numbers."""

from collections.abc import Callable
from typing import Any

from textual import events
from textual.message import Message
from textual.strip import Strip
from textual.widget import Widget

from pale_heron.bench.scrollback.lines import Lines, Listing, SelectedLines
from pale_heron.bench.scrollback.selection import Selection
from pale_heron.core.runs import Entry
from pale_heron.tui.painting.paint import line
from pale_heron.tui.views.traffic import traffic
from pale_heron.tui.widgets.canvas import strip_of


class TrafficList(Widget, can_focus=True):
    """Follows the newest line, or stands still. Places are those of the listing, numbers those of the bench."""

    class LineChosen(Message):
        """Another line was chosen, or the list was held or let go."""

    def __init__(self, lines: Callable[[], Lines], **options: Any) -> None:
        super().__init__(**options)
        self._lines = lines
        self._listing: Listing = lines()
        self.selection = Selection()
        self.look = traffic.ListStyle()
        self.reference: int | None = None
        """The number of the line that others are compared with."""
        self._drawn: tuple[object, ...] = ()
        self._missing = False
        self._held_end: int | None = None
        self._held_until = 0
        self._cursor: int | None = None
        self.held_at: int | None = None

    @property
    def listing(self) -> Listing:
        """What is listed: all lines, or those that are wanted."""
        return self._listing

    @property
    def held(self) -> bool:
        return self._held_end is not None

    @property
    def new(self) -> int | None:
        """Lines that came since the list is held; None while it follows."""
        return None if self._held_end is None else self._listing.end - self._held_until

    @property
    def number(self) -> int | None:
        """The number of the chosen line; while following, of the newest."""
        index = self._listing.end - 1 if self._cursor is None else self._cursor
        return self._listing.number(index) if self._listing.begin <= index < self._listing.end else None

    @property
    def chosen(self) -> Entry | None:
        """The chosen line; None where there is none, or it is being read."""
        number = self.number
        return None if number is None else self._lines().get(number)

    def select(self, selection: Selection) -> None:
        """Show only what a selection lets through; the chosen line stays chosen if it is among it."""
        number = self.number if self.held else None
        self.selection = selection
        self._listing = self._lines() if selection.shows_all else SelectedLines(self._lines(), selection)
        if number is None:
            self.follow()
        else:
            self._held_until = self._listing.end
            self.go_to(number)

    def update(self, look: traffic.ListStyle) -> None:
        """Draw again where something came or changed. Called ten times a second."""
        lines = self._lines()
        listing = self._listing
        if (listing.lines if isinstance(listing, SelectedLines) else listing) is not lines:
            # A replay went to another moment: its lines start over.
            self._cursor = self._held_end = self.held_at = None
            self.select(self.selection)
        if isinstance(self._listing, SelectedLines):
            self._listing.update()
            self._listing.fill(self._rows)
        self.look = look
        end = self._listing.end if self._held_end is None else self._held_end
        drawn = (end, self._listing.begin, look, self.reference)
        if drawn != self._drawn or self._missing:
            self._drawn = drawn
            self._missing = False
            self.refresh()

    def hold(self, now: int) -> None:
        """Stand still; what comes is counted."""
        if self._held_end is None:
            self._held_until = self._held_end = self._listing.end
            self.held_at = now
            self._cursor = self._held_end - 1 if self._cursor is None else self._cursor
            self.refresh()

    def follow(self) -> None:
        """Go to the newest line and stay there."""
        self._held_end = self.held_at = self._cursor = None
        self.refresh()

    def go_to(self, number: int) -> None:
        """Choose the line of a number, or the one before it that is listed, and hold the list around it."""
        self._hold_here()
        listing = self._listing
        self._cursor = max(listing.begin, min(listing.end - 1, listing.index(number)))
        self._held_end = min(listing.end, self._cursor + self._rows // 2)
        self._held_end = max(self._held_end, min(listing.end, listing.begin + self._rows))
        self.refresh()
        self.post_message(self.LineChosen())

    def move(self, lines: int) -> None:
        """Choose a line so many further on; holds the list."""
        listing = self._listing
        if listing.end <= listing.begin:
            return
        self._hold_here()
        assert self._cursor is not None and self._held_end is not None, "holding sets both"
        wanted = self._cursor + lines
        if wanted < listing.begin and isinstance(listing, SelectedLines):
            listing.look_back()
        self._cursor = max(listing.begin, min(listing.end - 1, wanted))
        rows = self._rows
        if self._cursor >= self._held_end:
            self._held_end = self._cursor + 1
        elif self._cursor < self._held_end - rows:
            self._held_end = min(listing.end, self._cursor + rows)
        self.refresh()
        self.post_message(self.LineChosen())

    def _hold_here(self) -> None:
        if self._held_end is None:
            newest = self._listing.entry(self._listing.end - 1)
            self.hold(newest.time or 0 if newest else 0)

    @property
    def _rows(self) -> int:
        return max(1, self.size.height - 1)

    def _first(self) -> tuple[int, int]:
        """The places of the first line that is shown, and behind the last."""
        end = self._listing.end if self._held_end is None else self._held_end
        return max(end - self._rows, self._listing.begin), end

    def render_line(self, y: int) -> Strip:
        width = self.size.width
        if y == 0:
            return strip_of(traffic.heading(self.look), width, self.app.theme, "ground")
        first, end = self._first()
        index = first + y - 1
        if index >= end:
            return strip_of(line(), width, self.app.theme, "ground")
        listing = self._listing
        entry = listing.entry(index)
        self._missing = self._missing or entry is None
        before = listing.entry(index - 1) if index > listing.begin else None
        chosen = index == (end - 1 if self._cursor is None else self._cursor)
        marked = self.reference is not None and listing.number(index) == self.reference
        row = traffic.row_of(entry, before, self.look, width - 1, chosen, marked)
        return strip_of(row, width, self.app.theme, "ground")

    def on_key(self, event: events.Key) -> None:
        page = self._rows - 1
        steps = {"up": -1, "down": 1, "pageup": -page, "pagedown": page, "home": -(10**12)}
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
        first, end = self._first()
        wanted = first + event.y - 1
        if event.y > 0 and wanted < end:
            self.move(wanted - (end - 1 if self._cursor is None else self._cursor))
