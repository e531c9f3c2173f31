"""Charts of one trial of a link, made for print as SVG or PDF: each a function from the trial and its probes."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.ticker import MaxNLocator

from pale_heron.core.frames import SECOND
from pale_heron.core.link.certainty import percent
from pale_heron.core.link.exchange import RIGHT, UNANSWERED, WRONG
from pale_heron.core.link.fates import DAMAGED, DELIVERED, LATE, LOST, NOT_KNOWN, ProbeResult
from pale_heron.core.link.probe_log import ProbeLog
from pale_heron.core.link.progress import rates
from pale_heron.core.link.reach import RangeBin, RangeSnapshot
from pale_heron.core.link.reach_words import range_words
from pale_heron.core.link.speed import speeds
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.link.verdict import NOUNS
from pale_heron.report.figures import (
    AMBER,
    BLUE,
    GREEN,
    GREY,
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
KBIT: Final = 8 / 1000
STEPS: Final = 60
"""So many steps of time at most, of which each is drawn as one."""

HISTOGRAM_STEPS: Final = 50
MOST_MARKS: Final = 20_000
WAYS: Final = ((TEAL, "o"), (PLUM, "s"), (AMBER, "^"), (BLUE, "D"))
FATES: Final = {
    DELIVERED: (GREEN, ""),
    RIGHT: (GREEN, ""),
    DAMAGED: (AMBER, "///"),
    WRONG: (AMBER, "///"),
    LOST: (RED, "xxx"),
    UNANSWERED: (RED, "xxx"),
    LATE: (PLUM, "..."),
    NOT_KNOWN: (GREY, ""),
}


@dataclass(frozen=True, slots=True)
class TrialChartInput:
    """A trial of a capture, and what became of each of its probes in the order in which that was known."""

    source: str
    trial: TrialSnapshot
    probes: Sequence[ProbeResult] = ()


def last_drawable(kind: str, source: str, trials: Sequence[TrialSnapshot], probes: ProbeLog) -> TrialChartInput:
    """Of some trials, at least one, the last that has what this chart shows; else the last."""
    fitting = [trial for trial in trials if HOLDS_IT[kind](trial, probes.of(trial))]
    trial = (fitting or trials)[-1]
    return TrialChartInput(source, trial, probes.of(trial))


def save_link_chart(kind: str, charted: TrialChartInput, path: Path) -> None:
    """Draw and write. Raises NothingToDraw, or Trouble where it cannot be written."""
    check_format(path)
    save(LINK_KINDS[kind](charted), path)


def _of(trial: TrialSnapshot) -> str:
    """`hide and buoy (delivery)`."""
    return f"{' and '.join(trial.described.lanes)} ({trial.described.kind})"


def _noun(trial: TrialSnapshot) -> str:
    return NOUNS.get(trial.described.kind, "probes")


def _ways(probes: Sequence[ProbeResult]) -> dict[str, list[ProbeResult]]:
    """By direction, in the order in which they first appear."""
    ways: dict[str, list[ProbeResult]] = {}
    for each in probes:
        way = each.sender if each.sender == each.receiver else f"{each.sender} ▸ {each.receiver}"
        ways.setdefault(way, []).append(each)
    return ways


def _span(trial: TrialSnapshot) -> str:
    return span_words(trial.begin, trial.end)


def latency_chart(charted: TrialChartInput) -> Figure:
    """Each that came, at the moment at which it was sent; below, how often each latency was seen."""
    ways = {
        way: came
        for way, each in _ways(charted.probes).items()
        if (came := [one for one in each if one.came is not None])
    }
    if not ways:
        raise NothingToDraw("Nothing came in this trial", "A latency chart needs a trial in which something arrived")
    count = sum(map(len, ways.values()))
    exchange = charted.trial.exchange is not None
    sample = f"{count} {_noun(charted.trial)} of {sum(each.in_a_row for each in charted.probes)} came; "
    sample += f"{_span(charted.trial)}; on this computer's one clock"
    name = "Round trip" if exchange or charted.trial.described.far == "answer" else "Latency"
    figure = titled(f"{name}: {_of(charted.trial)}", sample, charted.source)
    over_time, often = figure.subplots(2, 1, height_ratios=(2, 1))
    plain([over_time, often])
    taken = {
        way: (
            np.array([each.sent for each in came]),
            np.array([MS * ((each.came or 0) - each.sent) / SECOND for each in came]),
        )
        for way, came in ways.items()
    }
    top = max(float(values.max()) for _, values in taken.values())
    for (ink, shape), (way, (sent, values)) in zip(WAYS * len(taken), taken.items(), strict=False):
        step = -(-len(sent) // MOST_MARKS)
        over_time.plot(
            times_of(sent[::step]),
            values[::step],
            shape,
            color=ink,
            markersize=2.5,
            alpha=0.7,
            label=way,
            rasterized=True,
        )
        half, most = np.median(values), np.quantile(values, 0.95)
        label = f"{way}: half within {half:.1f} ms, 95 % within {most:.1f} ms"
        often.hist(values, bins=HISTOGRAM_STEPS, range=(0, top or 1), histtype="stepfilled", color=ink, alpha=0.4)
        often.axvline(half, color=ink, linewidth=1.2, label=label)
        often.axvline(most, color=ink, linewidth=1.0, linestyle="--")
    over_time.set_ylim(bottom=0)
    over_time.set_ylabel("ms", color=INK, fontsize=9)
    clock_axis(over_time, dated=True)
    often.set_xlabel("ms", color=INK, fontsize=9)
    often.set_ylabel("how often", color=INK, fontsize=9)
    often.legend(fontsize=7)
    if len(taken) > 1:
        over_time.legend(fontsize=7, markerscale=2)
    return figure


def delivery_chart(charted: TrialChartInput) -> Figure:
    """Steps of time, and how many of those that were sent in each came, were damaged, or lost."""
    ways = _ways(charted.probes)
    if not ways:
        raise NothingToDraw("Nothing was counted in this trial", "A delivery chart needs probes, rounds or sentences")
    noun = _noun(charted.trial)
    counted = sum(each.in_a_row for each in charted.probes)
    good = sum(each.in_a_row for each in charted.probes if each.result in (DELIVERED, RIGHT))
    sample = f"{good} of {counted} {noun} good; {_span(charted.trial)}"
    figure = titled(f"Delivery over time: {_of(charted.trial)}", sample, charted.source)
    axes = figure.subplots(len(ways), 1, sharex=True, squeeze=False)[:, 0]
    plain(axes)
    begin, end = min(each.sent for each in charted.probes), max(each.sent for each in charted.probes)
    steps = max(1, min(STEPS, counted // 4))
    edges = np.linspace(begin, max(end, begin + 1), steps + 1).astype("int64")
    edges[-1] += 1
    outages = {each.sender: each.outages for each in charted.trial.directions}
    for axis, (way, results) in zip(axes, ways.items(), strict=True):
        _draw_fates(axis, results, edges)
        for outage in outages.get(results[0].sender, ()):
            span = times_of([outage.begin, outage.end or end])
            axis.axvspan(span[0], span[1], color=RED, alpha=0.12, linewidth=0)
        axis.set_ylabel(f"{way}\n{noun}", color=INK, fontsize=8)
        axis.yaxis.set_major_locator(MaxNLocator(integer=True))
    handles, labels = axes[0].get_legend_handles_labels()
    axes[0].legend(handles, labels, fontsize=8, loc="upper left", bbox_to_anchor=(1.01, 1.0))
    clock_axis(axes[-1], dated=True)
    return figure


def _draw_fates(axis: Axes, results: Sequence[ProbeResult], edges: Any) -> None:
    """Bars one upon the other; what became of them differs by hatch as well as by colour."""
    below = np.zeros(len(edges) - 1)
    for fate, (ink, hatch) in FATES.items():
        mine = [each for each in results if each.result == fate]
        if not mine:
            continue
        sent, weights = [each.sent for each in mine], [each.in_a_row for each in mine]
        counts, _ = np.histogram(np.array(sent, dtype="int64"), bins=edges, weights=weights)
        places, widths = times_of(edges[:-1]), np.diff(times_of(edges))
        axis.bar(
            places,
            counts,
            widths,
            bottom=below,
            align="edge",
            color=ink,
            alpha=0.7,
            hatch=hatch,
            edgecolor="white",
            linewidth=0.2,
            label=fate,
        )
        below += counts


def throughput_chart(charted: TrialChartInput) -> Figure:
    """Payload bits a second, what the line carries at most, the part that is measured, and stalls."""
    trial = charted.trial
    drawn = [
        (blocks, bulk, speed)
        for blocks, bulk, speed in zip(trial.directions, trial.bulk, speeds(trial), strict=False)
        if len(bulk.points) > 1
    ]
    if not drawn:
        raise NothingToDraw("No payload was measured in this trial", "A throughput chart needs a trial of throughput")
    figure = titled(f"Throughput: {_of(trial)}", f"grey: the part that is measured; {_span(trial)}", charted.source)
    axes = figure.subplots(len(drawn), 1, sharex=True, squeeze=False)[:, 0]
    plain(axes)
    for axis, (blocks, bulk, speed) in zip(axes, drawn, strict=True):
        first, last = bulk.points[0][0], bulk.points[-1][0]
        # No finer than the points are: they stand 50 ms apart at least.
        parts = max(1, min(4 * STEPS, len(bulk.points) // 2))
        edges = times_of(np.linspace(first, last, parts + 1).astype("int64"))
        values = [KBIT * each for each in rates(bulk.points, parts)]
        axis.stairs(values, edges, color=TEAL, linewidth=1.2, baseline=0, label="payload")
        if bulk.steady is not None:
            span = times_of([bulk.steady.begin, bulk.steady.end])
            axis.axvspan(span[0], span[1], color=GREY, alpha=0.12, linewidth=0)
            label = f"steady: {KBIT * bulk.steady.per_s:.1f} kbit/s"
            label += f", {percent(speed.share)} of what it carries" if speed.share is not None else ""
            axis.hlines(
                KBIT * bulk.steady.per_s, span[0], span[1], color=BLUE, linestyle="--", linewidth=1.2, label=label
            )
        if speed.ceiling is not None:
            label = f"the line carries at most {KBIT * speed.ceiling:.1f} kbit/s"
            axis.axhline(KBIT * speed.ceiling, color=AMBER, linewidth=1.2, label=label)
        for stall in bulk.stalls:
            span = times_of([stall.begin, stall.begin + int(stall.seconds * SECOND)])
            axis.axvspan(span[0], span[1], color=RED, alpha=0.2, linewidth=0)
        axis.set_ylim(bottom=0)
        axis.set_ylabel(f"{blocks.sender} ▸ {blocks.receiver}\nkbit/s", color=INK, fontsize=8)
        axis.legend(fontsize=7, loc="lower right")
    clock_axis(axes[-1], dated=True)
    return figure


def reach_chart(charted: TrialChartInput) -> Figure:
    """By distance: the share delivered with its 95 % interval, and the strength; beside it, where it was lost."""
    found = next((each for each in charted.trial.ranges if each.points), None)
    if found is None:
        raise NothingToDraw("No distance is known in this trial", "A reach chart needs a trial with --position")
    figure = titled(f"Reach: {_of(charted.trial)}", f"{range_words(found)}\n{_span(charted.trial)}", charted.source)
    told = any(each.strength for each in found.bins)
    axes = figure.subplot_mosaic("sm;tm" if told else "sm")
    plain(list(axes.values()))
    _draw_shares(axes["s"], found)
    if told:
        _draw_strengths(axes["t"], axes["s"], found)
    axes["t" if told else "s"].set_xlabel("distance, m", color=INK, fontsize=9)
    _draw_map(axes["m"], found)
    return figure


def _at(each: RangeBin) -> tuple[float, float] | None:
    """The middle and the width of a distance; None where it is unknown, or nothing was counted."""
    if each.low_m is None or each.high_m is None or not each.settled:
        return None
    return (each.low_m + each.high_m) / 2, each.high_m - each.low_m


def _draw_shares(axis: Axes, found: RangeSnapshot) -> None:
    for each in found.bins:
        where = _at(each)
        if where is None:
            continue
        axis.bar(where[0], 100 * each.delivered / each.settled, where[1] * 0.9, color=GREEN, alpha=0.6)
        if each.bad_95 is not None:
            low, high = (100 * (1 - bad) for bad in reversed(each.bad_95))
            axis.vlines(where[0], low, high, color=INK, linewidth=1.2)
        axis.annotate(f"{each.delivered}/{each.settled}", (where[0], 3), ha="center", fontsize=6, color=INK)
    axis.set_ylim(0, 105)
    axis.set_ylabel("delivered, %, with 95 %", color=INK, fontsize=8)


def _draw_strengths(axis: Axes, shares: Axes, found: RangeSnapshot) -> None:
    for each in found.bins:
        where = _at(each)
        if where is not None and each.strength is not None:
            axis.vlines(where[0], each.strength.least, each.strength.most, color=BLUE, linewidth=1)
            axis.plot(where[0], each.strength.mean, "o", color=BLUE, markersize=4)
    axis.sharex(shares)
    axis.set_ylabel("strength: mean, least, most", color=INK, fontsize=8)


def _draw_map(axis: Axes, found: RangeSnapshot) -> None:
    whole = [each for each in found.points if each.delivered == each.settled]
    bad = [each for each in found.points if each.delivered < each.settled]
    axis.plot([each.east_m for each in whole], [each.north_m for each in whole], ".", color=GREEN, label="delivered")
    if bad:
        axis.plot([each.east_m for each in bad], [each.north_m for each in bad], "x", color=RED, label="not delivered")
    axis.plot(0, 0, "^", color=INK, label="the known point")
    axis.set_aspect("equal", adjustable="datalim")
    axis.set_xlabel("east, m", color=INK, fontsize=9)
    axis.set_ylabel("north, m", color=INK, fontsize=9)
    axis.legend(fontsize=7)


LINK_KINDS: Final[dict[str, Callable[[TrialChartInput], Figure]]] = {
    "latency": latency_chart,
    "delivery": delivery_chart,
    "throughput": throughput_chart,
    "reach": reach_chart,
}

HOLDS_IT: Final[dict[str, Callable[[TrialSnapshot, Sequence[ProbeResult]], bool]]] = {
    "latency": lambda _, probes: any(each.came is not None for each in probes),
    "delivery": lambda _, probes: bool(probes),
    "throughput": lambda trial, _: any(len(each.points) > 1 for each in trial.bulk),
    "reach": lambda trial, _: any(each.points for each in trial.ranges),
}
"""Whether a trial has what each of them shows."""
