"""How tests wait: for a condition, with a limit that only guards against hanging."""

import asyncio
import time
from collections.abc import Callable

LIMIT_S = 120.0
"""Much longer than anything takes on a busy machine. One test may wait several times: pytest's own limit is longer."""


def until(done: Callable[[], object], told: Callable[[], object] = lambda: "") -> None:
    """Wait until it is done; `told` says how things stand where it never is."""
    limit = time.monotonic() + LIMIT_S
    while not done():
        assert time.monotonic() < limit, told()
        time.sleep(0.005)


async def until_shown(done: Callable[[], object], told: Callable[[], object] = lambda: "") -> None:
    """The same, while the application under test goes on."""
    limit = time.monotonic() + LIMIT_S
    while not done():
        assert time.monotonic() < limit, told()
        await asyncio.sleep(0.02)
