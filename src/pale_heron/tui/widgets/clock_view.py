"""Clock put together: the lags of all lanes, and how good this computer's clock is."""

import time
from collections.abc import Callable
from datetime import datetime

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.tui.widgets.canvas import Canvas

HOST_ANEW_S = 5.0


class ClockView(Canvas):
    """On a replay nothing is known of the clock of then but what the capture says."""

    def __init__(self, snapshot: Callable[[], BenchSnapshot]) -> None:
        super().__init__(id="clock", classes="view")
        self._snapshot = snapshot
        self._asked = -HOST_ANEW_S
        self._host: object = None

    def draw(self) -> None:
        """One picture."""
        # Loaded with the first picture of this view: the first picture of all does not wait for it.
        from pale_heron.core.clock.clock_object import ClockPicture, span_of
        from pale_heron.core.clock.host import HostClock
        from pale_heron.ports.host_clock import read_host_clock
        from pale_heron.tui.views.clock import clock

        snapshot = self._snapshot()
        live = snapshot.replay is None
        if live and time.monotonic() - self._asked >= HOST_ANEW_S:
            self._asked, self._host = time.monotonic(), read_host_clock()
        host = self._host if live and isinstance(self._host, HostClock) else None
        lanes = tuple((lane.name, lane.lag) for lane in snapshot.lanes)
        zone = datetime.now().astimezone().tzname() or "" if live else ""
        picture = ClockPicture(*span_of(lanes), lanes, host=host, zone=zone)
        self.show(clock.paint(snapshot, picture, max(20, self.size.width - 2)))
