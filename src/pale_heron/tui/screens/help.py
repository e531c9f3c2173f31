"""The help page of a view, made from what the view says of itself and from the table of actions."""

from pale_heron.tui.actions import working
from pale_heron.tui.paint import BLANK, Line, line, wrapped
from pale_heron.tui.shell import VIEWS
from pale_heron.tui.views import fix as fix_view
from pale_heron.tui.views import line as line_view
from pale_heron.tui.views import module as module_view
from pale_heron.tui.views import traffic as traffic_view

PAGES = {"line": line_view, "traffic": traffic_view, "fix": fix_view, "module": module_view}


def help_lines(view: str, replay: bool, width: int) -> list[Line]:
    """What the view shows, what to look for, and the keys."""
    page = PAGES[view]
    rows: list[Line] = [line((f"{VIEWS[view]}: {page.QUESTION}", "*heron")), BLANK]
    for paragraph in page.HELP:
        rows += [*wrapped(line(paragraph), width), BLANK]
    rows.append(line(("KEYS HERE", "quiet")))
    for action in working(view, replay):
        rows.append(line((f"  {action.shown_key:<8}", "amber"), (action.help, "text")))
    return rows
