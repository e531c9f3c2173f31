"""Fix: where are we, and how sure? The answer, the pages of evidence, and the session as a ribbon under each."""

from collections.abc import Callable
from typing import Final

from pale_heron.answers.fix import fix_answer
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.lane import LaneSnapshot
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import BLANK, Line, Span, headline, line
from pale_heron.tui.views.fix import page_now, page_pair, page_satellites, page_scatter, page_session
from pale_heron.tui.views.fix.choices import PAGES, FixChoices
from pale_heron.tui.views.fix.ribbon import moment_words, ribbon
from pale_heron.tui.views.table import VIEWS

QUESTION: Final = VIEWS["fix"].question
HELP = (
    "The state is what the deciding sentence says, and since when; beside it stands what the other sentences say. A "
    "position stands in three notations with the raw digits: 06718.40000,W is 67 degrees and 18.4 minutes west, not "
    "67.184 degrees.",
    "Each value has its sentence and its age. Empty (nothing in the field), zero (digits that are all zero without a "
    "fix), invalid (a value in a sentence that says there is no fix) and stale (nothing new for three intervals) are "
    "four different things; with each of them the last believed value stays, grey, with its age.",
    "In the sky the zenith is in the middle and north at the top. A filled disc is a satellite used for the position, "
    "an empty one is only seen; the larger the stronger. A trail is the way of the last hour. The letter is the "
    "system as in RINEX: G GPS, R GLONASS, E Galileo, C BeiDou, J QZSS, I NavIC, S SBAS.",
    "At rest, half of the positions lie within CEP50 and 95 % within CEP95; 2DRMS is twice the root mean square of the "
    "distances. Errors of a receiver come and go in minutes: the number of independent samples is what counts.",
    "The ribbon is the whole session; the higher the bar the better the state. ◂ ▸ choose a moment of it, Enter goes "
    "to Traffic at that moment. The pages: now, satellites, scatter, session, two receivers.",
)


_PAINTERS: Final[dict[str, Callable[[BenchSnapshot, LaneSnapshot, FixChoices, int, int], list[Line]]]] = {
    "now": page_now.paint,
    "satellites": page_satellites.paint,
    "scatter": page_scatter.paint,
    "session": page_session.paint,
    "pair": page_pair.paint,
}


def paint(snapshot: BenchSnapshot, lane: LaneSnapshot, look: FixChoices, width: int, height: int) -> list[Line]:
    """The whole view."""
    answer = fix_answer(snapshot, lane, look.scatter, look.distance)
    head = [*headline(QUESTION, answer, width)[:-1], _tabs(look.page), BLANK]
    foot = [] if look.page == "session" else ribbon(snapshot, lane.fix, look.moment, width)
    if look.moment is not None:
        foot.append(moment_words(snapshot, lane.fix, look.moment, width))
    room = max(1, height - len(head) - len(foot))
    body = folded(_PAINTERS[look.page](snapshot, lane, look, width, room), look.first, room)
    body += [BLANK] * (room - len(body))
    return [*head, *body, *foot]


def folded(rows: list[Line], first: int, room: int) -> list[Line]:
    """As many of the rows as there is room for, from one on; where others have none, that is said, and the key."""
    if len(rows) <= room:
        return rows
    first = min(first, len(rows) - room)
    shown = rows[first : first + room]
    left = len(rows) - first - room
    if first:
        shown[0] = line((f"▴ {first + 1} lines above: page up", "amber"))
    if left:
        shown[-1] = line((f"▾ {left + 1} lines more: page down", "amber"))
    return shown


def _tabs(page: str) -> Line:
    spans = [Span("v ", "amber", act(acts.next_fix_page))]
    for name, title in PAGES.items():
        spans.append(Span(f" {title} ", "*heron@select" if name == page else "quiet", act(acts.show_fix_page, name)))
        spans.append(Span(" "))
    return tuple(spans)
