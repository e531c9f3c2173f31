"""The choice of sentences: what comes now, what is wanted, how full the line would be, and which facts would vanish."""

from collections.abc import Callable, Mapping, Sequence
from typing import Final

from pale_heron.core.device.schema.sentence_plan import CurrentSentence, PlannedSentence, SentencePlan, plan
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting import figures
from pale_heron.tui.painting.paint import BLANK, Line, line, wrapped
from pale_heron.tui.screens.panel import Choice, Panel, keys_lines, selectable

INTERVALS: Final = (None, 0, 1, 2, 3, 4, 5, 10, 20, 30, 60)
"""What can be wanted: as it is, never, or every so many epochs."""


class SentencesPanel(Panel[dict[str, int]]):
    """The result is the intervals to be told, each one of `intervals`. `heard` gives what comes now, by formatter."""

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
        planned = self._plan()
        rows = [
            line(
                (f"{safe_label(self._lane_name)}: which sentences?", "*heron"),
                (f"   {self._epochs_per_s:.1f} epochs/s", "quiet"),
            ),
            BLANK,
            line((f"  {'sentence':<10}{'now, 1/s':>9}{'B/s':>8}   {'wanted':<18}{'then, B/s':>10}", "faint")),
        ]
        for index, row in enumerate(planned.rows):
            painted = _row(row)
            rows.append(
                selectable(painted, index, self.chosen, width) if index < self.count else (line("  ")[0], *painted)
            )
        rows += [BLANK, *self._load(planned, width), *_facts(planned, width), BLANK]
        keys = [each for each in _KEYS if each[0] != "0" or 0 in self._intervals]
        return [*rows, *keys_lines(keys, width)]

    def _load(self, planned: SentencePlan, width: int) -> list[Line]:
        """The line before and after."""
        capacity = self._settings.bytes_per_s if self._settings and not self._settings.decorative else None
        words = f"{planned.bytes_now:.0f} B/s now, about {planned.bytes_then:.0f} B/s then"
        if capacity is None:
            return [line(("the line ", "quiet"), words)]
        share = planned.bytes_then / capacity
        role = "coral" if share > 1 else "amber" if share > 0.9 else "reed"
        fill = f"{figures.share(planned.bytes_now / capacity)} full now, "
        more = ": too much for this rate" if share > 1 else ""
        return wrapped(
            line(("the line ", "quiet"), f"{words}; {fill}", (f"{figures.share(share)} then{more}", role)), width
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

        question = f"No longer known then: {', '.join(planned.facts_lost)}. Tell it?"
        self.app.push_screen(Choice(question, (("n", "no, change the choice"), ("y", "yes, tell it"))), take)


_KEYS: Final[tuple[tuple[str, str], ...]] = (
    ("↑↓", "choose"),
    ("◂▸", "how often"),
    ("0", "never"),
    ("enter", "tell it and verify"),
    ("escape", "leave it"),
)


def _row(row: PlannedSentence) -> Line:
    heard = row.heard
    wanted = "as it is" if row.wanted is None else "never" if row.wanted == 0 else _rhythm(row.wanted)
    role = "quiet" if row.wanted is None else "*amber"
    per_s = figures.NONE if heard is None else f"{heard.per_s:.2f}"
    bytes_per_s = figures.NONE if heard is None else f"{heard.bytes_per_s:.0f}"
    return line(
        (f"{row.name:<10}", "text" if heard else "quiet"),
        f"{per_s:>9}{bytes_per_s:>8}   ",
        (f"{wanted:<18}", role),
        (f"{row.bytes_per_s:>10.0f}", "quiet" if row.wanted is None else "text"),
    )


def _rhythm(interval: int) -> str:
    return "every epoch" if interval == 1 else f"1 epoch in {interval}"


def _facts(planned: SentencePlan, width: int) -> list[Line]:
    rows = []
    if planned.facts_lost:
        told = f"{', '.join(planned.facts_lost)}"
        rows += wrapped(line(("no longer known: ", "*amber"), (told, "amber")), width)
    if planned.appearing:
        rows += wrapped(line(("known then: ", "*reed"), (", ".join(planned.appearing), "reed")), width)
    return rows or [line(("every fact that is known now stays known", "quiet"))]
