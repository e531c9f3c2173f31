"""Fix: where are we, and how sure?"""

import math
from itertools import pairwise
from typing import Final

from pale_heron.bench.model import BenchSnapshot
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.facts import EMPTY, GOOD, INVALID, STALE, ZERO, Fact
from pale_heron.core.gnss.fix import FixSnapshot
from pale_heron.core.gnss.history import MILESTONES
from pale_heron.core.gnss.satellites import SYSTEMS
from pale_heron.core.gnss.scatter import Scatter, scatter
from pale_heron.core.gnss.sky import Satellite
from pale_heron.core.gnss.states import FIX, FIX_3D, NO_FIX, TIME_ONLY, FixState
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.nmea import degrees
from pale_heron.tui import figures
from pale_heron.tui.dots import Dots
from pale_heron.tui.large import large
from pale_heron.tui.paint import BLANK, Line, Span, beside, ends, headline, line, titled, width_of
from pale_heron.tui.views.sky import sky, strength_role

QUESTION = "Where are we, and how sure?"
HELP = (
    "The state is what the deciding sentence says, and since when. A position stands in three notations with the raw "
    "digits: 06718.40000,W is 67 degrees and 18.4 minutes west, not 67.184 degrees.",
    "Each value has its sentence and its age. Empty (nothing in the field), zero (digits that are all zero without a "
    "fix), invalid (a value in a sentence that says there is no fix) and stale (nothing new for three intervals) are "
    "four different things; with each of them the last believed value stays, grey, with its age.",
    "In the sky the zenith is in the middle and north at the top. A filled disc is a satellite used for the position, "
    "an empty one is only seen. Green is strong (42 dB-Hz and more), blue fair (35), grey weak. The letter is the "
    "system as in RINEX: G GPS, R GLONASS, E Galileo, C BeiDou, J QZSS, I NavIC, S SBAS.",
    "The path is the last positions in metres. At rest it is the scatter: half of the positions lie within CEP50. The "
    "session shows the state over time, and how long each milestone took.",
)
RECENT = 180
ENOUGH = 10
"""Positions below which neither path nor scatter is shown."""

AT_REST_KNOTS = 0.3
STATE_ROLES: Final = {NO_FIX: "coral", TIME_ONLY: "amber", FIX: "reed", "2D": "amber", FIX_3D: "reed"}
_BLOCKS: Final = {NO_FIX: "░", TIME_ONLY: "▒", FIX: "█", "2D": "▓", FIX_3D: "█"}
_STANDINGS: Final = {EMPTY: "empty now", ZERO: "zero now", INVALID: "invalid now", STALE: "stale"}


def paint(snapshot: BenchSnapshot, lane: LaneSnapshot, width: int, height: int) -> list[Line]:
    """The whole view."""
    fix = lane.fix
    recent = scatter(fix.track.last(RECENT))
    role, answer = answer_of(snapshot, lane, recent)
    head = headline(QUESTION, role, answer, width)
    bottom = _session(snapshot, fix, width)
    room = max(1, height - len(head) - len(bottom) - 1)
    narrow = width < 100
    left_width = 42 if narrow else 50
    right_width = width - left_width - 3
    satellites = _counts(fix) if narrow else _satellites(fix, right_width)
    sky_rows = max(9, room - len(satellites) - (2 if narrow else 3))
    right = [
        *titled("SKY", sky(fix.sky.satellites, right_width, sky_rows), "● used  ○ seen only"),
        BLANK,
        *satellites,
    ]
    left = [*_state(snapshot, fix), BLANK, *_position(snapshot, fix, left_width), BLANK]
    left += _values(snapshot, fix, left_width)
    if room - len(left) >= 8 and recent is not None and recent.samples >= ENOUGH:
        left += [BLANK, *_path(fix, recent, left_width, room - len(left) - 2)]
    body = beside([(left, left_width), (right, right_width)], gap=3)[:room]
    body += [BLANK] * (room - len(body))
    return [*head, *body, *bottom]


def answer_of(snapshot: BenchSnapshot, lane: LaneSnapshot, recent: Scatter | None) -> tuple[str, Line]:
    """The role of the verdict, and the answer in a sentence or two."""
    fix = lane.fix
    if not fix.facts:
        return "amber", line(("Unknown: ", "*amber"), "no sentence with a position has come on this lane.")
    since = figures.duration(None if fix.since is None else (snapshot.now - fix.since) / SECOND)
    state = fix.state
    role = STATE_ROLES[state.state]
    if lane.line.last_byte is not None and snapshot.now - lane.line.last_byte > 5 * SECOND and not snapshot.replay:
        silent = figures.duration((snapshot.now - lane.line.last_byte) / SECOND)
        return "coral", line(
            ("Unknown now: ", "*coral"), f"the lane is silent for {silent}; it said {state.state} last."
        )
    if not state.has_position:
        return role, _waiting(snapshot, fix, since)
    hdop = fix.value("hdop")
    dilution = f", HDOP {hdop.value}" if hdop and hdop.value is not None else ""
    name = "Fix" if state.state == FIX else f"{state.state} fix"
    words = [
        Span(f"{name} for {since}", f"*{role}"),
        Span(f": {_satellite_words(fix)}{dilution}, {state.kind}. "),
    ]
    speed = fix.value("speed_knots")
    moving = speed is not None and speed.value is not None and speed.value > AT_REST_KNOTS
    if recent is not None and recent.samples >= 20 and not moving:
        words += [
            Span(f"Half of the last {recent.samples} positions lie within "),
            Span(figures.distance(recent.cep50_m), "*text"),
            Span(" of their mean, 95 % within "),
            Span(figures.distance(recent.cep95_m), "*text"),
            Span("."),
        ]
    elif moving and speed is not None:
        words.append(Span(f"Moving at {speed.value:.1f} kn, so no scatter is claimed."))
    return role, tuple(words)


def _satellite_words(fix: FixSnapshot) -> str:
    """Used of seen; without lists of satellites what the position sentence says, or nothing."""
    if fix.sky.satellites:
        return f"{fix.sky.used} of {len(fix.sky.satellites)} satellites used"
    told = fix.value("satellites_used")
    return f"{told.value} satellites used" if told and told.value is not None else "no word of satellites"


def _waiting(snapshot: BenchSnapshot, fix: FixSnapshot, since: str) -> Line:
    """No position: since when, and what is being waited for."""
    outage = fix.history.outages[-1] if fix.history.outages else None
    seen = f"{figures.several(len(fix.sky.satellites), 'satellite')} seen, {fix.sky.used} used"
    if outage is not None and outage.end is None:
        lost = figures.duration((snapshot.now - outage.begin) / SECOND)
        return line(
            ("The fix is lost ", "*coral"), (f"since {lost}", "*coral"), f": {seen}. The last position is kept."
        )
    start = fix.history.starts[-1] if fix.history.starts else None
    missing = next((name for name in MILESTONES if start and name not in start.reached), "3D")
    known = "Time is known, the position is not yet" if fix.state.state == TIME_ONLY else "No fix yet"
    return line((f"{known}, after {since}", f"*{STATE_ROLES[fix.state.state]}"), f": {seen}. Waiting for: {missing}.")


def _state(snapshot: BenchSnapshot, fix: FixSnapshot) -> list[Line]:
    """The state in letters that are read from where one stands."""
    role = STATE_ROLES[fix.state.state]
    words = large("time" if fix.state.state == TIME_ONLY else fix.state.state)
    since = figures.duration(None if fix.since is None else (snapshot.now - fix.since) / SECOND)
    beside_it = (
        (fix.state.kind or ("time, no position" if fix.state.state == TIME_ONLY else "no position"), "*text"),
        (f"for {since}", "quiet"),
        (f"decided by {fix.deciding}" if fix.deciding else "nothing said yet", "quiet"),
    )
    return [line((row.ljust(len(words[0]) + 3), role), note) for row, note in zip(words, beside_it, strict=True)]


def _position(snapshot: BenchSnapshot, fix: FixSnapshot, width: int) -> list[Line]:
    """The position three ways, and as it was sent."""
    latitude, longitude = fix.value("latitude"), fix.value("longitude")
    title = titled("POSITION", [])
    if latitude is None or longitude is None or latitude.value is None or longitude.value is None:
        state = "never heard" if latitude is None else "the fields are empty"
        return [*title, line((figures.NONE, "*quiet"), (f"   {state}", "quiet")), BLANK, BLANK, BLANK]
    good = latitude.standing == GOOD
    role, quiet = ("*text", "text") if good else ("*quiet", "quiet")
    raw = f"{latitude.raw}   {longitude.raw}"
    return [
        *title,
        line((f"{degrees.decimal(latitude.value):<19}{degrees.decimal(longitude.value)}", role)),
        line(
            (f"{degrees.degrees_minutes(latitude.value, 'NS'):<19}", quiet),
            (degrees.degrees_minutes(longitude.value, "EW"), quiet),
        ),
        line(
            (f"{degrees.degrees_minutes_seconds(latitude.value, 'NS', 2):<19}", quiet),
            (degrees.degrees_minutes_seconds(longitude.value, "EW", 2), quiet),
        ),
        ends(line((raw, "quiet")), _source(latitude, snapshot.now, width), width),
    ]


def _source(fact: Fact | None, now: int, width: int) -> Line:
    """Sentence and age, and what is the matter where something is; the age alone where there is little room."""
    if fact is None:
        return BLANK
    age = fact.age_s(now)
    words = f"{fact.source} {figures.duration(age)}" if width >= 50 else figures.duration(age)
    if fact.standing == GOOD:
        return line((words, "faint"))
    return line((_STANDINGS[fact.standing], "amber"), (f" {words}", "faint"))


def _values(snapshot: BenchSnapshot, fix: FixSnapshot, width: int) -> list[Line]:
    """Everything else that is said, each with its sentence and age."""
    altitude, separation = fix.value("altitude_m"), fix.value("geoid_separation_m")
    both = altitude and separation and altitude.value is not None and separation.value is not None
    ellipsoid = altitude.value + separation.value if both and altitude and separation else None
    course = fix.value("course_deg")
    heading = f" towards {course.value:.0f}°" if course and course.value is not None else ""
    date = fix.value("date")
    day = str(date.value) if date and date.value is not None else "date –"
    errors = [fix.value(name) for name in ("latitude_error_m", "longitude_error_m")]
    sigma = [error.value for error in errors if error is not None and error.value is not None]
    rows = [
        ("height", _shown(altitude, "{:.1f} m above sea level"), altitude),
        ("", figures.NONE if ellipsoid is None else f"{ellipsoid:.1f} m above the ellipsoid", separation),
        ("moving", _shown(fix.value("speed_knots"), "{:.1f} kn") + heading, fix.value("speed_knots")),
        ("time", _shown(fix.value("time"), "{} UTC"), fix.value("time")),
        ("date", day, date),
        ("dilution", _dops(fix, ("HDOP", "VDOP", "PDOP") if width >= 50 else ("HDOP", "VDOP")), fix.value("hdop")),
        ("expected", f"{math.hypot(*sigma):.1f} m horizontal error" if len(sigma) == 2 else figures.NONE, errors[0]),
    ]
    out = []
    for name, text, fact in rows:
        known = fact is not None and fact.value is not None
        role = "text" if fact and fact.standing == GOOD and known else "quiet"
        out.append(ends(line((f"{name:<10}", "quiet"), (text, role)), _source(fact, snapshot.now, width), width))
    return out


def _shown(fact: Fact | None, form: str) -> str:
    return figures.NONE if fact is None or fact.value is None else form.format(fact.value)


def _dops(fix: FixSnapshot, names: tuple[str, ...]) -> str:
    values = [(name, fix.value(name.lower())) for name in names]
    return "  ".join(f"{name} {fact.value}" for name, fact in values if fact and fact.value is not None) or figures.NONE


def _systems(fix: FixSnapshot) -> list[tuple[str, tuple[int, int]]]:
    """System letters with seen and used, in one order everywhere."""
    return sorted(fix.sky.by_system.items(), key=lambda item: list(SYSTEMS).index(item[0]))


def _counts(fix: FixSnapshot) -> list[Line]:
    """Used and seen of each system, where there is no room for every satellite."""
    rows = [
        line((letter, "*text"), (f" {SYSTEMS[letter]:<8}", "quiet"), f"{used:>2} of {seen:<3}")
        for letter, (seen, used) in _systems(fix)
    ]
    return titled("SATELLITES", rows or [line(("none seen", "quiet"))])


def _satellites(fix: FixSnapshot, width: int) -> list[Line]:
    """Every satellite by system: number and C/N0, used ones with a filled disc."""
    rows: list[Line] = []
    for letter, (seen, used) in _systems(fix):
        title = line((letter, "*text"), (f" {SYSTEMS[letter]:<8}", "quiet"), (f"{used:>2} of {seen:<3}", "text"))
        own = [satellite for satellite in fix.sky.satellites if satellite.name.system == letter]
        rows += _system_rows(title, own, width)
    age = None if fix.sky.seen_time is None else "C/N0 in dB-Hz"
    return titled("SATELLITES", rows or [line(("none seen", "quiet"))], age or "")


def _system_rows(title: Line, own: list[Satellite], width: int) -> list[Line]:
    """As many satellites in a row as there is room for."""
    indent = width_of(title) + 1
    per_row = max(1, (width - indent) // 8)
    rows = []
    for at in range(0, len(own), per_row):
        lead = title if at == 0 else line(" " * (indent - 1))
        cells = [span for satellite in own[at : at + per_row] for span in _cell(satellite)]
        rows.append((*lead, Span(" "), *cells))
    return rows


def _cell(satellite: Satellite) -> tuple[Span, ...]:
    strength = figures.NONE if satellite.cn0_dbhz is None else str(satellite.cn0_dbhz)
    role = strength_role(satellite.cn0_dbhz)
    return (
        Span("●" if satellite.used else "○", role),
        Span(f"{satellite.name.number:02d} ", "text" if satellite.used else "quiet"),
        Span(f"{strength:<3} ", role),
    )


def _path(fix: FixSnapshot, recent: Scatter, width: int, rows: int) -> list[Line]:
    """The last positions in metres about their mean, with a scale and, at rest, the rings of 50 % and 95 %."""
    dots = Dots(width, rows)
    across, down = dots.size
    farthest = max(max(abs(east), abs(north)) for east, north in recent.offsets_m) or 1.0
    scale = min(across, down) / 2 * 0.9 / farthest
    middle_x, middle_y = across / 2, down / 2
    speed = fix.value("speed_knots")
    if speed is not None and speed.value is not None and speed.value <= AT_REST_KNOTS:
        for radius in (recent.cep50_m, recent.cep95_m):
            dots.ring(middle_x, middle_y, radius * scale, "faint", gap=2.0)
    places = [(middle_x + east * scale, middle_y - north * scale) for east, north in recent.offsets_m]
    for before, after in pairwise(places):
        dots.line(*before, *after, "tide")
    east, north = recent.offsets_m[-1]
    dots.word(middle_x + east * scale, middle_y - north * scale, "◆", "amber")
    bar = _round_below(farthest)
    dots.line(2, down - 2, 2 + bar * scale, down - 2, "quiet")
    dots.word(4 + bar * scale, down - 3, figures.distance(bar).replace(".0 ", " "), "quiet")
    note = f"the last {recent.samples} positions, ◆ now, north is up"
    return titled("PATH", dots.lines(), note)


def _round_below(metres: float) -> float:
    """The largest of 1, 2, 5, 10, ... that is not longer."""
    power = 10.0 ** math.floor(math.log10(metres))
    return next(step * power for step in (5, 2, 1) if step * power <= metres * 1.0001)


def _session(snapshot: BenchSnapshot, fix: FixSnapshot, width: int) -> list[Line]:
    """The state over the whole session, and how long each milestone took."""
    rows: list[Line] = []
    spans = [span for span in fix.history.spans if span.begin is not None]
    start = fix.history.starts[-1] if fix.history.starts else None
    begin = (start.begin if start else None) or (spans[0].begin if spans else None)
    if begin is not None and snapshot.now > begin:
        states = [(span.begin or 0, span.state) for span in spans]
        rows.append(_ribbon(states, begin, snapshot.now, width))
    outages = fix.history.outages
    if outages:
        ended = [(each.end - each.begin) / SECOND for each in outages if each.end is not None]
        longest = f", the longest {figures.duration(max(ended))}" if ended else ""
        count = figures.several(len(outages), "outage")
        note = f"{count}{longest}{', one now' if outages[-1].end is None else ''}"
    else:
        note = "no outage" if fix.epochs_with_fix else ""
    if start is not None and start.begin is not None:
        cells = []
        for name in MILESTONES[1:]:
            time = start.reached.get(name)
            passed = figures.duration((time - start.begin) / SECOND) if time is not None else "…"
            short = name.removeprefix("satellite ")
            cells.append(line((f"{short} ", "quiet"), (f"{passed}   ", "text" if time is not None else "amber")))
        rows += _flowed(cells, width)
    share = f"{figures.count(fix.epochs_with_fix)} of {figures.count(fix.epochs)} epochs with a fix"
    passed = figures.duration((snapshot.now - begin) / SECOND) if begin else figures.NONE
    title = ends(
        line(("SESSION", "quiet"), (f"  {passed}, {share}", "quiet")),
        line((note, "amber" if outages else "quiet")),
        width,
    )
    return [title, *(rows or [BLANK])]


def _flowed(cells: list[Line], width: int) -> list[Line]:
    """Cells one after the other, as many in a row as there is room for."""
    rows: list[Line] = [BLANK]
    for cell in cells:
        if width_of(rows[-1]) + width_of(cell) > width and rows[-1]:
            rows.append(BLANK)
        rows[-1] = (*rows[-1], *cell)
    return rows


def _ribbon(states: list[tuple[int, FixState]], begin: int, end: int, width: int) -> Line:
    """One column a stretch of time, showing the worst state in it."""
    order = (NO_FIX, TIME_ONLY, "2D", FIX, FIX_3D)
    columns: list[str] = []
    place, current = 0, NO_FIX
    for column in range(width):
        until = begin + (end - begin) * (column + 1) // width
        worst = current
        while place < len(states) and states[place][0] < until:
            current = states[place][1].state
            if states[place][0] <= begin + (end - begin) * column // width:
                worst = current
            worst = min(worst, current, key=order.index)
            place += 1
        columns.append(worst)
    spans: list[Span] = []
    for state in columns:
        role = STATE_ROLES[state]
        if spans and spans[-1].role == role:
            spans[-1] = spans[-1]._replace(text=spans[-1].text + _BLOCKS[state])
        else:
            spans.append(Span(_BLOCKS[state], role))
    return tuple(spans)
