"""`pale-heron link`: what a capture says of links."""

import json
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import click

from pale_heron.bench.config.trial_options import described
from pale_heron.bench.sources import Source
from pale_heron.cli.parameters import FILE, streamed
from pale_heron.cli.progress import reading, tell_torn
from pale_heron.core.frames import Chunk, Event, Frame
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.link.comparison import compare as compare_trials
from pale_heron.core.link.comparison import comparison_lines
from pale_heron.core.link.description import BEACON, SENTENCES, TrialDescription
from pale_heron.core.link.json_object import direction_object, trial_object
from pale_heron.core.link.sentence_trial import SentenceTrialTracker
from pale_heron.core.link.trial import TrialTracker
from pale_heron.core.link.trial_snapshot import DONE, WATCHED, TrialEnd, TrialSnapshot
from pale_heron.core.link.words import trial_lines
from pale_heron.core.moments import seconds
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.ports.address import LaneSpec


@click.command("link")
@click.argument("capture", type=FILE, help="A capture.")
@click.option("--from", "sender", default="", help="The lane on which a receiver speaks.")
@click.option(
    "--to", "receiver", default="", help="The lane on which its sentences are looked for; else gaps in its times."
)
@click.option("--line", default="", help="With --from: a line that comes again and again, as a regular expression.")
@click.option("--every", default="", help="How often it comes; found where it is not given.")
@click.option("--stream", is_flag=True, help="With --from: a constant stream; whatever comes counts, once an interval.")
@click.option("--limit", default="", help="What takes longer is lost: 10s for sentences, 2.5 intervals of a line.")
@click.option("--compare", nargs=2, type=int, default=None, help="Two of its trials, counted from 1, side by side.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object, with all trials.")
def link(
    capture: Path,
    sender: str,
    receiver: str,
    line: str,
    every: str,
    stream: bool,
    limit: str,
    compare: tuple[int, int] | None,
    as_json: bool,
) -> None:
    """Tell the trials of a capture again, or what became of sentences. Exit status 1 where there is nothing.

    Everything is counted afresh from the bytes. With --from and --to nothing special had to be sent: what a receiver
    said on one lane is looked for on the other. With --from alone it is judged by its sentences' own times: a time
    that is left out is a loss, a time that comes again a double. Where nothing tells a time, a line that comes again
    and again is counted: that of --line, or the first that comes at even distances.

    Example: pale-heron link morning.pcapng --json

    Example: pale-heron link morning.pcapng --from curlew --to hide

    Example: pale-heron link morning.pcapng --from hide --line '^alive' --every 1s

    Example: pale-heron link morning.pcapng --compare 1 2
    """
    if (receiver and not sender) or (sender and sender == receiver):
        raise Trouble("--from and --to name two lanes", "pale-heron summary lists the lanes of a capture")
    limit_s = max(0.001, seconds(limit or "10s"))
    if (line or every or stream) and (receiver or not sender):
        raise Trouble("--line, --every and --stream are for one lane", "Name it with --from")
    if sender:
        lanes = (sender, receiver) if receiver else (sender,)
        given = {"every": every, "limit": limit}
        options = {"line": line, "stream": stream, **{name: value for name, value in given.items() if value}}
        _follow(capture, _watched_for(lanes, limit_s, options), as_json=as_json)
        return
    piped = streamed(capture)
    source = Source(None if piped else capture, piped)
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


def _watched_for(lanes: tuple[str, ...], limit_s: float, options: Mapping[str, Any]) -> tuple[TrialDescription, ...]:
    """What to look for: the first of these that finds something is told."""
    beacon = described(BEACON, [LaneSpec(lanes[0], "", LineSettings())], options, lanes)
    if options["line"] or options["stream"] or "every" in options:
        return (beacon,)
    sentences = TrialDescription(SENTENCES, 0, lanes, limit_s=limit_s)
    return (sentences,) if len(lanes) == 2 else (sentences, beacon)


def _follow(capture: Path, wanted: Sequence[TrialDescription], *, as_json: bool) -> None:
    """Sentences of one lane looked for on another, judged by their own times, or a beacon, as a trial counts them."""
    source = Source(capture)
    lanes = wanted[0].lanes
    if len(lanes) == 2 and not source.is_capture:
        raise Trouble(f"{capture} is not a capture: it has one lane and no times", "Record both lanes together")
    trackers: list[SentenceTrialTracker | TrialTracker] = []
    last = 0
    for entry in _chunks(source) if wanted[0].stream else source.lines():
        if entry.time is None:
            continue
        last = max(last, entry.time)
        if not trackers:
            trackers += [(TrialTracker if each.stream else SentenceTrialTracker)(each, entry.time) for each in wanted]
        for tracker in trackers:
            if isinstance(entry, Event):
                tracker.heed(entry)
            elif isinstance(entry, Frame) and isinstance(tracker, SentenceTrialTracker):
                tracker.hear(entry)
            elif isinstance(entry, Chunk) and isinstance(tracker, TrialTracker):
                tracker.feed(entry)
    tell_torn(source)
    found = next((trial for each in trackers if _counts(trial := _watched(each, last))), None)
    if found is None:
        if len(lanes) == 2:
            words = f"no sentence of {safe_label(lanes[0])} could be looked for on {safe_label(lanes[1])}"
        else:
            words = (
                f"{safe_label(lanes[0])} says no sentence whose own times tell of losses, and no line again and again"
            )
        click.echo(f"pale-heron: {words}: pale-heron summary lists lanes and types.", err=True)
        raise click.exceptions.Exit(Exit.NO)
    if as_json:
        document: dict[str, Any] = {"file": source.name}
        if len(lanes) == 2:
            whole = trial_object(found)
            told = {name: whole[name] for name in ("verdict", "why", "types", "left_out", "findings")}
            document["sentences"] = {**direction_object(found.directions[0]), **told}
        else:
            document["beacon" if found.described.kind == BEACON else "own_times"] = trial_object(found)
        if source.joined is not None:
            document["clocks_within_s"] = source.joined.uncertainty_s
        print(json.dumps(document, ensure_ascii=False))
        return
    print("\n".join(trial_lines(found)))
    if source.joined is not None:
        print(source.joined.words)


def _chunks(source: Source) -> Iterator[Chunk | Event]:
    """A stream has no lines."""
    return (each for each in source.records() if isinstance(each, Chunk | Event))


def _watched(tracker: SentenceTrialTracker | TrialTracker, last: int) -> TrialSnapshot:
    tracker.finish(last, TrialEnd(DONE, WATCHED, listened=False))
    return tracker.snapshot()


def _counts(found: TrialSnapshot) -> bool:
    return any(each.settled for each in found.directions)
