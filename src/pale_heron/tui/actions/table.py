"""Everything that can be done, in one table: keys, footer, palette, help and documentation are made from it."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Final, NamedTuple

from pale_heron.core.proof.marks import BEGIN, END
from pale_heron.tui import acts
from pale_heron.tui.acts import Act, act
from pale_heron.tui.views.table import VIEWS

if TYPE_CHECKING:
    from pale_heron.bench.snapshot import Player
    from pale_heron.core.lane import LaneSnapshot
    from pale_heron.tui.actions.lane import LaneActions
    from pale_heron.tui.actions.marks import MarkActions
    from pale_heron.tui.actions.module import ModuleActions
    from pale_heron.tui.app import PaleHeron
    from pale_heron.tui.widgets.clock_view import ClockView
    from pale_heron.tui.widgets.fix_view import FixView
    from pale_heron.tui.widgets.link_view import LinkView
    from pale_heron.tui.widgets.module_view import ModuleView
    from pale_heron.tui.widgets.proof_view import ProofView
    from pale_heron.tui.widgets.traffic_view import TrafficView


class KeyAction(NamedTuple):
    """`act` is what it does; `views` is empty where it works everywhere."""

    act: Act
    key: str
    label: str
    help: str
    views: tuple[str, ...] = ()
    source: str = ""
    """`live` or `replay` where it only works there."""
    footer: bool = True
    last: bool = False
    """Stands at the right end of the foot line."""
    in_palette: bool = True

    def works(self, view: str, replay: bool) -> bool:
        """Whether it can be used in this view of this source."""
        return (not self.views or view in self.views) and self.source in ("", "replay" if replay else "live")

    @property
    def yields(self) -> bool:
        """Whether others go before it in a narrow foot line."""
        return self.label in _YIELD

    @property
    def shown_key(self) -> str:
        return _SHOWN.get(self.key, self.key)


_SHOWN: Final = {
    "question_mark": "?",
    "up": "↑",
    "down": "↓",
    "ctrl+p": "^p",
    "shift+tab": "⇧tab",
    "right_square_bracket": "]",
    "left_square_bracket": "[",
    "plus": "+",
    "equals_sign": "=",
    "minus": "-",
    "left": "◂",
    "right": "▸",
    "full_stop": ".",
    "slash": "/",
    "colon": ":",
    "less_than_sign": "<",
    "greater_than_sign": ">",
}
_YIELD: Final = ("keep drawing", "latest", "trouble", "how much", "as good as today", "find the rate")
_MODULE = ("module",)
_OTHERS = ("line", "traffic", "fix", "clock", "proof")


def _traffic(
    do: "Callable[[TrafficView], object]", key: str, label: str, words: str, *, footer: bool = False, source: str = ""
) -> KeyAction:
    """An action of Traffic."""
    return KeyAction(act(lambda app: do(app.traffic)), key, label, words, ("traffic",), source, footer)


def _fix(do: "Callable[[FixView], object]", key: str, label: str, words: str, *, footer: bool = True) -> KeyAction:
    """An action of Fix."""
    return KeyAction(act(lambda app: do(app.fix)), key, label, words, ("fix",), "", footer)


def _clock(
    do: "Callable[[ClockView], object]", key: str, label: str, words: str, *, source: str = "", footer: bool = True
) -> KeyAction:
    """An action of Clock."""
    return KeyAction(act(lambda app: do(app.clock)), key, label, words, ("clock",), source, footer)


def _proof(do: "Callable[[ProofView], object]", key: str, label: str, words: str, *, footer: bool = True) -> KeyAction:
    """An action of Proof."""
    return KeyAction(act(lambda app: do(app.proof)), key, label, words, ("proof",), "", footer)


def _link(
    do: "Callable[[LinkView], object]", key: str, label: str, words: str, *, source: str = "", footer: bool = True
) -> KeyAction:
    """An action of Link."""
    return KeyAction(act(lambda app: do(app.link)), key, label, words, ("link",), source, footer)


def _module(
    do: "Callable[[ModuleView], object]", key: str, label: str, words: str, *, footer: bool = True, source: str = "live"
) -> KeyAction:
    """An action of Module."""
    return KeyAction(act(lambda app: do(app.module)), key, label, words, ("module",), source, footer)


def _told(
    do: "Callable[[ModuleActions, LaneSnapshot], object]",
    key: str,
    label: str,
    words: str,
    *,
    footer: bool = True,
    on_settings: bool = False,
) -> KeyAction:
    """What is done with the module of the chosen lane; `on_settings` shows the page of settings with it."""
    return _module(lambda view: view.do(do, on_settings=on_settings), key, label, words, footer=footer)


def _lane(
    do: "Callable[[LaneActions], object]",
    key: str,
    label: str,
    words: str,
    *,
    footer: bool = True,
    views: tuple[str, ...] = (),
) -> KeyAction:
    """An action on the chosen lane, or on the whole bench, while it is live."""
    return KeyAction(act(lambda app: app.with_lanes(do)), key, label, words, views, "live", footer)


def _mark(do: "Callable[[MarkActions], object]", key: str, label: str, words: str, *, footer: bool = True) -> KeyAction:
    """An action on marks, live or on replay."""
    return KeyAction(act(lambda app: app.with_marks(do)), key, label, words, (), "", footer)


def _play(do: "Callable[[Player], object]", key: str, label: str, words: str) -> KeyAction:
    """An action on a replay."""
    return KeyAction(act(lambda app: app.with_player(do)), key, label, words, (), "replay")


def _anywhere(
    do: "Callable[[PaleHeron], object]",
    key: str,
    label: str,
    words: str,
    *,
    footer: bool = True,
    last: bool = False,
    in_palette: bool = True,
) -> KeyAction:
    """An action that works everywhere."""
    return KeyAction(act(do), key, label, words, (), "", footer, last, in_palette)


def _scroll(do: "Callable[[PaleHeron], object]", key: str, label: str, words: str, views: tuple[str, ...]) -> KeyAction:
    """An action of views that are one page of rows."""
    return KeyAction(act(do), key, label, words, views, "", footer=False, in_palette=False)


_SCROLLED = ("line", "clock", "link", "proof")

ACTIONS: Final = (
    *(
        KeyAction(act(acts.show_view, name), view.key, view.title, view.question, footer=False)
        for name, view in VIEWS.items()
    ),
    _clock(lambda it: it.next_page(), "v", "page", "The next page: time, pulses, host"),
    _clock(lambda it: it.add_source(), "p", "pulses", "Listen to a source of pulses", source="live"),
    _clock(
        lambda it: it.leave_source(), "P", "no pulses",
        "Listen to a source of pulses no more", source="live", footer=False,
    ),
    _clock(lambda it: it.keep_drawing(), "x", "keep drawing", "Keep a drawing as SVG or PDF, made for print"),
    _clock(lambda it: it.ask_server(), "n", "ask a server", "Ask a network time server (NTP)", source="live"),
    _proof(lambda it: it.choose_file(), "e", "expectations", "Hold what there is against a file of expectations"),
    _proof(lambda it: it.draft(), "E", "as good as today", "Write a file of expectations that all hold now"),
    _proof(lambda it: it.next_page(), "v", "page", "The next page: what holds, all lanes on one axis of time"),
    _proof(lambda it: it.move(-1), "left", "moment", "Choose an earlier moment of the record", footer=False),
    _proof(lambda it: it.move(1), "right", "later", "Choose a later moment of the record", footer=False),
    _proof(lambda it: it.zoom(0.5), "z", "closer", "Show less time around the chosen moment", footer=False),
    _proof(lambda it: it.zoom(2), "Z", "wider", "Show more time", footer=False),
    _proof(lambda it: it.enter_moment(), "enter", "Traffic then", "Show the chosen moment in Traffic", footer=False),
    _proof(lambda it: it.let_go(), "escape", "let go", "Choose no moment", footer=False),
    _proof(lambda it: it.make_report(), "k", "report", "Make a report of the record, as HTML or PDF"),
    _link(lambda it: it.begin(), "b", "begin a trial", "Begin a trial on the chosen lane", source="live"),
    _link(
        lambda it: it.ring(), "B", "bell", "Ring when an outage begins or ends", source="live", footer=False,
    ),
    _link(lambda it: it.give_up(), "x", "give up", "Give up the trial; what was counted stands", source="live"),
    _link(lambda it: it.next_page(), "v", "page", "The next page: the trial, distance, all of them, compared"),
    _link(
        lambda it: it.hold(), "equals_sign", "hold",
        "Keep the chosen trial; the one chosen next is compared with it", footer=False,
    ),
    _link(
        lambda it: it.try_line_ends(), "e", "line ends",
        "The chosen exchange with each line end", source="live", footer=False,
    ),
    _link(
        lambda it: it.wire(), "i", "wiring", "Say how the chosen trial was wired", source="live", footer=False,
    ),
    _link(lambda it: it.keep_drawing(), "k", "keep drawing", "Keep a drawing of the trial as SVG or PDF"),
    _link(lambda it: it.move(-1), "up", "newer", "Choose a newer trial"),
    _link(lambda it: it.move(1), "down", "older", "Choose an older trial"),
    _traffic(
        lambda it: it.hold(), "space", "hold",
        "Hold the list; the record goes on. Again: follow", footer=True, source="live",
    ),
    _play(lambda it: it.toggle(), "space", "play", "Play or pause; after the end, play again"),
    _play(lambda it: it.step(), "full_stop", "step", "Pause, and play one more record"),
    _play(lambda it: it.faster(1), "plus", "faster", "Play faster"),
    _play(lambda it: it.faster(-1), "minus", "slower", "Play slower"),
    _play(lambda it: it.skip(10), "right_square_bracket", "10 s forward", "Go ten seconds forward"),
    _play(lambda it: it.skip(-10), "left_square_bracket", "10 s back", "Go ten seconds back"),
    _traffic(
        lambda it: it.choose_selection(), "f", "show only",
        "Show only some lanes, types, trouble or text", footer=True,
    ),
    _traffic(
        lambda it: it.by_type(), "l", "latest",
        "The latest line of each type, each in its place; again: the list", footer=True,
    ),
    _traffic(lambda it: it.find(), "slash", "find", "Find a text or a /regular expression/, backwards", footer=True),
    _traffic(lambda it: it.find_again(1), "n", "find on", "Find it again, forward"),
    _traffic(lambda it: it.find_again(-1), "N", "find back", "Find it again, backwards"),
    _traffic(lambda it: it.next_trouble(-1), "e", "trouble", "The trouble before this line", footer=True),
    _traffic(lambda it: it.next_trouble(1), "E", "trouble on", "The next trouble after this line"),
    _traffic(lambda it: it.next_mark(-1), "k", "mark before", "The mark before this line"),
    _traffic(lambda it: it.next_mark(1), "K", "mark after", "The next mark after this line"),
    _traffic(lambda it: it.go_to_time(), "g", "go to a time", "Go to a time of the record"),
    _traffic(lambda it: it.next_clock(), "t", "time", "Show times as UTC, local, since the start, since the line ◆"),
    _traffic(
        lambda it: it.compare(), "x", "compare",
        "Compare other lines with this one (◆): time, lines and bytes between",
    ),
    _traffic(lambda it: it.next_base(), "b", "base", "Bytes in hexadecimal, decimal, binary, or as text"),
    _traffic(lambda it: it.copy(), "y", "copy", "Copy the chosen line as text, hexadecimal or JSON"),
    _traffic(lambda it: it.look_closer(), "enter", "whole line", "The chosen line with all its fields and bytes"),
    _traffic(lambda it: it.clear(), "c", "clear", "Clear the view; the record keeps everything"),
    _traffic(lambda it: it.show_cleared(), "C", "show cleared", "Show again what was cleared"),
    _traffic(lambda it: it.follow(), "end", "newest", "Go to the newest line and follow"),
    _fix(lambda it: it.next_page(), "v", "page", "The next page: now, satellites, scatter, session, two receivers"),
    _fix(lambda it: it.next_page(-1), "V", "page before", "The page before", footer=False),
    _fix(lambda it: it.turn(1), "pagedown", "more", "What has no room on the screen", footer=False),
    _fix(lambda it: it.turn(-1), "pageup", "back", "What was above", footer=False),
    _fix(lambda it: it.move(-1), "left", "moment", "Choose an earlier moment of the ribbon"),
    _fix(lambda it: it.move(1), "right", "later", "Choose a later moment of the ribbon", footer=False),
    _fix(lambda it: it.enter_moment(), "enter", "Traffic then", "Show the chosen moment in Traffic", footer=False),
    _fix(lambda it: it.let_go(), "escape", "let go", "Choose no moment", footer=False),
    _fix(lambda it: it.ask_reference(), "p", "reference", "Type a point that is known; distances count from it"),
    _fix(
        lambda it: it.take_mean(), "P", "mean as reference",
        "Take the mean as the reference; again: none", footer=False,
    ),
    _fix(lambda it: it.next_span(), "h", "how much", "How much of the last positions the scatter takes"),
    _fix(lambda it: it.keep_drawing(), "x", "keep drawing", "Keep a drawing as SVG or PDF, made for print"),
    _fix(lambda it: it.choose_other(), "c", "compare", "Choose the lane to compare with"),
    _module(lambda it: it.open_entry(), "colon", "type a command", "Completed, checked, with its meaning"),
    _module(
        lambda it: it.next_page(), "v", "page",
        "The next page: exchanges, state, settings, two modules, routine", source="",
    ),
    _module(lambda it: it.next_page(-1), "V", "page before", "The page before", footer=False, source=""),
    _module(lambda it: it.enter(), "enter", "set, run", "Say what a setting is meant to be; run the routine"),
    _module(
        lambda it: it.open_item(), "i", "whole",
        "The chosen exchange over the whole page, every line of it", footer=False, source="",
    ),
    _module(lambda it: it.step(), "space", "one step", "Do one step of the routine", footer=False),
    _module(lambda it: it.read_all(), "R", "read all", "Read all settings; on the page of state all readings"),
    _told(
        lambda it, lane: it.write_settings(lane), "W", "write",
        "Write the settings that differ, and read them back", on_settings=True,
    ),
    _told(lambda it, lane: it.keep(lane), "K", "keep", "Store, restart, and verify that it lasted", on_settings=True),
    _told(
        lambda it, lane: it.change_line(lane), "L", "change line",
        "Change rate or flow control on both sides, with a way back", on_settings=True,
    ),
    _told(lambda it, lane: it.escape(lane), "E", "escape", "Bring it from data mode back to command mode"),
    _told(lambda it, lane: it.say_mode(lane), "I", "its mode", "Say in which mode it is, where you know", footer=False),
    _told(
        lambda it, lane: it.take_result(lane), "A", "its result",
        "Take into a dialect how a reply ended that no known result ended", footer=False,
    ),
    _told(
        lambda it, lane: it.draft_dialect(lane), "U", "draft a dialect",
        "Draft a dialect of what was typed and answered", footer=False,
    ),
    _module(lambda it: it.choose_routine(), "T", "routine", "Choose a routine, or make one of the last exchanges"),
    _told(lambda it, lane: it.choose_dialect(lane), "D", "dialect", "Choose how it speaks", footer=False),
    _module(
        lambda it: it.note_command(), "n", "note",
        "Keep a note on the command of the chosen exchange", footer=False,
    ),
    _told(lambda it, lane: it.give_up(lane), "x", "give up", "Give up what is under way", footer=False),
    _module(lambda it: it.choose_other(), "c", "compare", "Choose the module to compare with", footer=False, source=""),
    _lane(lambda it: it.send(), "colon", "send", "Send a line, bytes or a file to the chosen lane", views=_OTHERS),
    _lane(
        lambda it: it.send(), "F", "send bytes",
        "Send bytes or a file to the chosen lane", footer=False, views=_MODULE,
    ),
    _mark(lambda it: it.note(), "m", "mark", "Note something at this time, in the record and in Traffic"),
    _mark(lambda it: it.note(BEGIN), "less_than_sign", "part begins", "Begin a measured part", footer=False),
    _mark(lambda it: it.note(END), "greater_than_sign", "part ends", "End a measured part", footer=False),
    _mark(lambda it: it.change(), "M", "change a mark", "Reword a mark or withdraw it", footer=False),
    _lane(lambda it: it.settings(), "s", "settings", "All settings of the chosen lane, changeable while it is open"),
    _lane(
        lambda it: it.find_rate(), "r", "find the rate",
        "Try rates on the chosen lane, and judge by what is legible",
    ),
    _lane(
        lambda it: it.orders(), "o", "orders",
        "Orders to the device: starts, sentences, rates, store and verify",
    ),
    _lane(lambda it: it.add_lane(), "a", "add lane", "Open one more lane from the list of ports"),
    _lane(
        lambda it: it.close_or_open(), "X", "close lane",
        "Close the chosen lane, so that another program can have its port; once more opens it", footer=False,
    ),
    _lane(
        lambda it: it.save_bench(), "w", "save bench",
        "Save the lanes with their settings, and your own keys, as a bench file", footer=False,
    ),
    KeyAction(
        act(acts.make_own_key), "O", "own keys",
        "Give F2 to F12 something to do: bytes, a command or a routine, once or repeated", footer=False,
        source="live",
    ),
    _scroll(lambda it: it.scroll_view(pages=1), "pagedown", "page down", "What has no room on the screen", _SCROLLED),
    _scroll(lambda it: it.scroll_view(pages=-1), "pageup", "page up", "What was above", _SCROLLED),
    _scroll(lambda it: it.scroll_view(pages=-1000), "home", "first row", "To the first row", _SCROLLED),
    _scroll(lambda it: it.scroll_view(pages=1000), "end", "last row", "To the last row", _SCROLLED),
    _scroll(lambda it: it.scroll_view(rows=1), "down", "row down", "A row down", ("line", "clock")),
    _scroll(lambda it: it.scroll_view(rows=-1), "up", "row up", "A row up", ("line", "clock")),
    _anywhere(lambda it: it.fold_rail(), "0", "lanes", "Fold the lanes at the side away, or show them", footer=False),
    _anywhere(lambda it: it.next_lane(), "tab", "next lane", "Choose the next lane"),
    _anywhere(lambda it: it.next_lane(-1), "shift+tab", "previous lane", "Choose the lane before", footer=False),
    _anywhere(
        lambda it: it.other_theme(), "d", "dark, light",
        "Change between the dark and the light colours", footer=False,
    ),
    _anywhere(lambda it: it.explain(), "question_mark", "help", "What this view shows and what to look for", last=True),
    _anywhere(
        lambda it: it.action_command_palette(), "ctrl+p", "commands",
        "All commands, found by typing", in_palette=False,
    ),
    _anywhere(lambda it: it.exit(), "q", "quit", "End; the record is completed and closed", last=True),
)  # fmt: skip


def working(view: str, replay: bool) -> tuple[KeyAction, ...]:
    """The actions that can be used now."""
    return tuple(action for action in ACTIONS if action.works(view, replay))
