"""The rate finder: what each rate gave, as it goes, and the rate to take."""

from collections.abc import Callable
from typing import Protocol

from pale_heron.bench.operations.baud_search import BaudSearchState
from pale_heron.core.trouble import Trouble
from pale_heron.tui.painting.paint import Line
from pale_heron.tui.screens.panel import Panel
from pale_heron.tui.views.panels import rates


class RunningSearch(Protocol):
    """What the screen needs of a search."""

    @property
    def state(self) -> BaudSearchState: ...

    def stop(self) -> None: ...


class RateScreen(Panel[int]):
    """Shows a search; the result is the rate to switch to, or None. `again` begins another one, asking with AT."""

    ABOUT = (
        "Each usual rate is listened to for a moment, and the row leads at which most of what came is "
        "legible. Enter goes on with the chosen rate, Escape with the old one. t asks with AT at each rate; on a lane "
        "that only listens nothing is ever sent."
    )

    def __init__(
        self, lane: str, finder: RunningSearch, again: Callable[[bool], RunningSearch], listen_only: bool
    ) -> None:
        super().__init__()
        self._lane = lane
        self._finder = finder
        self._again = again
        self._listen_only = listen_only
        self._followed = True

    @property
    def count(self) -> int:
        return max(1, len(self._finder.state.tried))

    def paint(self, width: int) -> list[Line]:
        state = self._finder.state
        if self._followed and state.best is not None:
            self.chosen = state.tried.index(state.best)
        return rates.paint(self._lane, state, self.chosen, self._listen_only, width)

    def pressed(self, key: str) -> bool:
        tried = self._finder.state.tried
        if key == "enter" and tried:
            self._finder.stop()
            self.dismiss(tried[min(self.chosen, len(tried) - 1)].rate)
        elif key == "l" or (key == "t" and not self._listen_only):
            self._finder.stop()
            try:
                self._finder = self._again(key == "t")
            except Trouble as trouble:
                self.notify(str(trouble), severity="error", markup=False)
            self._followed = True
        else:
            return False
        return True

    def pick(self, index: int) -> None:
        self._followed = False
        super().pick(index)

    def action_leave(self) -> None:
        self._finder.stop()
        super().action_leave()
