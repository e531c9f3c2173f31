"""The help page of a view, made from what the view says of itself and from the table of actions."""

from pale_heron.tui.actions.table import working
from pale_heron.tui.painting.paint import BLANK, Line, line, wrapped
from pale_heron.tui.painting.shell import VIEWS
from pale_heron.tui.views.fix import fix as fix_view
from pale_heron.tui.views.line import line as line_view
from pale_heron.tui.views.link import link as link_view
from pale_heron.tui.views.module import module as module_view
from pale_heron.tui.views.traffic import traffic as traffic_view

PAGES = {"line": line_view, "traffic": traffic_view, "fix": fix_view, "module": module_view, "link": link_view}


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
