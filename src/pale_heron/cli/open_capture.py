"""`pale-heron open`: the full screen on a capture."""

from pathlib import Path

import click

from pale_heron.bench.sources import Source
from pale_heron.cli.parameters import FILE
from pale_heron.cli.screen import need_screen
from pale_heron.cli.watch import expectations_in
from pale_heron.core.moments import moment
from pale_heron.core.trouble import Trouble

SPEED_RANGE = (0.01, 10_000.0)


@click.command("open")
@click.argument("capture", type=FILE, help="A capture, or a raw file of sentences.")
@click.option("--speed", default=1.0, type=float, help="Times real time.", show_default=True)
@click.option("--at", default="", help="Where to begin: 09:41:07, 2031-05-04T09:41:07Z or +90s.")
@click.option("--paused", is_flag=True, help="Stand still at first.")
@click.option("--expect", "expected", type=FILE, help="Hold it against this file of expectations, in Proof.")
def open_capture(capture: Path, speed: float, at: str, paused: bool, expected: Path | None) -> None:
    """Play a capture on the full screen.

    Example: pale-heron open morning.pcapng --speed 10 --at 09:41:07
    """
    if not SPEED_RANGE[0] <= speed <= SPEED_RANGE[1]:
        raise Trouble(f"Speed {speed} is not {SPEED_RANGE[0]} to {SPEED_RANGE[1]:.0f}", "Write --speed 10")
    wanted = expectations_in(expected)
    from pale_heron.bench.replay.replay import Replay

    begin = _begin(capture)
    need_screen("pale-heron summary and pale-heron decode read captures without one")
    replay = Replay(capture, speed=speed, at=moment(at, begin) if at else None, playing=not paused)
    from pale_heron.tui.app import PaleHeron

    app = PaleHeron(replay, view="traffic", wanted=wanted)
    try:
        replay.start()
        app.run()
    finally:
        replay.stop()
    if app.return_code:
        raise click.exceptions.Exit(app.return_code)


def _begin(capture: Path) -> int:
    """The first time in it; Trouble where there is no record. What comes before a raw log knows its time has none."""
    source, first = Source(capture), None
    try:
        for first in source.records():
            if first.time is not None:
                return first.time
    finally:
        source.close()
    if first is None:
        raise Trouble(f"{capture} holds no record", source.torn or "It was ended before the first byte came")
    return 0
