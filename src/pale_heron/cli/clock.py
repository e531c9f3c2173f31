"""`pale-heron clock`: how late sentences come, what to give a time daemon, and what time servers say."""

import json
import sys
import time
from collections.abc import Iterable, Sequence
from datetime import datetime
from pathlib import Path
from typing import Final

import click

from pale_heron.bench.live.session import Session
from pale_heron.bench.model import FrameTap
from pale_heron.bench.sources import Source
from pale_heron.cli.bench_run import opened
from pale_heron.cli.ending import end_on_signals
from pale_heron.cli.progress import progress
from pale_heron.core.clock.clock_object import ClockPicture, clock_lines, clock_object, span_of
from pale_heron.core.clock.ntp import NetworkServer
from pale_heron.core.clock.printed_pulse import PrintedPulse
from pale_heron.core.clock.pulse import PulseTracker
from pale_heron.core.frames import IN, Frame, Kind
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.settings import nearest_words
from pale_heron.core.moments import seconds
from pale_heron.core.patterns import Broken
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.core.wire.visible import safe_label, safe_text
from pale_heron.ports.address import parse_lanes
from pale_heron.ports.clock import StampClock

TELL_S: Final = 0.5


@click.command("clock")
@click.argument("lanes", nargs=-1, metavar="LANE...", help="Lanes, or one capture.")
@click.option(
    "--ntp", "servers", multiple=True, metavar="HOST[:PORT]", help="A time server to ask too; may be given again."
)
@click.option(
    "--pulse",
    "sources",
    multiple=True,
    metavar="SOURCE",
    help="Lines that are pulses: printed:LANE, or printed:LANE:PATTERN; may be given again.",
)
@click.option("--for", "duration", default="60s", show_default=True, help="How long lanes are listened to: 60s, 5min.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def clock(
    lanes: tuple[str, ...], servers: tuple[str, ...], sources: tuple[str, ...], duration: str, as_json: bool
) -> None:
    """Measure how late what receivers say reaches this computer. Exit status 1 where nothing tells a time.

    A lag is the arrival of a sentence's first byte by this computer's clock, minus the UTC that it tells.

    Example: pale-heron clock curlew=/dev/ttyUSB0@9600 --for 5min

    Example: pale-heron clock morning.pcapng --json

    Example: pale-heron clock board=/dev/ttyUSB1@115200 --pulse 'printed:board:tick (?P<us>[0-9]+)'
    """
    from pale_heron.ports.network_time import server_typed

    asked = [server_typed(each) for each in servers]
    limit = seconds(duration)
    pulses = [PulseSource(each) for each in sources]
    if not lanes and not asked:
        raise Trouble("Nothing is named whose time could be told", "pale-heron clock LANE..., or --ntp HOST")
    if len(lanes) == 1 and Path(lanes[0]).is_file():
        picture = _of_capture(Path(lanes[0]), pulses)
        picture = picture._replace(network=_network(asked, StampClock()))
    else:
        picture = _live(lanes, asked, pulses, limit)
    if as_json:
        print(json.dumps(clock_object(picture), ensure_ascii=False))
    else:
        print("\n".join(clock_lines(picture)))
    heard = any(lags.types for _, lags in picture.lanes) or any(each.pulses for each in picture.pulses)
    if not heard and not any(each.best for each in picture.network):
        raise click.exceptions.Exit(Exit.NO)


class PulseSource:
    """A source of pulses as it is named in a command. Trouble says what is wrong."""

    def __init__(self, text: str) -> None:
        kind, _, rest = text.partition(":")
        self.lane, _, pattern = rest.partition(":")
        if kind != "printed" or not self.lane:
            raise Trouble(f"--pulse {text!r} is no source of pulses", "Write printed:LANE, or printed:LANE:PATTERN")
        try:
            self._printed = PrintedPulse(pattern)
        except Broken as problem:
            raise Trouble(f"--pulse {text!r}: {problem}", "The pattern is a regular expression") from None
        self.tracker = PulseTracker(text)

    def take(self, frame: Frame) -> None:
        """A line of any lane."""
        if frame.lane != self.lane or frame.kind is not Kind.TEXT or frame.direction is not IN or frame.time is None:
            return
        is_pulse, own = self._printed.read(safe_text(frame.data.strip(b"\r\n")))
        if is_pulse:
            self.tracker.take(frame.time, own)


def _check_lanes(pulses: list[PulseSource], known: Iterable[str]) -> None:
    names = dict.fromkeys(known, 0)
    for each in pulses:
        if each.lane not in names:
            nearest = nearest_words(each.lane, names)
            raise Trouble(f"There is no lane {each.lane!r}{nearest}", f"There are: {', '.join(names) or 'none'}")


def _of_capture(path: Path, pulses: list[PulseSource]) -> ClockPicture:
    source = Source(path)
    show, clear = progress(f"reading {safe_label(source.name)}")
    found = source.lanes(show)
    clear()
    if not source.is_capture:
        raise Trouble(
            f"{source.name} is not a capture: nobody knows when its bytes came", "pale-heron record makes one"
        )
    _check_lanes(pulses, (each.name for each in found))
    if pulses:
        for frame in Source(path).frames():
            for each in pulses:
                each.take(frame)
    return _picture(found)._replace(pulses=tuple(each.tracker.snapshot() for each in pulses))


def _picture(found: tuple[LaneSnapshot, ...]) -> ClockPicture:
    lanes = tuple((each.name, each.lag) for each in found)
    return ClockPicture(*span_of(lanes), lanes)


def _live(
    lanes: tuple[str, ...], asked: list[tuple[str, int]], pulses: list[PulseSource], limit_s: float
) -> ClockPicture:
    from pale_heron.ports.host_clock import read_host_clock

    zone = datetime.now().astimezone().tzname() or ""
    if not lanes:
        return ClockPicture(None, None, (), _network(asked, StampClock()), read_host_clock(), zone)
    specs = parse_lanes(lanes)
    _check_lanes(pulses, (spec.name for spec in specs))
    end_on_signals()
    with opened(specs) as session:
        ears = [(each, session.listen(each.lane)) for each in pulses]
        end = time.monotonic() + limit_s
        network = _network(asked, session.clock)
        try:
            while (left := end - time.monotonic()) > 0:
                time.sleep(min(TELL_S, left))
                _hear(ears)
                click.echo(f"\r\x1b[K{_state(session)}", err=True, nl=False) if _shows() else None
        except KeyboardInterrupt:
            pass
        click.echo("\r\x1b[K", err=True, nl=False) if _shows() else None
        found = session.fresh_snapshot().lanes
        _hear(ears)
    told = tuple(each.tracker.snapshot() for each in pulses)
    return _picture(found)._replace(network=network, host=read_host_clock(), zone=zone, pulses=told)


def _hear(ears: Sequence[tuple[PulseSource, FrameTap]]) -> None:
    for source, ear in ears:
        for frame in ear.take():
            source.take(frame)


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
