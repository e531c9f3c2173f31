"""`pale-heron watch`: lanes on the full screen."""

import contextlib
import time
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Final

import click

from pale_heron.bench.config.bench_file import lanes_of, load_own_keys
from pale_heron.bench.config.dialects import named_dialect
from pale_heron.bench.live.session import Session
from pale_heron.capture.places import new_capture_path
from pale_heron.capture.writer import NO_CAPTURE
from pale_heron.cli.closing import closed
from pale_heron.cli.ending import end_on_signals
from pale_heron.cli.parameters import FILE
from pale_heron.cli.screen import need_screen
from pale_heron.cli.timing import TimeSources, time_options, time_sources
from pale_heron.core.line.settings import nearest_words
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.ports.address import LaneSpec

if TYPE_CHECKING:
    from pale_heron.bench.config.expectation_file import ExpectationFile
    from pale_heron.core.link.description import TrialDescription

ELSEWHERE: Final = "Set PALE_HERON_CAPTURES to a folder of yours, or go without a record: --no-capture"


@click.command("watch")
@click.argument("lanes", nargs=-1, metavar="[LANE]...", help="[nickname=]ADDRESS[@rate[,framing][,flow]]")
@click.option("--bench", type=FILE, help="The lanes of a bench file, before those named here.")
@time_options
@click.option("--expect", "expected", type=FILE, help="Hold it against this file of expectations, in Proof.")
@click.option("--dialect", "spoken", multiple=True, help="LANE=NAME: what the device of a lane speaks.")
@click.option("--no-capture", is_flag=True, help="Keep no record of this.")
def watch(
    lanes: tuple[str, ...],
    bench: Path | None,
    spoken: tuple[str, ...],
    sources: tuple[str, ...],
    servers: tuple[str, ...],
    expected: Path | None,
    no_capture: bool,
) -> None:
    """Open lanes on the full screen. Without a lane, choose one from the list of ports.

    Example: pale-heron watch curlew=/dev/ttyUSB0@9600 hide=socket://127.0.0.1:7000

    Example: pale-heron watch --bench saltmarsh.toml
    """
    specs = [_speaking(each, _spoken(spoken)) for each in lanes_of(lanes, bench)]
    _check_spoken(spoken, specs)
    asked = time_sources(sources, servers)
    need_screen("pale-heron record keeps the same lanes without one")
    if not specs:
        from pale_heron.tui.ports_app import choose_ports

        specs = choose_ports()
        if not specs:
            return
    asked.check(spec.name for spec in specs)
    name = bench.stem if bench else "bench"
    show(name, specs, record=not no_capture, bench_file=bench, time_of=asked, expected=expected)


def _spoken(given: Sequence[str]) -> dict[str, str]:
    """Dialects by the names of lanes. Raises Trouble where one is not LANE=NAME, or there is no such dialect."""
    found = {}
    for text in given:
        lane, equals, name = text.partition("=")
        if not equals:
            raise Trouble(f"--dialect {text!r} is not LANE=NAME", "As in --dialect hide=bittern")
        found[lane] = named_dialect(name).name
    return found


def _speaking(spec: LaneSpec, spoken: Mapping[str, str]) -> LaneSpec:
    return replace(spec, dialect=spoken.get(spec.name, spec.dialect))


def _check_spoken(given: Sequence[str], specs: Sequence[LaneSpec]) -> None:
    """Raises Trouble where a lane is named that is not there."""
    names = [spec.name for spec in specs]
    for lane in _spoken(given):
        if lane not in names:
            raise Trouble(f"--dialect {lane!r} is no lane{nearest_words(lane, names)}", "Name a lane that is opened")


def show(
    bench: str,
    specs: list[LaneSpec],
    *,
    record: bool,
    view: str = "line",
    bench_file: Path | None = None,
    trial: "TrialDescription | None" = None,
    time_of: TimeSources | None = None,
    expected: Path | None = None,
) -> None:
    """Open the lanes, show them until the user has had enough, and say where the record lies.

    A `trial` begins by itself once its lanes are open; pulses and time servers of `time_of` are listened to and asked.
    What is `expected` is held against it in Proof.
    """
    from pale_heron.tui.app import PaleHeron

    wanted = expectations_in(expected)
    own_keys = load_own_keys(bench_file) if bench_file else ()
    end_on_signals()
    path = new_capture_path(bench, time.time_ns()) if record else None
    try:
        session = Session(bench, specs, path)
    except Trouble as trouble:
        raise Trouble(trouble.what, ELSEWHERE if trouble.cause == NO_CAPTURE else trouble.hint) from None
    app = PaleHeron(session, view=view, bench_file=bench_file, wanted=wanted, own_keys=own_keys)
    try:
        with contextlib.suppress(KeyboardInterrupt):
            session.start()
            if time_of is not None:
                time_of.begin(session)
            if trial is not None:
                # Slow to load, and asked for by few.
                from pale_heron.bench.operations.trial import Trial

                session.operations.begin(Trial(session, trial))
            app.run()
    finally:
        hanging = closed(session, whole=False)
    for name in hanging:
        click.echo(f"The driver of {name} does not let go; the record is complete.", err=True)
    if path:
        state = session.snapshot().capture
        if state.failure:
            click.echo(f"Not all was recorded: {state.failure}.", err=True)
        else:
            lost = f"; {state.lost} bytes could not be recorded" if state.lost else ""
            click.echo(f"Recorded {state.size} bytes in {state.path}{lost}")
        for left in state.left:
            click.echo(f"Not all is in there: {left}.", err=True)
    fault = session.snapshot().fault
    if fault:
        click.echo(f"A fault of this program: {safe_label(fault)}. Please report this line.", err=True)
    if app.return_code or fault:
        raise click.exceptions.Exit(app.return_code or Exit.OWN_FAULT)
    if path and (state.failure or state.lost or state.left):
        raise click.exceptions.Exit(Exit.NO)


def expectations_in(file: Path | None) -> "ExpectationFile | None":
    """What is expected, if anything: loaded for those alone who ask for it. Trouble where the file cannot be read."""
    if file is None:
        return None
    from pale_heron.bench.config.expectation_file import read_expectations

    return read_expectations(file)
