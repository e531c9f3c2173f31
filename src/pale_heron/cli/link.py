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
from pale_heron.core.frames import Frame
from pale_heron.core.link.comparison import compare as compare_trials
from pale_heron.core.link.comparison import comparison_lines
from pale_heron.core.link.description import SENTENCES, TrialDescription
from pale_heron.core.link.json_object import direction_object, trial_object
from pale_heron.core.link.sentence_trial import SentenceTrialTracker
from pale_heron.core.link.trial_snapshot import DONE, WATCHED, TrialEnd, TrialSnapshot
from pale_heron.core.link.words import trial_lines
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
        _follow(capture, (sender, receiver), limit_s, as_json=as_json)
        return
    if sender:
        _follow(capture, (sender,), limit_s, as_json=as_json)
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


def _follow(capture: Path, lanes: tuple[str, ...], limit_s: float, *, as_json: bool) -> None:
    """Sentences of one lane looked for on another, or judged by their own times, as a trial counts them."""
    source = Source(capture)
    if len(lanes) == 2 and not source.is_capture:
        raise Trouble(f"{capture} is not a capture: it has one lane and no times", "Record both lanes together")
    described = TrialDescription(SENTENCES, 0, lanes, limit_s=limit_s)
    tracker: SentenceTrialTracker | None = None
    last = 0
    for entry in source.lines():
        if entry.time is None:
            continue
        last = max(last, entry.time)
        tracker = tracker or SentenceTrialTracker(described, entry.time)
        if isinstance(entry, Frame):
            tracker.hear(entry)
        else:
            tracker.heed(entry)
    tell_torn(source)
    if tracker is None or not (found := _watched(tracker, last)).directions or not _counts(found):
        if len(lanes) == 2:
            words = f"no sentence of {safe_label(lanes[0])} could be looked for on {safe_label(lanes[1])}"
        else:
            words = f"{safe_label(lanes[0])} says no sentence whose own times tell of losses"
        click.echo(f"pale-heron: {words}: pale-heron summary lists lanes and types.", err=True)
        raise click.exceptions.Exit(Exit.NO)
    if as_json:
        document: dict[str, Any] = {"file": source.name}
        if len(lanes) == 2:
            whole = trial_object(found)
            told = {name: whole[name] for name in ("verdict", "why", "types", "left_out", "findings")}
            document["sentences"] = {**direction_object(found.directions[0]), **told}
        else:
            document["own_times"] = trial_object(found)
        if source.joined is not None:
            document["clocks_within_s"] = source.joined.uncertainty_s
        print(json.dumps(document, ensure_ascii=False))
        return
    print("\n".join(trial_lines(found)))
    if source.joined is not None:
        print(source.joined.words)


def _watched(tracker: SentenceTrialTracker, last: int) -> TrialSnapshot:
    tracker.finish(last, TrialEnd(DONE, WATCHED, listened=False))
    return tracker.snapshot()


def _counts(found: TrialSnapshot) -> bool:
    return any(each.settled for each in found.directions)
