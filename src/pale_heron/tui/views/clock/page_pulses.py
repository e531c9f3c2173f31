"""Whether the pulses come: counts, how even they are, how a clock runs against them, and why there may be none."""

from typing import Final

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.clock.clock_object import ClockPicture
from pale_heron.core.clock.pulse import PulsePhase, PulseSnapshot
from pale_heron.core.clock.pulse_words import (
    drift_words,
    no_finer,
    offset_words,
    pulse_findings,
    pulse_state,
    signed,
)
from pale_heron.core.figures import several
from pale_heron.core.frames import SECOND
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.dots import Dots
from pale_heron.tui.painting.paint import BLANK, Line, Span, cut, labelled, line, titled, wrapped
from pale_heron.tui.painting.shell import bars

NAME: Final = 12
ROWS: Final = 5
LABEL: Final = 11
LEAST_PLOT: Final = 40
FEW: Final = 10
SILENT: Final = (
    "No source of pulses is listened to: p adds one. Any of these will do:",
    "  the kernel's PPS device (RFC 2783), a control line of a lane (dcd, cts, ri, dsr), lines that a board prints",
)


def paint(snapshot: BenchSnapshot, picture: ClockPicture, width: int) -> list[Line]:
    """Each source, one below the other."""
    if not picture.pulses:
        return [cut(line((words, "quiet")), width) for words in SILENT]
    now = snapshot.now if snapshot.replay is None or snapshot.replay.playing else None
    fixed = _fixed(snapshot)
    rows: list[Line] = []
    for each in picture.pulses:
        rows += [*_source(each, now, width), *_findings(each, now, fixed, width), BLANK]
    return rows[:-1]


def _fixed(snapshot: BenchSnapshot) -> bool | None:
    """Whether a receiver here has a fix; None where there is none."""
    known = [lane.fix.state.is_fix for lane in snapshot.lanes if lane.fix.facts]
    return any(known) if known else None


def _source(each: PulseSnapshot, now: int | None, width: int) -> list[Line]:
    role, words = pulse_state(each, now)
    told = words.removeprefix(f"{safe_label(each.source)}: ")
    rows = wrapped(line((told, f"*{role}")), width)
    if each.interval is not None:
        found = each.interval
        spread = no_finer(found.deviation, each)
        rows += _row(
            "interval",
            f"mean {found.mean:.9f} s, {found.least:.6f} to {found.most:.6f} s, deviation {spread}, "
            f"of {several(each.intervals, 'interval')}",
            width,
        )
        rows += _histogram(each, width)
    if each.host_offset is not None:
        rows += _row("against it", offset_words(each), width)
    for drift, clock in ((each.drift, "this computer's clock"), (each.own, "the counter that it prints")):
        if drift is not None:
            rows += _row("drift", drift_words(drift, clock), width)
    rows += offset_plot(each.phases, width)
    return titled(safe_label(each.source), rows)


def _row(name: str, words: str, width: int) -> list[Line]:
    return labelled(Span(name, "quiet"), line((words, "text")), width, NAME)


def _histogram(each: PulseSnapshot, width: int) -> list[Line]:
    """How often each interval was seen, as its difference from a second."""
    times = each.interval_times
    if times is None or times.samples < FEW or len(times.histogram.counts) < 2:
        return []
    shape = times.histogram
    low, high = (signed(value - 1.0) for value in (shape.low, shape.high))
    drawn = bars([float(count) for count in shape.counts]).replace(" ", "·")
    after = f" {high}{' and more' if shape.open_ended else ''}"
    return [cut(line((f"{low:>{NAME - 1}} ", "faint"), (drawn, "heron"), (after, "faint")), width)]


def offset_plot(phases: tuple[PulsePhase, ...], width: int) -> list[Line]:
    """Where the pulses lay against this computer's seconds over time, in a scale that fits."""
    room = width - LABEL - 1
    if len(phases) < FEW or room < LEAST_PLOT:
        return []
    offsets = [each.offset_ns for each in phases]
    low, high = min(offsets), max(offsets)
    if low == high:
        return []
    columns = min(room, 100)
    dots = Dots(columns, ROWS)
    across, down = dots.size
    begin, end = phases[0].time, phases[-1].time
    for each in phases:
        x = (each.time - begin) / max(1, end - begin) * (across - 1)
        dots.dot(x, (high - each.offset_ns) / (high - low) * (down - 1), "tide")
    labels = {0: signed(high / SECOND), ROWS - 1: signed(low / SECOND)}
    rows = [line((f"{labels.get(number, ''):>{LABEL}} ", "faint"), *row) for number, row in enumerate(dots.lines())]
    since = f"{(end - begin) / SECOND:.0f} s before"
    return [*rows, line((f"{'':{LABEL}} {since}{'now':>{max(1, columns - len(since))}}", "faint"))]


def _findings(each: PulseSnapshot, now: int | None, fixed: bool | None, width: int) -> list[Line]:
    rows: list[Line] = []
    for found in pulse_findings(each, now, fixed=fixed):
        rows += wrapped(line((f"{found.text} ", "amber"), (found.next, "text")), width)
    return rows
