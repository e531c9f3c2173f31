"""`pale-heron trial`: one counted test of a link."""

import json
import sys
import tomllib
from collections.abc import Sequence
from pathlib import Path
from typing import Final

import click

from pale_heron.bench.live.session import Session
from pale_heron.bench.operations.trial import Trial
from pale_heron.cli.bench_run import opened
from pale_heron.cli.ending import end_on_signals
from pale_heron.cli.parameters import FILE
from pale_heron.core.line.settings import nearest_words
from pale_heron.core.link.content import CONTENTS
from pale_heron.core.link.description import (
    DELIVERY,
    EXCHANGE,
    FAR_ENDS,
    KINDS,
    THROUGHPUT,
    TrialDescription,
    block_size,
    sizes,
)
from pale_heron.core.link.findings import HOLDS
from pale_heron.core.link.json_object import trial_object
from pale_heron.core.link.rules import Rule, parse_rule
from pale_heron.core.link.trial import TrialSnapshot
from pale_heron.core.link.verdict import verdict
from pale_heron.core.link.words import trial_lines
from pale_heron.core.moments import byte_rate, seconds, share
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.ports.address import LaneSpec, parse_lanes

TELL_S: Final = 0.5
MOST_PROBES: Final = 10**9
BULK_S: Final = 10.0


@click.command("trial")
@click.argument("kind", help=f"Which: {', '.join(KINDS)}.")
@click.argument("lanes", nargs=-1, required=True, metavar="LANE [LANE]", help="[nickname=]ADDRESS[@rate...]")
@click.option("--count", type=int, help="Probes each way, 100 unless given; 0 goes on until Ctrl-C. Or blocks.")
@click.option("--rounds", type=int, help="Rounds of an exchange, 20 unless given; 0 goes on until Ctrl-C.")
@click.option("--every", help="Time between probes, 0.2s unless given; rounds follow each other at once.")
@click.option("--for", "duration", help="How long blocks are sent, 10s unless given: 60s, 5min.")
@click.option("--size", type=int, help="Bytes of a probe, 32 unless given, without its line end; or of a block.")
@click.option("--content", default="random", show_default=True, help=f"What blocks hold: {', '.join(CONTENTS)}.")
@click.option("--limit", default="2s", show_default=True, help="What takes longer is lost, or unanswered.")
@click.option("--one-way", is_flag=True, help="With two lanes: only from the first to the second.")
@click.option("--far", help=f"The far end of one lane: {', '.join(list(FAR_ENDS)[1:])}; answer unless given.")
@click.option("--rule", default="echo", show_default=True, help="echo, plus N, text T, matches REGEX, table FILE.toml.")
@click.option("--message", "messages", multiple=True, help="What is asked in an exchange; again for the next round.")
@click.option("--at-most-lost", default="0%", show_default=True, help="What may be lost or damaged: 5% or 0.05.")
@click.option("--at-least", help="A throughput that is claimed: 50kB/s, 92kbit/s, 1.2MB/s.")
@click.option("-o", "--out", "capture", type=FILE, help="Keep a record of it in this capture.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def trial(
    kind: str,
    lanes: tuple[str, ...],
    count: int | None,
    rounds: int | None,
    every: str | None,
    duration: str | None,
    size: int | None,
    content: str,
    limit: str,
    one_way: bool,
    far: str | None,
    rule: str,
    messages: tuple[str, ...],
    at_most_lost: str,
    at_least: str | None,
    capture: Path | None,
    as_json: bool,
) -> None:
    """Test a link and count what becomes of it. Exit status 0 where it holds, else 1.

    With two lanes both ends are here, and both directions run at once. With one lane the far end is a second program
    (`pale-heron answer`), or one that sends back what it gets (`--far echo`). `exchange` asks one message after the
    other and holds the answers against a rule. `throughput` sends numbered blocks as fast as the line takes them and
    accounts for every byte.

    Example: pale-heron trial delivery hide=/dev/ttyUSB0@9600 buoy=/dev/ttyUSB1@9600 --count 120 --every 0.5s

    Example: pale-heron trial exchange /dev/ttyUSB0@9600 --rule 'plus 100' --rounds 50

    Example: pale-heron trial throughput hide=/dev/ttyUSB0@115200 buoy=/dev/ttyUSB1@115200 --for 10s --at-least 11kB/s
    """
    specs = parse_lanes(lanes)
    probes = _count(_known(kind), count, rounds, duration)
    if kind != THROUGHPUT and (duration or at_least or content != "random"):
        raise Trouble(f"{kind} takes no --for, --at-least or --content", "They are for trial throughput")
    if content not in CONTENTS:
        nearest = nearest_words(content, dict.fromkeys(CONTENTS))
        raise Trouble(f"There is no content {content!r}{nearest}", f"There are: {', '.join(CONTENTS)}")
    described = TrialDescription(
        kind=kind,
        trial=0,
        lanes=tuple(spec.name for spec in specs),
        far=_far_end(kind, len(specs), far),
        one_way=one_way,
        probes=probes,
        every_s=seconds(every) if every else 0.2 if kind == DELIVERY else 0.0,
        size=_size(kind, size, probes, specs),
        limit_s=max(0.001, seconds(limit)),
        at_most_lost=share(at_most_lost),
        rule=rule_typed(rule),
        content=content,
        for_s=0.0 if kind != THROUGHPUT or count else seconds(duration) if duration else BULK_S,
        at_least=byte_rate(at_least) if at_least else 0.0,
    )
    end_on_signals()
    with opened(specs, capture=capture) as session:
        running = Trial(session, described, messages, before=dict.fromkeys(described.lanes, 0))
        found = _run(session, running, quiet=as_json)
    print(json.dumps(trial_object(found), ensure_ascii=False) if as_json else "\n".join(trial_lines(found)))
    if verdict(found).result != HOLDS:
        raise click.exceptions.Exit(Exit.NO)


def _run(session: Session, running: Trial, *, quiet: bool) -> TrialSnapshot:
    """Until it is over; Ctrl-C ends it, and what was counted is printed."""
    session.operations.begin(running)
    shows = not quiet and sys.stderr.isatty()
    while not running.over:
        try:
            running.wait(TELL_S)
        except KeyboardInterrupt:
            running.stop()
        found = running.result
        if shows:
            words = verdict(found).why if found is not None else running.state
            click.echo(f"\r\x1b[K{words[:118]}", err=True, nl=False)
    if shows:
        click.echo("\r\x1b[K", err=True, nl=False)
    result = running.result
    if result is None:
        raise Trouble(running.failure or "Nothing was sent", "Line shows how the lanes stand: pale-heron watch")
    return result


def _known(kind: str) -> str:
    if kind not in KINDS:
        nearest = nearest_words(kind, dict.fromkeys(KINDS))
        raise Trouble(f"There is no trial {kind!r}{nearest}", f"There are: {', '.join(KINDS)}")
    return kind


def _far_end(kind: str, lanes: int, far: str | None) -> str:
    """Where the other end is."""
    if far is not None and far not in list(FAR_ENDS)[1:]:
        raise Trouble(f"There is no far end {far!r}", f"There are: {', '.join(list(FAR_ENDS)[1:])}")
    if lanes > 2 or (lanes == 2 and (far is not None or kind == EXCHANGE)):
        raise Trouble(f"{lanes} lanes are too many for this", "Name one lane; two where both ends are here")
    if kind == THROUGHPUT and lanes == 1 and far != "echo":
        raise Trouble(
            "A trial of throughput on one lane needs a far end that sends back what it gets",
            "Add --far echo, or name the lane of the other end too",
        )
    return "lane" if lanes == 2 else far or "answer"


def _count(kind: str, count: int | None, rounds: int | None, duration: str | None) -> int:
    """How many probes, rounds or blocks; 0 without an end of their own."""
    wrong, name = (count, "--count") if kind == EXCHANGE else (rounds, "--rounds")
    if wrong is not None:
        raise Trouble(f"{kind} takes no {name}", "--count is for delivery and throughput, --rounds for exchange")
    if kind == THROUGHPUT:
        if count and duration:
            raise Trouble("--count and --for both say when it ends", "Give one of them")
        return 0 if count is None else _within(count, 1, MOST_PROBES, "--count")
    usual = 100 if kind == DELIVERY else 20
    asked = count if kind == DELIVERY else rounds
    return usual if asked is None else _within(asked, 0, MOST_PROBES, "--count" if kind == DELIVERY else "--rounds")


def _size(kind: str, size: int | None, probes: int, specs: Sequence[LaneSpec]) -> int:
    """Bytes of a probe, or of a block: one that is not given takes a tenth of a second on the slowest line."""
    least, most = sizes(kind)
    if kind != THROUGHPUT:
        # The highest number must fit in.
        return _within(32 if size is None else size, least - 1 + len(str(probes or MOST_PROBES)), most, "--size")
    if size is None:
        return block_size(spec.settings.bytes_per_s for spec in specs if not spec.networked)
    return _within(size, least, most, "--size")


def _within(value: int, least: int, most: int, name: str) -> int:
    if not least <= value <= most:
        raise Trouble(f"{name} {value} is not {least} to {most}", "Choose one within")
    return value


def rule_typed(text: str) -> Rule:
    """A rule of the command line; the pairs of a table are read from its file. Trouble says what is wrong."""
    kind, _, value = text.strip().partition(" ")
    pairs: dict[str, str] = {}
    if kind == "table" and value:
        try:
            table = tomllib.loads(Path(value.strip()).read_text("utf-8"))
        except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as problem:
            raise Trouble(f"{value.strip()} cannot be read: {problem}", 'Write lines such as "hi" = "hello"') from None
        pairs = {key: str(answer) for key, answer in table.items() if isinstance(answer, str | int | float)}
    try:
        return parse_rule(text, pairs)
    except ValueError as problem:
        raise Trouble(str(problem), "Rules: echo, plus N, text T, matches REGEX, table FILE.toml") from None
