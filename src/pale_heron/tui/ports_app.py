"""The list of ports as first screen, where no lane was named."""

from typing import ClassVar

from textual import events
from textual.app import ComposeResult
from textual.binding import Binding, BindingType

from pale_heron.core.line.settings import LineSettings
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.listing import Port, ports
from pale_heron.tui.base import FullScreen
from pale_heron.tui.paint import BLANK, Line, headline, line, padded
from pale_heron.tui.widgets.canvas import Canvas

LOOK_S = 0.5
RATES = (4800, 9600, 19200, 38400, 57600, 115200, 230400, 460800, 921600)
QUESTION = "Which port is it?"


def paint(found: list[Port], chosen: int, rate: int, width: int) -> list[Line]:
    """The list, the chosen port in full, and what to press."""
    if found:
        role, answer = (
            "reed",
            line((f"{len(found)} here. ", "*reed"), "Choose one; plug and unplug yours to see which it is."),
        )
    else:
        role, answer = (
            "amber",
            line(
                ("None here. ", "*amber"),
                "Plug an adapter in and it appears, or start a simulated device: pale-heron sim curlew",
            ),
        )
    rows = headline(QUESTION, role, answer, width)
    rows.append(line((f"  {'device':<34}{'what it is':<30}{'state'}", "faint")))
    for place, port in enumerate(found):
        rows.append(_row(port, place, place == chosen, width))
    if found:
        port = found[min(chosen, len(found) - 1)]
        rows += [BLANK, line(("THE CHOSEN ONE", "quiet"))]
        facts = (
            ("adapter", port.adapter),
            ("usb id", port.usb_id),
            ("serial", port.serial_number),
            ("location", port.location),
            ("way out", port.way_out),
        )
        rows += [line((f"  {name:<12}", "quiet"), value or "–") for name, value in facts]
        rows.append(
            line(("  opened at   ", "quiet"), (f"{rate} 8N1", "*text"), ("   left and right change the rate", "quiet"))
        )
    return rows


def _row(port: Port, place: int, chosen: bool, width: int) -> Line:
    ground = "@select" if chosen else ""
    state = "reed" if port.state in ("free", "simulated") else "coral"
    left = line(
        ("▌ " if chosen else "  ", f"heron{ground}"),
        (f"{port.device:<33} ", f"text{ground}"),
        (f"{port.description[:29]:<30}", f"quiet{ground}"),
        (port.state, f"{state}{ground}"),
    )
    return tuple(span._replace(action=f"choose({place})") for span in padded(left, width, f"text{ground}"))


class PortsApp(FullScreen[LaneSpec]):
    """Ends with the chosen lane, or with None."""

    ENABLE_COMMAND_PALETTE = False
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("q,escape", "quit", "quit"),
        Binding("ctrl+c", "quit", "quit", priority=True),
        Binding("enter", "open", "open"),
    ]

    def __init__(self) -> None:
        super().__init__()
        self.ports = ports()
        self._chosen = 0
        self._rate = RATES.index(9600)
        self._head = Canvas(ground="panel", id="head")
        self._list = Canvas(id="ports", classes="view")
        self._foot = Canvas(ground="panel", id="foot")

    def compose(self) -> ComposeResult:
        yield self._head
        yield self._list
        yield self._foot

    def on_mount(self) -> None:
        self.set_interval(LOOK_S, self._look)

    def on_resize(self) -> None:
        self.call_after_refresh(self._draw)

    def _look(self) -> None:
        self.ports = ports()
        self._draw()

    def _draw(self) -> None:
        self._chosen = max(0, min(self._chosen, len(self.ports) - 1))
        self._head.show([line((" pale heron ", "*heron"), (" ports", "quiet"))])
        self._list.show(paint(self.ports, self._chosen, RATES[self._rate], self._list.size.width - 2))
        keys = (("↑↓", "choose"), ("←→", "rate"), ("enter", "open"), ("q", "quit"))
        shown = [part for key, word in keys for part in ((key, "amber"), (f" {word}   ", "quiet"))]
        self._foot.show([line(" ", *shown)])

    def on_key(self, event: events.Key) -> None:
        moves = {"up": -1, "down": 1}
        turns = {"left": -1, "right": 1}
        if event.key in moves and self.ports:
            self._chosen = (self._chosen + moves[event.key]) % len(self.ports)
        elif event.key in turns:
            self._rate = max(0, min(len(RATES) - 1, self._rate + turns[event.key]))
        else:
            return
        self._draw()

    def action_choose(self, place: int) -> None:
        self._chosen = place
        self._draw()

    def action_open(self) -> None:
        if self.ports:
            port = self.ports[self._chosen]
            name = port.device.rpartition("/")[2][:24]
            self.exit(LaneSpec(name, port.device, LineSettings(RATES[self._rate])))


def choose_ports() -> list[LaneSpec]:
    """The lane that the user picks; none where they end instead."""
    spec = PortsApp().run()
    return [spec] if spec else []
