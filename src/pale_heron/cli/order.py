"""`pale-heron order`: orders to a receiver, in the words of its dialect."""

import json
import sys
import time

import click

from pale_heron.bench.config.dialects import known_dialects, named_dialect
from pale_heron.bench.live.session import Session
from pale_heron.bench.operations.acknowledged import AcknowledgedSettings
from pale_heron.bench.operations.orders import named_action, ordering, recognised, values_in_order
from pale_heron.bench.operations.receiver import SteppedOperation
from pale_heron.cli.bench_run import opened
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.frames import Event, Frame
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.nicknames import lane_named

LISTEN_S = 3.0
LOOK_S = 0.05


@click.command("order")
@click.argument("lane", metavar="LANE", help="[nickname=]ADDRESS[@rate[,framing][,flow]]")
@click.argument("name", default="", metavar="[ORDER]", help="An order of its dialect; none lists them.")
@click.argument("values", nargs=-1, metavar="[VALUE]...", help="Its values, in their order.")
@click.option("--dialect", default="", help="What it speaks; else it is recognised by what it says of itself.")
@click.option("--yes", is_flag=True, help="Do not ask before orders that lose something.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def order(lane: str, name: str, values: tuple[str, ...], dialect: str, yes: bool, as_json: bool) -> None:
    """Give a receiver an order, and see whether it acknowledges it. Exit status 1 where it does not.

    On a terminal, orders that forget something or restart ask first; in a script they do not.

    Example: pale-heron order /dev/ttyUSB0@9600 systems GE --dialect curlew

    Example: pale-heron order /dev/ttyUSB0@9600 store-and-verify --dialect curlew
    """
    spec = lane_named(lane)
    with opened([spec]) as session:
        speaks = named_dialect(dialect or spec.dialect) if dialect or spec.dialect else _recognised(session, spec)
        if not name:
            for each in speaks.actions.values():
                print(f"{each.name:<16} {' '.join(p.name.upper() for p in each.parameters):<24} {each.meaning}")
            return
        action = named_action(speaks, name)
        work = ordering(speaks, name, values_in_order(action, values))
        asks = action.risk and not yes and sys.stdin.isatty()
        if asks and not click.confirm(f"{name}: {action.risk}. Send it?"):
            raise click.exceptions.Exit(Exit.NO)
        operation = SteppedOperation(name, session, spec.name, AcknowledgedSettings(), work)
        session.operations.begin(operation)
        while not operation.over:
            time.sleep(LOOK_S)
    steps = [{"step": each.words, "outcome": each.outcome, "seen": each.seen} for each in operation.steps]
    if as_json:
        print(json.dumps({"order": name, "done": operation.succeeded, "steps": steps}, ensure_ascii=False))
    else:
        for step in operation.steps:
            print(f"{step.words}: {step.seen or step.outcome}")
    if not operation.succeeded:
        raise click.exceptions.Exit(Exit.NO)


def _recognised(session: Session, spec: LaneSpec) -> Dialect:
    """The dialect by what it says of itself now: nothing is asked. Raises Trouble where it says nothing of that."""
    known = {each.name: each for each in known_dialects().values() if each.actions}
    ear = session.listen(spec.name)
    heard: list[Frame | Event] = []
    end = time.monotonic() + LISTEN_S
    try:
        while time.monotonic() < end:
            time.sleep(LOOK_S)
            heard += ear.take()
            found = recognised(heard, spec.name, known)
            if found is not None:
                return found[0]
    finally:
        session.leave(ear)
    raise Trouble(
        f"{spec.name} says nothing of what it is within {LISTEN_S:g} s", f"Say --dialect: one of {', '.join(known)}"
    )
