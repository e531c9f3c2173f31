"""A signal to end ends a command in good order: what it has begun is closed on the way out."""

import signal


def end_on_signals() -> None:
    """From now on SIGTERM and SIGHUP interrupt the command as Ctrl-C does; a full screen takes them over later."""
    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, _end)


def _end(*_: object) -> None:
    raise KeyboardInterrupt
