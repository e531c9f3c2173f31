"""The list of ports: what is there, what came and went, which is which, and how it is opened."""

import time
from dataclasses import replace
from typing import ClassVar

from textual import events
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.screen import Screen

from pale_heron.answers.answer import answered
from pale_heron.core.line.settings import LineSettings, short_line
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.files.adapters import AdapterNote, free_nickname, known_adapters, remember
from pale_heron.ports.address import EXAMPLES, LaneSpec, parse_lane
from pale_heron.ports.listing import Port
from pale_heron.ports.watch import PortWatch
from pale_heron.tui.painting.paint import BLANK, ends, headline, line, width_of, wrapped
from pale_heron.tui.screens.panel import AskLine, Choice, TextPage
from pale_heron.tui.screens.settings import RATES, SettingsPanel
from pale_heron.tui.views.panels.ports import QUESTION, PlugGuide, help_lines, paint
from pale_heron.tui.views.panels.rows import keys_lines
from pale_heron.tui.widgets.canvas import Canvas

PICTURES_PER_S = 5


class PortsScreen(Screen[LaneSpec | None]):
    """The result is the lane to open, or None. `taken` are the nicknames in use."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("q", "leave", "close"),
        Binding("escape", "let_go", "close, or let go"),
        Binding("question_mark", "explain", "help"),
        Binding("ctrl+c", "leave", "close", priority=True),
        Binding("enter", "open", "open"),
        Binding("s", "settings", "settings"),
        Binding("w", "which", "which is which"),
        Binding("n", "network", "a network address"),
        Binding("r", "rename", "nickname and role"),
    ]

    def __init__(self, taken: tuple[str, ...] = (), watch: PortWatch | None = None) -> None:
        super().__init__()
        self._taken = taken
        self._watch = watch or PortWatch()
        self._which = PlugGuide()
        self._device = ""
        self._settings: dict[str, LineSettings] = {}
        self._said: dict[str, AdapterNote] = {}
        """What was said just now, by key: the list learns of it a little later."""
        self._head = Canvas(ground="panel", id="head")
        self._list = Canvas(id="ports", classes="view")
        self._foot = Canvas(ground="panel", id="foot")

    def compose(self) -> ComposeResult:
        yield self._head
        yield self._list
        yield self._foot

    def on_mount(self) -> None:
        self._watch.start()
        self.set_interval(1 / PICTURES_PER_S, self._draw)

    def on_unmount(self) -> None:
        self._watch.stop()

    def on_resize(self) -> None:
        self.call_after_refresh(self._draw)

    @property
    def _index(self) -> int:
        """Where the chosen device stands; it stays chosen whatever comes and goes around it."""
        seen = self._watch.seen()
        devices = [each.port.device for each in seen]
        if self._device in devices:
            chosen = seen[devices.index(self._device)]
            back = (each for each in seen if each.went is None and each.port.key == chosen.port.key)
            # Plugged in again it may have another name.
            return seen.index(next(back, chosen) if chosen.went is not None and chosen.port.key else chosen)
        return next((index for index, each in enumerate(seen) if each.port.free and each.went is None), 0)

    @property
    def _port(self) -> Port | None:
        seen = self._watch.seen()
        return seen[self._index].port if seen else None

    def _line_settings(self) -> LineSettings:
        port = self._port
        if port is None:
            return LineSettings()
        return self._settings.get(port.device) or port.known.line_settings

    def _draw(self) -> None:
        found = self._watch.seen()
        moved = self._which.look(found) if self._which.waiting else None
        if moved is not None:
            self._which.end()
            self._device = moved.device
            self._ask_name(moved)
        words = " add a lane" if self._taken else " ports"
        self._head.show([line((" pale heron ", "*heron"), (words, "quiet"))])
        now = time.monotonic()
        room = self._list.size.width - 2
        if self._watch.looked or self._watch.fault:
            rows = paint(found, self._index, self._line_settings(), now, self._which, room)
        else:
            rows = headline(QUESTION, answered("amber", ("Looking for ports…", "*amber")), room)
        if self._watch.fault:
            rows += [BLANK, *wrapped(line((safe_label(self._watch.fault), "coral")), room)]
        self._list.show(rows)
        keys = [("↑↓", "choose"), ("←→", "rate"), ("enter", "open"), ("s", "settings"), ("w", "which is which")]
        keys += [("r", "nickname"), ("n", "network")]
        width = self._foot.size.width
        last = keys_lines([("?", "help"), ("q", "back" if self._taken else "quit")], width)[0]
        room = width - width_of(last) - 1
        self._foot.show([ends(line(" ", *keys_lines(keys, room)[0]), last, width)])

    def on_key(self, event: events.Key) -> None:
        found = self._watch.seen()
        if event.key in ("up", "down") and found:
            index = (self._index + (1 if event.key == "down" else -1)) % len(found)
            self._device = found[index].port.device
        elif event.key in ("left", "right"):
            self._turn_rate(1 if event.key == "right" else -1)
        else:
            return
        event.stop()
        self._draw()

    def _turn_rate(self, step: int) -> None:
        settings = self._line_settings()
        nearest = min(range(len(RATES)), key=lambda index: abs(RATES[index] - settings.rate))
        self._keep(replace(settings, rate=RATES[max(0, min(len(RATES) - 1, nearest + step))]))

    def _keep(self, settings: LineSettings) -> None:
        if self._port is not None:
            self._settings[self._port.device] = settings

    def pick(self, index: int) -> None:
        self._device = self._watch.seen()[index].port.device
        self._draw()

    def action_leave(self) -> None:
        if self._which.waiting:
            self._which.end()
            self._draw()
        else:
            self.dismiss(None)

    def action_let_go(self) -> None:
        """Close what was opened over a bench. The first screen stays: q ends the program."""
        if self._taken or self._which.waiting:
            self.action_leave()
        else:
            self.notify("q quits; enter opens the chosen port", markup=False)

    def action_explain(self) -> None:
        """What stands here and what to press."""
        self.app.push_screen(TextPage(help_lines))

    def action_open(self) -> None:
        port = self._port
        if port is not None and not self._which.waiting:
            said = self._said.get(port.key)
            if said is not None:
                port = port._replace(nickname=said.nickname, role=said.role)
            lane = replace(port.lane(), settings=self._line_settings())
            lane = replace(lane, name=free_nickname(lane.name, self._taken))
            if not port.console:
                self.dismiss(lane)
                return

            def take(key: str | None) -> None:
                if key == "y":
                    self.dismiss(lane)

            question = "The kernel of this computer speaks on it; a break or some keys may restart it. Open it?"
            self.app.push_screen(Choice(question, (("n", "no"), ("y", "yes, open it"))), take)

    def action_settings(self) -> None:
        port = self._port
        if port is not None:
            title = port.nickname or port.device
            self.app.push_screen(SettingsPanel(title, self._line_settings, self._keep, lambda: ""))

    def action_which(self) -> None:
        self._which.begin(time.monotonic())
        self._draw()

    def action_rename(self) -> None:
        if self._port is not None:
            self._ask_name(self._port)

    def action_network(self) -> None:
        def take(text: str | None) -> None:
            if text:
                spec = parse_lane(text)
                self.dismiss(replace(spec, name=free_nickname(spec.name, self._taken)))

        question = f"A lane by its address: {EXAMPLES.partition('  or  ')[2]}"
        self.app.push_screen(AskLine(question, "socket://127.0.0.1:7000", _wrong_lane), take)

    def _ask_name(self, port: Port) -> None:
        """Ask for nickname and role, and keep them with the adapter."""
        if not port.key:
            self._which.end(f"It is {port.device}. Its adapter has nothing of its own to be remembered by.")
            return

        def ask_role(nickname: str | None) -> None:
            if nickname is None:
                return

            def keep(role: str | None) -> None:
                known = AdapterNote(nickname, role or "", short_line(self._settings.get(port.device) or LineSettings()))
                if port.settings and port.device not in self._settings:
                    known = known._replace(settings=port.settings)
                try:
                    remember(port.key, known)
                except Trouble as trouble:
                    self.notify(str(trouble), severity="error", markup=False)
                    return
                self._said[port.key] = known
                self._which.end(f"{nickname} is remembered with its adapter ({port.key}), whatever its device name.")

            self.app.push_screen(AskLine(f"What is {nickname} for? (its role, such as buoy 7)", port.role), keep)

        question = f"It is {port.device}. Which nickname?"
        others = {note.nickname for key, note in known_adapters().items() if key != port.key} | set(self._taken)

        def wrong(text: str) -> str:
            if text.strip() in others:
                return f"{text.strip()!r} is another adapter or lane: two of one name cannot be told apart"
            return _wrong_nickname(text)

        self.app.push_screen(AskLine(question, port.nickname or "", wrong), ask_role)


def _wrong_lane(text: str) -> str:
    try:
        parse_lane(text)
    except Trouble as trouble:
        return str(trouble)
    return ""


def _wrong_nickname(text: str) -> str:
    return _wrong_lane(f"{text}=/dev/x") if text else "A nickname is 1 to 24 letters, digits, spaces or . + - _"
