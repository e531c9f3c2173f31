"""Link put together: which trial and page are shown, and what its keys do."""

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.trouble import Trouble
from pale_heron.tui.widgets.canvas import Canvas

if TYPE_CHECKING:
    from pale_heron.tui.actions.link import LinkActions


class LinkView(Canvas):
    """`actions` is there on a live bench alone. The newest trial is shown until another one is chosen."""

    def __init__(
        self,
        snapshot: Callable[[], BenchSnapshot],
        lane: Callable[[], LaneSnapshot | None],
        actions: "LinkActions | None",
    ) -> None:
        super().__init__(id="link", classes="view")
        self._snapshot = snapshot
        self._lane = lane
        self._actions = actions
        self._page = "trial"
        self._chosen: int | None = None
        self._held: int | None = None
        """The one that the chosen one is compared with."""
        self._rings = False
        self._was_away: bool | None = None

    def draw(self) -> None:
        """One picture."""
        # Loaded with the first picture of this view: the first picture of all does not wait for it.
        from pale_heron.tui.views.link import link

        snapshot = self._snapshot()
        state = self._actions.state if self._actions else ""
        width = max(20, self.size.width - 2)
        chosen = self._index(snapshot.trials)
        self._ring(snapshot.trials[chosen] if snapshot.trials else None)
        self.show(link.paint(snapshot.trials, chosen, self._page, state, snapshot.now, width, self._held))

    def _index(self, trials: Sequence[TrialSnapshot]) -> int:
        newest = len(trials) - 1
        return newest if self._chosen is None else min(self._chosen, newest)

    def ring(self) -> None:
        """The bell of the terminal, for whoever does not look: when an outage begins, and when it ends."""
        self._rings, self._was_away = not self._rings, None
        words = "An outage that begins or ends rings the bell" if self._rings else "The bell is silent"
        self.app.notify(words, markup=False)

    def _ring(self, trial: TrialSnapshot | None) -> None:
        ways = trial.directions if trial is not None and trial.end is None else ()
        away = any(bool(each.outages) and each.outages[-1].end is None for each in ways)
        if self._rings and self._was_away not in (None, away):
            self.app.bell()
        self._was_away = away

    def next_page(self) -> None:
        """The next page that has something to show."""
        from pale_heron.tui.views.link.link import pages

        trials = self._snapshot().trials
        shown = pages(trials, self._index(trials))
        self.show_page(shown[(shown.index(self._page) + 1) % len(shown)] if self._page in shown else shown[0])

    def hold(self) -> None:
        """Keep the chosen trial, to compare others with it."""
        trials = self._snapshot().trials
        if trials:
            chosen = self._index(trials)
            self._held = None if self._held == chosen else chosen
            self.draw()

    def show_page(self, page: str) -> None:
        self._page = page
        self.draw()

    def choose(self, index: int) -> None:
        """Choose a trial, counted from the oldest; the newest is followed."""
        last = len(self._snapshot().trials) - 1
        self._chosen = None if index >= last else max(0, index)
        self.draw()

    def move(self, step: int) -> None:
        """Choose the one before or after: the newest stands at the top."""
        self.choose(self._index(self._snapshot().trials) - step)

    def begin(self) -> None:
        """Begin a trial on the chosen lane."""
        lane = self._lane()
        if self._actions is not None and lane is not None:
            self._chosen, self._page = None, "trial"
            self._actions.begin(lane, self._snapshot().lanes)

    def give_up(self) -> None:
        """Give up the trial that is under way."""
        if self._actions is not None:
            trials = self._snapshot().trials
            self._actions.give_up(trials[-1] if trials else None)

    def keep_drawing(self) -> None:
        """Choose a drawing of the chosen trial and a file, and write it from what was recorded."""
        from pale_heron.report.kinds import LINK_CHARTS
        from pale_heron.tui.actions.drawing import keep_drawing
        from pale_heron.tui.screens.panel import Choice

        snapshot = self._snapshot()
        if not snapshot.trials or not snapshot.capture.path:
            why = "There is no trial yet" if not snapshot.trials else "Drawings are made from a record: none is made"
            self.app.notify(why, severity="warning", markup=False)
            return
        kinds, trial = list(LINK_CHARTS), snapshot.trials[self._index(snapshot.trials)]

        def take(key: str | None) -> None:
            if key is not None:
                kind = kinds[int(key) - 1]
                keep_drawing(self, kind, snapshot, partial(_draw_chart, kind, Path(snapshot.capture.path), trial))

        choices = [(str(index), f"{kind}: {LINK_CHARTS[kind]}") for index, kind in enumerate(kinds, 1)]
        self.app.push_screen(Choice("Keep which drawing of this trial? As it is recorded", choices), take)

    def wire(self) -> None:
        """Say how the chosen trial was wired."""
        if self._actions is not None and (trials := self._snapshot().trials):
            self._actions.wire(trials[self._index(trials)])

    def try_line_ends(self) -> None:
        """The chosen exchange with each line end."""
        if self._actions is not None and (trials := self._snapshot().trials):
            self._actions.try_line_ends(trials[self._index(trials)])


def _draw_chart(kind: str, capture: Path, shown: TrialSnapshot, path: Path) -> None:
    """In a thread of its own: the capture is gone through once more, for what became of each probe."""
    from pale_heron.bench.sources import Source
    from pale_heron.core.link.probe_log import ProbeLog
    from pale_heron.report.link_charts import TrialChartInput, save_link_chart

    source, probes = Source(capture), ProbeLog()
    source.lanes(probes=probes)
    found = next((each for each in source.trials if each.begin == shown.begin), None)
    if found is None:
        raise Trouble("The record does not hold this trial yet", "Wait a moment, and try again")
    save_link_chart(kind, TrialChartInput(source.name, found, probes.of(found)), path)
