"""The full screen on a live bench or a replay: it asks for a snapshot up to ten times a second and shows it."""

import asyncio
import contextlib
import gc
import os
import signal
import threading
import time
from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar, Protocol, TypeVar

from textual import events
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.command import Provider
from textual.containers import Horizontal
from textual.widget import Widget

from pale_heron.bench.config.own_keys import KEYS, OwnKey
from pale_heron.bench.scrollback.lines import Lines
from pale_heron.bench.snapshot import BenchSnapshot, Player
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.trouble import Exit
from pale_heron.system import END_SIGNALS
from pale_heron.tui.actions.consent import Consent
from pale_heron.tui.actions.lane import LaneActions, LiveBench
from pale_heron.tui.actions.marks import MarkActions, MarkKeeper
from pale_heron.tui.actions.own_keys import OwnKeyActions
from pale_heron.tui.actions.table import ACTIONS, working
from pale_heron.tui.base import FullScreen
from pale_heron.tui.pace import LIVELY_BYTES_PER_S, LIVELY_S, PicturePace
from pale_heron.tui.painting import shell, timebar
from pale_heron.tui.painting.paint import line, wrapped
from pale_heron.tui.screens.panel import TextPage
from pale_heron.tui.theme import theme_names
from pale_heron.tui.views.line import line as line_view
from pale_heron.tui.views.table import VIEWS
from pale_heron.tui.widgets.canvas import Canvas

if TYPE_CHECKING:
    from pale_heron.bench.config.expectation_file import ExpectationFile
    from pale_heron.tui.widgets.clock_view import ClockView
    from pale_heron.tui.widgets.fix_view import FixView
    from pale_heron.tui.widgets.link_view import LinkView
    from pale_heron.tui.widgets.module_view import ModuleView
    from pale_heron.tui.widgets.proof_view import ProofView
    from pale_heron.tui.widgets.traffic_view import TrafficView

ROWS_AROUND = 3
"""Head, tabs and foot."""

HANGUP_S = 4.0
"""After a signal to end so much time is left to end in good order."""

SOON_S = 0.02
"""Within so long a bench that has nothing else to do makes a picture that it is asked for."""

WARM_S = 2.0
SETTLED_S = 4.0
"""So long after something was loaded it is no longer looked through for garbage: that would hold up pictures."""

WIDE = 180
"""From this many columns on the chosen line stands beside the list, else under it."""

RAIL_FROM = 100
"""From this width on the lanes stand at the side by themselves."""

MOUNT_LOOK_S = 0.01
LEAST_WIDTH, LEAST_HEIGHT = 60, 16
LOW = 36
"""Below this many rows space is saved."""


class Bench(Protocol):
    """What the screen needs of a session or a replay."""

    @property
    def lines(self) -> Lines: ...

    @property
    def seen(self) -> BenchSnapshot:
        """The newest picture."""
        ...

    def look(self, *lanes: str) -> None:
        """Ask for a new one, in which the named lanes are looked at closely."""
        ...

    @property
    def eventful(self) -> bool:
        """Whether something goes on that people wait for."""
        ...

    def stop(self) -> list[str]: ...


ViewWidget = TypeVar("ViewWidget", bound=Widget)


def _command_search() -> "type[Provider]":
    # The first picture does not wait for it.
    from pale_heron.tui.screens.palette import CommandSearch

    return CommandSearch


class PaleHeron(FullScreen[None]):
    """Shell and views. All that is shown comes from the bench's snapshot; nothing is kept here but what is chosen."""

    ENABLE_COMMAND_PALETTE = True
    COMMANDS: ClassVar[set[type[Provider] | Callable[[], type[Provider]]]] = {_command_search}
    BINDINGS: ClassVar[list[BindingType]] = [
        *(
            # What a key does depends on the view: the table of actions knows.
            Binding(key, f"press('{key}')", key, show=False, priority=key in ("tab", "shift+tab"))
            for key in dict.fromkeys(action.key for action in ACTIONS)
        ),
        *(Binding(key, f"press_own_key('{key}')", key, show=False) for key in KEYS),
        Binding("ctrl+c", "quit", "quit", show=False, priority=True),
    ]

    def __init__(
        self,
        bench: Bench,
        *,
        view: str = "line",
        bench_file: Path | None = None,
        wanted: "ExpectationFile | None" = None,
        own_keys: Iterable[OwnKey] = (),
    ) -> None:
        super().__init__()
        self._wanted = wanted
        self._bench = bench
        self._view = view
        self._chosen_lane = 0
        self._snapshot = bench.seen
        self._canvases: dict[str, Canvas] = {}
        # Each is made when it is first asked for: the first picture does not wait for the others.
        self._traffic: TrafficView | None = None
        self._fix: FixView | None = None
        self._module: ModuleView | None = None
        self._link: LinkView | None = None
        self._clock: ClockView | None = None
        self._proof: ProofView | None = None
        self._lane_actions: LaneActions | None = None
        self._fitted = self.size
        self._pace = PicturePace(time.monotonic())
        self._rail_wanted: bool | None = None
        """Whether the rail is shown; None as long as its room decides."""
        self._giving_keys = False
        """Whether the view that is shown gets the keys as soon as it is there."""
        if isinstance(bench, LiveBench):
            self._consent = Consent(self, bench.module_of)
            self._own_keys = OwnKeyActions(
                self, bench, self._consent, lambda: self._lane, lambda: self.module.routines, own_keys
            )
            self._lane_actions = LaneActions(
                self, bench, lambda: self._lane, bench_file, self._consent, lambda: self._own_keys.keys
            )

    def compose(self) -> ComposeResult:
        yield self._canvas("head", ground="panel")
        yield self._canvas("tabs", ground="panel")
        yield self._canvas("timebar", ground="panel")
        yield self._canvas("small")
        with Horizontal(id="body"):
            yield self._canvas("rail", ground="panel")
            yield self._canvas("line", classes="view")
        yield self._canvas("own", ground="panel")
        yield self._canvas("foot", ground="panel")

    def _canvas(self, name: str, *, ground: str = "ground", classes: str = "") -> Canvas:
        """The canvas of that name, made when it is first asked for."""
        if name not in self._canvases:
            self._canvases[name] = Canvas(ground=ground, id=name, classes=classes)
        return self._canvases[name]

    def on_mount(self) -> None:
        self._fit()
        self._canvas("timebar").display = self._replay
        self._show_view()
        if self._view == "line":
            # The first picture already says something: it does not wait until the layout is known.
            self._draw()
        self.set_interval(LIVELY_S, self._look_in_time)
        # What takes a while to read is read once, before a key asks for it, and not by the screen's thread.
        self.set_timer(WARM_S, lambda: threading.Thread(target=_read_dialects, daemon=True).start())
        self.set_timer(SETTLED_S, gc.freeze)
        self._running_loop = asyncio.get_running_loop()
        with contextlib.suppress(ValueError):
            # Only the main thread may do this; in others nobody sends signals.
            for number in END_SIGNALS:
                signal.signal(number, self._on_signal)

    def _on_signal(self, *_: object) -> None:
        """End; where the terminal is gone, drawing may wait for it for ever, so the end comes in any case."""
        self._running_loop.call_soon_threadsafe(self.exit)
        threading.Thread(target=self._end_anyway, daemon=True).start()

    def _end_anyway(self) -> None:
        time.sleep(HANGUP_S)
        # The record is closed if that can be; whatever hangs, the end comes.
        stopper = threading.Thread(target=self._bench.stop, daemon=True)
        stopper.start()
        stopper.join(HANGUP_S)
        os._exit(Exit.DONE)

    def on_resize(self) -> None:
        # The size is the new one once this has gone round.
        self.call_after_refresh(self._fit)
        self.call_after_refresh(self._draw)

    def _fit(self) -> None:
        self._fitted = self.size
        self.set_class(self.size.width >= WIDE, "wide")
        self.set_class(self.size.height < LOW, "low")
        self._canvas("rail").display = self.size.width >= RAIL_FROM if self._rail_wanted is None else self._rail_wanted
        small = self.size.width < LEAST_WIDTH or self.size.height < LEAST_HEIGHT
        self._canvas("small").display = small
        for body in self.query("#body"):
            body.display = not small

    @property
    def _replay(self) -> bool:
        return self._snapshot.replay is not None

    @property
    def _lane(self) -> LaneSnapshot | None:
        return self._snapshot.lane(self._chosen_lane)

    async def on_event(self, event: events.Event) -> None:
        """Whoever touches keys or mouse is shown at once how things stand, and sees pictures follow closely."""
        if isinstance(event, events.InputEvent | events.Paste) and self._pace.touched(time.monotonic()):
            self._look(self._draw)
        await super().on_event(event)

    def _look_in_time(self) -> None:
        """Draw again where it is time to."""
        arriving = sum(lane.line.bytes_per_s or 0.0 for lane in self._snapshot.lanes)
        lively = arriving >= LIVELY_BYTES_PER_S or self._bench.eventful
        if self._pace.is_due(time.monotonic(), lively=lively):
            # On a replay that rests, what is read meanwhile has the same moment.
            self._look(self._draw if self._replay else self._draw_new)

    def _draw_new(self) -> None:
        """Draw the newest picture, unless it is the one that is there."""
        if self._pace.is_new(time.monotonic(), self._bench.seen.now):
            self._draw()

    def _look(self, draw: Callable[[], None]) -> None:
        """Ask for a picture of now, and draw it as soon as it can be there."""
        chosen = self._lane
        # The others are seen twice a second: on the rail, and where they are compared.
        self._bench.look(*((chosen.name,) if chosen else ()))
        self.set_timer(SOON_S, draw)

    def _draw(self) -> None:
        """Draw the newest picture."""
        if not self._canvas("foot").is_attached:
            return
        if self.size != self._fitted:
            # However late a new size is known.
            self._fit()
        self._snapshot = snapshot = self._bench.seen
        if snapshot.replay is not None:
            self._canvas("timebar").show([timebar.bar(snapshot, self.size.width)])
        self._canvas("head").show([shell.head(snapshot, self.size.width)])
        lane = None if self._canvas("rail").display else self._lane
        folded = shell.folded_lane(snapshot, lane, self._chosen_lane) if lane is not None else ()
        self._canvas("tabs").show([shell.tabs(self._view, folded, self.size.width)])
        least = f"This window has {self.size.width} columns and {self.size.height} rows"
        least += f": {LEAST_WIDTH} and {LEAST_HEIGHT} are needed. The record goes on."
        self._canvas("small").show(wrapped(line((least, "amber")), max(10, self.size.width - 3)))
        self._canvas("foot").show([shell.foot(self._view, self._replay, self.size.width)])
        own = self._own_keys.bar(self.size.width) if self._lane_actions is not None else None
        self._canvas("own").display = own is not None
        self._canvas("own").show([own] if own is not None else [])
        rail = self._canvas("rail")
        rail.show(shell.rail(snapshot, self._chosen_lane, rail.size.height or self.size.height - ROWS_AROUND))
        if self._view == "line":
            self._draw_line()
        elif (view := self._view_of(self._view)).is_mounted:
            view.draw()

    def _draw_line(self) -> None:
        canvas, lane = self._canvas("line"), self._lane
        room = (canvas.size.width or self.size.width - shell.RAIL_WIDTH - 1) - 2
        canvas.show(line_view.paint(self._snapshot, lane, room) if lane else _NO_LANE)

    def _view_of(self, name: str) -> "ClockView | FixView | LinkView | ModuleView | ProofView | TrafficView":
        """A view that is a widget of its own."""
        if name == "traffic":
            return self.traffic
        if name == "fix":
            return self.fix
        if name == "clock":
            return self.clock
        if name == "proof":
            return self.proof
        return self.module if name == "module" else self.link

    def _added(self, view: ViewWidget) -> ViewWidget:
        """A view that was made just now, put beside the others."""
        view.display = view.id == self._view
        self.query_one("#body").mount(view)
        self.set_timer(SETTLED_S, gc.freeze)
        return view

    @property
    def traffic(self) -> "TrafficView":
        """The view of traffic."""
        if self._traffic is None:
            from pale_heron.tui.widgets.traffic_view import TrafficView

            view = TrafficView(self._bench, lambda: self._snapshot)
            if self._lane_actions is not None:
                view.job_words = self._lane_actions.job_words
            if isinstance(self._bench, Player):
                view.seek = self._bench.seek
            self._traffic = self._added(view)
        return self._traffic

    @property
    def fix(self) -> "FixView":
        """The view of receivers."""
        if self._fix is None:
            from pale_heron.tui.widgets.fix_view import FixView

            self._fix = self._added(FixView(lambda: self._snapshot, lambda: self._lane, self.go_to_moment))
        return self._fix

    @property
    def clock(self) -> "ClockView":
        """The view of time."""
        if self._clock is None:
            from pale_heron.tui.actions.clock import ClockActions
            from pale_heron.tui.widgets.clock_view import ClockView

            actions = ClockActions(self, self._bench) if isinstance(self._bench, LiveBench) else None
            self._clock = self._added(ClockView(lambda: self._snapshot, lambda: self._lane, actions))
        return self._clock

    @property
    def proof(self) -> "ProofView":
        """The view of what can be shown."""
        if self._proof is None:
            from pale_heron.tui.widgets.proof_view import ProofView

            self._proof = self._added(ProofView(lambda: self._snapshot, self.go_to_moment, self._wanted))
        return self._proof

    @property
    def module(self) -> "ModuleView":
        """The view of modules."""
        if self._module is None:
            from pale_heron.tui.actions.module import ModuleActions
            from pale_heron.tui.widgets.module_view import ModuleView

            actions = ModuleActions(self, self._bench, self._consent) if isinstance(self._bench, LiveBench) else None
            self._module = self._added(ModuleView(lambda: self._snapshot, lambda: self._lane, actions))
        return self._module

    @property
    def link(self) -> "LinkView":
        """The view of trials."""
        if self._link is None:
            from pale_heron.tui.actions.link import LinkActions
            from pale_heron.tui.widgets.link_view import LinkView

            live = self._bench if isinstance(self._bench, LiveBench) else None
            actions = LinkActions(self, live, live.operations) if live is not None else None
            self._link = self._added(LinkView(lambda: self._snapshot, lambda: self._lane, actions))
        return self._link

    def _show_view(self) -> None:
        if self._view != "line":
            self._view_of(self._view)
        for name in VIEWS:
            for widget in self.query(f"#{name}"):
                widget.display = name == self._view
        if self._view in ("traffic", "module"):
            self._giving_keys = True
            self.call_after_refresh(self._give_keys)
        else:
            self.set_focus(None)
        self.call_after_refresh(self._draw)

    def _give_keys(self) -> None:
        """To the view, once it is there: one that is loaded for the first time takes a moment."""
        view = self.traffic if self._view == "traffic" else self.module if self._view == "module" else None
        target = view.keys_to if view is not None else None
        if target is not None and not target.is_mounted:
            self.set_timer(MOUNT_LOOK_S, self._give_keys)
            return
        if target is not None:
            self.screen_stack[0].set_focus(target)
        self._giving_keys = False

    @property
    def has_settled(self) -> bool:
        """Whether the view that was asked for is there too, and has the keys."""
        return super().has_settled and not self._giving_keys

    def action_press(self, key: str) -> None:
        """Do what a key does in this view."""
        action = next((each for each in working(self._view, self._replay) if each.key == key), None)
        if action is not None:
            action.act.run(self)
            return
        elsewhere = next(
            (each for each in ACTIONS if each.key == key and each.works(self._view, not self._replay)), None
        )
        if elsewhere is not None:
            where = "needs a live lane: this is a replay" if self._replay else "works on a replay alone"
            self.notify(f"{elsewhere.shown_key} ({elsewhere.label}) {where}", markup=False)

    # What the acts call

    def show_view(self, name: str) -> None:
        """Show a view."""
        self._view = name
        self._show_view()

    def with_lanes(self, do: Callable[[LaneActions], object]) -> None:
        """Do something with the lanes of a live bench; on a replay there is nothing to do."""
        if self._lane_actions is not None:
            do(self._lane_actions)

    def with_own_keys(self, do: Callable[[OwnKeyActions], object]) -> None:
        """Do something with a person's own keys; on a replay there is nothing that they could be for."""
        if self._lane_actions is not None:
            do(self._own_keys)
            self._draw()

    def action_press_own_key(self, key: str) -> None:
        """Do what a person's own key does."""
        self.with_own_keys(lambda keys: keys.press(key))

    def with_marks(self, do: Callable[[MarkActions], object]) -> None:
        """Do something with the marks of the record."""
        if isinstance(self._bench, MarkKeeper):
            do(MarkActions(self, self._bench, lambda: self._snapshot))

    def with_player(self, do: Callable[[Player], object]) -> None:
        """Do something with a replay; live there is nothing to do."""
        if isinstance(self._bench, Player):
            do(self._bench)

    def go_to_moment(self, moment: int) -> None:
        """Show a moment in Traffic."""
        self.show_view("traffic")
        self.traffic.go_to_moment(moment)

    def on_traffic_list_line_chosen(self) -> None:
        self._draw()

    def choose_lane(self, place: int) -> None:
        """Choose the lane at a place of the rail."""
        self._chosen_lane = place
        self._draw()

    def scroll_view(self, *, pages: int = 0, rows: int = 0) -> None:
        """Scroll what is shown, where it does not fit."""
        shown = self._canvas("line") if self._view == "line" else self._view_of(self._view)
        canvas = shown if isinstance(shown, Canvas) else next(iter(shown.query(Canvas)), None)
        if canvas is not None:
            canvas.scroll_relative(y=rows + pages * max(1, canvas.size.height - 2), animate=False)

    def fold_rail(self) -> None:
        """Fold the rail away, or show it, whatever room there is."""
        self._rail_wanted = not self._canvas("rail").display
        self._fit()
        self.call_after_refresh(self._draw)

    def next_lane(self, step: int = 1) -> None:
        """Go along the rail."""
        self.choose_lane((self._chosen_lane + step) % max(1, len(self._snapshot.lanes)))

    def other_theme(self) -> None:
        """Change between dark and light."""
        dark, light = theme_names(self.console.color_system)
        self.theme = light if self.theme == dark else dark
        self.refresh(layout=True)
        for widget in self.screen_stack[0].query("*"):
            widget.refresh()

    def explain(self) -> None:
        """Show the page of help."""
        # Loads all views; the first picture does not wait for it.
        from pale_heron.tui.screens.help import help_lines

        self.push_screen(TextPage(partial(help_lines, self._view, self._replay)))

    def seek(self, moment: int) -> None:
        """Go to a moment of a replay."""
        self.with_player(lambda player: player.seek(moment))

    @property
    def shown(self) -> tuple[str, bool]:
        """The view, and whether it is of a replay."""
        return self._view, self._replay


def _read_dialects() -> None:
    from pale_heron.bench.config.dialects import known_dialects

    with contextlib.suppress(OSError):
        known_dialects()


_NO_LANE = [line(("no lane yet", "quiet"))]
