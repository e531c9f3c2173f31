"""`pale-heron link`: what a capture says of links."""

import json
import sys
from pathlib import Path

import click

from pale_heron.bench.sources import Source
from pale_heron.cli.parameters import FILE
from pale_heron.cli.progress import progress
from pale_heron.core.link.json_object import trial_object
from pale_heron.core.link.words import trial_lines
from pale_heron.core.trouble import Exit
from pale_heron.core.wire.visible import safe_label


@click.command("link")
@click.argument("capture", type=FILE, help="A capture.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object, with all trials.")
def link(capture: Path, as_json: bool) -> None:
    """Tell the trials of a capture again, counted afresh from its bytes. Exit status 1 where it holds none.

    Example: pale-heron link morning.pcapng --json
    """
    source = Source(None if str(capture) == "-" else capture, sys.stdin.buffer)
    tell, clear = progress(f"reading {safe_label(source.name)}")
    source.lanes(tell)
    clear()
    if source.torn:
        click.echo(f"pale-heron: {safe_label(source.name)}: {source.torn}.", err=True)
    trials = source.trials
    if as_json:
        told = {"file": source.name, "trials": [trial_object(each) for each in trials]}
        print(json.dumps(told, ensure_ascii=False))
    elif trials:
        print("\n\n".join("\n".join(trial_lines(each)) for each in trials))
    if not trials:
        click.echo(f"pale-heron: {safe_label(source.name)} holds no trial. pale-heron trial makes one.", err=True)
        raise click.exceptions.Exit(Exit.NO)
