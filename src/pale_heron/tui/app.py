"""The full screen on a live bench or a replay: it asks for a snapshot ten times a second and shows it."""

import asyncio
import contextlib
import os
import signal
import threading
import time
from collections.abc import Iterable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar, Protocol

from textual.app import ComposeResult, SystemCommand
from textual.binding import Binding, BindingType
from textual.containers import Horizontal
from textual.screen import Screen

from pale_heron.bench.lines import Lines
from pale_heron.bench.model import BenchSnapshot, Player
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.trouble import Exit
from pale_heron.tui import shell, timebar
from pale_heron.tui.actions import ACTIONS, working
from pale_heron.tui.base import FullScreen
from pale_heron.tui.lane_actions import LaneActions, LiveBench
from pale_heron.tui.paint import line
from pale_heron.tui.screens.panel import Page
from pale_heron.tui.theme import theme_names
from pale_heron.tui.views import line as line_view
from pale_heron.tui.widgets.canvas import Canvas
from pale_heron.tui.widgets.fix_view import FixView
from pale_heron.tui.widgets.traffic_view import TrafficView

if TYPE_CHECKING:
    from pale_heron.tui.widgets.module_view import ModuleView

PICTURES_PER_S = 10
HANGUP_S = 4.0
"""After a signal to end so much time is left to end in good order."""

WIDE = 180
"""From this many columns on the chosen line stands beside the list, else under it."""

LOW = 36
"""Below this many rows space is saved."""


class Bench(Protocol):
    """What the screen needs of a session or a replay."""

    @property
    def lines(self) -> Lines: ...

    def snapshot(self) -> BenchSnapshot: ...

    def stop(self) -> list[str]: ...


class PaleHeron(FullScreen[None]):
    """Shell and views. All that is shown comes from the bench's snapshot; nothing is kept here but what is chosen."""

    ENABLE_COMMAND_PALETTE = True
    BINDINGS: ClassVar[list[BindingType]] = [
        *(
            # What a key does depends on the view: the table of actions knows.
            Binding(key, f"press('{key}')", key, show=False, priority=key in ("tab", "shift+tab"))
            for key in dict.fromkeys(action.key for action in ACTIONS)
        ),
        Binding("ctrl+c", "quit", "quit", show=False, priority=True),
    ]

    def __init__(self, bench: Bench, *, view: str = "line", bench_file: Path | None = None) -> None:
        super().__init__()
        self._bench = bench
        self._view = view
        self._chosen_lane = 0
        self._snapshot = bench.snapshot()
        self._canvases: dict[str, Canvas] = {}
        self._traffic = TrafficView(bench, lambda: self._snapshot)
        self._fix = FixView(lambda: self._snapshot, lambda: self._lane, self._go_to_moment)
        self._module: ModuleView | None = None
        self._lane_actions: LaneActions | None = None
        if isinstance(bench, LiveBench):
            self._lane_actions = LaneActions(self, bench, lambda: self._lane, bench_file)
            self._traffic.sending_words = self._lane_actions.sending_words
        if isinstance(bench, Player):
            self._traffic.seek = bench.seek

    def compose(self) -> ComposeResult:
        yield self._canvas("head", ground="panel")
        yield self._canvas("tabs", ground="panel")
        yield self._canvas("timebar", ground="panel")
        with Horizontal(id="body"):
            yield self._canvas("rail", ground="panel")
            yield self._canvas("line", classes="view")
            yield self._traffic
            yield self._fix
        yield self._canvas("foot", ground="panel")

    def _canvas(self, name: str, *, ground: str = "ground", classes: str = "") -> Canvas:
        """The canvas of that name, made when it is first asked for."""
        if name not in self._canvases:
            self._canvases[name] = Canvas(ground=ground, id=name, classes=classes)
        return self._canvases[name]

    def on_mount(self) -> None:
        self._canvas("timebar").display = self._replay
        self._show_view()
        self.set_interval(1 / PICTURES_PER_S, self._draw)
        self._running_loop = asyncio.get_running_loop()
        with contextlib.suppress(ValueError):
            # Only the main thread may do this; in others nobody sends signals.
            for number in (signal.SIGTERM, signal.SIGHUP):
                signal.signal(number, self._on_signal)

    def _on_signal(self, *_: object) -> None:
        """End; where the terminal is gone, drawing may wait for it for ever, so the end comes in any case."""
        self._running_loop.call_soon_threadsafe(self.exit)
        threading.Thread(target=self._end_anyway, daemon=True).start()

    def _end_anyway(self) -> None:
        time.sleep(HANGUP_S)
        self._bench.stop()
        os._exit(Exit.DONE)

    def on_resize(self) -> None:
        self.set_class(self.size.width >= WIDE, "wide")
        self.set_class(self.size.height < LOW, "low")
        self.call_after_refresh(self._draw)

    @property
    def _replay(self) -> bool:
        return self._snapshot.replay is not None

    @property
    def _lane(self) -> LaneSnapshot | None:
        return self._snapshot.lane(self._chosen_lane)

    def _draw(self) -> None:
        """One picture of the newest snapshot."""
        if not self._traffic.is_attached:
            return
        self._snapshot = snapshot = self._bench.snapshot()
        if snapshot.replay is not None:
            self._canvas("timebar").show([timebar.bar(snapshot, self.size.width)])
        self._canvas("head").show([shell.head(snapshot, self.size.width)])
        self._canvas("tabs").show([shell.tabs(self._view)])
        self._canvas("foot").show([shell.foot(self._view, self._replay, self.size.width)])
        rail = self._canvas("rail")
        rail.show(shell.rail(snapshot, self._chosen_lane, rail.size.height))
        draw = {
            "line": self._draw_line,
            "traffic": self._traffic.draw,
            "fix": self._fix.draw,
            "module": self._module.draw if self._module else _nothing,
        }
        draw[self._view]()

    def _draw_line(self) -> None:
        canvas, lane = self._canvas("line"), self._lane
        room = canvas.size.width - 2
        canvas.show(line_view.paint(self._snapshot, lane, room) if lane else _NO_LANE)

    def _module_view(self) -> "ModuleView":
        """The view of modules, made when it is first shown: most sessions never ask for it."""
        if self._module is None:
            from pale_heron.tui.module_actions import ModuleActions
            from pale_heron.tui.widgets.module_view import ModuleView

            actions = ModuleActions(self, self._bench) if isinstance(self._bench, LiveBench) else None
            self._module = ModuleView(lambda: self._snapshot, lambda: self._lane, actions)
            self.query_one("#body").mount(self._module)
        return self._module

    def _show_view(self) -> None:
        if self._view == "module":
            self._module_view()
        for name in shell.VIEWS:
            for widget in self.query(f"#{name}"):
                widget.display = name == self._view
        if self._view == "traffic":
            self._traffic.focus_list()
        elif self._view == "module":
            self.call_after_refresh(self._module_view().focus_body)
        else:
            self.set_focus(None)
        self.call_after_refresh(self._draw)

    def action_show_view(self, name: str) -> None:
        self._view = name
        self._show_view()

    async def action_press(self, key: str) -> None:
        """Do what a key does in this view."""
        action = next((each for each in working(self._view, self._replay) if each.key == key), None)
        if action is not None:
            await self.run_action(action.name)

    def action_traffic(self, what: str, *arguments: int) -> None:
        """Do what Traffic can do; a key that means nothing in another view does nothing there."""
        if self._view == "traffic":
            getattr(self._traffic, what)(*arguments)

    def action_fix(self, what: str, *arguments: int | str) -> None:
        """Do what Fix can do."""
        if self._view == "fix":
            getattr(self._fix, what)(*arguments)

    def action_module(self, what: str, *arguments: int | str) -> None:
        """Do what Module can do."""
        if self._view == "module":
            getattr(self._module_view(), what)(*arguments)

    def _go_to_moment(self, moment: int) -> None:
        """Show a moment in Traffic."""
        self.action_show_view("traffic")
        self._traffic.go_to_moment(moment)

    def action_lane(self, what: str) -> None:
        """Do what can be done with the lanes of a live bench."""
        if self._lane_actions is not None:
            getattr(self._lane_actions, what)()

    def on_traffic_list_chosen(self) -> None:
        self._draw()

    def action_choose_lane(self, place: int) -> None:
        self._chosen_lane = place
        self._draw()

    def action_next_lane(self) -> None:
        self.action_choose_lane((self._chosen_lane + 1) % max(1, len(self._snapshot.lanes)))

    def action_previous_lane(self) -> None:
        self.action_choose_lane((self._chosen_lane - 1) % max(1, len(self._snapshot.lanes)))

    def action_other_theme(self) -> None:
        dark, light = theme_names(self.console.color_system)
        self.theme = light if self.theme == dark else dark
        self.refresh(layout=True)
        for widget in self.screen_stack[0].query("*"):
            widget.refresh()

    def action_explain(self) -> None:
        # Loads all views; the first picture does not wait for it.
        from pale_heron.tui.screens.help import help_lines

        self.push_screen(Page(partial(help_lines, self._view, self._replay)))

    def action_play(self) -> None:
        if isinstance(self._bench, Player):
            self._bench.toggle()

    def action_step(self) -> None:
        if isinstance(self._bench, Player):
            self._bench.step()

    def action_faster(self) -> None:
        if isinstance(self._bench, Player):
            self._bench.faster(1)

    def action_slower(self) -> None:
        if isinstance(self._bench, Player):
            self._bench.faster(-1)

    def action_skip(self, seconds: int) -> None:
        if isinstance(self._bench, Player):
            self._bench.skip(seconds)

    def action_seek(self, moment: int) -> None:
        if isinstance(self._bench, Player):
            self._bench.seek(moment)

    def get_system_commands(self, screen: Screen[object]) -> Iterable[SystemCommand]:  # noqa: ARG002 - Textual's
        """The palette offers what the keys do, and no more."""
        for action in working(self._view, self._replay):
            if action.name != "command_palette":
                title = f"{action.label}  ({action.shown_key})"
                yield SystemCommand(title, action.help, partial(self.call_later, self.run_action, action.name))


def _nothing() -> None:
    """Draw nothing."""


_NO_LANE = [line(("no lane yet", "quiet"))]
