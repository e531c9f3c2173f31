"""`pale-heron chart`: a drawing of a capture, made for print."""

from collections.abc import Sequence
from pathlib import Path
from typing import Final

import click

from pale_heron.bench.sources import Source
from pale_heron.cli.parameters import FILE, FORCE, free_output, point_typed
from pale_heron.cli.progress import reading
from pale_heron.core.gnss.earth.points import Point
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.settings import did_you_mean
from pale_heron.core.link.probe_log import ProbeLog
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.report.kinds import CHARTS, CLOCK_CHARTS, LINK_CHARTS, RECORD_CHARTS

KNOWN: Final = (*CHARTS, *LINK_CHARTS, *CLOCK_CHARTS, *RECORD_CHARTS)


@click.command("chart")
@click.argument("kind", help=f"Which drawing: {', '.join(KNOWN)}.")
@click.argument("file", type=FILE, help="A capture or a file of raw bytes.")
@click.option(
    "-o",
    "--output",
    "out",
    required=True,
    type=FILE,
    help="Where to; its ending says the format: .svg or .pdf.",
)
@click.option("--lane", default="", help="Which lane; else the first that reports positions.")
@click.option("--other", default="", help="The lane to compare with; else the next that reports positions.")
@click.option("--reference", default="", help="A point that is known, in any usual notation.")
@click.option("--pulse", default="", help="Which source of pulses; else the first that has enough.")
@click.option("--trial", default=0, help="Which trial, counted from 1; else the last with something to draw.")
@FORCE
def chart(
    kind: str, file: Path, out: Path, lane: str, other: str, reference: str, pulse: str, trial: int, force: bool
) -> None:
    """Draw a chart of a capture, as SVG or PDF.

    Example: pale-heron chart scatter morning.pcapng -o scatter.pdf --reference "46.1173 S 67.3067 W"

    Example: pale-heron chart reach walk.pcapng -o reach.svg

    Example: pale-heron chart lag morning.pcapng -o lag.svg

    Example: pale-heron chart lanes morning.pcapng -o morning.pdf
    """
    known = KNOWN
    if kind not in known:
        nearest = did_you_mean(kind, known)
        raise Trouble(f"There is no chart {kind!r}{nearest}", f"There are: {', '.join(known)}")
    # Slow to load: after the questions that cost nothing.
    from pale_heron.report.figures import NothingToDraw, check_format

    check_format(out)
    free_output(out, force=force, of=[file])
    try:
        if kind in CHARTS:
            _draw_lane(kind, file, out, lane, other, point_typed(reference))
        elif kind in RECORD_CHARTS:
            _draw_record(kind, file, out)
        elif kind in CLOCK_CHARTS:
            _draw_clock(kind, file, out, lane, pulse)
        else:
            _draw_trial(kind, file, out, trial)
    except NothingToDraw as nothing:
        click.echo(f"pale-heron: {nothing}", err=True)
        raise click.exceptions.Exit(Exit.NO) from None
    print(out)


def _draw_lane(kind: str, file: Path, out: Path, lane: str, other: str, point: Point | None) -> None:
    from pale_heron.report.charts import ChartInput, save_chart

    source = Source(file)
    show, clear = reading(source)
    lanes = source.lanes(show)
    clear()
    chosen = chosen_lane(lanes, lane)
    if chosen is None:
        click.echo(f"pale-heron: {source.name} holds no sentence of a receiver: nothing to draw", err=True)
        raise click.exceptions.Exit(Exit.NO)
    rest = [each for each in lanes if each.name != chosen.name]
    second = chosen_lane(rest, other) if rest or other else None
    save_chart(kind, ChartInput(source.name, chosen, second, point, source.marks, source.dated), out)


def _capture(file: Path) -> Source:
    """A file that is a capture. Trouble for another one: what is drawn needs the times at which bytes came."""
    source = Source(file)
    if not source.is_capture:
        raise Trouble(
            f"{source.name} is not a capture: nobody knows when its bytes came", "pale-heron record makes one"
        )
    return source


def _draw_record(kind: str, file: Path, out: Path) -> None:
    from pale_heron.report.record_chart import RecordChartInput, save_record_chart

    source = _capture(file)
    show, clear = reading(source)
    lanes = source.lanes(show)
    clear()
    begin, end = source.span or (0, 0)
    save_record_chart(kind, RecordChartInput(source.name, lanes, source.chronicle, source.marks, begin, end), out)


def _draw_clock(kind: str, file: Path, out: Path, lane: str, pulse: str) -> None:
    from pale_heron.core.clock_of_lanes import clock_of
    from pale_heron.report.clock_charts import ClockChartInput, save_clock_chart

    source = _capture(file)
    show, clear = reading(source)
    lanes = source.lanes(show)
    clear()
    picture = clock_of(lanes, source.clock)
    for wanted, names in ((lane, [each.name for each in lanes]), (pulse, [each.source for each in picture.pulses])):
        if wanted and wanted not in names:
            nearest = did_you_mean(wanted, names)
            raise Trouble(f"{source.name} has no {wanted!r}{nearest}", f"There are: {', '.join(names) or 'none'}")
    save_clock_chart(kind, ClockChartInput(source.name, picture, lane, pulse), out)


def _draw_trial(kind: str, file: Path, out: Path, wanted: int) -> None:
    from pale_heron.report.link_charts import last_drawable, save_link_chart

    source, probes = Source(file), ProbeLog()
    show, clear = reading(source)
    source.lanes(show, probes)
    clear()
    trials = source.trials
    if not trials:
        click.echo(f"pale-heron: {source.name} holds no trial: nothing to draw", err=True)
        raise click.exceptions.Exit(Exit.NO)
    if wanted and not 1 <= wanted <= len(trials):
        raise Trouble(f"There is no trial {wanted}", f"{source.name} holds {len(trials)}: pale-heron link lists them")
    save_link_chart(kind, last_drawable(kind, source.name, trials[wanted - 1 : wanted] or trials, probes), out)


def chosen_lane(lanes: Sequence[LaneSnapshot], name: str) -> LaneSnapshot | None:
    """The lane of that name, or the first that reports a fix. Raises Trouble where no lane has that name."""
    if not name:
        return next((each for each in lanes if each.fix.facts or each.fix.sky.satellites), None)
    for each in lanes:
        if each.name == name:
            return each
    known = {each.name: 0 for each in lanes}
    raise Trouble(f"There is no lane {name!r}{did_you_mean(name, known)}", f"There are: {', '.join(known) or 'none'}")
