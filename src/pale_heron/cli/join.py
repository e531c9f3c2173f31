"""`pale-heron join`: two machines' captures on one clock."""

import json
from pathlib import Path

import click

from pale_heron.bench.joining import JoinPlan, join_captures, joined_details, plan_join
from pale_heron.cli.parameters import FILE
from pale_heron.cli.progress import progress
from pale_heron.core import figures
from pale_heron.core.figures import bounded
from pale_heron.core.frames import SECOND
from pale_heron.core.line.settings import did_you_mean
from pale_heron.core.proof.joining import METHODS
from pale_heron.core.trouble import Trouble
from pale_heron.files.user_folders import is_there


@click.command("join")
@click.argument("first", type=FILE, help="A capture; its clock is kept.")
@click.argument("second", type=FILE, help="A capture of the same time on another machine.")
@click.option("-o", "--output", "out", required=True, type=FILE, help="Where to.")
@click.option("--by", "method", default="", help=f"By {', '.join(METHODS)} alone; else the surest.")
@click.option("--names", default="", help="What the machines are called, as `hide,boat`; else as the files.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def join(first: Path, second: Path, out: Path, method: str, names: str, as_json: bool) -> None:
    """Join two captures. The times of the second are moved onto the clock of the first, and it is said how surely.

    How far the clocks lie apart is found by GNSS time (pulses and sentences, or sentences alone), by messages that one
    sent and the other received, both ways, or by what both systems say of their clocks. Lanes that both have get their
    machine's name in front.

    Example: pale-heron join hide.pcapng boat.pcapng -o both.pcapng
    """
    if method and method not in METHODS:
        raise Trouble(
            f"--by {method!r} is not known{did_you_mean(method, METHODS)}", f"There are: {', '.join(METHODS)}"
        )
    machines = _machines(names, first, second)
    if is_there(out):
        raise Trouble(f"{out} is there already", "Choose another name: a capture is never overwritten")
    show, clear = progress("looking at both")
    plan = plan_join(first, second, machines, method, show)
    clear()
    show, clear = progress("joining")
    done = join_captures(first, second, out, plan, show)
    clear()
    if as_json:
        document = joined_details(first, second, plan) | {"records": done.records}
        print(json.dumps(document, ensure_ascii=False))
        return
    print("\n".join([*plan_lines(plan, machines), f"{out}: {figures.size(done.bytes)} in {done.records} records"]))


def _machines(names: str, first: Path, second: Path) -> tuple[str, str]:
    given = [each.strip() for each in names.split(",")] if names else [first.stem, second.stem]
    if len(given) != 2 or not all(given) or given[0] == given[1]:
        raise Trouble("Two machines need two names that differ", "--names hide,boat")
    return given[0], given[1]


def plan_lines(plan: JoinPlan, machines: tuple[str, str]) -> list[str]:
    """How the clocks lie to each other, by what, and what that means for delays."""
    ahead = plan.by.ahead
    way = "ahead of" if ahead.middle >= 0 else "behind"
    apart = bounded(abs(ahead.middle) / SECOND, plan.unsure_ns / SECOND)
    rows = [
        f"The clock of {machines[1]} is {way} that of {machines[0]} by {apart}: by {METHODS[plan.by.method]}, "
        f"{figures.several(ahead.samples, 'sample')}"
    ]
    if plan.possible.drift is not None:
        rows.append(f"  it drifts by {1e6 * plan.shift.rate:+.3f} ppm, by the pulses of both: taken out")
    rows += [f"  against each other: {words}" for _, words in plan.possible.contradictions]
    for other in plan.possible.ways:
        if other.method != plan.by.method:
            said = bounded(other.ahead.middle / SECOND, other.ahead.half_width / SECOND)
            rows.append(f"  {METHODS[other.method]}: {said}")
    rows += [
        f"  {each.sender} to {each.receiver}: {figures.several(each.times.samples, 'message')}, "
        f"median {bounded(each.times.median, each.uncertainty_s)}"
        for each in plan.one_way
    ]
    return rows
