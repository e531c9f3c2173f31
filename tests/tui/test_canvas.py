"""Painted lines on a widget."""

import pytest
from textual.app import App, ComposeResult
from textual.screen import Screen

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


async def test_other_numbers_of_rows_that_fit_do_not_lay_out_the_screen(monkeypatch: pytest.MonkeyPatch) -> None:
    laid_out = []
    layout = Screen._refresh_layout
    monkeypatch.setattr(Screen, "_refresh_layout", lambda *given, **how: laid_out.append(how) or layout(*given, **how))
    app = OneCanvas()
    async with app.run_test(size=(40, 10)) as pilot:
        canvas = app.query_one("#lines", Canvas)
        canvas.show([line(("one", "text"))])
        await pilot.pause()
        laid_out.clear()
        for count in (7, 3, 10, 1):
            canvas.show([line((f"row {number} of {count}", "text")) for number in range(count)])
            await pilot.pause()
            assert len(canvas.rows) == count
            seen = "\n".join(canvas.render_line(y).text.rstrip() for y in range(10)).rstrip()
            assert seen == "\n".join(f"row {number} of {count}" for number in range(count))
        assert not laid_out
        canvas.show([line((f"row {number}", "text")) for number in range(11)])
        await pilot.pause()
        assert laid_out and canvas.max_scroll_y == 1
