"""`pale-heron settings`: how modules are set, against what is intended and against each other."""

import json
import sys
import time
from collections.abc import Sequence
from pathlib import Path

import click

from pale_heron.bench.config.bench_file import lanes_of
from pale_heron.bench.config.intended_settings import checked, compared, row_object, rows_of, rule_object
from pale_heron.bench.live.session import Session
from pale_heron.bench.operations.acknowledged import AcknowledgedSettings
from pale_heron.bench.operations.module import reading, writing
from pale_heron.bench.operations.receiver import DOING, FAILED, SteppedOperation, Work
from pale_heron.cli.bench_run import opened, speaking
from pale_heron.cli.parameters import FILE
from pale_heron.core.device.dialogue.tracker import ModuleSnapshot
from pale_heron.core.device.schema.settings import RULES, PairedSetting
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.ports.address import LaneSpec

LOOK_S = 0.02


@click.command("settings")
@click.argument("lanes", nargs=-1, metavar="LANE [LANE]", help="One or two: [nickname=]ADDRESS[@rate...]")
@click.option("--set", "values", multiple=True, help="NAME=VALUE is intended; for the second lane NICKNAME.NAME=VALUE.")
@click.option("--write", is_flag=True, help="Write what differs, and read it back.")
@click.option("--store", is_flag=True, help="With --write: keep it over a restart.")
@click.option("--restart", is_flag=True, help="With --write: restart it, and see that it lasted.")
@click.option("--bench", type=FILE, help="Lanes and what is intended from a bench file.")
@click.option("--dialect", default="", help="How they speak; else it is recognised.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def settings(
    lanes: tuple[str, ...],
    values: tuple[str, ...],
    write: bool,
    store: bool,
    restart: bool,
    bench: Path | None,
    dialect: str,
    as_json: bool,
) -> None:
    """Compare a module's settings with what is intended. Two modules are held against each other by rule.

    Exit status 1 where something differs, a rule does not hold, or the module said no.

    Example: pale-heron settings /dev/ttyUSB0 --set node=7 --set power=14 --write

    Example: pale-heron settings hide=/dev/ttyUSB0 buoy=/dev/ttyUSB1 --set buoy.node=8
    """
    specs = lanes_of(lanes, bench)
    if not 1 <= len(specs) <= 2:
        raise Trouble(f"{len(specs)} lanes are named", "Name one, or two to compare")
    intended = _intended(specs, values)
    failures: list[str] = []
    with opened(specs, dialect) as session:
        for spec in specs:
            known = checked(speaking(session, spec), intended[spec.name])
            work = writing(known, store=store, restart=restart) if write and known else reading()
            failures += _perform(session, spec.name, work, quiet=as_json)
            if write and known:
                failures += _perform(session, spec.name, reading(), quiet=True)
        modules = {spec.name: module for spec in specs if (module := session.module_of(spec.name))}
        first, last = specs[0].name, specs[-1].name
        rules = compared(modules[first], modules[last], (first, last)) if len(modules) == 2 else []
    differing = _print(modules, intended, rules, failures, as_json=as_json)
    if differing or failures or any(each.holds is False for each in rules):
        raise click.exceptions.Exit(Exit.NO)


def _intended(specs: list[LaneSpec], values: Sequence[str]) -> dict[str, dict[str, str]]:
    """What is intended of each lane: from the bench file, then from the command line."""
    found = {spec.name: dict(spec.intended) for spec in specs}
    for text in values:
        name, equals, value = text.partition("=")
        lane, dot, setting = name.rpartition(".")
        if not equals or (dot and lane not in found):
            raise Trouble(f"--set {text!r} is not NAME=VALUE or NICKNAME.NAME=VALUE", "As in --set node=7")
        found[lane if dot else specs[0].name][setting] = value
    return found


def _perform(session: Session, lane: str, work: Work, *, quiet: bool) -> list[str]:
    """Do it, printing each step as it ends; gives what failed."""
    operation = SteppedOperation("settings", session, lane, AcknowledgedSettings(), work)
    session.operations.begin(operation)
    printed = 0
    while True:
        over = operation.over
        ended = [step for step in operation.steps if step.outcome != DOING]
        for step in ended[printed:] if not quiet else ():
            click.echo(f"{lane}: {step.words}: {step.seen}", err=True)
        printed = len(ended)
        if over:
            break
        time.sleep(LOOK_S)
    failed = [f"{step.words}: {step.seen}" for step in operation.steps if step.outcome == FAILED]
    return [f"{lane}: {each}" for each in failed] if not operation.succeeded else []


def _print(
    modules: dict[str, ModuleSnapshot],
    intended: dict[str, dict[str, str]],
    rules: list[PairedSetting],
    failures: list[str],
    *,
    as_json: bool,
) -> bool:
    """Print all of it; whether something differs from what is intended."""
    tables = {name: rows_of(module, intended[name]) for name, module in modules.items()}
    if as_json:
        document = {
            "lanes": [
                {"lane": name, "dialect": modules[name].dialect.name, "settings": [row_object(each) for each in rows]}
                for name, rows in tables.items()
            ],
            "rules": [rule_object(each) for each in rules],
            "failures": failures,
        }
        json.dump(document, sys.stdout, ensure_ascii=False)
        print()
    else:
        for name, rows in tables.items():
            print(f"{name}: dialect {modules[name].dialect.name}")
            for row in rows:
                shown = row.setting.shown
                now = shown(row.state.now) if row.state.now or row.state.read_at is not None else "not known"
                differs = {True: "differs", False: "as intended", None: ""}[row.differs]
                print(
                    f"  {row.setting.name:<14} {now:<18} intended {shown(row.intended) if row.intended else '–':<18} "
                    f"{differs:<12} {row.state.storage}"
                )
        for each in rules:
            sign = {True: "holds", False: "BROKEN", None: "not known"}[each.holds]
            print(f"  {each.setting.name:<14} {RULES[each.setting.rule]:<20} {sign:<10} {each.words}")
    return any(row.differs for rows in tables.values() for row in rows)
