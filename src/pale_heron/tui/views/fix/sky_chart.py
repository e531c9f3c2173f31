"""The sky over the antenna, drawn from elevation, azimuth and C/N0."""

import math
from itertools import pairwise

from pale_heron.core.gnss.satellites.sky import Satellite, Sky
from pale_heron.tui.painting.dots import Dots
from pale_heron.tui.painting.paint import Line

STRONG_DBHZ, FAIR_DBHZ = 42, 35
_RINGS = (0, 30, 60)
_USED, _SEEN = "●•∙", "○◦◌"
"""Strong, fair, weak: the larger the stronger."""


def strength_role(cn0: int | None) -> str:
    """Strong, fair or weak, by the words of the trade about C/N0."""
    if cn0 is None:
        return "quiet"
    return "reed" if cn0 >= STRONG_DBHZ else "heron" if cn0 >= FAIR_DBHZ else "quiet"


def shape_of(satellite: Satellite) -> str:
    """Filled where it is used, large where it is strong."""
    cn0 = satellite.cn0_dbhz or 0
    size = 0 if cn0 >= STRONG_DBHZ else 1 if cn0 >= FAIR_DBHZ else 2
    return (_USED if satellite.used else _SEEN)[size]


def sky(seen: Sky, columns: int, rows: int, trails: bool = False) -> list[Line]:
    """Zenith in the middle, north at the top, the horizon on the outer ring; with `trails` the way of the last hour."""
    dots = Dots(columns, rows)
    across, down = dots.size
    middle_x, middle_y = across / 2, down / 2
    radius = min(across / 2 - 5, down / 2 - 5)
    for elevation in _RINGS:
        dots.ring(middle_x, middle_y, radius * (90 - elevation) / 90, "faint", gap=1.0 if elevation == 0 else 3.0)
    for word, x, y in (("N", 0, -1), ("S", 0, 1), ("E", 1, 0), ("W", -1, 0)):
        dots.word(middle_x + x * (radius + 4) - 1, middle_y + y * (radius + 4), word, "quiet")
    for elevation in _RINGS[1:]:
        dots.word(middle_x + 1, middle_y - radius * (90 - elevation) / 90, f"{elevation}°", "faint")

    def place(elevation: int | None, azimuth: int | None) -> tuple[float, float]:
        turn = math.radians(azimuth or 0)
        away = radius * (90 - max(0, min(90, elevation or 0))) / 90
        return middle_x + away * math.sin(turn), middle_y - away * math.cos(turn)

    placed = [each for each in seen.satellites if each.elevation_deg is not None and each.azimuth_deg is not None]
    if trails:
        for satellite in placed:
            way = [place(each.elevation_deg, each.azimuth_deg) for each in seen.trails.get(satellite.name, ())]
            for before, after in pairwise((*way, place(satellite.elevation_deg, satellite.azimuth_deg))):
                dots.line(*before, *after, "quiet")
    for satellite in sorted(placed, key=lambda each: (each.used, each.cn0_dbhz or 0), reverse=True):
        _write(dots, satellite, *place(satellite.elevation_deg, satellite.azimuth_deg))
    return dots.lines()


def _write(dots: Dots, satellite: Satellite, x: float, y: float) -> None:
    """A disc and the name; where there is no room to the right, the name stands to the left, or is left out."""
    shape, role, name = shape_of(satellite), strength_role(satellite.cn0_dbhz), str(satellite.name)
    if dots.is_free(x, y, 1 + len(name)):
        dots.word(x, y, shape + name, role)
    elif dots.is_free(x - 2 * len(name), y, 1 + len(name)):
        dots.word(x - 2 * len(name), y, name + shape, role)
    elif dots.is_free(x, y, 1):
        dots.word(x, y, shape, role)
