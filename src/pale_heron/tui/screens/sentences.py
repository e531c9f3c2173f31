"""The choice of sentences: what comes now, what is wanted, how full the line would be, and which facts would vanish."""

from collections.abc import Callable, Mapping, Sequence
from typing import Final

from pale_heron.core.device.schema.sentence_plan import CurrentSentence, SentencePlan, plan
from pale_heron.core.line.settings import LineSettings
from pale_heron.tui.painting.paint import Line
from pale_heron.tui.screens.panel import Choice, Panel
from pale_heron.tui.views.panels import sentences

INTERVALS: Final = (None, 0, 1, 2, 3, 4, 5, 10, 20, 30, 60)
"""What can be wanted: as it is, never, or every so many epochs."""


class SentencesPanel(Panel[dict[str, int]]):
    """The result is the intervals to be set, each one of `intervals`. `heard` gives what comes now, by formatter."""

    ABOUT = (
        "Which sentences are to come, how often, and what that means for the line and for Fix. Nothing "
        "is sent before Enter; then each change is acknowledged, or what the receiver said stands here."
    )

    def __init__(
        self,
        lane: str,
        heard: Callable[[], Mapping[str, CurrentSentence]],
        choices: Sequence[str],
        intervals: Sequence[int | None],
        epochs_per_s: float,
        settings: LineSettings | None,
    ) -> None:
        super().__init__()
        self._lane_name = lane
        self._heard = heard
        self._choices = tuple(choices)
        self._intervals = tuple(intervals)
        self._epochs_per_s = epochs_per_s
        self._settings = settings
        self._wanted: dict[str, int] = {}

    @property
    def count(self) -> int:
        return max(1, len(self._choices))

    def _plan(self) -> SentencePlan:
        return plan(self._heard(), self._choices, self._wanted, self._epochs_per_s)

    def paint(self, width: int) -> list[Line]:
        return sentences.paint(
            self._lane_name,
            self._plan(),
            self._epochs_per_s,
            self._settings,
            self.count,
            self.chosen,
            0 in self._intervals,
            width,
        )

    def pressed(self, key: str) -> bool:
        if not self._choices:
            return False
        name = self._choices[min(self.chosen, self.count - 1)]
        if key in ("left", "right"):
            now = self._intervals.index(self._wanted.get(name))
            step = 1 if key == "right" else -1
            self._want(name, self._intervals[max(0, min(len(self._intervals) - 1, now + step))])
        elif key == "0" and 0 in self._intervals:
            self._want(name, 0)
        elif key == "enter":
            self._finish()
        else:
            return False
        return True

    def _want(self, name: str, interval: int | None) -> None:
        if interval is None:
            self._wanted.pop(name, None)
        else:
            self._wanted[name] = interval

    def _finish(self) -> None:
        """Give the choice; where facts would vanish, after a yes."""
        planned = self._plan()
        if not planned.changes:
            self.notify("Nothing is changed yet: ◂ ▸ say how often", markup=False)
            return
        if not planned.facts_lost:
            self.dismiss(planned.changes)
            return

        def take(key: str | None) -> None:
            if key == "y":
                self.dismiss(planned.changes)

        question = f"No longer known then: {', '.join(planned.facts_lost)}. Send it?"
        self.app.push_screen(Choice(question, (("n", "no, change the choice"), ("y", "yes, send it"))), take)
