"""Fix: where are we, and how sure? The answer, the pages of evidence, and the session as a ribbon under each."""

from collections.abc import Callable
from typing import Final

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.course import MILESTONES
from pale_heron.core.gnss.epochs.outages import UNSAID
from pale_heron.core.gnss.scatter import FEW_INDEPENDENT
from pale_heron.core.gnss.snapshot import FixSnapshot
from pale_heron.core.gnss.states import FIX, TIME_ONLY
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.diagnosis.stages import is_silent
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting import figures
from pale_heron.tui.painting.paint import BLANK, Line, Span, headline, line
from pale_heron.tui.views.fix import page_now, page_pair, page_satellites, page_scatter, page_session
from pale_heron.tui.views.fix.choices import PAGES, STATE_ROLES, FixChoices, is_moving
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
ENOUGH = 20
"""Positions below which no scatter is claimed in the answer."""


_PAINTERS: Final[dict[str, Callable[[BenchSnapshot, LaneSnapshot, FixChoices, int, int], list[Line]]]] = {
    "now": page_now.paint,
    "satellites": page_satellites.paint,
    "scatter": page_scatter.paint,
    "session": page_session.paint,
    "pair": page_pair.paint,
}


def paint(snapshot: BenchSnapshot, lane: LaneSnapshot, look: FixChoices, width: int, height: int) -> list[Line]:
    """The whole view."""
    role, answer = answer_of(snapshot, lane, look)
    head = [*headline(QUESTION, role, answer, width)[:-1], _tabs(look.page), BLANK]
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


def answer_of(snapshot: BenchSnapshot, lane: LaneSnapshot, look: FixChoices) -> tuple[str, Line]:
    """The role of the verdict, and the answer in a sentence or two."""
    fix = lane.fix
    if not fix.facts:
        return "amber", line(("Unknown: ", "*amber"), "no sentence with a position has come on this lane.")
    since = figures.duration(None if fix.since is None else (snapshot.now - fix.since) / SECOND)
    state = fix.state
    role = STATE_ROLES[state.state]
    if fix.overdue_s is not None:
        silent = is_silent(lane.line, snapshot.now)
        what = "the lane has been silent" if silent else "no sentence with a position has come"
        last = f"{what} for {figures.duration(fix.overdue_s)}; it said {state.state} last."
        return "coral", line(("Unknown now: ", "*coral"), last)
    if not state.has_position:
        return role, _waiting(snapshot, fix, since)
    hdop = fix.value("hdop")
    dilution = f", HDOP {hdop.value}" if hdop and hdop.value is not None else ""
    name = "Fix" if state.state == FIX else f"{state.state} fix"
    words = [
        Span(f"{name} for {since}", f"*{role}"),
        Span(f": {_satellite_words(fix)}{dilution}, {state.kind}. "),
    ]
    return role, (*words, *_sureness(fix, look))


def _sureness(fix: FixSnapshot, look: FixChoices) -> Line:
    """How far the positions lie apart, or why nothing is claimed."""
    found = look.scatter
    speed = fix.value("speed_knots")
    if is_moving(fix) and speed is not None:
        if look.distance is not None:
            away, bearing = look.distance
            return line(f"{figures.distance(away)} towards {bearing:.0f}° from the reference, and moving.")
        return line(f"Moving at {speed.value:.1f} kn, so no scatter is claimed.")
    if found is None or found.samples < ENOUGH:
        return ()
    about = "the reference" if found.from_reference else "their mean"
    few = found.independent < FEW_INDEPENDENT
    worth = figures.several(int(found.independent), "independent position")
    warning = f", but they are worth only {worth}" if few else ""
    return line(
        f"Half of the last {figures.count(found.samples)} positions lie within ",
        (figures.distance(found.cep50_m), "*text"),
        f" of {about}, 95 % within ",
        (figures.distance(found.cep95_m), "*text"),
        f"{warning}.",
    )


def _satellite_words(fix: FixSnapshot) -> str:
    """Used of seen; without lists of satellites what the position sentence says, or nothing."""
    if fix.sky.satellites:
        return f"{fix.sky.used} of {figures.several(len(fix.sky.satellites), 'satellite')} used"
    used = fix.value("satellites_used")
    return (
        f"{figures.several(used.value, 'satellite')} used"
        if used and used.value is not None
        else "satellites not reported"
    )


def _waiting(snapshot: BenchSnapshot, fix: FixSnapshot, since: str) -> Line:
    """No position: since when, and what is being waited for."""
    outage = fix.history.outages[-1] if fix.history.outages else None
    start = fix.history.starts[-1] if fix.history.starts else None
    seen = "no list of satellites came"
    if fix.sky.heard:
        seen = f"{figures.several(len(fix.sky.satellites), 'satellite')} seen, {fix.sky.used} used"
    starting = start is not None and start.first_fix is None and start.begin is not None
    if outage is not None and outage.end is None and outage.lost not in UNSAID and not starting:
        lost = figures.duration((snapshot.now - outage.begin) / SECOND)
        return line(
            ("The fix is lost ", "*coral"), (f"since {lost}", "*coral"), f": {seen}. The last position is kept."
        )
    known = "Time is known, the position is not yet" if fix.state.state == TIME_ONLY else "No fix yet"
    passed, mode = since, ""
    if start is not None and start.begin is not None and starting:
        passed = figures.duration((snapshot.now - start.begin) / SECOND)
        mode = f" of a {start.mode} start" if start.mode != "unknown" else ""
    missing = start.waiting_for if start else "3D"
    if fix.state.state == TIME_ONLY and missing in MILESTONES[: MILESTONES.index("time") + 1]:
        # It was known before this start.
        missing = MILESTONES[MILESTONES.index("time") + 1]
    role = STATE_ROLES[fix.state.state]
    return line((f"{known}, after {passed}{mode}", f"*{role}"), f": {seen}. Waiting for: {missing}.")
