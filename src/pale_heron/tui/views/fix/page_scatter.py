"""The page `scatter` of Fix: the positions in metres about their mean or about a known point, and what they prove."""

from typing import Final

from pale_heron.answers.fix import is_moving
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.gnss.quality import DILUTION, graded
from pale_heron.core.gnss.scatter import FEW_INDEPENDENT, Scatter
from pale_heron.core.gnss.snapshot import FixSnapshot
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.nmea import degrees
from pale_heron.tui.painting.dots import Dots
from pale_heron.tui.painting.paint import BLANK, Line, beside, line, titled, wrapped
from pale_heron.tui.views.fix.choices import FixChoices
from pale_heron.tui.views.fix.page_now import NARROW, path, round_below, shown

FIGURES, FIGURES_NARROW = 54, 33
MOST_DOTS = 5000
_KEYS: Final = (
    ("p", "type a reference point"),
    ("P", "take the mean as reference"),
    ("h", "how much of the last time"),
    ("x", "keep this drawing"),
)


def paint(_snapshot: BenchSnapshot, lane: LaneSnapshot, look: FixChoices, width: int, room: int) -> list[Line]:
    """The drawing on the left, the figures on the right."""
    fix, found = lane.fix, look.scatter
    figures_width = FIGURES if width >= NARROW else FIGURES_NARROW
    drawn_width = width - figures_width - 3
    if found is None:
        words = "two positions are needed for a scatter; they are counted from the first fix on"
        return [*wrapped(line((words, "quiet")), width), BLANK, *_reference(look, width)]
    if is_moving(fix) and look.reference is None:
        drawing = path(found, drawn_width, max(6, room - 1))
    else:
        drawing = _drawing(found, drawn_width, max(6, room - 1))
    right = [*_figures(fix, found, look, figures_width), BLANK, *_claim(found, fix, figures_width), BLANK]
    right += _reference(look, figures_width)
    right += [BLANK, *_dilution(fix)]
    if room - len(right) > len(_KEYS):
        right += [BLANK, *(line((f"{key}  ", "amber"), (words, "quiet")) for key, words in _KEYS)]
    return beside([(drawing, drawn_width), (right, figures_width)], gap=3)


def _drawing(found: Scatter, width: int, rows: int) -> list[Line]:
    """Every position a dot, the rings of 50 % and 95 %, a cross at the point that distances count from."""
    dots = Dots(width, rows)
    across, down = dots.size
    offsets = found.offsets_m[-MOST_DOTS:].tolist()
    farthest = max(found.cep95_m * 1.15, max(max(abs(east), abs(north)) for east, north in offsets)) or 1.0
    scale = min(across, down) / 2 * 0.94 / farthest
    middle_x, middle_y = across / 2, down / 2
    step = round_below(farthest)
    for side in (-1, 1):
        dots.line(middle_x + side * step * scale, middle_y - 3, middle_x + side * step * scale, middle_y + 3, "quiet")
        dots.line(middle_x - 3, middle_y + side * step * scale, middle_x + 3, middle_y + side * step * scale, "quiet")
    dots.line(0, middle_y, across, middle_y, "line", gap=4.0)
    dots.line(middle_x, 0, middle_x, down, "line", gap=4.0)
    for east, north in offsets:
        dots.dot(middle_x + east * scale, middle_y - north * scale, "tide")
    for radius, name in ((found.cep50_m, "50 %"), (found.cep95_m, "95 %")):
        dots.ring(middle_x, middle_y, radius * scale, "amber", gap=2.0)
        dots.word(middle_x + 3, middle_y - radius * scale, f"{name} {figures.distance(radius)}", "amber")
    dots.word(middle_x, middle_y, "✚", "*heron")
    dots.word(middle_x + step * scale - 4, middle_y + 5, figures.distance(step).replace(".0 ", " "), "quiet")
    east, north = offsets[-1]
    dots.word(middle_x + east * scale, middle_y - north * scale, "◆", "*text")
    dots.word(middle_x + 2, 1, "N", "quiet")
    dots.word(across - 3, middle_y, "E", "quiet")
    about = "the reference" if found.from_reference else "the mean"
    told = f"✚ {about}, ◆ now, · one position each, metres"
    return titled("SCATTER", dots.lines(), told if len(told) + len("SCATTER  ") <= width else f"✚ {about}, ◆ now")


def _figures(fix: FixSnapshot, found: Scatter, look: FixChoices, width: int) -> list[Line]:
    about = "about the reference" if found.from_reference else "about their mean"
    span = f"over {figures.duration(found.span_s)}" if found.span_s is not None else "times unknown"
    east, north, up = found.mean
    rows = [
        ("CEP50", figures.distance(found.cep50_m), "half lie within"),
        ("CEP95", figures.distance(found.cep95_m), "95 % lie within"),
        ("2DRMS", figures.distance(found.drms2_m), "twice the RMS"),
        ("vertical 95 %", _metres(found.vertical95_m), "of heights"),
        (
            "deviation" if width >= FIGURES else "deviation ENU",
            " ".join(_metres(each) for each in found.deviations_m),
            "east, north, up",
        ),
    ]
    if found.from_reference:
        rows.append(
            (
                "mean off by" if width >= FIGURES else "mean off, ENU",
                " ".join(_metres(each) for each in (east, north, up)),
                "east, north, up",
            )
        )
    out = [
        line((f"{name:<14}", "quiet"), (f"{figure:<18}", "*text"), (words if width >= FIGURES else "", "faint"))
        for name, figure, words in rows
    ]
    kept = "all that are kept" if not look.span_s else f"the last {figures.duration(look.span_s)}"
    samples = line(
        (f"{figures.count(found.samples)} positions", "text"),
        (f" {span}, {kept}; worth about {int(found.independent)} independent ones", "quiet"),
    )
    if found.others:
        samples = (*samples, *line((f". All of them {found.level}; apart from them: {_others(found)}", "quiet")))
    moving = wrapped(line(("It moves: this is its way, no error.", "amber")), width) if is_moving(fix) else []
    return titled("HOW FAR APART", [*out, *wrapped(samples, width), *moving], about)


def _others(found: Scatter) -> str:
    return "; ".join(
        f"{figures.count(each.samples)} {each.level}, CEP95 {figures.distance(each.cep95_m)}" for each in found.others
    )


def _metres(number: float | None) -> str:
    if number is None:
        return figures.NONE
    return f"{'-' if number < 0 else ''}{figures.distance(abs(number))}"


def _claim(found: Scatter, fix: FixSnapshot, width: int) -> list[Line]:
    """What the receiver expects of itself, against what it does."""
    claimed, holds = found.claimed_drms_m, found.claim_holds
    if claimed is None:
        words = line(("It reports no expected error (no GST), so there is no claim to test.", "quiet"))
        return titled("DOES THE CLAIM HOLD", wrapped(words, width))
    against = f"RMS {figures.distance(claimed)} expected, {figures.distance(found.drms_m)} found: "
    if is_moving(fix) and not found.from_reference:
        verdict, role = "not to be tested while it moves.", "quiet"
    elif holds is None:
        verdict, role = f"too few independent positions to judge (from {FEW_INDEPENDENT} on).", "amber"
    else:
        verdict, role = ("it holds.", "reed") if holds else ("it does not hold.", "coral")
    return titled("DOES THE CLAIM HOLD", wrapped(line((against, "text"), (verdict, role)), width))


def _reference(look: FixChoices, width: int) -> list[Line]:
    point = look.reference
    if point is None:
        words = "none: p types a point that is known, P takes the mean"
        return titled("REFERENCE", wrapped(line((words, "quiet")), width))
    where = f"{degrees.decimal(point.latitude)}  {degrees.decimal(point.longitude)}"
    height = f"  {point.altitude_m:.1f} m" if point.altitude_m is not None else ""
    rows = [line(f"{where}{height}")]
    if look.distance is not None:
        away, bearing = look.distance
        rows.append(line(("now ", "quiet"), (figures.distance(away), "*text"), (f" towards {bearing:.1f}°", "quiet")))
    if look.warning:
        rows += wrapped(line((look.warning, "amber")), width)
    return titled("REFERENCE", rows, look.reference_from)


def _dilution(fix: FixSnapshot) -> list[Line]:
    """The words for each dilution, with the limits they go by."""
    rows = []
    for name in ("hdop", "vdop", "pdop"):
        fact = fix.value(name)
        if fact is None or fact.value is None:
            continue
        grade = graded(fact.value, DILUTION)
        limit = f"below {grade.below:g}" if grade.below < float("inf") else "from 20 on"
        rows.append(
            line(
                (f"{name.upper():<6}", "quiet"),
                (f"{shown(fact, '{:.1f}'):<6}", "*text"),
                (grade.word, "reed" if grade.holds else "amber"),
                (f" ({limit})", "faint"),
            )
        )
    return titled("DILUTION", rows or [line(("never heard", "quiet"))])
