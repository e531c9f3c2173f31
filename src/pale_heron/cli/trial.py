"""`pale-heron trial`: one counted test of a link, or those of a plan."""

import json
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import click

from pale_heron.bench.config.bench_file import lanes_of
from pale_heron.bench.config.trial_options import FAR, described
from pale_heron.bench.config.trial_plan import TrialPlan, read_plan
from pale_heron.bench.live.session import Session
from pale_heron.bench.operations.trial import Trial
from pale_heron.bench.operations.trial_plan import TrialSeries
from pale_heron.bench.sources import Source
from pale_heron.cli.bench_run import opened
from pale_heron.cli.ending import end_on_signals
from pale_heron.cli.parameters import FILE
from pale_heron.core.line.settings import ENDINGS_OUT, LineSettings, did_you_mean
from pale_heron.core.link.comparison import matrix_lines
from pale_heron.core.link.content import CONTENTS
from pale_heron.core.link.description import EXCHANGE, KINDS, WIRINGS, TrialDescription
from pale_heron.core.link.findings import HOLDS
from pale_heron.core.link.json_object import trial_object
from pale_heron.core.link.line_ends import line_end_words
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.link.verdict import verdict
from pale_heron.core.link.words import trial_lines
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.ports.address import LaneSpec, check_names
from pale_heron.ports.nicknames import lane_named

TELL_S: Final = 0.5
TOLD: Final = 12
"""By so much of its beginning a state is another one than before: how long it takes changes all the time."""

PLAN: Final = "plan"
AGAIN: Final = "again"


@click.command("trial")
@click.argument("kind", help=f"Which: {', '.join(KINDS)}; or plan or again, with a file before the lanes.")
@click.argument("lanes", nargs=-1, required=True, metavar="[FILE] LANE [LANE]", help="[nickname=]ADDRESS[@rate...]")
@click.option("--count", type=int, help="Probes each way, 100 unless given; 0 goes on until Ctrl-C. Or blocks.")
@click.option("--rounds", type=int, help="Rounds of an exchange, 20 unless given; 0 goes on until Ctrl-C.")
@click.option("--every", help="Time between probes, 0.2s unless given; rounds follow each other at once.")
@click.option("--for", "for_", help="How long probes or blocks are sent, 10s for blocks, or sentences followed: 5min.")
@click.option("--wait", help="So long the first sign of a far end is waited for: 10s unless given, 0s for not at all.")
@click.option("--size", type=int, help="Bytes of a probe, 32 unless given, without its line end; or of a block.")
@click.option("--content", help=f"What blocks hold: {', '.join(CONTENTS)}; random unless given.")
@click.option("--limit", help="What takes longer is lost, or unanswered: 2s unless given, 10s for sentences.")
@click.option("--one-way", is_flag=True, help="With two lanes: only from the first to the second.")
@click.option("--far", help=f"The far end of one lane: {', '.join(FAR)}; answer unless given.")
@click.option("--rule", help="echo, plus N, text T, matches REGEX, table FILE.toml; echo unless given.")
@click.option("--message", "messages", multiple=True, help="What is asked in an exchange; again for the next round.")
@click.option("--line", help="The line of a beacon, as a regular expression; (?P<n>[0-9]+) in it is its number.")
@click.option("--stream", is_flag=True, help="A beacon of a constant stream: whatever comes counts, once an interval.")
@click.option("--ignore", help="A regular expression: lines that a board says by itself are passed over.")
@click.option("--at-most-lost", help="What may be lost or damaged: 5% or 0.05; nothing unless given.")
@click.option("--at-least", help="A throughput that is claimed: 50kB/s, 92kbit/s, 1.2MB/s.")
@click.option("--through", is_flag=True, help="Send probes by the modules' own payload command, to the peer they name.")
@click.option("--position", help="The lane whose receiver says where the moving end is: results by distance.")
@click.option("--place", help='From where distance counts: "46.117 S 67.306 W", or the lane of the receiver there.')
@click.option("--strength", help="How strong it came: a lane and a reading of its module, such as hide/signal.")
@click.option("--bench", type=FILE, help="A bench file: its lanes may be named as they are there.")
@click.option("--dialect", default="", help="What the modules on the lanes speak; recognised unless given.")
@click.option("--also", multiple=True, metavar="LANE", help="Another lane to open: a receiver that says the position.")
@click.option("--ending", help=f"The line end that is sent: {', '.join(ENDINGS_OUT)}; the lane's own unless given.")
@click.option("--try-line-ends", is_flag=True, help="An exchange with each line end in turn: does a missing one delay?")
@click.option("--wiring", help=f"How it is wired, kept with the result: {', '.join(WIRINGS)}.")
@click.option("--anyway", is_flag=True, help="Send to a module in command mode, or by a call that may cost money.")
@click.option("-o", "--out", "capture", type=FILE, help="Keep a record of it in this capture.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object; of a plan, one with all its trials.")
def trial(
    kind: str,
    lanes: tuple[str, ...],
    messages: tuple[str, ...],
    also: tuple[str, ...],
    bench: Path | None,
    dialect: str,
    try_line_ends: bool,
    anyway: bool,
    capture: Path | None,
    as_json: bool,
    **given: Any,
) -> None:
    """Test a link and count what becomes of it. Exit status 0 where it holds, else 1.

    With two lanes both ends are here, and both directions run at once. With one lane the far end is a second program
    (`pale-heron answer`), or one that sends back what it gets (`--far echo`). `exchange` asks one message after the
    other and holds the answers against a rule. `throughput` sends numbered blocks as fast as the line takes them and
    accounts for every byte. `sentences` sends nothing: what a receiver says on the first lane is looked for on the
    second, or on one lane alone counted by its own times. `beacon` sends nothing either: a line that a board says again
    and again, by a pattern and an interval or found by itself. `plan FILE` makes the trials of a plan, in turn.
    `again CAPTURE` makes the last trial of a capture once more, on the lanes that it names: after a flat battery, say.

    Example: pale-heron trial delivery hide=/dev/ttyUSB0@9600 buoy=/dev/ttyUSB1@9600 --count 120 --every 0.5s

    Example: pale-heron trial exchange /dev/ttyUSB0@9600 --rule 'plus 100' --rounds 50

    Example: pale-heron trial throughput hide=/dev/ttyUSB0@115200 buoy=/dev/ttyUSB1@115200 --for 10s --at-least 11kB/s

    Example: pale-heron trial beacon hide=/dev/ttyUSB0@9600 --line '^alive' --every 1s --for 10min

    Example: pale-heron trial sentences curlew=/dev/ttyUSB0@9600 hide=/dev/ttyUSB1@9600 --for 10min
    """
    # What was not given is left out: each kind knows what is usual for it.
    # A count of 0 was given: it goes on until Ctrl-C.
    options = {name.rstrip("_"): value for name, value in given.items() if value is not None and value is not False}
    if kind == PLAN:
        asked = _plan(lanes, options, bench)
    elif kind == AGAIN:
        asked = _again(lanes, options, messages, bench)
    else:
        asked = _asked(kind, lanes, also, options, messages, bench)
    if try_line_ends:
        if kind != EXCHANGE:
            raise Trouble("--try-line-ends is for an exchange", "pale-heron trial exchange LANE --try-line-ends")
        asked = asked.with_line_ends()
    end_on_signals()
    with opened(asked.specs, dialect, capture) as session:
        found = _run(session, asked, anyway=anyway, quiet=as_json)
        # Before the record is closed: whoever does not wait for that has the result.
        _print(asked, found, try_line_ends=try_line_ends, as_json=as_json)
        sys.stdout.flush()
    if any(verdict(each).result != HOLDS for each in found) or len(found) < len(asked.trials):
        raise click.exceptions.Exit(Exit.NO)


@dataclass(frozen=True)
class AskedTrials:
    """The lanes to open, and what is to be tried on them."""

    title: str
    specs: list[LaneSpec]
    trials: tuple[TrialDescription, ...]
    messages: tuple[tuple[str, ...], ...]

    def with_line_ends(self) -> "AskedTrials":
        """The first one with each line end in turn."""
        first, words = self.trials[0], self.messages[0]
        trials = tuple(first._replace(ending=each, cell=("line end", each)) for each in ENDINGS_OUT)
        return AskedTrials("line ends", self.specs, trials, (words,) * len(trials))


def _named(words: Sequence[str], bench: Path | None) -> list[LaneSpec]:
    """The lanes that words name: one of the bench file by its nickname there, else an address."""
    of_bench = {spec.name: spec for spec in lanes_of((), bench)} if bench is not None else {}
    specs = [of_bench[word] if word in of_bench else lane_named(word) for word in words]
    check_names(specs)
    return specs


def _asked(
    kind: str,
    lanes: Sequence[str],
    also: Sequence[str],
    options: dict[str, Any],
    messages: tuple[str, ...],
    bench: Path | None,
) -> AskedTrials:
    if kind not in KINDS:
        nearest = did_you_mean(kind, (*KINDS, PLAN, AGAIN))
        raise Trouble(
            f"There is no trial {kind!r}{nearest}", f"There are: {', '.join(KINDS)}; plan FILE; again CAPTURE"
        )
    specs = _named([*lanes, *also], bench)
    wanted = described(kind, specs[: len(lanes)], options, tuple(spec.name for spec in specs))
    return AskedTrials(kind, specs, (wanted,), (messages,))


def _plan(words: Sequence[str], options: dict[str, Any], bench: Path | None) -> AskedTrials:
    path, *lanes = words
    if options:
        first = next(iter(options)).replace("_", "-")
        raise Trouble(f"A plan takes no --{first}: its file says how", "Write it there, for all of them under [usual]")
    if not lanes:
        raise Trouble(
            "A plan needs its lanes behind its file", f"pale-heron trial plan {path} hide=ADDRESS buoy=ADDRESS"
        )
    specs = _named(lanes, bench)
    plan: TrialPlan = read_plan(Path(path), specs)
    return AskedTrials(plan.title, specs, plan.trials, plan.messages)


def _again(words: Sequence[str], options: dict[str, Any], messages: tuple[str, ...], bench: Path | None) -> AskedTrials:
    """The last trial of a capture, on the lanes that are given, else on those that the capture names."""
    path, *lanes = words
    if options:
        first = next(iter(options)).replace("_", "-")
        raise Trouble(f"A trial that is made again takes no --{first}", "pale-heron trial KIND LANE makes another one")
    source = Source(Path(path))
    recorded = source.lanes()
    if not source.trials:
        raise Trouble(f"{source.name} holds no trial", "pale-heron trial KIND LANE... -o CAPTURE makes one")
    last = source.trials[-1].described
    given = {spec.name: spec for spec in _named(lanes, bench)}
    if lanes:
        specs = [*given.values()]
    else:
        specs = [LaneSpec(each.name, each.address, each.settings or LineSettings()) for each in recorded]
    missing = [name for name in last.wanted_lanes if name not in {spec.name for spec in specs}]
    if missing:
        raise Trouble(
            f"The trial is on {', '.join(last.wanted_lanes)}: {missing[0]} is not given", "Write NAME=ADDRESS"
        )
    return AskedTrials(last.kind, specs, (last._replace(cell=()),), (messages,))


def _run(session: Session, asked: AskedTrials, *, anyway: bool, quiet: bool) -> tuple[TrialSnapshot, ...]:
    """Until all are over; Ctrl-C ends them, and what was counted is printed."""
    running: Trial | TrialSeries
    if len(asked.trials) == 1:
        only = asked.trials[0]
        running = Trial(session, only, asked.messages[0], before=dict.fromkeys(only.lanes, 0), anyway=anyway)
    else:
        running = TrialSeries(session, asked.title, asked.trials, asked.messages, anyway=anyway)
    session.operations.begin(running)
    shows = not quiet and sys.stderr.isatty()
    clear = "\r\x1b[K" if shows else ""
    told_of = ""
    while not running.over:
        try:
            running.wait(TELL_S)
        except KeyboardInterrupt:
            running.stop()
            if running.listens_s:
                told = f"waiting up to {running.listens_s:.0f} s for what is under way; once more ends at once"
                click.echo(f"{clear}pale-heron: {told}", err=True)
        if shows:
            click.echo(f"\r\x1b[K{_progress(running)[:118]}", err=True, nl=False)
        elif not quiet and running.state.startswith("waiting") and running.state[:TOLD] != told_of:
            told_of = running.state[:TOLD]
            click.echo(f"pale-heron: {running.state}", err=True)
    if shows:
        click.echo("\r\x1b[K", err=True, nl=False)
    results = _results(running)
    for failure in running.failures if isinstance(running, TrialSeries) else ():
        click.echo(f"pale-heron: {failure}", err=True)
    if not results:
        raise Trouble(running.failure or "Nothing was sent", "Line shows how the lanes stand: pale-heron watch")
    return results


def _results(running: Trial | TrialSeries) -> tuple[TrialSnapshot, ...]:
    if isinstance(running, TrialSeries):
        return running.results
    return (running.result,) if running.result is not None else ()


def _progress(running: Trial | TrialSeries) -> str:
    """What it does now, and how it stands."""
    results = _results(running)
    words = verdict(results[-1]).why if results and running.state == "measuring" else running.state
    return f"{running.state}: {verdict(results[-1]).why}" if isinstance(running, TrialSeries) and results else words


def _print(asked: AskedTrials, found: Sequence[TrialSnapshot], *, try_line_ends: bool, as_json: bool) -> None:
    if as_json and len(asked.trials) == 1:
        print(json.dumps(trial_object(found[0]), ensure_ascii=False))
    elif as_json:
        print(json.dumps({"title": asked.title, "trials": [trial_object(each) for each in found]}, ensure_ascii=False))
    elif len(asked.trials) == 1:
        print("\n".join(trial_lines(found[0])))
    else:
        print("\n".join([asked.title, "", *matrix_lines(found), "", *(line_end_words(found) if try_line_ends else [])]))
