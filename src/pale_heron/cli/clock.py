"""`pale-heron clock`: how late sentences come, what to give a time daemon, whether pulses come, what servers say."""

import json
import sys
import time
from pathlib import Path
from typing import Final

import click

from pale_heron.bench.live.session import Session
from pale_heron.bench.sources import Source
from pale_heron.cli.bench_run import opened
from pale_heron.cli.ending import end_on_signals
from pale_heron.cli.parameters import FILE
from pale_heron.cli.progress import reading
from pale_heron.cli.timing import TimeSources, time_options, time_sources
from pale_heron.core.clock.clock_object import ClockPicture, clock_object
from pale_heron.core.clock.clock_words import clock_lines
from pale_heron.core.clock.ntp import NetworkServer
from pale_heron.core.clock.sources import PRINTED
from pale_heron.core.clock_of_lanes import clock_of
from pale_heron.core.moments import seconds
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.files.user_folders import is_file
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.clock import StampClock
from pale_heron.ports.nicknames import lanes_named

TELL_S: Final = 0.5


@click.command("clock")
@click.argument("lanes", nargs=-1, metavar="LANE...", help="Lanes, or one capture.")
@time_options
@click.option("--for", "duration", default="60s", show_default=True, help="How long lanes are listened to: 60s, 5min.")
@click.option("-o", "--out", "capture", type=FILE, help="Keep a record of it in this capture.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def clock(
    lanes: tuple[str, ...],
    servers: tuple[str, ...],
    sources: tuple[str, ...],
    duration: str,
    capture: Path | None,
    as_json: bool,
) -> None:
    """Measure how late what receivers say reaches this computer. Exit status 1 where nothing tells a time.

    A lag is the arrival of a sentence's first byte by this computer's clock, minus the UTC that it tells. Pulses are
    those of the kernel (RFC 2783), of a control line of a lane, or lines that a board prints.

    Example: pale-heron clock curlew=/dev/ttyUSB0@9600 --for 5min

    Example: pale-heron clock morning.pcapng --json

    Example: pale-heron clock board=/dev/ttyUSB1@115200 --pulse 'printed:board:tick (?P<us>[0-9]+)'
    """
    limit = seconds(duration)
    if not lanes and not servers and not sources:
        raise Trouble("Nothing is named whose time could be told", "pale-heron clock LANE..., or --ntp HOST")
    asked = time_sources(sources, servers)
    if len(lanes) == 1 and is_file(Path(lanes[0])):
        picture = _of_capture(Path(lanes[0]), asked)
    else:
        specs = lanes_named(lanes)
        asked.check(spec.name for spec in specs)
        picture = _live(specs, asked, limit, capture)
    if as_json:
        print(json.dumps(clock_object(picture), ensure_ascii=False))
    else:
        print("\n".join(clock_lines(picture)))
    if not picture.tells:
        raise click.exceptions.Exit(Exit.NO)


def _of_capture(path: Path, asked: TimeSources) -> ClockPicture:
    source = Source(path)
    if not source.is_capture:
        raise Trouble(
            f"{source.name} is not a capture: nobody knows when its bytes came", "pale-heron record makes one"
        )
    for each in asked.pulses:
        if each.kind != PRINTED:
            raise Trouble(
                f"{each.text} cannot be listened to afterwards", "What was listened to then is in the capture"
            )
    show, clear = reading(source)
    found = source.lanes(show, listen=[each.text for each in asked.pulses])
    clear()
    asked.check(each.name for each in found)
    picture = clock_of(found, source.clock)
    return picture._replace(network=(*picture.network, *_asked(asked)))


def _live(specs: list[LaneSpec], asked: TimeSources, limit_s: float, capture: Path | None) -> ClockPicture:
    from pale_heron.ports.host_clock import read_host_clock, zone_name

    zone = zone_name()
    if not specs and not asked.pulses:
        return ClockPicture(None, None, (), _asked(asked), read_host_clock(), zone)
    end_on_signals()
    with opened(specs, capture=capture) as session:
        asked.begin(session)
        end = time.monotonic() + limit_s
        try:
            while (left := end - time.monotonic()) > 0:
                time.sleep(min(TELL_S, left))
                click.echo(f"\r\x1b[K{_state(session)}", err=True, nl=False) if sys.stderr.isatty() else None
        except KeyboardInterrupt:
            pass
        click.echo("\r\x1b[K", err=True, nl=False) if sys.stderr.isatty() else None
        found = session.fresh_snapshot()
    return clock_of(found.lanes, found.clock)._replace(host=read_host_clock(), zone=zone)


def _state(session: Session) -> str:
    seen = session.snapshot()
    counts = [
        f"{safe_label(lane.name)} {max((each.lag.samples for each in lane.lag.types), default=0)} samples"
        for lane in seen.lanes
    ]
    counts += [f"{safe_label(each.source)} {each.pulses}" for each in seen.clock.pulses]
    return "   ".join(counts)[:118]


def _asked(asked: TimeSources) -> tuple[NetworkServer, ...]:
    """What the servers answer now."""
    from pale_heron.ports.network_time import ask

    stamps = StampClock()
    return tuple(ask(host, port, stamps) for host, port in asked.servers)
