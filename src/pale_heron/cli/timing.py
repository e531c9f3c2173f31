"""What commands that open lanes may also be asked for: sources of pulses, and time servers."""

from collections.abc import Callable, Iterable, Sequence
from typing import Any, NamedTuple, TypeVar

import click

from pale_heron.bench.live.session import Session
from pale_heron.core.clock.sources import FORMS, PulseSource, source_typed
from pale_heron.core.line.settings import did_you_mean
from pale_heron.core.trouble import Trouble
from pale_heron.ports.network_time import server_typed

Command = TypeVar("Command", bound=Callable[..., Any])


class TimeSources(NamedTuple):
    """Where time comes from besides the sentences of the lanes."""

    pulses: tuple[PulseSource, ...] = ()
    servers: tuple[tuple[str, int], ...] = ()

    def check(self, lanes: Iterable[str]) -> None:
        """Trouble where a source is of a lane that is not there."""
        names = dict.fromkeys(lanes, 0)
        for each in self.pulses:
            if each.lane and each.lane not in names:
                nearest = did_you_mean(each.lane, names)
                raise Trouble(f"There is no lane {each.lane!r}{nearest}", f"There are: {', '.join(names) or 'none'}")

    def begin(self, session: Session) -> None:
        """Listen and ask from now on. Trouble where a source is of a lane that is not there."""
        self.check(spec.name for spec in session.specs())
        for source in self.pulses:
            session.timekeeper.listen(source)
        for host, port in self.servers:
            session.timekeeper.ask(host, port)


def time_options(command: Command) -> Command:
    """`--ntp` and `--pulse`."""
    command = click.option(
        "--pulse", "sources", multiple=True, metavar="SOURCE", help=f"Pulses: {FORMS}; may be given again."
    )(command)
    return click.option(
        "--ntp", "servers", multiple=True, metavar="HOST[:PORT]", help="A time server to ask too; may be given again."
    )(command)


def time_sources(sources: Sequence[str], servers: Sequence[str]) -> TimeSources:
    """As they were typed; Trouble where one is wrong."""
    return TimeSources(tuple(_source(text) for text in sources), tuple(server_typed(each) for each in servers))


def _source(text: str) -> PulseSource:
    try:
        return source_typed(text)
    except ValueError as problem:
        raise Trouble(f"--pulse {text!r}: {problem}", f"Write {FORMS}") from None
