"""Module put together: what was chosen in it, the entry line, and what its keys do."""

from collections.abc import Callable, Sequence
from typing import Any

from textual import events
from textual.app import ComposeResult
from textual.containers import Vertical
from textual.widget import Widget

from pale_heron.bench.config.dialect_book import STANDARD
from pale_heron.bench.config.dialects import sensitive_tables
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.device.dialogue.exchanges import DATA, DataStretch, Exchange
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.line_form import LineForm
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.typed import ONLY_BYTES, bytes_of
from pale_heron.core.sharing.masking import masked_command
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.actions.module import ModuleActions
from pale_heron.tui.actions.routine import RoutineActions
from pale_heron.tui.painting.paint import Line, cut, line
from pale_heron.tui.screens.panel import Choice
from pale_heron.tui.widgets.canvas import Canvas
from pale_heron.tui.widgets.entry_line import EntryLine
from pale_heron.tui.widgets.line_input import MANY

WORK_OFF_S = 0.1
"""So often what waits for a module is looked at."""

HEAD_ROWS = 4
"""Of question, answer and pages."""


class ModuleView(Vertical):
    """`lane` gives the chosen lane; `actions` is there on a live bench alone."""

    def __init__(
        self,
        snapshot: Callable[[], BenchSnapshot],
        lane: Callable[[], LaneSnapshot | None],
        actions: ModuleActions | None,
    ) -> None:
        super().__init__(id="module", classes="view")
        self._snapshot = snapshot
        self._lane = lane
        self._actions = actions
        self._page = "exchanges"
        self._item: int | None = None
        self._row = 0
        self._opened: int | None = None
        self._others: dict[str, str] = {}
        self._body = Canvas(id="module-body", focusable=True)
        self._hint = Canvas(ground="panel", id="entry-hint")
        self._entry = EntryLine(self._dialect, self._entered, self._pasted, self._secret_asked)
        self._warned = ""
        self._standard: Dialect | None = None
        """What is completed and explained before anybody knows the module."""

    def compose(self) -> ComposeResult:
        yield self._body
        yield self._hint
        yield self._entry

    @property
    def routines(self) -> RoutineActions:
        """What runs routines, on a live bench."""
        assert self._actions is not None, "asked on a live bench alone"
        return self._actions.routines

    def on_mount(self) -> None:
        self._entry.display = self._actions is not None
        if self._actions is not None:
            self.set_interval(WORK_OFF_S, self._actions.typed.work_off)

    def _secret_asked(self) -> bool:
        lane = self._lane()
        return lane is not None and lane.secret_asked

    def _dialect(self) -> Dialect | None:
        lane = self._lane()
        if lane is not None and lane.module is not None:
            return lane.module.dialect
        if self._standard is None:
            from pale_heron.bench.config.dialects import known_dialects

            self._standard = known_dialects().get(STANDARD)
        return self._standard

    def draw(self) -> None:
        """One picture."""
        # Loaded with the first picture of this view: the first picture of all does not wait for it.
        from pale_heron.tui.views.module import module

        lane = self._lane()
        hints = self._prompt_hint(lane) or (
            self._entry.hints(self._hint.size.width - 2) if self._entry.has_focus else []
        )
        if lane is not None and lane.settings is not None and lane.settings.listen_only and self._entry.has_focus:
            hints = [line(("✕ this lane only listens: nothing can be sent before s changes that", "coral"))]
        hints = [*self._queue_hint(lane, self._hint.size.width - 2), *hints]
        self._hint.styles.height = len(hints)
        self._hint.show(hints)
        if lane is None:
            self._body.show([line(("no lane yet", "quiet"))])
            return
        look = self._look(lane)
        self._body.show(module.paint(self._snapshot(), lane, look, self._body.size.width - 2, self._body.size.height))

    def _look(self, lane: LaneSnapshot) -> Any:
        from pale_heron.tui.views.module.choices import ModuleChoices

        actions = self._actions
        other = self._other(lane)
        return ModuleChoices(
            page=self._page,
            chosen=self._item,
            row=self._row,
            opened=self._opened,
            live=actions is not None,
            other=other,
            intended=actions.intended(lane.name) if actions else {},
            doing=actions.doing(lane.name) if actions else None,
            routine=self._routine_rows(lane, actions) if actions and self._page == "routine" else (),
            verdict=actions.routines.verdict(lane.name) if actions and self._page == "routine" else ("", ""),
        )

    def _routine_rows(self, lane: LaneSnapshot, actions: ModuleActions) -> tuple[Line, ...]:
        size = self._body.size
        return tuple(actions.routines.rows(lane.name, size.width - 2, size.height - HEAD_ROWS))

    def choose_routine(self) -> None:
        """Choose a routine, and show its page."""
        lane, actions = self._lane(), self._actions
        if lane is not None and actions is not None:
            self.show_page("routine")
            actions.routines.choose(lane)

    def _other(self, lane: LaneSnapshot) -> LaneSnapshot | None:
        """The lane to compare with: the one that was chosen, else one whose module speaks the same dialect."""
        others = [each for each in self._snapshot().lanes if each.name != lane.name and each.module is not None]
        named = [each for each in others if each.name == self._others.get(lane.name)]
        mine = lane.module.dialect.name if lane.module else ""
        alike = [each for each in others if each.module is not None and each.module.dialect.name == mine]
        return next(iter(named or alike), None)

    # Keys

    @property
    def keys_to(self) -> Widget:
        """What gets the keys, as long as nobody types into the entry line."""
        return self._body

    def focus_body(self) -> None:
        """Let the keys go to what is shown."""
        self.screen.set_focus(self._body)

    def on_key(self, event: events.Key) -> None:
        """Move through what is shown; the entry line has these keys for earlier commands."""
        steps = {"up": -1, "down": 1, "pageup": -10, "pagedown": 10, "home": -(10**6), "end": 10**6}
        if self._entry.has_focus:
            return
        if event.key in steps:
            event.stop()
            self.move(steps[event.key])
        elif event.key == "escape" and self._opened is not None:
            event.stop()
            self.open_item()

    def next_page(self, step: int = 1) -> None:
        """Go through the pages."""
        from pale_heron.tui.views.module.choices import PAGES

        pages = list(PAGES)
        self.show_page(pages[(pages.index(self._page) + step) % len(pages)])

    def show_page(self, page: str) -> None:
        self._page = page
        self._opened = None
        self.draw()

    def open_item(self) -> None:
        """Show the chosen exchange over the whole page, or beside the list again."""
        self._page = "exchanges"
        self._opened = 0 if self._opened is None else None
        self.draw()

    def choose(self, number: int) -> None:
        """Choose an exchange by a click."""
        self._item = number
        self.draw()

    def choose_row(self, row: int) -> None:
        """Choose a row of a table by a click."""
        self._row = row
        self.draw()

    def move(self, step: int) -> None:
        """Choose the exchange or the row before or after."""
        lane = self._lane()
        if lane is None:
            return
        if self._opened is not None and lane.module is not None and lane.module.items:
            from pale_heron.tui.views.module.page_exchanges import chosen_item

            item = chosen_item(lane.module, self._item)
            count = 0 if isinstance(item, DataStretch) else len(item.heard)
            self._opened = max(0, min(count - 1, self._opened + step))
        elif self._page == "exchanges" and lane.module is not None and lane.module.items:
            numbers = [each.number for each in lane.module.items]
            index = numbers.index(self._item) if self._item in numbers else len(numbers) - 1
            wanted = max(0, min(len(numbers) - 1, index + step))
            self._item = None if wanted == len(numbers) - 1 else numbers[wanted]
        elif self._page == "settings" and lane.module is not None:
            self._row = max(0, min(len(lane.module.dialect.settings) - 1, self._row + step))
        self.draw()

    def enter(self) -> None:
        """Set what is intended, run the routine; on the page of exchanges open the entry line."""
        lane, actions = self._lane(), self._actions
        if lane is None or actions is None:
            return
        if self._page == "settings":
            actions.set_intended(lane, self._row)
        elif self._page == "routine":
            actions.routines.run(lane.name)
        elif self._page == "exchanges":
            self.open_entry()

    def step(self) -> None:
        """Do one step of the routine."""
        lane, actions = self._lane(), self._actions
        if lane is not None and actions is not None and self._page == "routine":
            actions.routines.step(lane.name)

    def open_entry(self) -> None:
        """Give the keys to the entry line."""
        if self._actions is not None:
            self._page = "exchanges"
            self._opened = None
            # At once: what is typed next belongs to the line.
            self.screen.set_focus(self._entry)
            self.draw()

    def read_all(self) -> None:
        """Read all: the settings, or on the page of readings those; on the page of two modules both."""
        lane, actions = self._lane(), self._actions
        if lane is None or actions is None:
            return
        if self._page == "state":
            actions.read_readings(lane)
            return
        other = self._other(lane) if self._page == "pair" else None
        if self._page not in ("settings", "pair"):
            self._page = "settings"
        actions.read_settings(lane.name)
        if other is not None:
            actions.read_settings(other.name)

    def choose_other(self) -> None:
        """Choose the module to compare with."""
        lane = self._lane()
        names = [each.name for each in self._snapshot().lanes if lane is not None and each.name != lane.name]
        if lane is None or not names:
            self.app.notify("There is no other lane to compare with", severity="warning", markup=False)
            return
        mine = lane.name

        def take(key: str | None) -> None:
            if key is not None:
                self._others[mine] = names[int(key) - 1]
                self.show_page("pair")

        self.app.push_screen(
            Choice(f"Compare {mine} with", [(str(at), each) for at, each in enumerate(names, 1)]), take
        )

    def do(self, do: Callable[[ModuleActions, LaneSnapshot], object], *, on_settings: bool = False) -> None:
        """What a live bench does with the chosen lane; `on_settings` shows the page of settings with it."""
        lane, actions = self._lane(), self._actions
        if lane is not None and actions is not None:
            if on_settings and self._page not in ("settings", "pair"):
                self.show_page("settings")
            do(actions, lane)

    def note_command(self) -> None:
        """Note something of the command of the chosen exchange."""
        lane, actions = self._lane(), self._actions
        if lane is None or actions is None or lane.module is None or not lane.module.items:
            return
        from pale_heron.tui.views.module.page_exchanges import chosen_item

        item = chosen_item(lane.module, self._item)
        commands = item.commands if isinstance(item, Exchange) else ()
        if commands:
            actions.note_command(lane, commands[0])
        else:
            words = "Choose an exchange whose command the dialect knows"
            self.app.notify(words, severity="warning", markup=False)

    # The entry line

    @staticmethod
    def prompting(lane: LaneSnapshot | None) -> Exchange | None:
        """The exchange whose prompt waits for text."""
        items = lane.module.items if lane and lane.module else ()
        return next((each for each in items if isinstance(each, Exchange) and each.waits == "its payload"), None)

    def _prompt_hint(self, lane: LaneSnapshot | None) -> list[Any]:
        exchange = self.prompting(lane) if self._entry.has_focus else None
        if exchange is None:
            return []
        counted = counted_bytes(exchange)
        typed = len(self._entry.value)
        if counted is None:
            words = "the module waits for text: enter sends it, escape gives up"
            return [line(("> ", "amber"), (words, "text"), (f"   {typed} characters", "quiet"))]
        role = "reed" if typed == counted else "amber"
        words = f"the module waits for {counted} bytes: enter sends them   "
        return [line(("> ", "amber"), (words, "text"), (f"{typed} of {counted}", role))]

    def _queue_hint(self, lane: LaneSnapshot | None, width: int) -> list[Line]:
        """What was typed while the module is busy."""
        waiting = self._actions.typed.waiting(lane.name) if self._actions is not None and lane is not None else ()
        if not waiting:
            return []
        told = ", ".join(safe_label(masked_command(sensitive_tables(), each)) for each in waiting)
        words = f"{len(waiting)} wait until it has answered: "
        keys = "   enter on the empty line sends at once, escape takes back" if self._entry.has_focus else ""
        return [cut(line(("◐ ", "amber"), (words, "text"), (told, "*text"), (keys, "quiet")), width)]

    def on_entry_line_left(self) -> None:
        lane, actions = self._lane(), self._actions
        if lane is not None and actions is not None and not self._entry.value and actions.typed.waiting(lane.name):
            self._entry.value = ", ".join(actions.typed.take_back(lane.name))
            self.draw()
            return
        exchange = self.prompting(lane)
        if exchange is not None and lane is not None and actions is not None:
            actions.send_raw(lane.name, exchange.at_prompt(None), "gives the prompt up")
        self._entry.value = ""
        self.focus_body()
        self.draw()

    def _entered(self, text: str) -> None:
        lane, actions = self._lane(), self._actions
        if lane is None or actions is None:
            return
        exchange = self.prompting(lane)
        if exchange is not None:
            self._send_payload(lane.name, actions, exchange, text)
        elif text.strip():
            self._send_line(lane, actions, text.strip())
        elif actions.typed.waiting(lane.name):
            self._send_at_once(lane, actions)

    def _pasted(self, lines: Sequence[str]) -> None:
        """Send several lines one after the other; asked first where they are many, or one of them risks something."""
        lane, actions = self._lane(), self._actions
        if lane is None or actions is None:
            return
        dialect, name = self._dialect(), lane.name
        form = dialect.line if dialect else LineForm()
        unfit = next(filter(None, (form.typed_refusal(each) for each in lines)), "")
        if unfit or self.prompting(lane) is not None:
            self._entry.problem = unfit or "a prompt takes one line; Send (F) takes files"
            return
        risks = [risk for text in lines if (risk := actions.consent.risk(name, text))]
        reasons = [f"{len(lines)} pasted lines are sent one after the other"] if len(lines) >= MANY or risks else []

        def send() -> None:
            for text in lines:
                if actions.typed.enter(name, text.strip()):
                    self._entry.remember(text.strip())

        actions.consent.ask(name, "; ".join([*reasons, *dict.fromkeys(risks)]), send)

    def _send_payload(self, lane: str, actions: ModuleActions, exchange: Exchange, text: str) -> None:
        data, counted = text.encode("utf-8"), counted_bytes(exchange)
        if counted is not None and len(data) != counted:
            self._entry.problem = f"{len(data)} bytes are typed, {counted} were announced"
            return
        actions.send_raw(lane, exchange.at_prompt(data), "at the prompt")
        self._entry.value = ""

    def _send_line(self, lane: LaneSnapshot, actions: ModuleActions, text: str) -> None:
        """Check, ask where something is risked, and send."""
        dialect = self._dialect()
        spoken = dialect.spoken(text) if dialect else ()
        wrong = next((each.wrong for each in spoken if each.wrong), "")
        if refusal := (dialect.line if dialect else LineForm()).typed_refusal(text):
            self._entry.problem = refusal
            return
        if ONLY_BYTES.fullmatch(text):
            # Bytes alone are no command: they go out as they are.
            if actions.send_raw(lane.name, bytes_of(text), text):
                self._entry.remember(text)
            return
        if dialect is not None and text == dialect.escape:
            # Alone between two silences, and without a line end.
            self._entry.remember(text)
            actions.escape(lane)
            return
        if wrong and self._warned != text:
            self._warned = text
            self._entry.problem = f"{wrong}; enter again sends it all the same"
            return
        self._item = None

        def send() -> None:
            if actions.typed.enter(lane.name, text):
                self._entry.remember(text)

        if lane.module is not None and lane.module.mode == DATA:
            actions.ask_in_data_mode(lane, send)
            return
        risk = actions.consent.risk(lane.name, text)
        guarded = any(each.command and "changes-line" in each.command.risks and each.risk for each in spoken)
        guard = self._change_guarded if guarded else None
        actions.consent.ask(lane.name, risk, send, guard, lambda: self._entry.remember(text))

    def _send_at_once(self, lane: LaneSnapshot, actions: ModuleActions) -> None:
        """Send what waits although the module is busy; asked first where that breaks something off."""
        items = lane.module.items if lane.module is not None else ()
        busy = next((each for each in items if isinstance(each, Exchange) and each.waits == "the result"), None)
        abortable = busy is not None and any(each.command and each.command.abortable(each.form) for each in busy.spoken)
        risk = "what is sent breaks off what it does, and is lost itself (V.250, 5.6.1)" if abortable else ""
        actions.consent.ask(lane.name, risk, lambda: actions.typed.send_at_once(lane.name))

    def _change_guarded(self) -> None:
        """Rather than sending what changes the line, change it with a way back."""
        self._entry.value = ""
        self.focus_body()
        self.do(lambda actions, lane: actions.change_line(lane), on_settings=True)


def counted_bytes(exchange: Exchange) -> int | None:
    """How many bytes were announced; None where Ctrl-Z ends the text."""
    for spoken in exchange.spoken:
        if spoken.command is not None and spoken.command.counted:
            count = spoken.values.get(spoken.command.counted, "")
            return int(count) if count.isdecimal() else None
    return None
