"""`pale-heron record`: a capture without a screen."""

import signal
import threading
import time
from collections.abc import Sequence
from pathlib import Path

import click

from pale_heron.bench.config.bench_file import lanes_of
from pale_heron.bench.config.expectation_file import ExpectationFile, read_expectations
from pale_heron.bench.live.session import Session
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.cli.closing import closed
from pale_heron.cli.parameters import FILE, free_output
from pale_heron.cli.timing import time_options, time_sources
from pale_heron.core.moments import seconds
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.system import END_SIGNALS

TELL_S = 1.0


@click.command("record")
@click.option("-o", "--out", required=True, type=FILE, help="The capture to write; never overwritten.")
@click.argument("lanes", nargs=-1, metavar="LANE...", help="[nickname=]ADDRESS[@rate[,framing][,flow]]")
@click.option("--bench", type=FILE, help="The lanes of a bench file, before those named here.")
@click.option("--expect", "expected", type=FILE, help="Hold it against this file of expectations at the end.")
@click.option("--junit", type=FILE, help="Of --expect: write JUnit XML there.")
@click.option("--force", is_flag=True, help="Write over results that are there; captures are never written over.")
@time_options
@click.option("--for", "duration", default="", help="How long: 60s, 5min, 2h. Without it until Ctrl-C.")
def record(
    out: Path,
    lanes: tuple[str, ...],
    bench: Path | None,
    expected: Path | None,
    junit: Path | None,
    force: bool,
    sources: tuple[str, ...],
    servers: tuple[str, ...],
    duration: str,
) -> None:
    """Record lanes to a capture, without a screen.

    Example: pale-heron record buoy=/dev/ttyUSB0@9600 -o morning.pcapng --for 60s

    Example: pale-heron record curlew=/dev/ttyUSB0@9600 -o test.pcapng --for 60s --expect buoy7.toml --junit results.xml
    """
    limit = seconds(duration) if duration else None
    specs = lanes_of(lanes, bench)
    asked = time_sources(sources, servers)
    asked.check(spec.name for spec in specs)
    if not specs:
        raise Trouble("No lane is named", "pale-heron record LANE... -o FILE, or --bench FILE")
    wanted = _wanted(expected, junit, [spec.name for spec in specs], force=force)
    ended = threading.Event()
    for number in (signal.SIGINT, *END_SIGNALS):
        signal.signal(number, lambda *_: ended.set())
    session = Session(out.stem, specs, out)
    begin = time.monotonic()
    session.start()
    asked.begin(session)
    while not ended.is_set() and (limit is None or time.monotonic() - begin < limit):
        left = TELL_S if limit is None else min(TELL_S, limit - (time.monotonic() - begin))
        ended.wait(max(0.0, left))
        click.echo(f"\r{_state(session)}", err=True, nl=False)
    before = session.fresh_snapshot()
    # Without expectations the figures are a courtesy: nobody waits for those of a burst.
    hanging = closed(session, whole=wanted is not None)
    click.echo(f"\r{_state(session)}", err=True)
    if session.undecoded:
        click.echo(f"These are figures of what was decoded so far; pale-heron summary {out} has all.", err=True)
    for name in hanging:
        click.echo(f"pale-heron: the driver of {name} does not let go; the record is complete.", err=True)
    last = session.snapshot()
    for lane in before.lanes:
        for finding in lane.findings:
            evidence = f" {finding.evidence}." if finding.evidence else ""
            click.echo(f"{lane.name}: {finding.text}{evidence} {finding.next}", err=True)
    for gone in last.capture.left:
        click.echo(f"pale-heron: {gone}; the record goes on in {last.capture.path}", err=True)
    incomplete = bool(last.capture.failure or last.capture.lost or last.capture.left)
    if last.capture.failure or last.capture.lost:
        why = f": {last.capture.failure}" if last.capture.failure else ""
        click.echo(f"pale-heron: {last.capture.lost} bytes could not be recorded{why}. Free some space.", err=True)
    if wanted is not None:
        if session.undecoded:
            raise Trouble("Decoding did not come to the end: nothing was judged", f"pale-heron expect {expected} {out}")
        # Of the time before the lanes were closed, unless that picture lay behind what had come.
        _tell(wanted, last if before.behind_s else before, out, junit)
    if incomplete:
        raise click.exceptions.Exit(Exit.NO)
    if not session.undecoded and not any(lane.line.bytes_in for lane in last.lanes):
        # As every command says it of a device that is not there; who ended it before its time did not wait for one.
        absent = not ended.is_set() and all(lane.opened is None for lane in before.lanes)
        raise click.exceptions.Exit(Exit.WRONG_USAGE if absent else Exit.NO)


def _wanted(expected: Path | None, junit: Path | None, lanes: Sequence[str], *, force: bool) -> ExpectationFile | None:
    """The expectations, read before anything is recorded. Trouble where they are not for these lanes."""
    if expected is None:
        if junit is not None:
            raise Trouble("--junit needs expectations", "Name a file of them: --expect FILE.toml")
        return None
    if junit is not None:
        free_output(junit, force=force, of=[expected])
    wanted = read_expectations(expected)
    for each in wanted.expectations:
        if each.lane and each.lane not in lanes:
            raise Trouble(f"{expected} expects something of {each.lane!r}", f"There are: {', '.join(lanes)}")
    return wanted


def _tell(wanted: ExpectationFile, seen: BenchSnapshot, out: Path, junit: Path | None) -> None:
    from pale_heron.bench.evident import evident_now, parts_in
    from pale_heron.cli.expect import judged_record, tell
    from pale_heron.core.proof.expectation import judge

    known = evident_now(seen)._replace(parts=parts_in(out, wanted.parts))
    record = judged_record(out.name, seen.began, known.record.duration_s)
    tell(wanted, [judge(each, known) for each in wanted.expectations], record, as_json=False, junit=junit)


def _state(session: Session) -> str:
    snapshot = session.fresh_snapshot()
    lanes = "   ".join(
        f"{lane.name} {lane.line.bytes_in} B, {lane.line.valid_sentences} valid" for lane in snapshot.lanes
    )
    capture = snapshot.capture
    failing = f"   NOT RECORDING: {capture.failure}" if capture.failure else ""
    return f"{(snapshot.now - snapshot.began) / 1e9:6.1f} s   {lanes}   capture {capture.size} B{failing}"
