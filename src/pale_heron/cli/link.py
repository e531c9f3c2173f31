"""`pale-heron link`: what a capture says of links."""

import json
import sys
from pathlib import Path

import click

from pale_heron.bench.sources import Source
from pale_heron.cli.parameters import FILE
from pale_heron.cli.progress import progress
from pale_heron.core.frames import SECOND
from pale_heron.core.link.json_object import direction_object, trial_object
from pale_heron.core.link.sentences import SentenceMatcher, carried
from pale_heron.core.link.words import sentence_lines, trial_lines
from pale_heron.core.moments import seconds
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.core.wire.visible import safe_label


@click.command("link")
@click.argument("capture", type=FILE, help="A capture.")
@click.option("--from", "sender", default="", help="The lane on which a receiver speaks.")
@click.option("--to", "receiver", default="", help="The lane on which its sentences are looked for.")
@click.option("--limit", default="10s", show_default=True, help="A sentence that takes longer is lost.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object, with all trials.")
def link(capture: Path, sender: str, receiver: str, limit: str, as_json: bool) -> None:
    """Tell the trials of a capture again, or match sentences between two lanes. Exit status 1 where there is nothing.

    Everything is counted afresh from the bytes. With --from and --to nothing special had to be sent: what a receiver
    said on one lane is looked for on the other.

    Example: pale-heron link morning.pcapng --json

    Example: pale-heron link morning.pcapng --from curlew --to hide
    """
    if bool(sender) != bool(receiver) or (sender and sender == receiver):
        raise Trouble("--from and --to name two lanes", "pale-heron summary lists the lanes of a capture")
    if sender:
        _match(capture, sender, receiver, round(max(0.001, seconds(limit)) * SECOND), as_json=as_json)
        return
    source = Source(None if str(capture) == "-" else capture, sys.stdin.buffer)
    show, clear = progress(f"reading {safe_label(source.name)}")
    source.lanes(show)
    clear()
    if source.torn:
        click.echo(f"pale-heron: {safe_label(source.name)}: {source.torn}.", err=True)
    trials = source.trials
    if as_json:
        document = {"file": source.name, "trials": [trial_object(each) for each in trials]}
        print(json.dumps(document, ensure_ascii=False))
    elif trials:
        print("\n\n".join("\n".join(trial_lines(each)) for each in trials))
    if not trials:
        click.echo(f"pale-heron: {safe_label(source.name)} holds no trial. pale-heron trial makes one.", err=True)
        raise click.exceptions.Exit(Exit.NO)


def _match(capture: Path, sender: str, receiver: str, limit_ns: int, *, as_json: bool) -> None:
    """Sentences of one lane looked for on another: gone through twice, first for what the other one carries."""
    there = carried(Source(capture).frames(), receiver)
    source = Source(capture)
    if not source.is_capture:
        raise Trouble(f"{capture} is not a capture: it has one lane and no times", "Record both lanes together")
    matcher = SentenceMatcher(sender, receiver, there, limit_ns)
    for frame in source.frames():
        matcher.feed(frame)
    found = matcher.finish(there.last or 0)
    if as_json:
        types = [{"type": name, "said": said, "delivered": came} for name, said, came in found.types]
        document = {"file": source.name, "sentences": {**direction_object(found.all), "types": types}}
        print(json.dumps(document, ensure_ascii=False))
    else:
        print("\n".join(sentence_lines(found)))
    if not found.all.settled:
        words = f"no sentence of {safe_label(sender)} could be looked for on {safe_label(receiver)}"
        click.echo(f"pale-heron: {words}: pale-heron summary lists lanes and types.", err=True)
        raise click.exceptions.Exit(Exit.NO)
