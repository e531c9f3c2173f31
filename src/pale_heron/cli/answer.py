"""`pale-heron answer`: the far end of a trial."""

import time
from pathlib import Path
from typing import Final

import click

from pale_heron.bench.config.trial_options import rule_typed
from pale_heron.bench.operations.answering import Answering
from pale_heron.cli.bench_run import opened
from pale_heron.cli.ending import end_on_signals
from pale_heron.cli.parameters import FILE
from pale_heron.core.figures import several
from pale_heron.core.moments import seconds
from pale_heron.core.trouble import Trouble
from pale_heron.ports.nicknames import lane_named

TELL_S: Final = 0.5


@click.command("answer")
@click.argument("lane", metavar="LANE", help="[nickname=]ADDRESS[@rate[,framing][,flow]]")
@click.option("--rule", default="", help="Answer messages by it: echo, plus N, text T, table FILE.toml. Else probes.")
@click.option("--for", "duration", default="", help="How long: 60s, 5min, 2h. Without it until Ctrl-C.")
@click.option("-o", "--out", "capture", type=FILE, help="Keep a record of it in this capture.")
def answer(lane: str, rule: str, duration: str, capture: Path | None) -> None:
    """Be the far end of a trial. Probes and blocks are answered with what was counted here; with a rule, messages.

    Example: pale-heron answer /dev/ttyUSB1@9600

    Example: pale-heron answer /dev/ttyUSB1@9600 --rule 'plus 100' --for 5min

    Recorded here and there, the two captures can be joined on one clock: pale-heron join.
    """
    by = rule_typed(rule) if rule else None
    if by is not None and by.kind == "matches":
        raise Trouble("An answer cannot be made from `matches`", "Answer by echo, plus N, text T or table FILE.toml")
    limit = seconds(duration) if duration else None
    end_on_signals()
    spec = lane_named(lane)
    if spec.settings.listen_only:
        raise Trouble(f"{spec.name} only listens: nothing is ever sent on it, so nothing is answered", "Leave that out")
    with opened([spec], capture=capture) as session:
        answering = Answering(session, spec.name, by)
        session.operations.begin(answering)
        click.echo(
            f"answering on {spec.address}, until Ctrl-C" if limit is None else f"answering on {spec.address}", err=True
        )
        begin = time.monotonic()
        try:
            while not answering.over and (limit is None or time.monotonic() - begin < limit):
                answering.wait(TELL_S if limit is None else min(TELL_S, max(0.0, begin + limit - time.monotonic())))
        except KeyboardInterrupt:
            pass
        answering.stop()
    if by is not None:
        print(f"{answering.answered} messages answered, {answering.not_understood} of them not understood")
    else:
        if answering.blocks:
            print(f"{several(answering.blocks, 'block')} came")
        got, sent = several(answering.got, "probe"), several(answering.answered, "answer")
        print(f"{got} came, {answering.damaged} damaged; {sent} sent")
