"""Charts of time, made for print as SVG or PDF: each a function from what is known of the clocks of a capture."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from pale_heron.core.clock.clock_object import ClockPicture
from pale_heron.core.clock.lag import LagSnapshot
from pale_heron.core.clock.offset import whole_seconds
from pale_heron.core.clock.pulse import PulseSnapshot
from pale_heron.core.clock.pulse_words import EDGE_ERRORS, drift_words, duration, no_finer, pulse_state
from pale_heron.core.frames import SECOND
from pale_heron.report.figures import (
    AMBER,
    BLUE,
    GREEN,
    INK,
    PLUM,
    RED,
    TEAL,
    NothingToDraw,
    check_format,
    clock_axis,
    plain,
    save,
    times_of,
    titled,
)
from pale_heron.report.words import span_words

MS: Final = 1000.0
BINS: Final = 50
LEAST: Final = 10
"""Fewer pulses say nothing by their shape."""

WAYS: Final = ((TEAL, "o"), (PLUM, "s"), (AMBER, "^"), (BLUE, "D"), (GREEN, "v"), (RED, "P"))
SCALES: Final = ((1.0, "s"), (1e-3, "ms"), (1e-6, "µs"), (1e-9, "ns"))


@dataclass(frozen=True, slots=True)
class ClockChartInput:
    """What a capture holds of time; `lane` and `pulse_source` are empty for the first that has what is drawn."""

    source: str
    picture: ClockPicture
    lane: str = ""
    pulse_source: str = ""

    @property
    def span(self) -> str:
        return span_words(self.picture.begin, self.picture.end)


def save_clock_chart(kind: str, charted: ClockChartInput, path: Path) -> None:
    """Draw and write. Raises NothingToDraw, or Trouble where it cannot be written."""
    check_format(path)
    save(CLOCK_KINDS[kind](charted), path)


def lag_chart(charted: ClockChartInput) -> Figure:
    """When each type of sentence comes after its second: over time in steps of ten seconds, and how often."""
    found = [(lane, lags) for lane, lags in charted.picture.lanes if lags.types and charted.lane in ("", lane)]
    if not found:
        raise NothingToDraw("No sentence tells a time here", "A lag chart needs a receiver that knows the time")
    lane, lags = found[0]
    apart = whole_seconds(lags)
    count = sum(each.lag.samples for each in lags.types)
    sample = f"{count} sentences of {len(lags.types)} types; {charted.span}; arrival of the first byte by this computer"
    sample += f"; {apart} whole seconds left out" if apart else ""
    figure = titled(f"After its second: {lane}", sample, charted.source)
    over_time, often = figure.subplots(2, 1, height_ratios=(3, 2))
    plain([over_time, often])
    values = {name: np.asarray(kept.values) for name, kept, _ in lags.counted}
    low = min(float(each.min()) for each in values.values()) - apart
    high = max(float(np.quantile(each, 0.99)) for each in values.values()) - apart
    for (ink, shape), each in zip(WAYS * len(lags.types), lags.types, strict=False):
        label = f"{each.type}: half by {MS * (each.lag.median - apart):.0f} ms"
        moments = times_of([point.time + 5 * SECOND for point in each.history])
        means = [MS * (point.mean - apart) for point in each.history]
        over_time.plot(moments, means, shape, linestyle="-", linewidth=0.8, color=ink, markersize=3, label=label)
        kept = MS * (values[each.type] - apart)
        shown = (MS * low, max(MS * high, MS * low + 1))
        often.hist(kept, bins=BINS, range=shown, histtype="stepfilled", color=ink, alpha=0.5)
    over_time.set_ylabel("ms after the second", color=INK, fontsize=9)
    _second(over_time, lags, apart)
    over_time.legend(fontsize=7, loc="upper left", bbox_to_anchor=(1.01, 1.0))
    clock_axis(over_time, dated=True)
    often.set_xlabel("ms after the second", color=INK, fontsize=9)
    often.set_ylabel("how often", color=INK, fontsize=9)
    return figure


def _second(axes: Axes, lags: LagSnapshot, apart: int) -> None:
    """Where the next second begins, if sentences come so late."""
    if any(each.lag.p95 - apart > 1.0 for each in lags.types):
        axes.axhline(MS, color=RED, linewidth=0.8, linestyle="--", label="the next second begins")


def _pulses(charted: ClockChartInput, what: str) -> PulseSnapshot:
    """The source to draw: the one that is named, else the first with pulses enough."""
    named = [each for each in charted.picture.pulses if charted.pulse_source in ("", each.source)]
    found = next((each for each in named if len(each.phases) >= LEAST), None)
    if found is None:
        raise NothingToDraw(f"There are no {LEAST} pulses of one source here", f"{what} needs pulses: --pulse SOURCE")
    return found


def _scale(values: Any) -> tuple[float, str]:
    """The unit in which a spread reads well."""
    most = float(np.max(np.abs(values))) if len(values) else 0.0
    return next(((size, unit) for size, unit in SCALES if most >= size), SCALES[-1])


def interval_chart(charted: ClockChartInput) -> Figure:
    """By how much each interval differs from a second: over time, and how often."""
    each = _pulses(charted, "A chart of intervals")
    numbers = np.array([phase.number for phase in each.phases])
    moments = np.array([phase.time for phase in each.phases])
    # From one pulse to the very next; the first interval is left out.
    follows = np.flatnonzero(np.diff(numbers) == 1)[1:]
    apart = (moments[follows + 1] - moments[follows]) / SECOND - each.period_s
    if not len(apart):
        raise NothingToDraw("No two pulses follow each other here", "A chart of intervals needs pulses without gaps")
    size, unit = _scale(apart)
    deviation = no_finer(float(np.std(apart, ddof=1)) if len(apart) > 1 else 0.0, each)
    sample = f"{len(apart)} intervals of the last {len(each.phases)} pulses; {charted.span}; deviation {deviation}"
    figure = titled(f"Pulses: {pulse_state(each, None)[1]}", sample, charted.source)
    over_time, often = figure.subplots(2, 1, height_ratios=(2, 1))
    plain([over_time, often])
    over_time.plot(times_of(moments[follows + 1]), apart / size, "o", color=TEAL, markersize=2.5, rasterized=True)
    over_time.set_ylabel(f"{unit} more than a second", color=INK, fontsize=9)
    clock_axis(over_time, dated=True)
    often.hist(apart / size, bins=BINS, histtype="stepfilled", color=TEAL, alpha=0.6)
    often.set_xlabel(f"{unit} more than a second", color=INK, fontsize=9)
    often.set_ylabel("how often", color=INK, fontsize=9)
    return figure


def offset_chart(charted: ClockChartInput) -> Figure:
    """How far this computer's clock is ahead by the pulses, over time, with the line of its drift."""
    each = _pulses(charted, "A chart of the offset")
    moments = np.array([phase.time for phase in each.phases])
    offsets = np.array([phase.offset_ns for phase in each.phases]) / SECOND
    size, unit = _scale(offsets)
    drift = drift_words(each.drift, "this computer's clock") if each.drift is not None else "too few for a drift"
    lately = "" if each.offset_now is None else f"; {duration(abs(each.offset_now.mean) / SECOND)} off at the end"
    sample = f"{len(offsets)} pulses of {each.source}; {charted.span}\n{drift}{lately}"
    figure = titled("This computer's clock against pulses", sample, charted.source)
    axes = figure.subplots()
    plain([axes])
    axes.plot(times_of(moments), offsets / size, "o", color=TEAL, markersize=2.5, rasterized=True, label="each pulse")
    if each.drift is not None and abs(each.drift.ppm) > EDGE_ERRORS * each.drift.error_ppm:
        passed = (moments - moments[0]) / SECOND
        slope = each.drift.ppm * 1e-6
        line = float(np.mean(offsets - slope * passed)) + slope * passed
        axes.plot(times_of(moments), line / size, color=PLUM, linewidth=1.0, label="drift")
        axes.legend(fontsize=8)
    axes.axhline(0, color=INK, linewidth=0.6)
    axes.set_ylabel(f"{unit} ahead", color=INK, fontsize=9)
    clock_axis(axes, dated=True)
    return figure


def steadiness_chart(charted: ClockChartInput) -> Figure:
    """The Allan deviation of this computer's clock against the pulses, over spans of time."""
    # A clock that never differs from its pulses, as in a simulation, has no place on a scale of powers of ten.
    drawn = [
        each
        for each in charted.picture.pulses
        if any(one.deviation > 0 for one in each.allan) and charted.pulse_source in ("", each.source)
    ]
    if not drawn:
        raise NothingToDraw("There are too few pulses here", "The Allan deviation of a span needs four such spans")
    spans = max(each.allan[-1].span_s for each in drawn)
    count = sum(len(each.phases) for each in drawn)
    sample = f"{count} pulses of {len(drawn)} sources; spans up to {spans} s; {charted.span}; overlapping estimate"
    figure = titled("How steady this computer's clock is against pulses", sample, charted.source)
    axes = figure.subplots()
    plain([axes])
    for (ink, shape), each in zip(WAYS * len(drawn), drawn, strict=False):
        found = [one for one in each.allan if one.deviation > 0]
        axes.loglog(
            [one.span_s for one in found], [one.deviation for one in found], shape, linestyle="-", color=ink,
            label=each.source,
        )  # fmt: skip
    ticks = [one.span_s for one in max((each.allan for each in drawn), key=len)]
    axes.set_xticks(ticks, [str(one) for one in ticks])
    axes.minorticks_off()
    axes.set_xlabel("span, s", color=INK, fontsize=9)
    axes.set_ylabel("Allan deviation", color=INK, fontsize=9)
    axes.legend(fontsize=8)
    return figure


CLOCK_KINDS: Final[Mapping[str, Callable[[ClockChartInput], Figure]]] = {
    "lag": lag_chart,
    "intervals": interval_chart,
    "offset": offset_chart,
    "steadiness": steadiness_chart,
}
