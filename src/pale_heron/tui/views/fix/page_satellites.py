"""The page `satellites` of Fix: the sky with trails, and every satellite with its C/N0 as a bar."""

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.satellites.sky import Satellite
from pale_heron.core.gnss.snapshot import FixSnapshot
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.nmea.systems import SYSTEMS
from pale_heron.tui.painting.paint import BLANK, Line, beside, line, titled, wrapped
from pale_heron.tui.views.fix.choices import FixChoices
from pale_heron.tui.views.fix.page_now import NARROW, systems_of
from pale_heron.tui.views.fix.sky_chart import shape_of, sky, strength_role

MOST_CN0 = 55
ROW = 44
"""Columns of one satellite in the table."""

_PARTS = " ▏▎▍▌▋▊▉█"


def paint(snapshot: BenchSnapshot, lane: LaneSnapshot, _look: FixChoices, width: int, room: int) -> list[Line]:
    """The sky on the left, the table on the right, in as many columns as there is room for."""
    fix = lane.fix
    columns = 1 if width < NARROW else max(1, (width - 50) // (ROW + 2))
    table_width = columns * (ROW + 2)
    sky_width = width - table_width - 2
    note = "the way of the last hour" if fix.sky.trails else ""
    left = titled("SKY", sky(fix.sky, sky_width, room - 1, trails=True), note)
    note = _note(snapshot, fix)
    right = [*titled("SATELLITES", wrapped(line((note, "quiet")), table_width)), *_table(fix, columns, room - 4)]
    return beside([(left, sky_width), (right, table_width)], gap=2)


def _note(snapshot: BenchSnapshot, fix: FixSnapshot) -> str:
    """How old the lists are, and which are incomplete."""
    sky_now = fix.sky
    age = None if sky_now.seen_time is None else (snapshot.now - sky_now.seen_time) / SECOND
    words = f"C/N0 in dB-Hz, lists {figures.age(age)}" if age is not None else "no list came yet"
    if sky_now.incomplete_now:
        return f"✕ incomplete: {', '.join(sky_now.incomplete_now)}, shown is the list before. {words}"
    return words


def _table(fix: FixSnapshot, columns: int, rows: int) -> list[Line]:
    """Every satellite under the head of its system; what does not fit is counted."""
    every: list[Line] = []
    for letter, (seen, used) in systems_of(fix):
        head = line((letter, "*text"), (f" {SYSTEMS[letter].name}  {used} used of {seen}", "quiet"))
        every += [head, *(_row(each) for each in fix.sky.satellites if each.name.system == letter)]
    if not every:
        return [line(("none seen", "quiet"))]
    head = line(("     elev  azim", "faint"), ("  C/N0", "faint"))
    fit = columns * max(1, rows)
    if len(every) > fit:
        hidden = len(every) - fit + 1
        every = [*every[: fit - 1], line((f"and {hidden} lines more: a larger window shows them", "amber"))]
    each = -(-len(every) // columns)
    blocks = [(every[place : place + each], ROW) for place in range(0, len(every), each)]
    return [*beside([([head], ROW)] * len(blocks)), *beside(blocks), BLANK]


def _row(satellite: Satellite) -> Line:
    role = strength_role(satellite.cn0_dbhz)
    elevation = "  –" if satellite.elevation_deg is None else f"{satellite.elevation_deg:>3}°"
    azimuth = "  –" if satellite.azimuth_deg is None else f"{satellite.azimuth_deg:>3}°"
    strength = figures.NONE if satellite.cn0_dbhz is None else str(satellite.cn0_dbhz)
    signals = f" {len(satellite.signals)} sig" if len(satellite.signals) > 1 else ""
    return line(
        (shape_of(satellite), role),
        (f"{satellite.name} ", "text" if satellite.used else "quiet"),
        (f"{elevation:<5} {azimuth:<5}", "quiet"),
        (f"{strength:>3} ", role),
        (_bar(satellite.cn0_dbhz, 22 - len(signals)), role),
        (signals, "faint"),
    )


def _bar(cn0: int | None, width: int) -> str:
    """A bar of eighths of a column; full at MOST_CN0."""
    eighths = 0 if cn0 is None else min(8 * width, round(8 * width * cn0 / MOST_CN0))
    whole, part = divmod(eighths, 8)
    return ("█" * whole + (_PARTS[part] if part else "")).ljust(width)
