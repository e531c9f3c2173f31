"""A signal to end ends a command in good order: what it has begun is closed on the way out."""

import signal

from pale_heron.system import END_SIGNALS


def end_on_signals() -> None:
    """From now on the signals to end interrupt the command as Ctrl-C does; a full screen takes them over later."""
    for number in END_SIGNALS:
        signal.signal(number, _end)


def _end(*_: object) -> None:
    raise KeyboardInterrupt
