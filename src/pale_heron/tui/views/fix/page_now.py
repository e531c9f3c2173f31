"""The page `now` of Fix: state and position to be read from afar, every value with its sentence and age, the sky."""

import math
from datetime import UTC, datetime
from itertools import pairwise
from typing import Final

from pale_heron.answers.fix import STATE_ROLES, is_moving
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.facts import EMPTY, GOOD, INVALID, STALE, ZERO, Fact
from pale_heron.core.gnss.quality import DILUTION, graded
from pale_heron.core.gnss.scatter import Scatter
from pale_heron.core.gnss.snapshot import FixSnapshot
from pale_heron.core.gnss.states import NO_FIX, TIME_ONLY, WITHOUT_SKY
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.nmea import degrees
from pale_heron.core.nmea.systems import SYSTEMS
from pale_heron.core.utc import midnight, time_of_day
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.dots import Dots
from pale_heron.tui.painting.large import large, large_figure
from pale_heron.tui.painting.paint import BLANK, Line, beside, ends, line, titled, wrapped
from pale_heron.tui.views.fix.choices import FixChoices
from pale_heron.tui.views.fix.sky_chart import sky

LEFT, LEFT_NARROW = 62, 42
NARROW = 100
MOST_FINDINGS = 3
LEAST_PATH = 5
_LARGE: Final = {TIME_ONLY: "time", **dict.fromkeys(WITHOUT_SKY, NO_FIX)}
"""What stands in large letters in place of the state; how the position is made stands beside it."""

_CONDITIONS: Final = {EMPTY: "empty now", ZERO: "zero now", INVALID: "invalid now", STALE: "stale"}


def paint(snapshot: BenchSnapshot, lane: LaneSnapshot, look: FixChoices, width: int, room: int) -> list[Line]:
    """Two columns: what is said, and the sky."""
    fix = lane.fix
    left_width = LEFT_NARROW if width < NARROW else LEFT
    right_width = width - left_width - 3
    left = [*_state(snapshot, fix), BLANK, *_position(snapshot, fix, left_width)]
    left += [BLANK] if room > len(left) + 9 else []
    left += _values(snapshot, fix, left_width)
    left += _witnesses(fix)
    narrow = width < NARROW
    note = "" if narrow else "the best C/N0 in dB-Hz"
    below = [*titled("SATELLITES", _systems(fix, narrow), note), *_findings(lane, right_width)]
    below = below[: max(6, room - 12)]
    drawing = sky(fix.sky, right_width, max(8, room - len(below) - 2))
    right = [*titled("SKY", drawing, _legend(width)), BLANK, *below]
    path_rows = room - len(left) - 2
    if path_rows >= LEAST_PATH and look.scatter is not None and is_moving(fix):
        left += [BLANK, *path(look.scatter, left_width, path_rows)]
    return beside([(left, left_width), (right, right_width)], gap=3)


def _legend(width: int) -> str:
    return "● used  ○ seen only, larger is stronger" if width >= NARROW else "● used  ○ seen"


def _state(snapshot: BenchSnapshot, fix: FixSnapshot) -> list[Line]:
    """The state in letters that are read from where one stands."""
    role = STATE_ROLES[fix.state.state]
    words = large(_LARGE.get(fix.state.state, fix.state.state))
    since = figures.duration(None if fix.since is None else (snapshot.now - fix.since) / SECOND)
    deciding = ", ".join(each.formatter for each in fix.testimonies if each.decides)
    if fix.overdue_s is not None:
        notes = (f"it said {fix.state.state} last,", f"{figures.duration(fix.overdue_s)} ago", "unknown since then")
        unknown = large("-")
        return [
            line((row.ljust(len(unknown[0]) + 3), "quiet"), (note, "*coral" if index == 2 else "text"))
            for index, (row, note) in enumerate(zip(unknown, notes, strict=True))
        ]
    kind = (fix.state.kind or ("time, no position" if fix.state.state == TIME_ONLY else "no position"), "*text")
    if fix.datum and fix.state.has_position:
        kind = (f"{fix.state.kind}, not WGS 84", "*amber")
    beside_it = (
        kind,
        (f"for {since}", "quiet"),
        (f"decided by {deciding}" if deciding else "nothing said yet", "quiet"),
    )
    return [line((row.ljust(len(words[0]) + 3), role), note) for row, note in zip(words, beside_it, strict=True)]


def _position(snapshot: BenchSnapshot, fix: FixSnapshot, width: int) -> list[Line]:
    """The position large, three ways, and as it was sent."""
    latitude, longitude = fix.value("latitude"), fix.value("longitude")
    if latitude is None or longitude is None or latitude.value is None or longitude.value is None:
        state = "never heard" if latitude is None else "the fields are empty"
        return titled("POSITION", [line((figures.NONE, "*quiet"), (f"   {state}", "quiet")), BLANK, BLANK])
    good = latitude.condition == GOOD
    role, quiet = ("*text", "text") if good else ("*quiet", "quiet")
    rows = [line((row, role)) for row in large_figure(_lettered(latitude.value, "NS"))]
    rows += [line((row, role)) for row in large_figure(_lettered(longitude.value, "EW"))]
    # As many digits as were sent, five of a minute at least: 2 cm.
    sent = max(5, min(7, len(latitude.raw.partition(",")[0].partition(".")[2])))
    pair = ((latitude.value, "NS"), (longitude.value, "EW"))
    both = (
        [degrees.decimal(value, sent + 2) for value, _ in pair],
        [degrees.degrees_minutes(value, letters, sent) for value, letters in pair],
        [degrees.degrees_minutes_seconds(value, letters, sent - 3) for value, letters in pair],
    )
    rows += [line((f"{first:<19}{second}", quiet)) for first, second in both]
    raw = f"{latitude.raw}   {longitude.raw}"
    return [*rows, ends(line((raw, "quiet")), source(latitude, snapshot.now, width), width)]


def _lettered(value: float, pair: str) -> str:
    """Five decimals are a metre: what can be read from afar."""
    return f"{abs(value):.5f} {pair[value < 0]}"


def source(fact: Fact | None, now: int, width: int) -> Line:
    """Sentence and age, and what is the matter where something is; the age alone where there is little room."""
    if fact is None:
        return BLANK
    age = fact.age_s(now)
    words = f"{fact.source} {figures.duration(age)}" if width >= LEFT else figures.duration(age)
    if fact.condition == GOOD:
        return line((words, "faint"))
    return line((_CONDITIONS[fact.condition], "amber"), (f" {words}", "faint"))


def _values(snapshot: BenchSnapshot, fix: FixSnapshot, width: int) -> list[Line]:
    """Everything else that is said, each with its sentence and age."""
    altitude, separation = fix.value("altitude_m"), fix.value("geoid_separation_m")
    both = altitude and separation and altitude.value is not None and separation.value is not None
    above = figures.NONE
    if both and altitude and separation and altitude.condition == separation.condition:
        ellipsoid = altitude.value + separation.value
        above = f"{ellipsoid:.{_decimals(altitude)}f} m above ellipsoid, geoid {separation.value:+.1f} m"
    course = fix.fresh("course_deg")
    towards = f" towards {course:.0f}°" if course is not None and is_moving(fix) else ""
    heading = fix.fresh("heading_deg")
    towards += f", heading {heading:.1f}°" if heading is not None else ""
    date, time = fix.value("date"), fix.value("time")
    day = str(date.value) if date and date.value is not None else "date –"
    sigma = [each for name in ("latitude_error_m", "longitude_error_m") if (each := fix.fresh(name)) is not None]
    vertical = fix.fresh("altitude_error_m")
    up = f", {_small(vertical)} vertical" if vertical is not None and width >= LEFT else ""
    expected = f"{_small(math.hypot(*sigma))} horizontal{up}" if len(sigma) == 2 else figures.NONE
    rows = [
        ("height", shown(altitude, f"{{:.{_decimals(altitude)}f}} m above sea level"), altitude),
        ("", above if width >= LEFT else above.split(",")[0], separation),
        ("moving", shown(fix.value("speed_knots"), "{:.1f} kn") + towards, fix.value("speed_knots")),
        ("time", shown(time, "{} UTC") + (_local(date, time) if width >= LEFT else ""), time),
        # Where there is no room beside the time, the local time stands with the day.
        ("date", day + ("" if width >= LEFT else _local(date, time)), date),
        ("dilution", _dops(fix, width), fix.value("hdop")),
        ("expected", f"{expected} error", fix.value("latitude_error_m")),
    ]
    out = []
    for name, text, fact in rows:
        known = fact is not None and fact.value is not None
        role = "text" if fact and fact.condition == GOOD and known else "quiet"
        out.append(ends(line((f"{name:<10}", "quiet"), (text, role)), source(fact, snapshot.now, width), width))
    return out


def _local(date: Fact | None, time: Fact | None) -> str:
    """The same moment by the clocks of this place; nothing before the date is known."""
    if date is None or time is None or date.value is None or time.value is None:
        return ""
    try:
        moment = datetime.fromtimestamp((midnight(date.value) + time_of_day(time.value)) // SECOND, UTC)
    except (ValueError, OverflowError):
        return ""
    return f", {moment.astimezone():%H:%M:%S} local"


def _decimals(fact: Fact | None) -> int:
    """As many as were sent, up to millimetres."""
    return min(3, len(fact.raw.partition(",")[0].partition(".")[2])) if fact else 1


def _small(metres: float) -> str:
    return f"{metres:.1f} m" if metres >= 0.95 else figures.distance(metres)


def shown(fact: Fact | None, form: str) -> str:
    """A value in a form, or the sign for none."""
    return figures.NONE if fact is None or fact.value is None else form.format(fact.value)


def _dops(fix: FixSnapshot, width: int) -> str:
    names = ("HDOP", "VDOP", "PDOP") if width >= LEFT else ("HDOP", "VDOP")
    values = {name: fix.fresh(name.lower()) for name in names}
    if values["HDOP"] is None:
        # What is no longer said stands by itself, with its age.
        return shown(fix.value("hdop"), "HDOP {}")
    word = f", {graded(values['HDOP'], DILUTION).word}" if width >= LEFT else ""
    return " ".join(f"{name} {value}" for name, value in values.items() if value is not None) + word


def _witnesses(fix: FixSnapshot) -> list[Line]:
    """What each sentence says of the fix; the one that decides first."""
    return [
        line(
            (f"{'says' if place == 0 else '':<10}", "quiet"),
            (f"{each.formatter} ", "text" if each.decides else "quiet"),
            (each.words, "quiet"),
        )
        for place, each in enumerate(fix.testimonies)
    ]


def _findings(lane: LaneSnapshot, width: int) -> list[Line]:
    """What is wrong with the line and with what is said on it; and what to do about the weightiest."""
    rows: list[Line] = []
    for place, finding in enumerate(lane.findings[:MOST_FINDINGS]):
        evidence = f"{finding.evidence}." if finding.evidence else ""
        rows += wrapped(line(("✕ ", "coral"), (f"{safe_label(finding.text)} ", "*amber"), safe_label(evidence)), width)
        rows += wrapped(line((safe_label(finding.next), "quiet")), width) if place == 0 else []
    return [BLANK, *titled("WHAT DOES NOT FIT", rows)] if rows else []


def _systems(fix: FixSnapshot, narrow: bool) -> list[Line]:
    """Used and seen of each system, and how strong its best are."""
    rows = []
    for letter, (seen, used) in systems_of(fix):
        own = sorted((each.cn0_dbhz or 0 for each in fix.sky.satellites if each.name.system == letter), reverse=True)
        best = ", ".join(str(strength) for strength in own[:4] if strength)
        rows.append(
            line(
                (letter, "*text"),
                (f" {SYSTEMS[letter].name:<8}", "quiet"),
                f"{used:>2} used of {seen:<3}",
                (f"  C/N0 {best}" if best and not narrow else "", "quiet"),
            )
        )
    return rows or [line(("none seen" if fix.sky.heard else "no list of satellites came", "quiet"))]


def systems_of(fix: FixSnapshot) -> list[tuple[str, tuple[int, int]]]:
    """System letters with seen and used, in one order everywhere."""
    return sorted(fix.sky.by_system.items(), key=lambda item: list(SYSTEMS).index(item[0]))


def path(recent: Scatter, width: int, rows: int) -> list[Line]:
    """The last positions in metres about their mean, with a scale."""
    dots = Dots(width, rows)
    across, down = dots.size
    offsets = recent.offsets_m[-1000:].tolist()
    farthest = max(max(abs(east), abs(north)) for east, north in offsets) or 1.0
    scale = min(across, down) / 2 * 0.9 / farthest
    places = [(across / 2 + east * scale, down / 2 - north * scale) for east, north in offsets]
    for before, after in pairwise(places):
        dots.line(*before, *after, "tide")
    dots.word(*places[-1], "◆", "amber")
    bar = round_below(farthest)
    dots.line(2, down - 2, 2 + bar * scale, down - 2, "quiet")
    dots.word(4 + bar * scale, down - 3, figures.distance(bar).replace(".0 ", " "), "quiet")
    span = f" ({figures.duration(recent.span_s)})" if recent.span_s else ""
    told = f"the last {recent.samples} positions{span}, ◆ now, north is up"
    return titled("PATH", dots.lines(), told if len(told) + len("PATH  ") <= width else "◆ now, north is up")


def round_below(metres: float) -> float:
    """The largest of 1, 2, 5, 10, ... that is not longer."""
    power = 10.0 ** math.floor(math.log10(metres))
    return next(step * power for step in (5, 2, 1) if step * power <= metres * 1.0001)
