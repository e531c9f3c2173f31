"""Everything that can be done, in one table: keys, footer, palette, help and documentation are made from it."""

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
    "full_stop": ".",
}

ACTIONS: Final = (
    Action("show_view('line')", "1", "Line", "Is anything arriving, and is it legible?", footer=False),
    Action("show_view('traffic')", "2", "Traffic", "What is being said, by whom, when?", footer=False),
    Action("show_view('fix')", "3", "Fix", "Where are we, and how sure?", footer=False),
    Action(
        "hold", "space", "hold", "Hold the list still; record and counters go on. Again: follow", ("traffic",), "live"
    ),
    Action("play", "space", "play", "Play or pause; after the end, play again", (), "replay"),
    Action("step", "full_stop", "step", "Pause, and take one record more", (), "replay"),
    Action("faster", "plus", "faster", "Play faster", (), "replay"),
    Action("slower", "minus", "slower", "Play slower", (), "replay"),
    Action("skip(10)", "right_square_bracket", "10 s on", "Go ten seconds on", (), "replay"),
    Action("skip(-10)", "left_square_bracket", "10 s back", "Go ten seconds back", (), "replay"),
    Action("look_closer", "enter", "whole line", "The chosen line with all its fields and bytes", ("traffic",)),
    Action("follow", "end", "newest", "Go to the newest line and follow", ("traffic",), footer=False),
    Action("mark", "m", "mark", "Note something at this time, in the record and in Traffic", (), "live"),
    Action("next_lane", "tab", "next lane", "Choose the next lane"),
    Action("previous_lane", "shift+tab", "previous lane", "Choose the lane before", footer=False),
    Action("other_theme", "d", "dark, light", "Change between the dark and the light colours", footer=False),
    Action("explain", "question_mark", "help", "What this view shows and what to look for"),
    Action("command_palette", "ctrl+p", "commands", "All commands, found by typing"),
    Action("quit", "q", "quit", "End; the record is closed whole"),
)


def working(view: str, replay: bool) -> tuple[Action, ...]:
    """The actions that can be used now."""
    return tuple(action for action in ACTIONS if action.works(view, replay))
