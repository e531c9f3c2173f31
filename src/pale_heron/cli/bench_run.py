"""What the commands that speak to modules share: lanes that are open without a screen, and their dialects."""

import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

from pale_heron.bench.config.dialect_book import STANDARD
from pale_heron.bench.config.dialects import named_dialect
from pale_heron.bench.live.session import Session
from pale_heron.bench.operations.command_client import CommandClient
from pale_heron.cli.closing import closed
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.notices import NO_ANSWER
from pale_heron.core.line.diagnosis.stages import LaneOpening
from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec

OPEN_WITHIN_S = 5.0
LOOK_S = 0.02
ATTENTIONS = 2


@contextmanager
def opened(specs: list[LaneSpec], dialect: str = "", capture: Path | None = None) -> Iterator[Session]:
    """A running session whose lanes are all open. Raises Trouble where one does not open, or has no such dialect."""
    if dialect:
        name = named_dialect(dialect).name
        specs = [replace(spec, dialect=name) for spec in specs]
    session = Session("", specs, capture)
    session.start()
    try:
        for spec in specs:
            _wait_open(session, spec.name)
        yield session
    finally:
        closed(session)


def _wait_open(session: Session, lane: str) -> None:
    end = time.monotonic() + OPEN_WITHIN_S
    while time.monotonic() < end:
        snapshot = session.snapshot_of(lane)
        if snapshot is not None and snapshot.opening is LaneOpening.OPEN:
            return
        if snapshot is not None and snapshot.opening is LaneOpening.REFUSED:
            why = snapshot.open_error
            raise Trouble(why if why.startswith(lane) else f"{lane}: {why}", "pale-heron ports lists what there is")
        time.sleep(LOOK_S)
    raise Trouble(f"{lane} does not open", "pale-heron ports lists what there is")


def speaking(session: Session, spec: LaneSpec) -> Dialect:
    """The dialect of a lane: chosen, or recognised by what it says or answers to ATI. Trouble where it is mute."""
    client = CommandClient(session, spec.name)
    if all(client.attention().status == NO_ANSWER for _ in range(ATTENTIONS)):
        raise Trouble(
            f"{spec.name} does not answer at {session.settings_of(spec.name)}",
            "Look at its rate and wiring: pale-heron watch, then r",
        )
    if client.speaks.name == STANDARD:
        client.run("ATI")
    dialect = client.dialect
    assert dialect is not None, "somebody was spoken to"
    return dialect
