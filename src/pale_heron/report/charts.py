"""Charts of receivers, made for print as SVG or PDF.

Each is a function from what a screen shows to a figure; lines differ by more than colour.
"""

import warnings
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from pale_heron.core.figures import several
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.comparison import compare
from pale_heron.core.gnss.earth.points import Point
from pale_heron.core.gnss.epochs.log import UNKNOWN_TIME, Epochs
from pale_heron.core.gnss.epochs.strip import SILENT
from pale_heron.core.gnss.satellites.signals import Series
from pale_heron.core.gnss.scatter import mean_point, offsets_m, scatter
from pale_heron.core.gnss.snapshot import AT_REST_KNOTS, FixSnapshot
from pale_heron.core.gnss.states import LEVELS
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.nmea.systems import SYSTEMS
from pale_heron.core.proof.marks import Mark
from pale_heron.report.figures import (
    AMBER,
    BLUE,
    GREEN,
    GREY,
    INK,
    PLUM,
    TEAL,
    NothingToDraw,
    check_format,
    clock_axis,
    plain,
    save,
    times_of,
    titled,
)
from pale_heron.report.words import metres, positions, span_words

SYSTEM_INKS: Final = {"G": BLUE, "R": PLUM, "E": TEAL, "C": AMBER, "J": GREEN, "I": GREY, "S": GREY, "?": GREY}
SYSTEM_SHAPES: Final = {"G": "o", "R": "s", "E": "^", "C": "D", "J": "v", "I": "P", "S": "X", "?": "."}
MOST_POINTS: Final = 4000
SIGNAL_POINTS: Final = 240


@dataclass(frozen=True, slots=True)
class ChartInput:
    """What a chart is drawn from."""

    source: str
    """The name of the capture."""
    lane: LaneSnapshot
    other: LaneSnapshot | None = None
    reference: Point | None = None
    marks: tuple[Mark, ...] = ()
    dated: bool = True
    """Whether its times are moments; else they are times of a day that nobody knows."""


def save_chart(kind: str, charted: ChartInput, path: Path) -> None:
    """Draw and write. Raises NothingToDraw, or Trouble where it cannot be written."""
    check_format(path)
    save(KINDS[kind](charted), path)


def _of(lane: LaneSnapshot) -> str:
    """Nickname and role."""
    return f"{lane.name} ({lane.role})" if lane.role else lane.name


def _figure(charted: ChartInput, title: str, sample: str, rows: int = 1, **options: Any) -> tuple[Figure, Any]:
    """A figure with so many axes one above the other."""
    figure = titled(title, sample, charted.source)
    axes = figure.subplots(rows, 1, **options)
    plain(axes)
    return figure, axes


def _column(track: Epochs, name: str) -> Any:
    """A column as float64 with NaN for unknown; times stay whole numbers."""
    column = track.column(name)
    types = {"q": np.int64, "h": np.int16, "b": np.int8, "d": np.float64, "f": np.float32}
    values = np.frombuffer(column, dtype=types[column.typecode])
    if column.typecode in "hb":
        return np.where(values < 0, np.nan, values.astype(np.float64))
    return values if column.typecode == "q" else values.astype(np.float64)


def _timed(track: Epochs) -> tuple[Any, Any]:
    """The times of the epochs, their own UTC where they know it, else when they came; and which are known at all."""
    utc, arrived = _column(track, "utc"), _column(track, "arrived")
    times = np.where(utc != UNKNOWN_TIME, utc, arrived)
    return times, times != UNKNOWN_TIME


def _thinned(times: Any, *columns: Any, most: int = MOST_POINTS) -> tuple[Any, ...]:
    """At most `most` points, each the mean of what it stands for; gaps (NaN) stay."""
    step = -(-len(times) // most)
    if step <= 1:
        return (times, *columns)
    whole = len(times) // step * step
    means = []
    with np.errstate(invalid="ignore"):
        for column in columns:
            pieces = column[:whole].reshape(-1, step)
            count = (~np.isnan(pieces)).sum(axis=1)
            means.append(np.where(count, np.nansum(pieces, axis=1) / np.maximum(count, 1), np.nan))
    return (times[:whole].reshape(-1, step)[:, 0], *means)


def sky_chart(charted: ChartInput) -> Figure:
    """Zenith in the middle, north at the top; trails of the last hour."""
    sky = charted.lane.fix.sky
    placed = [each for each in sky.satellites if each.elevation_deg is not None and each.azimuth_deg is not None]
    if not placed:
        raise NothingToDraw("No satellite with elevation and azimuth was reported", "A sky chart needs GSV sentences")
    trailed = [way.time for trail in sky.trails.values() for way in trail]
    used = f"{sky.used} of {several(len(sky.satellites), 'satellite')} used at the end; trails: "
    used += span_words(min(trailed, default=None), max(trailed, default=None), dated=charted.dated)
    figure, axes = _figure(charted, f"Sky over {_of(charted.lane)}", used, subplot_kw={"projection": "polar"})
    axes.set_theta_zero_location("N")
    axes.set_theta_direction(-1)
    axes.set_rlim(0, 90)
    axes.set_yticks([0, 30, 60, 90], ["90°", "60°", "30°", "0°"], fontsize=7)
    axes.set_xticks(np.radians([0, 45, 90, 135, 180, 225, 270, 315]), ["N", "NE", "E", "SE", "S", "SW", "W", "NW"])
    systems = {}
    for satellite in placed:
        ink, shape = SYSTEM_INKS[satellite.name.system], SYSTEM_SHAPES[satellite.name.system]
        trail = sky.trails.get(satellite.name, ())
        way = [(np.radians(each.azimuth_deg), 90 - each.elevation_deg) for each in trail]
        place = np.radians(satellite.azimuth_deg or 0), 90 - (satellite.elevation_deg or 0)
        axes.plot(*zip(*way, place, strict=True), color=ink, linewidth=0.9, alpha=0.6)
        size = 20 + 4 * max(0, (satellite.cn0_dbhz or 0) - 20)
        face = ink if satellite.used else "none"
        mark = axes.scatter(*place, s=size, marker=shape, facecolors=face, edgecolors=ink, linewidths=1.2, zorder=3)
        axes.annotate(str(satellite.name), place, xytext=(6, 3), textcoords="offset points", fontsize=7, color=INK)
        if satellite.used or satellite.name.system not in systems:
            systems[satellite.name.system] = mark
    names = [f"{letter} {SYSTEMS[letter].name}" for letter in systems]
    title = "filled: used\nlarger: stronger"
    axes.legend(systems.values(), names, loc="upper left", bbox_to_anchor=(1.1, 1.0), fontsize=8, title=title)
    return figure


def _enveloped(times: Any, values: Any, most: int = MOST_POINTS) -> tuple[Any, Any, Any]:
    """Times, and the least and the most of what each step stands for: an average alone would hide what lies apart."""
    step = -(-len(times) // most)
    if step <= 1:
        return times, values, values
    whole = len(times) // step * step
    pieces = values[:whole].reshape(-1, step)
    with warnings.catch_warnings():
        # A step without any position has neither.
        warnings.simplefilter("ignore", RuntimeWarning)
        low, high = np.nanmin(pieces, axis=1), np.nanmax(pieces, axis=1)
    return times[:whole].reshape(-1, step)[:, 0], low, high


def _with_gaps(times: Any, *columns: Any) -> tuple[Any, ...]:
    """Rows of nothing where much longer than usual passed, so that no line is drawn across."""
    if len(times) < 3:
        return (times, *columns)
    steps = np.diff(times)
    gaps = np.flatnonzero(steps > max(3 * SECOND, 3 * float(np.median(steps)))) + 1
    between = times[gaps - 1] + 1
    return (np.insert(times, gaps, between), *(np.insert(column, gaps, np.nan) for column in columns))


def scatter_chart(charted: ChartInput) -> Figure:
    """Metres east and north of the mean, or of the reference, with the rings of 50 % and 95 %."""
    found = scatter(charted.lane.fix.track, charted.reference)
    if found is None:
        raise NothingToDraw("There are fewer than two positions", "A scatter needs a receiver with a fix")
    about = "the reference" if found.from_reference else "their mean"
    times, known = _timed(charted.lane.fix.track)
    when = (
        span_words(int(times[known][0]), int(times[known][-1]), dated=charted.dated) if known.any() else "times unknown"
    )
    worth = f"worth about {found.independent:.0f} independent"
    sample = f"{positions(found.samples)}, {worth}; {found.level} alone; {when}"
    if was_moving(charted.lane):
        sample += "\nit was moving for most of the time: these are places on its way, and say nothing of its accuracy"
    figure, axes = _figure(charted, f"Positions of {_of(charted.lane)} about {about}", sample)
    axes.set_aspect("equal", adjustable="datalim")
    shown = found.offsets_m[:: max(1, found.samples // 20_000)]
    axes.scatter(shown[:, 0], shown[:, 1], s=4, color=TEAL, alpha=0.5, linewidths=0, rasterized=True, label="position")
    turn = np.linspace(0, 2 * np.pi, 200)
    for radius, style, name in ((found.cep50_m, "-", "CEP50"), (found.cep95_m, "--", "CEP95")):
        axes.plot(radius * np.cos(turn), radius * np.sin(turn), style, color=AMBER, label=f"{name} {metres(radius)}")
    axes.plot(0, 0, "+", color=INK, markersize=12, label=about)
    extra = [f"2DRMS {metres(found.drms2_m)}"]
    if found.vertical95_m is not None:
        extra.append(f"vertical 95 % {metres(found.vertical95_m)}")
    if found.claimed_drms_m is not None:
        extra.append(f"RMS {metres(found.drms_m)}, expected {metres(found.claimed_drms_m)}")
    axes.legend(fontsize=8, title="\n".join(extra), title_fontsize=8, loc="upper left", bbox_to_anchor=(1.01, 1.0))
    axes.set_xlabel("east, m", color=INK, fontsize=9)
    axes.set_ylabel("north, m", color=INK, fontsize=9)
    return figure


def was_moving(lane: LaneSnapshot) -> bool:
    """Whether it moved for most of the time, as it says itself: its places are a way, and no scatter."""
    speeds = _column(lane.fix.track, "speed_knots")
    speeds = speeds[~np.isnan(speeds)]
    return bool(speeds.size and np.median(speeds) > AT_REST_KNOTS)


def ribbon_chart(charted: ChartInput) -> Figure:
    """The session: state, satellites used, C/N0 of the best four, with outages, starts and marks."""
    fix = charted.lane.fix
    strip = fix.strip
    if not strip.levels:
        raise NothingToDraw("No epoch was reported", "A ribbon needs a receiver's sentences")
    edges = times_of([strip.begin + strip.width * place for place in range(len(strip.levels) + 1)])
    sample = f"{fix.epochs} epochs, {fix.epochs_with_fix} with a fix; {len(fix.history.outages)} outages; "
    sample += f"{span_words(*_told(fix), dated=charted.dated)}; each step the worst of {strip.width / SECOND:g} s"
    rows = [
        (values, words, ink)
        for values, words, ink in (
            (strip.used, "used", TEAL),
            (strip.cn0, "C/N0 of 4,\ndB-Hz", BLUE),
        )
        if any(value is not None for value in values)
    ]
    figure, axes = _figure(
        charted,
        f"Session of {_of(charted.lane)}",
        sample,
        1 + len(rows),
        sharex=True,
        height_ratios=(2,) + (1,) * len(rows),
    )
    axes = np.ravel(axes)
    levels = np.array([np.nan if level == SILENT else float(level) for level in strip.levels])
    axes[0].stairs(levels, edges, fill=True, color=GREEN, alpha=0.55, baseline=-0.6)
    shown = sorted({level for level in strip.levels if level != SILENT})
    axes[0].set_yticks(shown, [LEVELS[level] for level in shown], fontsize=7)
    axes[0].set_ylim(-0.6, max(shown, default=0) + 0.5)
    axes[0].set_ylabel("state", color=INK, fontsize=9)
    for axis, (values, words, ink) in zip(axes[1:], rows, strict=True):
        known = np.array([np.nan if value is None else float(value) for value in values])
        axis.stairs(known, edges, color=ink, linewidth=1.1, baseline=None)
        axis.set_ylabel(words, color=INK, fontsize=9)
    _events(axes, fix, charted.marks, strip.begin, strip.end)
    clock_axis(axes[-1], dated=charted.dated)
    return figure


def _told(fix: FixSnapshot) -> tuple[int, int]:
    """When the first and the last epoch came; of a long record the first that is kept."""
    ends = (fix.track[0].arrived, fix.track[-1].arrived) if len(fix.track) else (None, None)
    return ends[0] or fix.strip.begin, ends[1] or fix.strip.end


def _events(axes: Any, fix: FixSnapshot, marks: tuple[Mark, ...], begin: int, end: int) -> None:
    """Outages as shades, starts and marks as lines."""
    named: dict[str, Any] = {}
    for axis in axes:
        for outage in fix.history.outages:
            span = times_of([outage.begin, outage.end or end])
            named["outage"] = axis.axvspan(span[0], span[1], color="#d98673", alpha=0.25, linewidth=0)
        for start in fix.history.starts:
            if start.begin is not None:
                named["start"] = axis.axvline(times_of([start.begin])[0], color=AMBER, linewidth=1.2)
        for moment, *_ in marks:
            if begin <= moment <= end:
                named["mark"] = axis.axvline(times_of([moment])[0], color=PLUM, linewidth=1, linestyle=":")
    if named:
        axes[0].legend(named.values(), named.keys(), fontsize=8, loc="upper left", bbox_to_anchor=(1.01, 1.0))


def signal_chart(charted: ChartInput) -> Figure:
    """C/N0 of every satellite over time."""
    series = charted.lane.fix.sky.signals
    if not series:
        raise NothingToDraw("No satellite's strength was reported", "A signal chart needs GSV sentences")
    times = [each.times[0] for each in series.values()], [each.times[each.length - 1] for each in series.values()]
    sample = f"{several(len(series), 'satellite')}; {span_words(min(times[0]), max(times[1]), dated=charted.dated)}"
    systems = [letter for letter in SYSTEMS if any(name.system == letter for name in series)]
    title = f"C/N0 of the satellites of {_of(charted.lane)}"
    figure, axes = _figure(charted, title, sample, len(systems), sharex=True, squeeze=False)
    for letter, axis in zip(systems, axes[:, 0], strict=True):
        for place, name in enumerate(sorted(name for name in series if name.system == letter)):
            _draw_signal(axis, str(name), series[name], place)
        axis.set_ylabel(f"{letter} {SYSTEMS[letter].name}\ndB-Hz", color=INK, fontsize=8)
        axis.legend(fontsize=5, loc="upper left", bbox_to_anchor=(1.0, 1.02), ncols=2, handlelength=1.2)
    clock_axis(axes[-1, 0], dated=charted.dated)
    return figure


def _draw_signal(axis: Axes, name: str, series: Series, place: int) -> None:
    """One satellite; neighbours differ by colour and by line."""
    when, strengths = series.points()
    values = np.array(strengths, dtype=float)
    values[values <= 0] = np.nan
    times, means = _thinned(np.array(when), values, most=SIGNAL_POINTS)
    inks, styles = (BLUE, AMBER, TEAL, PLUM, GREEN), ("-", "--", "-.", ":")
    ink, style = inks[place % len(inks)], styles[place // len(inks) % len(styles)]
    axis.plot(times_of(times), means, style, color=ink, linewidth=0.9, label=name)


def position_chart(charted: ChartInput) -> Figure:
    """Metres north, east and up over time, from the mean or from the reference."""
    track = charted.lane.fix.track
    times, known = _timed(track)
    latitude, longitude, altitude = (_column(track, name) for name in ("latitude", "longitude", "altitude_m"))
    fixed = known & ~np.isnan(latitude)
    if not fixed.any():
        raise NothingToDraw("There is no position", "A position chart needs a receiver with a fix")
    about = charted.reference or mean_point(latitude[fixed], longitude[fixed], altitude[fixed])
    flat = np.full((len(times), 2), np.nan)
    flat[fixed] = offsets_m(latitude[fixed], longitude[fixed], about)
    times, north, east, height = _with_gaps(times[known], flat[known, 1], flat[known, 0], altitude[known])
    named = "the reference" if charted.reference else "the mean"
    where = f"{about.latitude:.7f}°, {about.longitude:.7f}°"
    when = span_words(int(times[0]), int(times[-1]), dated=charted.dated)
    sample = f"{positions(int(fixed.sum()))}; {when}; from {named}, {where}"
    every = ((north, "north, m", TEAL), (east, "east, m", BLUE), (height, "above sea\nlevel, m", AMBER))
    rows = [each for each in every if not np.isnan(each[0]).all()]
    figure, axes = _figure(charted, f"Position and height of {_of(charted.lane)}", sample, len(rows), sharex=True)
    for axis, (values, words, ink) in zip(axes, rows, strict=True):
        _draw_range(axis, times, values, ink)
        axis.set_ylabel(words, color=INK, fontsize=9)
    clock_axis(axes[-1], dated=charted.dated)
    return figure


def _draw_range(axis: Axes, times: Any, values: Any, ink: str) -> None:
    """A curve; where a step stands for many values, the band that they fill."""
    when, low, high = _enveloped(times, values)
    axis.fill_between(times_of(when), low, high, color=ink, alpha=0.35, linewidth=0)
    axis.plot(times_of(when), (low + high) / 2, color=ink, linewidth=0.8)


def comparison_chart(charted: ChartInput) -> Figure:
    """Metres from one receiver to the other over the moments that both report."""
    other = charted.other
    if other is None:
        raise NothingToDraw("There is one lane only", "A comparison needs two receivers in one capture")
    found = compare(charted.lane.fix.track, other.fix.track)
    if found is None:
        raise NothingToDraw("There is no moment for which both give a position and a date", "Record both at once")
    sample = f"{found.matched} moments that both report, worth about {found.independent:.0f} independent; "
    sample += span_words(int(found.times[0]), int(found.times[-1]), dated=charted.dated)
    figure, axes = _figure(charted, f"From {_of(charted.lane)} to {_of(other)}", sample, 3, sharex=True)
    times, east, north, up = _with_gaps(found.times, *found.offsets_m.T)
    rows = ((north, found.north, "north, m", TEAL), (east, found.east, "east, m", BLUE), (up, found.up, "up, m", AMBER))
    for axis, (values, spread, words, ink) in zip(axes, rows, strict=True):
        _draw_range(axis, times, values, ink)
        axis.set_ylabel(words, color=INK, fontsize=9)
        if spread is not None:
            axis.axhline(spread.mean, color=INK, linewidth=0.9, linestyle="--")
            label = f"mean {spread.mean:+.2f} m ± {spread.deviation:.2f} m"
            axis.set_title(label, fontsize=8, color=INK, loc="right")
    clock_axis(axes[2], dated=charted.dated)
    return figure


KINDS: Final[dict[str, Callable[[ChartInput], Figure]]] = {
    "sky": sky_chart,
    "scatter": scatter_chart,
    "ribbon": ribbon_chart,
    "signal": signal_chart,
    "position": position_chart,
    "comparison": comparison_chart,
}
