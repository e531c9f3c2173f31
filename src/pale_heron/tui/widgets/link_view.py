"""Link put together: which trial and page are shown, and what its keys do."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.link.trial import TrialSnapshot
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

    def draw(self) -> None:
        """One picture."""
        # Loaded with the first picture of this view: the first picture of all does not wait for it.
        from pale_heron.tui.views.link import link

        snapshot = self._snapshot()
        state = self._actions.state if self._actions else ""
        width = max(20, self.size.width - 2)
        self.show(link.paint(snapshot.trials, self._index(snapshot.trials), self._page, state, snapshot.now, width))

    def _index(self, trials: Sequence[TrialSnapshot]) -> int:
        newest = len(trials) - 1
        return newest if self._chosen is None else min(self._chosen, newest)

    def next_page(self) -> None:
        """The other page."""
        self.show_page("results" if self._page == "trial" else "trial")

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
            self._actions.give_up()
