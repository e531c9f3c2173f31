"""What a full screen needs of the terminal."""

import os
import sys

from pale_heron.core.trouble import Trouble


def need_screen(instead: str) -> None:
    """Trouble, with what does without one, where there is no terminal that can show a full screen."""
    if not (sys.stdin.isatty() and sys.stdout.isatty()):
        raise Trouble("This shows a full screen, and its input or output is no terminal", instead)
    if os.environ.get("TERM", "") in ("", "dumb", "unknown"):
        kind = os.environ.get("TERM") or "not named (TERM)"
        raise Trouble(f"This shows a full screen, and the terminal is {kind}", instead)
