"""Everything that can be done, in one table: keys, footer, palette, help and documentation are made from it."""

from functools import partial
from typing import Final, NamedTuple


class Action(NamedTuple):
    """`name` is a method `action_name` of the application; `views` is empty where it works everywhere."""

    name: str
    key: str
    label: str
    help: str
    views: tuple[str, ...] = ()
    source: str = ""
    """`live` or `replay` where it only works there."""
    footer: bool = True

    def works(self, view: str, replay: bool) -> bool:
        """Whether it can be used in this view of this source."""
        return (not self.views or view in self.views) and self.source in ("", "replay" if replay else "live")

    @property
    def shown_key(self) -> str:
        return _SHOWN.get(self.key, self.key)


_SHOWN: Final = {
    "question_mark": "?",
    "ctrl+p": "^p",
    "shift+tab": "⇧tab",
    "right_square_bracket": "]",
    "left_square_bracket": "[",
    "plus": "+",
    "minus": "-",
    "left": "◂",
    "right": "▸",
    "full_stop": ".",
    "slash": "/",
    "colon": ":",
}
_MODULE = ("module",)
_OTHERS = ("line", "traffic", "fix")


def _of_view(
    view: str, what: str, key: str, label: str, help_words: str, *, footer: bool = True, source: str = ""
) -> Action:
    """An action of a view: a method of its widget, with an argument behind a comma."""
    method, _, argument = what.partition(",")
    name = f"{view}('{method}', {argument})" if argument else f"{view}('{method}')"
    return Action(name, key, label, help_words, (view,), source, footer)


_traffic = partial(_of_view, "traffic", footer=False)
_fix = partial(_of_view, "fix")
_module = partial(_of_view, "module", source="live")


def _lane(
    what: str, key: str, label: str, help_words: str, *, footer: bool = True, views: tuple[str, ...] = ()
) -> Action:
    """An action on the chosen lane, or on the whole bench, while it is live."""
    return Action(f"lane('{what}')", key, label, help_words, views, "live", footer)


ACTIONS: Final = (
    Action("show_view('line')", "1", "Line", "Is anything arriving, and is it legible?", footer=False),
    Action("show_view('traffic')", "2", "Traffic", "What is being said, by whom, when?", footer=False),
    Action("show_view('fix')", "3", "Fix", "Where are we, and how sure?", footer=False),
    Action("show_view('module')", "5", "Module", "Does the module obey, and is it set as intended?", footer=False),
    _traffic("hold", "space", "hold", "Hold the list; the record goes on. Again: follow", footer=True, source="live"),
    Action("play", "space", "play", "Play or pause; after the end, play again", (), "replay"),
    Action("step", "full_stop", "step", "Pause, and take one record more", (), "replay"),
    Action("faster", "plus", "faster", "Play faster", (), "replay"),
    Action("slower", "minus", "slower", "Play slower", (), "replay"),
    Action("skip(10)", "right_square_bracket", "10 s on", "Go ten seconds on", (), "replay"),
    Action("skip(-10)", "left_square_bracket", "10 s back", "Go ten seconds back", (), "replay"),
    _traffic("choose_selection", "f", "show only", "Show only some lanes, types, trouble or text", footer=True),
    _traffic("by_type", "l", "latest", "The latest line of each type, each in its place; again: the list", footer=True),
    _traffic("find", "slash", "find", "Find a text or a /regular expression/, backwards", footer=True),
    _traffic("find_again,1", "n", "find on", "Find it again, forward"),
    _traffic("find_again,-1", "N", "find back", "Find it again, backwards"),
    _traffic("next_trouble,-1", "e", "trouble", "The trouble before this line", footer=True),
    _traffic("next_trouble,1", "E", "trouble on", "The next trouble after this line"),
    _traffic("next_mark,-1", "k", "mark before", "The mark before this line"),
    _traffic("next_mark,1", "K", "mark after", "The next mark after this line"),
    _traffic("go_to_time", "g", "go to a time", "Go to a time of the record"),
    _traffic("next_clock", "t", "time", "Tell times as UTC, local, since the start, since the line ◆"),
    _traffic("compare", "x", "compare", "Compare other lines with this one (◆): time, lines and bytes between"),
    _traffic("next_base", "b", "base", "Bytes in hexadecimal, decimal, binary, or as text"),
    _traffic("copy", "y", "copy", "Copy the chosen line as text, hexadecimal or JSON"),
    _traffic("look_closer", "enter", "whole line", "The chosen line with all its fields and bytes"),
    _traffic("clear", "c", "clear", "Clear the view; the record keeps everything"),
    _traffic("show_cleared", "C", "show cleared", "Show again what was cleared"),
    _traffic("follow", "end", "newest", "Go to the newest line and follow"),
    _fix("next_page", "v", "page", "The next page: now, satellites, scatter, session, two receivers"),
    _fix("next_page,-1", "V", "page before", "The page before", footer=False),
    _fix("move,-1", "left", "moment", "Choose an earlier moment of the ribbon"),
    _fix("move,1", "right", "later", "Choose a later moment of the ribbon", footer=False),
    _fix("enter_moment", "enter", "Traffic then", "Show the chosen moment in Traffic", footer=False),
    _fix("let_go", "escape", "let go", "No moment is chosen any more", footer=False),
    _fix("ask_reference", "p", "reference", "Type a point that is known; distances count from it"),
    _fix("take_mean", "P", "mean as reference", "Take the mean as the reference; again: none", footer=False),
    _fix("next_span", "h", "how much", "How much of the last positions the scatter takes"),
    _fix("keep_drawing", "x", "keep drawing", "Keep a drawing as SVG or PDF, made for print"),
    _fix("choose_other", "c", "compare", "Choose the lane to compare with"),
    _module("open_entry", "colon", "tell it", "Type a command: completed, checked, with its meaning"),
    _module("next_page", "v", "page", "The next page: exchanges, state, settings, two modules, routine", source=""),
    _module("next_page,-1", "V", "page before", "The page before", footer=False, source=""),
    _module("enter", "enter", "set, run", "Say what a setting is meant to be; run the routine"),
    _module("step", "space", "one step", "Do one step of the routine", footer=False),
    _module("read_all", "R", "read all", "Read all settings; on the page of state all readings"),
    _module("do,'write_settings'", "W", "write", "Write the settings that differ, and read them back"),
    _module("do,'keep'", "K", "keep", "Store, restart, and verify that it lasted"),
    _module("do,'change_line'", "L", "change line", "Change rate or flow control on both sides, with a way back"),
    _module("do,'escape'", "E", "escape", "Lead it from data mode back to command mode"),
    _module("choose_routine", "T", "routine", "Choose a routine, or make one of the last exchanges"),
    _module("do,'choose_dialect'", "D", "dialect", "Choose how it speaks", footer=False),
    _module("note_command", "n", "note", "Keep a note on the command of the chosen exchange", footer=False),
    _module("do,'give_up'", "x", "give up", "Give up what is under way", footer=False),
    _module("choose_other", "c", "compare", "Choose the module to compare with", footer=False, source=""),
    _lane("send", "colon", "send", "Send a line, bytes or a file to the chosen lane", views=_OTHERS),
    _lane("send", "F", "send bytes", "Send bytes or a file to the chosen lane", footer=False, views=_MODULE),
    _lane("mark", "m", "mark", "Note something at this time, in the record and in Traffic"),
    _lane("settings", "s", "settings", "All settings of the chosen lane, changeable while it is open"),
    _lane("find_rate", "r", "find the rate", "Try rates on the chosen lane, and judge by what is legible"),
    _lane("orders", "o", "orders", "What the device can be told: starts, sentences, rates, store and verify"),
    _lane("add_lane", "a", "add lane", "Open one more lane from the list of ports"),
    _lane("save_bench", "w", "save bench", "Save the lanes with their settings as a bench file", footer=False),
    Action("next_lane", "tab", "next lane", "Choose the next lane"),
    Action("previous_lane", "shift+tab", "previous lane", "Choose the lane before", footer=False),
    Action("other_theme", "d", "dark, light", "Change between the dark and the light colours", footer=False),
    Action("explain", "question_mark", "help", "What this view shows and what to look for"),
    Action("command_palette", "ctrl+p", "commands", "All commands, found by typing"),
    Action("quit", "q", "quit", "End; the record is closed whole"),
)  # fmt: skip


def working(view: str, replay: bool) -> tuple[Action, ...]:
    """The actions that can be used now."""
    return tuple(action for action in ACTIONS if action.works(view, replay))
