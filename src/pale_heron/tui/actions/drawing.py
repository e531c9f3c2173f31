"""Keeping a drawing: which file, and writing it while the screen goes on."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from textual.widget import Widget

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.trouble import Trouble
from pale_heron.tui.screens.panel import AskLine


def keep_drawing(
    widget: Widget,
    kind: str,
    snapshot: BenchSnapshot,
    draw: Callable[[Path], None],
    endings: tuple[str, str] = (".svg", ".pdf"),
) -> None:
    """Ask for a file, and draw there in a thread of its own: it takes a second or two. `draw` may raise Trouble."""
    proposed = Path(snapshot.capture.path).with_suffix("") if snapshot.capture.path else Path(snapshot.bench)

    def check(text: str) -> str:
        return "" if text.lower().endswith(endings) else f"the name ends with {' or '.join(endings)}"

    def take(text: str | None) -> None:
        if text:
            path = Path(text).expanduser()
            widget.app.notify(f"Making the {kind}", markup=False)
            work = partial(_draw, widget, draw, path)
            widget.run_worker(work, thread=True, exclusive=True, group="chart", exit_on_error=False)

    question = f"Which file? {' or '.join(endings)}; a file of that name is replaced"
    widget.app.push_screen(AskLine(question, f"{proposed}-{kind}{endings[0]}", check), take)


def _draw(widget: Widget, draw: Callable[[Path], None], path: Path) -> None:
    app = widget.app
    try:
        draw(path)
    except Trouble as trouble:
        app.call_from_thread(app.notify, str(trouble), severity="error", markup=False)
    else:
        app.call_from_thread(app.notify, f"It is in {path}", markup=False)
