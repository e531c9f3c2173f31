"""Finds actions by what people call them: by label and description, and by the other words of the trade."""

from collections.abc import Mapping
from typing import Final, NamedTuple

from pale_heron.tui.actions.table import ACTIONS, KeyAction

ALSO: Final[Mapping[tuple[str, str], str]] = {
    ("", "Line"): "port open status legible speed load",
    ("", "Traffic"): "log terminal monitor raw data bytes sentences lines record history",
    ("", "Fix"): "position satellites latitude longitude altitude dop rtk gnss gps nmea accuracy ttff",
    ("", "Clock"): "utc latency delay lag jitter offset drift",
    ("", "Module"): "modem at response radio cellular settings register",
    ("", "Link"): "packet loss throughput latency ping ber range delivery integrity echo loopback test",
    ("", "Proof"): "session record assert expect pass fail verdict summary timeline",
    ("clock", "pulses"): "pps timepulse",
    ("clock", "ask a server"): "ntp sntp",
    ("clock", "keep drawing"): "chart export plot graph svg pdf image screenshot",
    ("fix", "keep drawing"): "chart export plot graph svg pdf image screenshot",
    ("link", "keep drawing"): "chart export plot graph svg pdf image screenshot",
    ("fix", "page"): "satellite sky skyplot map scatter cn0 snr signal",
    ("fix", "reference"): "truth known base surveyed point",
    ("proof", "expectations"): "assert check limits test",
    ("proof", "report"): "export html pdf print document",
    ("proof", "closer"): "zoom in",
    ("proof", "wider"): "zoom out",
    ("link", "begin a trial"): "ping test loss latency throughput start loopback bert",
    ("link", "give up"): "stop cancel abort end",
    ("link", "bell"): "alarm sound beep alert",
    ("traffic", "hold"): "pause freeze stop scroll",
    ("", "play"): "pause stop resume replay",
    ("", "faster"): "speed",
    ("", "slower"): "speed",
    ("traffic", "show only"): "filter gga rmc gsv hide select grep",
    ("traffic", "latest"): "gga rmc gsv gsa vtg zda last table overview",
    ("traffic", "find"): "search grep regex match",
    ("traffic", "trouble"): "error damage checksum bad corrupt",
    ("traffic", "trouble on"): "error damage checksum bad corrupt",
    ("traffic", "newest"): "follow tail latest bottom autoscroll",
    ("traffic", "time"): "timestamp utc local relative delta",
    ("traffic", "base"): "hex hexadecimal ascii binary dump",
    ("traffic", "copy"): "clipboard yank hex json",
    ("traffic", "compare"): "difference delta measure",
    ("traffic", "whole line"): "fields decode explain details hex",
    ("traffic", "clear"): "erase empty screen",
    ("module", "type a command"): "at send prompt console",
    ("module", "routine"): "script macro sequence automate",
    ("module", "read all"): "query registers configuration",
    ("module", "write"): "configure program apply",
    ("module", "keep"): "store save nvm flash persist",
    ("module", "change line"): "baud rate flow",
    ("module", "escape"): "data mode +++ command",
    ("module", "dialect"): "protocol parser",
    ("module", "give up"): "stop cancel abort",
    ("line", "send"): "transmit type write command file hex bytes at",
    ("", "mark"): "bookmark note annotate comment event",
    ("", "part begins"): "measure region start",
    ("", "part ends"): "measure region",
    ("", "settings"): (
        "baud rate speed parity stopbits bits framing flow control rts cts dtr xonxoff break newline "
        "eol line end configure"
    ),
    ("", "find the rate"): "baud autobaud detect scan speed",
    ("", "orders"): "cold warm hot start reset restart factory rate output configure receiver",
    ("", "add lane"): "connect open port serial device tcp usb",
    ("", "close lane"): "disconnect reconnect connect release port stop",
    ("", "save bench"): "store configuration session project workspace",
    ("", "own keys"): "macro repeat shortcut button function periodic f2",
    ("", "lanes"): "sidebar ports list hide",
    ("", "next lane"): "switch port device",
    ("", "dark, light"): "theme colour color contrast",
    ("", "help"): "keys shortcuts bindings manual",
    ("", "quit"): "exit",
}
"""Other words for what an action does, by the first of its views (or none) and its label."""

SHORTEST_PART: Final = 3
HERE: Final = 0.04
"""What works in the view that is shown stands before the same in another."""


class FoundAction(NamedTuple):
    """An action, the view to go to for it (empty: none), and how well it fits, up to 1."""

    action: KeyAction
    view: str
    score: float


def found(query: str, view: str, *, replay: bool) -> list[FoundAction]:
    """The actions that fit every word, best first: those of this view, and those of others, which lead there."""
    wanted = query.lower().split()
    fits = []
    for action in ACTIONS:
        here = action.works(view, replay)
        home = view if here or not action.views else action.views[0]
        if wanted and action.in_palette and action.works(home, replay):
            score = min(_fit(word, action) for word in wanted)
            if score > 0:
                fits.append(FoundAction(action, "" if here else home, score - (0 if here else HERE)))
    return sorted(fits, key=lambda each: -each.score)


def _fit(word: str, action: KeyAction) -> float:
    """How well one word fits: a whole word counts more than its begin, a name more than what is said of it."""
    label, also, help_ = action.label.lower(), ALSO.get(place(action), ""), action.help.lower()
    for text, whole, begins in ((label, 1.0, 0.85), (also, 0.95, 0.8), (help_, 0.7, 0.6)):
        words = [each.strip(",.:;()?") for each in text.split()]
        if word in words:
            return whole
        if len(word) >= SHORTEST_PART and any(each.startswith(word) for each in words):
            return begins
    return 0.0


def place(action: KeyAction) -> tuple[str, str]:
    """What it is looked up by in ALSO."""
    return action.views[0] if action.views else "", action.label
