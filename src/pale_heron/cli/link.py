"""`pale-heron link`: what a capture says of links."""

import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import click

from pale_heron.bench.sources import Source
from pale_heron.cli.parameters import FILE
from pale_heron.cli.progress import reading, tell_torn
from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.link.comparison import compare as compare_trials
from pale_heron.core.link.comparison import comparison_lines
from pale_heron.core.link.description import SENTENCES, TrialDescription
from pale_heron.core.link.json_object import direction_object, trial_object
from pale_heron.core.link.sentence_trial import SentenceTrialTracker
from pale_heron.core.link.sentences import SentenceMatcher, carried
from pale_heron.core.link.trial import DONE, TrialSnapshot
from pale_heron.core.link.words import sentence_lines, trial_lines
from pale_heron.core.moments import seconds
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.core.wire.visible import safe_label


@click.command("link")
@click.argument("capture", type=FILE, help="A capture.")
@click.option("--from", "sender", default="", help="The lane on which a receiver speaks.")
@click.option(
    "--to", "receiver", default="", help="The lane on which its sentences are looked for; else gaps in its times."
)
@click.option("--limit", default="10s", show_default=True, help="A sentence that takes longer is lost.")
@click.option("--compare", nargs=2, type=int, default=None, help="Two of its trials, counted from 1, side by side.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object, with all trials.")
def link(capture: Path, sender: str, receiver: str, limit: str, compare: tuple[int, int] | None, as_json: bool) -> None:
    """Tell the trials of a capture again, or what became of sentences. Exit status 1 where there is nothing.

    Everything is counted afresh from the bytes. With --from and --to nothing special had to be sent: what a receiver
    said on one lane is looked for on the other. With --from alone it is judged by its sentences' own times: a time
    that is left out is a loss, a time that comes again a double.

    Example: pale-heron link morning.pcapng --json

    Example: pale-heron link morning.pcapng --from curlew --to hide

    Example: pale-heron link morning.pcapng --compare 1 2
    """
    if (receiver and not sender) or (sender and sender == receiver):
        raise Trouble("--from and --to name two lanes", "pale-heron summary lists the lanes of a capture")
    limit_s = max(0.001, seconds(limit))
    if sender and receiver:
        _match(capture, sender, receiver, round(limit_s * SECOND), as_json=as_json)
        return
    if sender:
        _judge_by_own_times(capture, sender, limit_s, as_json=as_json)
        return
    source = Source(None if str(capture) == "-" else capture, sys.stdin.buffer)
    show, clear = reading(source)
    source.lanes(show)
    clear()
    trials = source.trials
    if compare is not None:
        _compare(source.name, trials, compare, as_json=as_json)
    elif as_json:
        document = {"file": source.name, "trials": [trial_object(each) for each in trials]}
        print(json.dumps(document, ensure_ascii=False))
    elif trials:
        print("\n\n".join("\n".join(trial_lines(each)) for each in trials))
        if source.joined is not None:
            print(f"\n{source.joined.words}")
    if not trials:
        click.echo(f"pale-heron: {safe_label(source.name)} holds no trial. pale-heron trial makes one.", err=True)
        raise click.exceptions.Exit(Exit.NO)


def _compare(name: str, trials: Sequence[TrialSnapshot], wanted: tuple[int, int], *, as_json: bool) -> None:
    """Two trials side by side."""
    for each in wanted:
        if not 1 <= each <= len(trials):
            raise Trouble(f"There is no trial {each}", f"{name} holds {len(trials)}, counted from 1")
    one, other = (trials[each - 1] for each in wanted)
    rows = compare_trials(one, other)
    if as_json:
        print(json.dumps({"file": name, "trials": list(wanted), "compared": [row._asdict() for row in rows]}))
    else:
        print("\n".join(comparison_lines(one, other)))


def _judge_by_own_times(capture: Path, lane: str, limit_s: float, *, as_json: bool) -> None:
    """One lane alone: gaps in the times of its sentences are losses."""
    source = Source(capture)
    described = TrialDescription(SENTENCES, 0, (lane,), limit_s=limit_s)
    tracker: SentenceTrialTracker | None = None
    last = 0
    for entry in source.lines():
        last = max(last, entry.time or 0)
        if entry.time is None:
            continue
        if tracker is None:
            tracker = SentenceTrialTracker(described, entry.time)
        if isinstance(entry, Frame):
            tracker.hear(entry)
        else:
            tracker.heed(entry)
    if tracker is not None:
        tracker.finish(last, DONE)
    found = tracker.snapshot() if tracker is not None else None
    if found is None or not any(each.settled for each in found.directions):
        words = f"{safe_label(lane)} says no sentence whose own times tell of losses"
        click.echo(f"pale-heron: {words}: pale-heron summary lists lanes and types.", err=True)
        raise click.exceptions.Exit(Exit.NO)
    if as_json:
        print(json.dumps({"file": source.name, "own_times": trial_object(found)}, ensure_ascii=False))
    else:
        print("\n".join(trial_lines(found)))


def _match(capture: Path, sender: str, receiver: str, limit_ns: int, *, as_json: bool) -> None:
    """Sentences of one lane looked for on another: gone through twice, first for what the other one carries."""
    there = carried(Source(capture).frames(), receiver)
    source = Source(capture)
    if not source.is_capture:
        raise Trouble(f"{capture} is not a capture: it has one lane and no times", "Record both lanes together")
    matcher = SentenceMatcher(sender, receiver, there, limit_ns)
    for frame in source.frames():
        matcher.feed(frame)
    tell_torn(source)
    found = matcher.finish(there.last or 0)
    if as_json:
        types = [{"type": name, "said": said, "delivered": came} for name, said, came in found.types]
        document: dict[str, Any] = {"file": source.name, "sentences": {**direction_object(found.all), "types": types}}
        if source.joined is not None:
            document["clocks_within_s"] = source.joined.uncertainty_s
        print(json.dumps(document, ensure_ascii=False))
    else:
        print("\n".join(sentence_lines(found)))
        if source.joined is not None:
            print(source.joined.words)
    if not found.all.settled:
        words = f"no sentence of {safe_label(sender)} could be looked for on {safe_label(receiver)}"
        click.echo(f"pale-heron: {words}: pale-heron summary lists lanes and types.", err=True)
        raise click.exceptions.Exit(Exit.NO)
