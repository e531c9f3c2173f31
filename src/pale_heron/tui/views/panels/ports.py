"""The list of ports: what there is, what came and went, and the chosen one in full."""

from typing import Final, NamedTuple

from pale_heron.answers.answer import ViewAnswer, answered
from pale_heron.core import figures
from pale_heron.core.line.settings import LineSettings, short_line
from pale_heron.ports.listing import Port
from pale_heron.ports.watch import SeenPort
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import BLANK, Line, beside, cells, fitted, headline, line, padded, wrapped

QUESTION = "Which port is it?"
NEWS_S = 30.0
WIDE = 100
STATE: Final = 22
"""Columns that how a port stands has at least."""


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


class PortColumns(NamedTuple):
    """How wide the columns of the list are; what is left has the state, which says whether a port can be had."""

    nickname: int
    device: int
    what: int

    @classmethod
    def within(cls, width: int) -> "PortColumns":
        nickname = 14 if width >= WIDE else 11
        each = max(8, min(34, (width - nickname - STATE) // 2))
        return cls(nickname, each, each)


def paint(
    found: list[SeenPort], chosen: int, settings: LineSettings, now: float, which: "PlugGuide", width: int
) -> list[Line]:
    """The list, the chosen port in full, and what to press."""
    rows = headline(QUESTION, _answer(found, which), width)
    room = PortColumns.within(width)
    heads = f"  {'nickname':<{room.nickname}}{'device':<{room.device}}{'what it is':<{room.what}}state"
    rows.append(line((heads, "faint")))
    rows += [_row(seen, index, index == chosen, now, width) for index, seen in enumerate(found)]
    if found:
        rows += [BLANK, *_chosen(found[min(chosen, len(found) - 1)].port, settings, width)]
    return rows


def _answer(found: list[SeenPort], which: PlugGuide) -> ViewAnswer:
    if which.waiting:
        return answered(
            "heather", ("Pull the plug of the one you mean", "*heather"), (", or put it in. Escape gives up.", "text")
        )
    if which.message:
        return answered("heather", (which.message, "*heather"))
    there = [seen.port for seen in found if seen.went is None]
    if not there:
        return answered(
            "amber",
            ("None here. ", "*amber"),
            "Plug an adapter in and it appears, or start a simulated device: pale-heron sim curlew",
        )
    free = sum(port.free for port in there)
    return answered(
        "reed" if free else "amber",
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
    room = PortColumns.within(width)
    device = port.device if cells(port.device) < room.device else "…" + port.device[2 - room.device :]
    what = port.description + (", virtual" if port.virtual else "")
    left = line(
        ("▌ " if chosen else "  ", f"heron{ground}"),
        (fitted(port.nickname, room.nickname - 1) + " ", f"*{text}{ground}"),
        (fitted(device, room.device - 1) + " ", f"{text}{ground}"),
        (fitted(what, room.what - 1) + " ", f"quiet{ground}"),
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
        ("known by", port.key or "nothing of its own: it looks like every other of its kind"),
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


HELP: Final = (
    "Every serial port of this computer, and every simulated device that runs. What came or went in the last half "
    "minute is marked; one that cannot be opened says why.",
    "Pull the plug of a device, or put it in, to see which one it is (w). A nickname stays with its adapter, whatever "
    "the port is called next time.",
    "The rate is tried first as it was last time. A wrong one is no harm: the first view finds the right one (r).",
)
KEYS: Final = (
    ("↑↓", "choose a port"),
    ("←→", "another rate"),
    ("enter", "open it: the record begins, and the first view says whether the line is sound"),
    ("s", "all settings: framing, flow control, control lines, line ends"),
    ("w", "which is which: pull a plug"),
    ("r", "give it a nickname and say what it is for"),
    ("n", "a network address instead: socket://, rfc2217://, listen://"),
    ("q", "back, or quit"),
)


def help_lines(width: int) -> list[Line]:
    """What the list shows and what to press."""
    rows: list[Line] = [line((f"Ports: {QUESTION}", "*heron")), BLANK]
    for paragraph in HELP:
        rows += [*wrapped(line(paragraph), width), BLANK]
    for key, words in KEYS:
        rows += [line((f"{key:<8}", "amber"), *row) for row in wrapped(line(words), width - 8)[:1]]
    return rows
