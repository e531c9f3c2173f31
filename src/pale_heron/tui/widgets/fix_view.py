"""Fix put together: what was chosen in it, the figures that take a moment to compute, and what its keys do."""

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.epochs.log import Epochs
from pale_heron.core.lane import LaneSnapshot
from pale_heron.tui.actions.drawing import keep_drawing
from pale_heron.tui.painting.paint import line
from pale_heron.tui.screens.panel import AskLine, Choice
from pale_heron.tui.widgets.canvas import Canvas

ANEW_S = 0.5
MOST_ROWS = 60
"""No page is much longer."""
"""Figures over thousands of positions are computed no more often."""

RIBBON_STEP = 1 / 100


@dataclass
class _CachedFigure:
    """One computed figure, and what it was computed from."""

    stamps: tuple[Any, ...] = ()
    choices: tuple[Any, ...] | None = None
    at: float = 0.0
    value: Any = None


@dataclass
class _LaneChoices:
    """What was chosen for one lane."""

    reference: Any = None
    reference_from: str = ""
    typed: Any = None
    """The typed reference that was laid aside; it can be brought back."""
    other: str = ""
    kept: dict[str, _CachedFigure] = field(default_factory=dict)


class FixView(Canvas):
    """`lane` gives the chosen lane; `go_to` shows a moment in Traffic."""

    def __init__(
        self,
        snapshot: Callable[[], BenchSnapshot],
        lane: Callable[[], LaneSnapshot | None],
        go_to: Callable[[int], None],
    ) -> None:
        super().__init__(id="fix", classes="view")
        self._snapshot = snapshot
        self._lane = lane
        self._go_to = go_to
        self._page = "now"
        self._moment: int | None = None
        self._span = 0
        self._first = 0
        self._chosen: dict[str, _LaneChoices] = {}

    def draw(self) -> None:
        """One picture."""
        # Loaded with the first picture of this view: the first picture of all does not wait for it.
        from pale_heron.tui.views.fix import fix

        lane = self._lane()
        if lane is None:
            self.show([line(("no lane yet", "quiet"))])
            return
        snapshot = self._snapshot()
        self.show(fix.paint(snapshot, lane, self._look(snapshot, lane), self.size.width - 2, self.size.height))

    def _of(self, lane: LaneSnapshot) -> _LaneChoices:
        return self._chosen.setdefault(lane.name, _LaneChoices())

    def _look(self, snapshot: BenchSnapshot, lane: LaneSnapshot) -> Any:
        from pale_heron.tui.views.fix import deferred as figures
        from pale_heron.tui.views.fix.choices import SPANS_S, FixChoices

        chosen, fix = self._of(lane), lane.fix
        span_s = SPANS_S[self._span]
        other = self._other(snapshot, lane, chosen) if self._page == "pair" else None
        position = fix.facts.get("latitude"), fix.facts.get("longitude")
        here = tuple(fact.value for fact in position if fact is not None and fact.value is not None)
        return FixChoices(
            page=self._page,
            first=self._first,
            moment=self._moment,
            reference=chosen.reference,
            reference_from=chosen.reference_from,
            span_s=span_s,
            scatter=self._kept(chosen, "scatter", figures.scattered, fix.track, span_s, chosen.reference),
            other=other,
            comparison=(
                self._kept(chosen, f"with {other.name}", figures.compare, fix.track, other.fix.track) if other else None
            ),
            distance=self._kept(chosen, "distance", figures.distance, chosen.reference, here),
            warning=figures.warning(chosen.reference, here),
        )

    def _kept(self, chosen: _LaneChoices, name: str, compute: Callable[..., Any], *key: Any) -> Any:
        """A figure, computed again when what it depends on has changed, but not with every picture."""
        kept = chosen.kept.setdefault(name, _CachedFigure())
        stamps = tuple(each.stamp for each in key if isinstance(each, Epochs))
        choices = tuple(each for each in key if not isinstance(each, Epochs))
        now = time.monotonic()
        if kept.choices != choices or (kept.stamps != stamps and now - kept.at >= ANEW_S):
            kept.stamps, kept.choices, kept.at, kept.value = stamps, choices, now, compute(*key)
        return kept.value

    def _other(self, snapshot: BenchSnapshot, lane: LaneSnapshot, chosen: _LaneChoices) -> LaneSnapshot | None:
        """The lane to compare with: the one that was chosen, else the next that has positions."""
        others = [each for each in snapshot.lanes if each.name != lane.name]
        named = [each for each in others if each.name == chosen.other]
        return next(iter(named or [each for each in others if each.fix.facts]), None)

    def next_page(self, step: int = 1) -> None:
        """Go through the pages."""
        from pale_heron.tui.views.fix.choices import PAGES

        pages = list(PAGES)
        self.show_page(pages[(pages.index(self._page) + step) % len(pages)])

    def show_page(self, page: str) -> None:
        self._page = page
        self._first = 0
        self.scroll_home(animate=False)
        self.draw()

    def turn(self, step: int) -> None:
        """Show what has no room: half a screen further down or up."""
        half = max(1, self.size.height // 2)
        # Beyond the end nothing is hidden: the painter knows where that is.
        self._first = max(0, min(self._first, MOST_ROWS) + step * half)
        self.draw()

    def next_span(self) -> None:
        """Take more, or less, of the last positions into the scatter."""
        from pale_heron.tui.views.fix.choices import SPANS_S

        self._span = (self._span + 1) % len(SPANS_S)
        self.draw()

    def take_moment(self, moment: int) -> None:
        """Choose a moment of the ribbon; chosen again, Traffic goes there."""
        if self._moment == moment:
            self.enter_moment()
            return
        self._moment = moment
        self.draw()

    def move(self, step: int) -> None:
        """Move the chosen moment along the ribbon; from nowhere it begins at the end."""
        lane, snapshot = self._lane(), self._snapshot()
        if lane is None or not lane.fix.strip.levels:
            return
        begin, end = lane.fix.strip.begin, snapshot.now
        stride = max(SECOND, int((end - begin) * RIBBON_STEP))
        moment = end if self._moment is None else self._moment
        self._moment = max(begin, min(end - 1, moment + step * stride))
        self.draw()

    def enter_moment(self) -> None:
        """Show the chosen moment in Traffic."""
        if self._moment is not None:
            self._go_to(self._moment)

    def let_go(self) -> None:
        """Choose no moment."""
        self._moment = None
        self.draw()

    def ask_reference(self) -> None:
        """Ask for a point that is known; nothing typed forgets the one there is."""
        from pale_heron.core.gnss.earth.notation import EXAMPLES, position_typed

        lane = self._lane()
        if lane is None:
            return
        chosen = self._of(lane)

        def check(text: str) -> str:
            try:
                if text.strip():
                    position_typed(text)
            except ValueError as problem:
                return str(problem)
            return ""

        def take(text: str | None) -> None:
            if text is not None:
                chosen.reference = position_typed(text) if text.strip() else None
                chosen.reference_from, chosen.typed = "typed", None
                self.draw()

        self.app.push_screen(AskLine(f"Which point is known? {EXAMPLES}; empty forgets it", "", check), take)

    def take_mean(self) -> None:
        """Take the mean of the positions in the scatter as the reference."""
        lane = self._lane()
        if lane is None:
            return
        chosen = self._of(lane)
        found = chosen.kept["scatter"].value if "scatter" in chosen.kept else None
        if found is None:
            self.app.notify("There is no mean yet: two positions are needed", severity="warning", markup=False)
            return
        mean = f"the mean of {found.samples} positions"
        reference, source = chosen.reference, chosen.reference_from
        if reference is None:
            chosen.reference, chosen.reference_from = chosen.typed or found.about, "typed" if chosen.typed else mean
            chosen.typed = None
        else:
            chosen.typed = reference if source == "typed" else None
            chosen.reference = None
            back = ": P again brings it back" if chosen.typed else ""
            self.app.notify(f"Distances count from the mean again, not from the reference{back}", markup=False)
        self.draw()

    def keep_drawing(self) -> None:
        """Choose a drawing and a file, and write it."""
        from pale_heron.report.kinds import CHARTS

        lane, snapshot = self._lane(), self._snapshot()
        if lane is None:
            return
        kinds = list(CHARTS)
        fitting = {"satellites": "sky", "scatter": "scatter", "session": "ribbon", "pair": "comparison"}
        first = fitting.get(self._page, "position")
        kinds.sort(key=lambda kind: kind != first)

        def take(key: str | None) -> None:
            if key is not None:
                kind = kinds[int(key) - 1]
                keep_drawing(self, kind, snapshot, partial(self._draw_chart, kind, snapshot, lane))

        choices = [(str(index), f"{kind}: {CHARTS[kind]}") for index, kind in enumerate(kinds, 1)]
        self.app.push_screen(Choice("Keep which drawing? As it is now", choices), take)

    def _draw_chart(self, kind: str, snapshot: BenchSnapshot, lane: LaneSnapshot, path: Path) -> None:
        """In a thread of its own."""
        from pale_heron.report.charts import ChartInput, save_chart

        chosen = self._of(lane)
        name = Path(snapshot.capture.path).name if snapshot.capture.path else f"{snapshot.bench}, not recorded"
        other = self._other(snapshot, lane, chosen)
        save_chart(kind, ChartInput(name, lane, other, chosen.reference, snapshot.marks, snapshot.dated), path)

    def choose_other(self) -> None:
        """Choose the lane to compare with."""
        lane, snapshot = self._lane(), self._snapshot()
        others = [each.name for each in snapshot.lanes if lane is not None and each.name != lane.name]
        if lane is None or not others:
            self.app.notify("There is no other lane to compare with", severity="warning", markup=False)
            return
        chosen = self._of(lane)

        def take(key: str | None) -> None:
            if key is not None:
                chosen.other = others[int(key) - 1]
                self.show_page("pair")

        choices = [(str(index), name) for index, name in enumerate(others, 1)]
        self.app.push_screen(Choice(f"Compare {lane.name} with", choices), take)
