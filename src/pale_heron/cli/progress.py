"""How far long work is, on one line of the terminal; nothing where nobody watches."""

import sys
import time
from collections.abc import Callable

from pale_heron.bench.sources import Source

EVERY_S = 0.2


def progress(words: str) -> tuple[Callable[[float], None], Callable[[], None]]:
    """Two functions: one takes the share done (0 to 1), one that clears the line at the end."""
    show, clear = telling()
    return lambda share: show(words, share), clear


def telling() -> tuple[Callable[[str, float], None], Callable[[], None]]:
    """The same of work that has several parts: the first takes what is being done too."""
    last = [0.0]

    def show(words: str, share: float) -> None:
        now = time.monotonic()
        if sys.stderr.isatty() and now - last[0] >= EVERY_S:
            last[0] = now
            print(f"\r\x1b[K{words}: {share:.0%} ", end="", file=sys.stderr, flush=True)

    def clear() -> None:
        if last[0]:
            print("\r\x1b[K", end="", file=sys.stderr, flush=True)

    return show, clear


def reading(source: Source) -> tuple[Callable[[float], None], Callable[[], None]]:
    """The same for one that is read; at the end it is told where it does not end whole, or is still written."""
    show, clear = progress(f"reading {source.name}")

    def end() -> None:
        clear()
        tell_torn(source)

    return show, end


def tell_torn(source: Source) -> None:
    """Say what of a capture was not there to be read."""
    if source.torn:
        print(f"pale-heron: {source.name}: {source.torn}.", file=sys.stderr)
    if source.grows:
        print(f"pale-heron: {source.name} is still being recorded: this is what it held just now.", file=sys.stderr)
