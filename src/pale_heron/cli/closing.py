"""How a session of a command ends: the record is closed, and whoever does not want to wait for that need not."""

import signal
import threading
from typing import Final

import click

from pale_heron.bench.live.session import Session
from pale_heron.cli.ending import end_on_signals
from pale_heron.core.trouble import Exit
from pale_heron.core.wire.visible import safe_label

TELL_S: Final = 1.0
"""What takes longer says so."""


def closed(session: Session, *, whole: bool = True) -> list[str]:
    """End a session; see its `stop`. One more Ctrl-C ends the waiting for that, and says where the record lies."""
    end_on_signals()
    signal.signal(signal.SIGINT, signal.default_int_handler)
    hanging: list[str] = []
    closing = threading.Thread(target=lambda: hanging.extend(session.stop(whole=whole)), daemon=True)
    closing.start()
    try:
        closing.join(TELL_S)
        if closing.is_alive():
            listens = session.operations.listens_s
            waits = f", waiting up to {listens:.0f} s for what is under way" if listens else ""
            click.echo(f"The record is being closed{waits}. Ctrl-C ends at once.", err=True)
            closing.join()
    except KeyboardInterrupt:
        path = session.snapshot().capture.path
        where = f"; what was recorded lies in {safe_label(path)}" if path else ""
        click.echo(f"pale-heron: ended before all was closed{where}", err=True)
        raise click.exceptions.Exit(Exit.INTERRUPTED) from None
    return hanging
