"""The help page of a view, made from what the view says of itself and from the table of actions."""

from pale_heron.tui.actions.table import working
from pale_heron.tui.painting.paint import BLANK, Line, line, wrapped
from pale_heron.tui.views.table import VIEWS, help_of


def help_lines(view: str, replay: bool, width: int) -> list[Line]:
    """What the view shows, what to look for, and the keys."""
    rows: list[Line] = [line((f"{VIEWS[view].title}: {VIEWS[view].question}", "*heron")), BLANK]
    for paragraph in help_of(view):
        rows += [*wrapped(line(paragraph), width), BLANK]
    rows.append(line(("KEYS HERE", "quiet")))
    for action in working(view, replay):
        rows.append(line((f"  {action.shown_key:<8}", "amber"), (action.help, "text")))
    return rows
