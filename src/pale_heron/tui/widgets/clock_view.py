"""Clock put together: what is known of time, which page is shown, and what its keys do."""

import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.lane import LaneSnapshot
from pale_heron.tui.widgets.canvas import Canvas

if TYPE_CHECKING:
    from pale_heron.tui.actions.clock import ClockActions

HOST_AGAIN_S = 5.0


class ClockView(Canvas):
    """On a replay nothing is known of the clock of then but what the capture says. `actions`: on a live bench alone."""

    def __init__(
        self,
        snapshot: Callable[[], BenchSnapshot],
        lane: Callable[[], LaneSnapshot | None],
        actions: "ClockActions | None",
    ) -> None:
        super().__init__(id="clock", classes="view")
        self._snapshot = snapshot
        self._lane = lane
        self._actions = actions
        self._page = "time"
        self._asked = -HOST_AGAIN_S
        self._host: object = None

    def draw(self) -> None:
        """One picture."""
        # Loaded with the first picture of this view: the first picture of all does not wait for it.
        from pale_heron.core.clock.host import HostClock
        from pale_heron.core.clock_of_lanes import clock_of
        from pale_heron.ports.host_clock import read_host_clock, zone_name
        from pale_heron.tui.views.clock import clock

        snapshot = self._snapshot()
        known = snapshot.clock
        if snapshot.replay is None:
            if time.monotonic() - self._asked >= HOST_AGAIN_S:
                self._asked, self._host = time.monotonic(), read_host_clock()
            host = self._host if isinstance(self._host, HostClock) else None
            known = known._replace(host=host, zone=zone_name())
        picture = clock_of(snapshot.lanes, known)
        self.show(clock.paint(snapshot, picture, self._page, max(20, self.size.width - 2)))

    def show_page(self, page: str) -> None:
        self._page = page
        self.draw()

    def next_page(self) -> None:
        """The next page."""
        from pale_heron.tui.views.clock.clock import PAGES

        names = list(PAGES)
        self.show_page(names[(names.index(self._page) + 1) % len(names)])

    def add_source(self) -> None:
        """Ask for a source of pulses."""
        if self._actions is not None:
            self._actions.add_source(self._lane(), self._snapshot().lanes)

    def leave_source(self) -> None:
        """Let a source of pulses go."""
        if self._actions is not None:
            self._actions.leave_source()

    def keep_drawing(self) -> None:
        """Choose a drawing and a file, and write it."""
        from functools import partial

        from pale_heron.report.kinds import CLOCK_CHARTS
        from pale_heron.tui.actions.drawing import keep_drawing
        from pale_heron.tui.screens.panel import Choice

        snapshot = self._snapshot()
        kinds = list(CLOCK_CHARTS)

        def take(key: str | None) -> None:
            if key is not None:
                kind = kinds[int(key) - 1]
                keep_drawing(self, kind, snapshot, partial(_draw_chart, kind, snapshot))

        choices = [(str(index), f"{kind}: {CLOCK_CHARTS[kind]}") for index, kind in enumerate(kinds, 1)]
        self.app.push_screen(Choice("Keep which drawing?", choices), take)

    def ask_server(self) -> None:
        """Ask a time server."""
        if self._actions is not None:
            self._actions.ask_server()


def _draw_chart(kind: str, shown: BenchSnapshot, path: Path) -> None:
    """In a thread of its own, from what was shown."""
    from pale_heron.core.clock_of_lanes import clock_of
    from pale_heron.report.clock_charts import ClockChartInput, save_clock_chart

    source = Path(shown.capture.path).name or shown.bench
    picture = clock_of(shown.lanes, shown.clock)
    save_clock_chart(kind, ClockChartInput(source, picture), path)
