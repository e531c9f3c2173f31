"""Painted lines on a widget."""

from textual.app import App, ComposeResult

from pale_heron.tui.painting.paint import line
from pale_heron.tui.theme import THEMES
from pale_heron.tui.widgets.canvas import Canvas


class OneCanvas(App[None]):
    def compose(self) -> ComposeResult:
        yield Canvas(id="lines")

    def on_mount(self) -> None:
        self.register_theme(THEMES[0])
        self.theme = THEMES[0].name


async def test_a_canvas_without_room_stays_where_it_stands() -> None:
    """Else the heading above the first row would be gone for good."""
    app = OneCanvas()
    async with app.run_test(size=(40, 10)) as pilot:
        canvas = app.query_one("#lines", Canvas)
        canvas.show([line((f"row {number}", "text")) for number in range(30)])
        await pilot.pause()
        canvas.display = False
        await pilot.pause()
        assert canvas.size.height == 0
        canvas.display = True
        canvas.bring_into_view(1)
        await pilot.pause()
        assert (canvas.size.height, canvas.scroll_offset.y) == (10, 0)
        canvas.bring_into_view(25)
        await pilot.pause()
        assert 25 in canvas.seen
