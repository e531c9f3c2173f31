"""How far long work is, on one line of the terminal; nothing where nobody watches."""

import sys
import time
from collections.abc import Callable

EVERY_S = 0.2


def progress(words: str) -> tuple[Callable[[float], None], Callable[[], None]]:
    """Two functions: one takes the share done (0 to 1), one that clears the line at the end."""
    last = [0.0]

    def show(share: float) -> None:
        now = time.monotonic()
        if sys.stderr.isatty() and now - last[0] >= EVERY_S:
            last[0] = now
            print(f"\r{words}: {share:.0%} ", end="", file=sys.stderr, flush=True)

    def clear() -> None:
        if last[0]:
            print("\r\x1b[K", end="", file=sys.stderr, flush=True)

    return show, clear
