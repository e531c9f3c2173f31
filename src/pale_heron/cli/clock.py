"""`pale-heron clock`: how late sentences come, what to give a time daemon, and what time servers say."""

import json
import sys
import time
from datetime import datetime
from pathlib import Path
from typing import Final

import click

from pale_heron.bench.live.session import Session
from pale_heron.bench.sources import Source
from pale_heron.cli.bench_run import opened
from pale_heron.cli.ending import end_on_signals
from pale_heron.cli.progress import progress
from pale_heron.core.clock.clock_object import ClockPicture, clock_lines, clock_object, span_of
from pale_heron.core.clock.ntp import NetworkServer
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.moments import seconds
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.ports.address import parse_lanes
from pale_heron.ports.clock import StampClock

TELL_S: Final = 0.5


@click.command("clock")
@click.argument("lanes", nargs=-1, metavar="LANE...", help="Lanes, or one capture.")
@click.option(
    "--ntp", "servers", multiple=True, metavar="HOST[:PORT]", help="A time server to ask too; may be given again."
)
@click.option("--for", "duration", default="60s", show_default=True, help="How long lanes are listened to: 60s, 5min.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def clock(lanes: tuple[str, ...], servers: tuple[str, ...], duration: str, as_json: bool) -> None:
    """Measure how late what receivers say reaches this computer. Exit status 1 where nothing tells a time.

    A lag is the arrival of a sentence's first byte by this computer's clock, minus the UTC that it tells.

    Example: pale-heron clock curlew=/dev/ttyUSB0@9600 --for 5min

    Example: pale-heron clock morning.pcapng --json
    """
    from pale_heron.ports.network_time import server_typed

    asked = [server_typed(each) for each in servers]
    limit = seconds(duration)
    if not lanes and not asked:
        raise Trouble("Nothing is named whose time could be told", "pale-heron clock LANE..., or --ntp HOST")
    if len(lanes) == 1 and Path(lanes[0]).is_file():
        picture = _of_capture(Path(lanes[0]))
        picture = picture._replace(network=_network(asked, StampClock()))
    else:
        picture = _live(lanes, asked, limit)
    if as_json:
        print(json.dumps(clock_object(picture), ensure_ascii=False))
    else:
        print("\n".join(clock_lines(picture)))
    if not any(lags.types for _, lags in picture.lanes) and not any(each.best for each in picture.network):
        raise click.exceptions.Exit(Exit.NO)


def _of_capture(path: Path) -> ClockPicture:
    source = Source(path)
    show, clear = progress(f"reading {safe_label(source.name)}")
    found = source.lanes(show)
    clear()
    if not source.is_capture:
        raise Trouble(
            f"{source.name} is not a capture: nobody knows when its bytes came", "pale-heron record makes one"
        )
    return _picture(found)


def _picture(found: tuple[LaneSnapshot, ...]) -> ClockPicture:
    lanes = tuple((each.name, each.lag) for each in found)
    return ClockPicture(*span_of(lanes), lanes)


def _live(lanes: tuple[str, ...], asked: list[tuple[str, int]], limit_s: float) -> ClockPicture:
    from pale_heron.ports.host_clock import read_host_clock

    zone = datetime.now().astimezone().tzname() or ""
    if not lanes:
        return ClockPicture(None, None, (), _network(asked, StampClock()), read_host_clock(), zone)
    end_on_signals()
    with opened(parse_lanes(lanes)) as session:
        end = time.monotonic() + limit_s
        network = _network(asked, session.clock)
        try:
            while (left := end - time.monotonic()) > 0:
                time.sleep(min(TELL_S, left))
                click.echo(f"\r\x1b[K{_state(session)}", err=True, nl=False) if _shows() else None
        except KeyboardInterrupt:
            pass
        click.echo("\r\x1b[K", err=True, nl=False) if _shows() else None
        found = session.fresh_snapshot().lanes
    return _picture(found)._replace(network=network, host=read_host_clock(), zone=zone)


def _shows() -> bool:
    return sys.stderr.isatty()


def _state(session: Session) -> str:
    counts = (
        f"{safe_label(lane.name)} {max((each.lag.samples for each in lane.lag.types), default=0)} samples"
        for lane in session.snapshot().lanes
    )
    return "   ".join(counts)[:118]


def _network(asked: list[tuple[str, int]], stamps: StampClock) -> tuple[NetworkServer, ...]:
    from pale_heron.ports.network_time import ask

    return tuple(ask(host, port, stamps) for host, port in asked)
