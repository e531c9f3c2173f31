"""The clock that stamps: UTC once at the start, from then on the monotonic clock alone.

So a stepped or slewed host clock cannot disorder a capture. How far the host's clock has
moved away is reported, not followed.
"""

import time
from collections.abc import Callable


class StampClock:
    """Nanoseconds UTC that never go back."""

    def __init__(
        self, utc_ns: Callable[[], int] = time.time_ns, monotonic_ns: Callable[[], int] = time.monotonic_ns
    ) -> None:
        self._utc_ns = utc_ns
        self._monotonic_ns = monotonic_ns
        self._anchor = 0
        self._anchor = self.host_ahead_ns()

    def now(self) -> int:
        """The stamp for what happens now."""
        return self._anchor + self._monotonic_ns()

    def host_ahead_ns(self) -> int:
        """How far the host's clock is ahead of the stamps: 0 until somebody sets it."""
        # Between two looks at the one clock a look at the other: what reading takes is halved, and not all on one side.
        before, utc, after = self.now(), self._utc_ns(), self.now()
        return utc - (before + after) // 2
