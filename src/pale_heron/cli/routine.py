"""`pale-heron routine`: run a list of steps against modules."""

import json
import sys
import time
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import click

from pale_heron.bench.config.routine_files import known_routines, named_routine
from pale_heron.bench.operations.routine import ELSEWHERE, FAILED, PASSED, RoutineRun, StepStatus
from pale_heron.cli.bench_run import opened
from pale_heron.cli.parameters import FILE
from pale_heron.core.device.schema.routine import Routine
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.ports.nicknames import lanes_named

LOOK_S = 0.02
_SIGNS = {PASSED: "passed", FAILED: "FAILED", ELSEWHERE: "else"}


@click.command("routine")
@click.argument("file", help="A routine (TOML), or the name of one that ships; `list` lists them.")
@click.argument("lanes", nargs=-1, metavar="LANE...", help="As many as it runs on.")
@click.option("--set", "values", multiple=True, help="NAME=VALUE of a variable.")
@click.option("--yes", is_flag=True, help="Answer its questions with yes.")
@click.option("--dialect", default="", help="How the modules speak; else as the routine says.")
@click.option("-o", "--out", "capture", type=FILE, help="Keep a record of it in this capture.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object a step, and one for the whole.")
def routine(
    file: str,
    lanes: tuple[str, ...],
    values: tuple[str, ...],
    yes: bool,
    dialect: str,
    capture: Path | None,
    as_json: bool,
) -> None:
    """Run a routine against modules. Each step passes or fails with what was seen.

    It stops where one fails, with exit status 1.

    Example: pale-heron routine plover-message /dev/ttyUSB0@115200 --set to=+99905550142

    Example: pale-heron routine bittern-pair hide=/dev/ttyUSB0 buoy=/dev/ttyUSB1
    """
    if file == "list":
        for name in known_routines():
            print(f"{name:<18} {named_routine(name).title}")
        return
    wanted = named_routine(file)
    specs = lanes_named(lanes)
    if not specs:
        raise Trouble("No lane is named", f"pale-heron routine {file} LANE...")
    known = _values(wanted, values)
    speaks = dialect or wanted.dialect
    with opened([replace(spec, dialect=speaks) for spec in specs], speaks, capture) as session:
        run = RoutineRun(wanted, session, [spec.name for spec in specs], known)
        session.operations.begin(run)
        _follow(run, yes=yes, as_json=as_json)
    if not run.succeeded:
        raise click.exceptions.Exit(Exit.NO)


def _values(wanted: Routine, texts: Sequence[str]) -> dict[str, str]:
    """The values of its variables; a secret one may be typed unseen."""
    found = {}
    for text in texts:
        name, equals, value = text.partition("=")
        if not equals or name not in wanted.variables:
            known = ", ".join(wanted.variables) or "none"
            raise Trouble(f"--set {text!r} names no variable of {wanted.name}", f"It has: {known}")
        found[name] = value
    for name, variable in wanted.variables.items():
        if variable.ask and name not in found and sys.stdin.isatty():
            found[name] = click.prompt(variable.ask, default=variable.value or None, hide_input=variable.secret)
    return found


def _follow(run: RoutineRun, *, yes: bool, as_json: bool) -> None:
    """Tell each step as it ends, and put its questions."""
    printed = 0
    while True:
        over = run.over
        ended = run.done[printed:]
        for place, each in ended:
            _print_step(each, place + 1, len(run.statuses), as_json=as_json)
        printed += len(ended)
        if over:
            break
        if run.question:
            asked = run.question
            run.answer(yes or (sys.stdin.isatty() and click.confirm(asked)))
            while run.question == asked and not run.over:
                time.sleep(LOOK_S)
        time.sleep(LOOK_S)
    done = sum(each.outcome == PASSED for each in run.statuses)
    if as_json:
        whole = {"routine": run.routine.name, "passed": run.succeeded, "steps": len(run.statuses), "done": done}
        print(json.dumps(whole))
    else:
        print(f"{run.routine.name}: {'passed' if run.succeeded else 'FAILED'}, {done} of {len(run.statuses)} steps")


def _print_step(status: StepStatus, index: int, steps: int, *, as_json: bool) -> None:
    if as_json:
        printed = {"step": index, "do": status.step.do, "words": status.words, "standing": status.outcome}
        seconds = None if status.seconds is None else round(status.seconds, 3)
        print(json.dumps(printed | {"seen": status.seen, "seconds": seconds}, ensure_ascii=False), flush=True)
    else:
        took = f"{_SIGNS[status.outcome]:<7} {status.seconds or 0:6.2f} s"
        print(f"{index:>3} of {steps}  {took}  {status.words}", flush=True)
        if status.seen:
            print(f"{'':27}{status.seen}", flush=True)
