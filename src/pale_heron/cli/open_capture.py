"""`pale-heron open`: the full screen on a capture."""

from pathlib import Path
from typing import Annotated

import typer

from pale_heron.bench.sources import Source
from pale_heron.core.moments import moment
from pale_heron.core.trouble import Trouble

SPEED_RANGE = (0.01, 10_000.0)


def open_capture(
    capture: Annotated[Path, typer.Argument(help="A capture, or a raw file of sentences.")],
    speed: Annotated[float, typer.Option(help="Times real time.")] = 1.0,
    at: Annotated[str, typer.Option(help="Where to begin: 09:41:07, 2031-05-04T09:41:07Z or +90s.")] = "",
    paused: Annotated[bool, typer.Option("--paused", help="Stand still at first.")] = False,
) -> None:
    """Play a capture on the full screen, through the same computation as live lanes.

    Example: pale-heron open morning.pcapng --speed 10 --at 09:41:07
    """
    if not SPEED_RANGE[0] <= speed <= SPEED_RANGE[1]:
        raise Trouble(f"Speed {speed} is not {SPEED_RANGE[0]} to {SPEED_RANGE[1]:.0f}", "Write --speed 10")
    from pale_heron.bench.replay.replay import Replay

    begin = _begin(capture)
    replay = Replay(capture, speed=speed, at=moment(at, begin) if at else None, playing=not paused)
    from pale_heron.tui.app import PaleHeron

    app = PaleHeron(replay, view="traffic")
    try:
        replay.start()
        app.run()
    finally:
        replay.stop()
    if app.return_code:
        raise typer.Exit(app.return_code)


def _begin(capture: Path) -> int:
    """The time of the first record; Trouble where there is none."""
    source = Source(capture)
    try:
        first = next(source.records(), None)
    finally:
        source.close()
    if first is None:
        raise Trouble(f"{capture} holds no record", source.torn or "It was ended before the first byte came")
    return first.time or 0
