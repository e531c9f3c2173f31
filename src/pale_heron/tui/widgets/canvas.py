"""Shows painted lines. Draws only those that changed, and runs the action of the span that is clicked."""

from collections.abc import Sequence
from itertools import zip_longest
from typing import Any

from rich.segment import Segment
from textual import events
from textual.geometry import Region, Size
from textual.scroll_view import ScrollView
from textual.strip import Strip

from pale_heron.tui.painting.paint import BLANK, Line, cells
from pale_heron.tui.theme import style_of


def strip_of(row: Line, width: int, theme: str, ground: str) -> Strip:
    """A painted line as what Textual puts on the screen."""
    segments = [Segment(span.text, style_of(theme, span.role, ground)) for span in row]
    return Strip(segments).adjust_cell_length(width, style_of(theme, "text", ground))


class Canvas(ScrollView):
    """Lines in, lines on the screen; scrolls where they do not fit. `ground` is the role of its background."""

    def __init__(self, *, ground: str = "ground", focusable: bool = False, **options: Any) -> None:
        super().__init__(**options)
        self.can_focus = focusable
        self._ground = ground
        self._rows: list[Line] = []

    @property
    def rows(self) -> Sequence[Line]:
        """The lines that are shown."""
        return self._rows

    def show(self, rows: Sequence[Line]) -> None:
        """Put these lines on the screen."""
        before, self._rows = self._rows, list(rows)
        # Another size lays out the whole screen: as long as all of it fits, it is as tall as there is room.
        room = 0 if self.styles.is_auto_height else self.size.height
        tall = Size(0, max(room, len(self._rows)))
        if tall != self.virtual_size:
            self.virtual_size = tall
            self.refresh()
            return
        top = int(self.scroll_offset.y)
        width = self.size.width
        for index, (old, new) in enumerate(zip_longest(before, self._rows, fillvalue=BLANK)):
            if old != new:
                self.refresh(Region(0, index - top, width, 1))

    @property
    def seen(self) -> range:
        """The places of the lines that can be seen."""
        top = int(self.scroll_offset.y)
        return range(top, top + self.size.height)

    def bring_into_view(self, index: int) -> None:
        """Scroll so far that a line can be seen; while it has no room itself, nothing can."""
        top, height = int(self.scroll_offset.y), self.size.height
        if height and not top <= index < top + height:
            self.scroll_to(y=max(0, index - height // 2), animate=False)

    def render_line(self, y: int) -> Strip:
        index = y + int(self.scroll_offset.y)
        row = self._rows[index] if index < len(self._rows) else BLANK
        return strip_of(row, self.size.width, self.app.theme, self._ground)

    def on_resize(self) -> None:
        self.refresh()

    def on_click(self, event: events.Click) -> None:
        index = event.y + int(self.scroll_offset.y)
        if not 0 <= index < len(self._rows):
            return
        column = event.x
        for span in self._rows[index]:
            column -= cells(span.text)
            if column < 0:
                if span.action is not None:
                    span.action.run(self.app)
                return
