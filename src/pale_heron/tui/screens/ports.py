"""The list of ports: what is there, what came and went, which is which, and how it is opened."""

import time
from dataclasses import replace
from typing import ClassVar

from textual import events
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.screen import Screen

from pale_heron.core.line.settings import LineSettings, short_line
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.files.adapters import AdapterNote, free_nickname, remember
from pale_heron.ports.address import EXAMPLES, LaneSpec, parse_lane
from pale_heron.ports.listing import Port
from pale_heron.ports.watch import PortWatch, SeenPort
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting import figures
from pale_heron.tui.painting.paint import BLANK, Line, beside, cells, fitted, headline, line, padded, wrapped
from pale_heron.tui.screens.panel import AskLine, keys_lines
from pale_heron.tui.screens.settings import RATES, SettingsPanel
from pale_heron.tui.widgets.canvas import Canvas

PICTURES_PER_S = 5
QUESTION = "Which port is it?"
NEWS_S = 30.0
WIDE = 100


def paint(
    found: list[SeenPort], chosen: int, settings: LineSettings, now: float, which: "PlugGuide", width: int
) -> list[Line]:
    """The list, the chosen port in full, and what to press."""
    role, answer = _answer(found, which)
    rows = headline(QUESTION, role, answer, width)
    rows.append(line((f"  {'nickname':<14}{'device':<34}{'what it is':<34}state", "faint")))
    rows += [_row(seen, index, index == chosen, now, width) for index, seen in enumerate(found)]
    if found:
        rows += [BLANK, *_chosen(found[min(chosen, len(found) - 1)].port, settings, width)]
    return rows


class PlugGuide:
    """The guided way to tell which port is which: the one whose plug is pulled, or put in, while it waits."""

    def __init__(self) -> None:
        self._since: float | None = None
        self.found: Port | None = None
        self.message = ""

    @property
    def waiting(self) -> bool:
        return self._since is not None

    def begin(self, now: float) -> None:
        """Wait from now on."""
        self._since, self.found, self.message = now, None, ""

    def end(self, message: str = "") -> None:
        """Wait no more."""
        self._since, self.message = None, message

    def look(self, found: list[SeenPort]) -> Port | None:
        """The port that moved since then; None where none did, or several at once."""
        if self._since is None:
            return None
        since = self._since
        moved = [seen.port for seen in found if (seen.went or 0) >= since or (seen.came or 0) >= since]
        if len(moved) == 1:
            self.found = moved[0]
        return self.found


def _answer(found: list[SeenPort], which: PlugGuide) -> tuple[str, Line]:
    if which.waiting:
        return "heather", line(
            ("Pull the plug of the one you mean", "*heather"), (", or put it in. Escape gives up.", "text")
        )
    if which.message:
        return "heather", line((which.message, "*heather"))
    there = [seen.port for seen in found if seen.went is None]
    if not there:
        return "amber", line(
            ("None here. ", "*amber"),
            "Plug an adapter in and it appears, or start a simulated device: pale-heron sim curlew",
        )
    free = sum(port.free for port in there)
    return "reed" if free else "amber", line(
        (f"{len(there)} here, {free} free. ", "*reed" if free else "*amber"),
        "Choose one; w finds out which is which by its plug.",
    )


def _row(seen: SeenPort, index: int, chosen: bool, now: float, width: int) -> Line:
    port, ground = seen.port, "@select" if chosen else ""
    gone = seen.went is not None
    state, role = (port.state, "reed") if port.free else (port.state, "coral")
    if seen.went is not None:
        state, role = f"went {figures.age(now - seen.went)}", "amber"
    elif seen.came is not None and now - seen.came < NEWS_S:
        state = f"{state}, came {figures.age(now - seen.came)}"
    text = "faint" if gone else "text"
    device = port.device if cells(port.device) <= 33 else "…" + port.device[-32:]
    what = port.description + (", virtual" if port.virtual else "")
    left = line(
        ("▌ " if chosen else "  ", f"heron{ground}"),
        (fitted(port.nickname, 13) + " ", f"*{text}{ground}"),
        (fitted(device, 33) + " ", f"{text}{ground}"),
        (fitted(what, 33) + " ", f"quiet{ground}"),
        (state, f"{role}{ground}"),
    )
    return tuple(span._replace(action=act(acts.pick, index)) for span in padded(left, width, f"text{ground}"))


def _chosen(port: Port, settings: LineSettings, width: int) -> list[Line]:
    """The chosen port in full, and how it will be opened."""
    facts = (
        ("device", port.device),
        ("adapter", port.adapter),
        ("usb ids", port.usb_id),
        ("serial", port.serial_number),
        ("location", port.location),
        ("role", port.role),
        ("known by", port.key or "nothing of its own: it cannot be told from others of its kind"),
    )
    left = [line((f"  {name:<12}", "quiet"), value or figures.NONE) for name, value in facts]
    right = [line(("opened at  ", "quiet"), (f"{settings.rate} {settings.framing}", "*text"), ("   ←→ rate", "quiet"))]
    right.append(line(("as line    ", "quiet"), short_line(settings)))
    if port.virtual:
        right += wrapped(line(("The rate is decorative here: this port is virtual.", "amber")), 50)
    if not port.free:
        right += [BLANK, line((port.state, "*coral"))]
        right += wrapped(line((port.hint, "text")), 56)
    title = line(("THE CHOSEN ONE", "quiet"))
    if width < WIDE:
        return [title, *left, BLANK, *right]
    return [title, *beside([(left, width - 60), (right, 58)])]


class PortsScreen(Screen[LaneSpec | None]):
    """The result is the lane to open, or None. `taken` are the nicknames in use."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("q,escape", "leave", "close"),
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
            return devices.index(self._device)
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
            self._ask_name(moved)
        words = " add a lane" if self._taken else " ports"
        self._head.show([line((" pale heron ", "*heron"), (words, "quiet"))])
        now = time.monotonic()
        room = self._list.size.width - 2
        if self._watch.looked or self._watch.fault:
            rows = paint(found, self._index, self._line_settings(), now, self._which, room)
        else:
            rows = headline(QUESTION, "amber", line(("Looking for ports…", "*amber")), room)
        if self._watch.fault:
            rows += [BLANK, *wrapped(line((safe_label(self._watch.fault), "coral")), room)]
        self._list.show(rows)
        keys = [("↑↓", "choose"), ("←→", "rate"), ("enter", "open"), ("s", "settings"), ("w", "which is which")]
        keys += [("r", "nickname"), ("n", "network"), ("q", "back" if self._taken else "quit")]
        self._foot.show([line(" ", *keys_lines(keys, self._foot.size.width)[0])])

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

    def action_open(self) -> None:
        port = self._port
        if port is not None and not self._which.waiting:
            said = self._said.get(port.key)
            if said is not None:
                port = replace(port, nickname=said.nickname, role=said.role)
            lane = replace(port.lane(), settings=self._line_settings())
            self.dismiss(replace(lane, name=free_nickname(lane.name, self._taken)))

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
                    known = replace(known, settings=port.settings)
                try:
                    remember(port.key, known)
                except Trouble as trouble:
                    self.notify(str(trouble), severity="error", markup=False)
                    return
                self._said[port.key] = known
                self._which.end(f"{nickname} is remembered with its adapter ({port.key}), whatever its device name.")

            self.app.push_screen(AskLine(f"What is {nickname} for? (its role, such as buoy 7)", port.role), keep)

        question = f"It is {port.device}. Which nickname?"
        self.app.push_screen(AskLine(question, port.nickname or "", _wrong_nickname), ask_role)


def _wrong_lane(text: str) -> str:
    try:
        parse_lane(text)
    except Trouble as trouble:
        return str(trouble)
    return ""


def _wrong_nickname(text: str) -> str:
    return _wrong_lane(f"{text}=/dev/x") if text else "A nickname is 1 to 24 letters, digits, spaces or . + - _"
