"""Where are we, and how sure?"""

from typing import Final

from pale_heron.answers.answer import ViewAnswer, answered
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.course import MILESTONES
from pale_heron.core.gnss.epochs.outages import UNSAID
from pale_heron.core.gnss.scatter import FEW_INDEPENDENT, Scatter
from pale_heron.core.gnss.snapshot import AT_REST_KNOTS, FixSnapshot
from pale_heron.core.gnss.states import FIX, FIX_2D, FIX_3D, NO_FIX, TIME_ONLY, WITHOUT_SKY
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.diagnosis.stages import LaneOpening, is_silent

Words = tuple[str | tuple[str, str], ...]
ENOUGH: Final = 20
"""Positions below which no scatter is claimed."""

STATE_ROLES: Final = {
    NO_FIX: "coral",
    TIME_ONLY: "amber",
    **dict.fromkeys(WITHOUT_SKY, "amber"),
    FIX: "reed",
    FIX_2D: "amber",
    FIX_3D: "reed",
}


def fix_answer(
    snapshot: BenchSnapshot,
    lane: LaneSnapshot,
    scatter: Scatter | None = None,
    distance: tuple[float, float] | None = None,
) -> ViewAnswer:
    """How it stands, in a sentence or two; `distance` is how far and where to from a reference, metres and degrees."""
    fix = lane.fix
    if not fix.facts:
        return answered("amber", ("Unknown: ", "*amber"), "no sentence with a position has come on this lane.")
    since = figures.duration(None if fix.since is None else (snapshot.now - fix.since) / SECOND)
    state = fix.state
    role = STATE_ROLES[state.state]
    if fix.overdue_s is not None:
        silent = is_silent(lane.line, snapshot.now)
        closed = lane.opening is LaneOpening.LET_GO
        quiet = "the lane has been silent" if silent else "no sentence with a position has come"
        what = "the lane has been closed" if closed else quiet
        last = f"{what} for {figures.duration(fix.overdue_s)}; it said {state.state} last."
        return answered("coral", ("Unknown now: ", "*coral"), last)
    if not state.has_position:
        return answered(role, *_waiting(snapshot, fix, since))
    hdop = fix.fresh("hdop")
    dilution = f", HDOP {hdop}" if hdop is not None else ""
    if state.is_fix:
        name = f"{'Fix' if state.state == FIX else f'{state.state} fix'} for {since}"
        counted = f": {_satellite_words(fix)}{dilution}, {state.kind}"
    else:
        name = f"No fix for {since}"
        counted = f": the position is {state.kind}, not from satellites"
    elsewhere: Words = ((f", but not in WGS 84: {fix.datum}", "*amber"),) if fix.datum else ()
    sure = _sureness(fix, scatter, distance)
    return answered(role, (name, f"*{role}"), counted, *elsewhere, ". ", *sure)


def _sureness(fix: FixSnapshot, found: Scatter | None, distance: tuple[float, float] | None) -> Words:
    """How far the positions lie apart, or why nothing is claimed."""
    if is_moving(fix):
        if distance is not None:
            away, bearing = distance
            return (f"{figures.distance(away)} towards {bearing:.0f}° from the reference, and moving.",)
        return (f"Moving at {fix.fresh('speed_knots'):.1f} kn, so no scatter is claimed.",)
    if found is None or found.samples < ENOUGH:
        return ()
    about = "the reference" if found.from_reference else "their mean"
    few = found.independent < FEW_INDEPENDENT
    worth = figures.several(int(found.independent), "independent position")
    warning = f", but they are worth only {worth}" if few else ""
    kind = f"{found.level} " if found.others else ""
    return (
        f"Half of the last {figures.count(found.samples)} {kind}positions lie within ",
        (figures.distance(found.cep50_m), "*text"),
        f" of {about}, 95 % within ",
        (figures.distance(found.cep95_m), "*text"),
        f"{warning}.",
    )


def _satellite_words(fix: FixSnapshot) -> str:
    """Used of seen; without lists of satellites what the position sentence says, or nothing."""
    if fix.sky.satellites:
        return f"{fix.sky.used} of {figures.several(len(fix.sky.satellites), 'satellite')} used"
    used = fix.fresh("satellites_used")
    return "satellites not reported" if used is None else f"{figures.several(used, 'satellite')} used"


def _waiting(snapshot: BenchSnapshot, fix: FixSnapshot, since: str) -> Words:
    """No position: since when, and what is being waited for."""
    outage = fix.history.outages[-1] if fix.history.outages else None
    start = fix.history.starts[-1] if fix.history.starts else None
    seen = "no list of satellites came"
    if fix.sky.heard:
        seen = f"{figures.several(len(fix.sky.satellites), 'satellite')} seen, {fix.sky.used} used"
    starting = start is not None and start.first_fix is None and start.begin is not None
    if outage is not None and outage.end is None and outage.lost not in UNSAID and not starting:
        lost = figures.duration((snapshot.now - outage.begin) / SECOND)
        return ((f"The fix has been lost for {lost}", "*coral"), f": {seen}. The last position is kept.")
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
    return ((f"{known}, after {passed}{mode}", f"*{role}"), f": {seen}. Waiting for: {missing}.")


def is_moving(fix: FixSnapshot) -> bool:
    """Whether it says itself that it moves."""
    speed = fix.fresh("speed_knots")
    return speed is not None and speed > AT_REST_KNOTS
