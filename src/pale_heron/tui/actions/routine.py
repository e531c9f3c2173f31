"""Routines on the full screen: chosen, given values, run whole or step by step, or made from the last exchanges."""

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from textual.app import App

from pale_heron.core.device.dialogue.exchanges import Exchange
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.actions.lane import LiveBench
from pale_heron.tui.painting.paint import Line
from pale_heron.tui.screens.panel import AskLine, Choice

LAST = 12
"""How many of the last exchanges a routine is made of."""


@dataclass
class ChosenRoutine:
    """The routine of one lane, its values, and its run; the types come with the modules that are loaded late."""

    routine: Any
    lanes: list[str]
    values: dict[str, str] = field(default_factory=dict)
    run: Any = None
    asked: str = ""


class RoutineActions:
    """`bench` is a live one."""

    def __init__(self, app: App[Any], bench: LiveBench) -> None:
        self._app = app
        self._bench = bench
        self._chosen: dict[str, ChosenRoutine] = {}
        self._offered: tuple[int, list[Line]] = (0, [])

    def rows(self, lane: str, width: int, room: int) -> list[Line]:
        """The page of a lane; puts the question of a routine that asks."""
        from pale_heron.tui.views.module import page_routine

        chosen = self._chosen.get(lane)
        if chosen is None:
            if self._offered[0] != width:
                # Read from their files, so not with every picture.
                self._offered = (width, page_routine.paint_none(width))
            return self._offered[1]
        run = chosen.run
        question = run.question if run is not None else ""
        if question and chosen.asked != question:
            self._put_question(chosen)
        # Until the routine has taken the answer it still asks: it is put once.
        chosen.asked = question
        return page_routine.paint(chosen.routine, chosen.lanes, run, width, room)

    def verdict(self, lane: str) -> tuple[str, str]:
        """How the routine of a lane stands: the role and the words; empty where none was run."""
        from pale_heron.tui.views.module import page_routine

        chosen = self._chosen.get(lane)
        return page_routine.verdict(chosen.run) if chosen is not None and chosen.run is not None else ("", "")

    def _put_question(self, chosen: ChosenRoutine) -> None:
        run = chosen.run

        def take(key: str | None) -> None:
            run.answer(key == "y")

        choices = (("y", "yes: go on"), ("n", "no: the routine fails here"))
        self._app.push_screen(Choice(safe_label(run.question), choices), take)

    def choose(self, lane: LaneSnapshot) -> None:
        """Choose a routine that is known, a file, or make one."""
        from pale_heron.bench.config.routine_files import known_routines, routine_of_text

        known = {name: routine_of_text(text)[0] for name, text in known_routines().items()}
        names = [name for name, each in known.items() if self._fits(lane, each.dialect)]
        choices = [(str(at), f"{name}: {known[name].title}") for at, name in enumerate(names, 1)]
        choices += [("f", "a file"), ("m", f"make one of the last {LAST} exchanges")]

        def take(key: str | None) -> None:
            if key == "f":
                self._app.push_screen(AskLine("Which routine file (TOML)?"), lambda text: self.load(lane, text))
            elif key == "m":
                self._make(lane)
            elif key is not None:
                self.load(lane, names[int(key) - 1])

        self._app.push_screen(Choice(f"Which routine for {lane.name}?", choices), take)

    def _fits(self, lane: LaneSnapshot, dialect: str) -> bool:
        known = lane.module.dialect.name if lane.module else "standard"
        return not dialect or dialect == known or known == "standard"

    def load(self, lane: LaneSnapshot, name: str | None, then: Callable[[], None] = lambda: None) -> None:
        """Choose a routine by its name, with its lanes and values; then do what is wanted with it."""
        from pale_heron.bench.config.routine_files import named_routine

        if not name:
            return
        try:
            routine = named_routine(name)
        except Trouble as trouble:
            self._app.notify(str(trouble), severity="error", markup=False)
            return
        chosen = ChosenRoutine(routine, [lane.name])

        def ready() -> None:
            self._chosen[lane.name] = chosen
            then()

        self._ask_lanes(chosen, lambda: self._ask_values(chosen, list(routine.variables), ready))

    def _ask_lanes(self, chosen: ChosenRoutine, then: Callable[[], None]) -> None:
        """A routine for several lanes: the chosen one is the first, the others are asked for."""
        wanted = chosen.routine.lanes[len(chosen.lanes) :]
        if not wanted:
            then()
            return
        names = [spec.name for spec in self._bench.specs() if spec.name not in chosen.lanes]

        def take(key: str | None) -> None:
            if key is not None:
                chosen.lanes.append(names[int(key) - 1])
                self._ask_lanes(chosen, then)

        choices = [(str(at), name) for at, name in enumerate(names, 1)]
        self._app.push_screen(Choice(f"{chosen.routine.name}: which lane is {wanted[0]!r}?", choices), take)

    def _ask_values(self, chosen: ChosenRoutine, names: list[str], then: Callable[[], None]) -> None:
        """One value after the other; a secret one is typed unseen."""
        if not names:
            then()
            return
        variable = chosen.routine.variables[names[0]]

        def take(text: str | None) -> None:
            if text is not None:
                chosen.values[names[0]] = text
                self._ask_values(chosen, names[1:], then)

        def check(text: str) -> str:
            return "" if text or variable.value else f"{names[0]} needs a value"

        question = f"{names[0]}: {variable.ask}" if variable.ask else f"{names[0]} of {chosen.routine.name}"
        self._app.push_screen(AskLine(question, variable.value, check, secret=variable.secret), take)

    def _make(self, lane: LaneSnapshot) -> None:
        """Make a routine of the last exchanges."""
        from pale_heron.bench.config.routine_files import routine_from, user_routines

        module = lane.module
        exchanges = (
            [each for each in module.items if isinstance(each, Exchange) and each.status][-LAST:] if module else []
        )
        if module is None or not exchanges:
            self._app.notify("There is no exchange yet that it could be made from", severity="warning", markup=False)
            return
        proposed = user_routines() / f"{module.dialect.name}-{len(exchanges)}.toml"

        def take(text: str | None) -> None:
            if not text:
                return
            path = Path(text).expanduser()
            try:
                path.parent.mkdir(parents=True, exist_ok=True)
                with path.open("x", encoding="utf-8") as file:
                    file.write(routine_from(path.stem.lower(), module, exchanges))
            except OSError as problem:
                self._app.notify(f"{path} cannot be written: {problem.strerror}", severity="error", markup=False)
                return
            self._app.notify(f"The routine is in {path}: look through it before it is run", markup=False)
            self.load(lane, str(path))

        question = f"Which file for the last {len(exchanges)} exchanges? Nothing is overwritten"
        self._app.push_screen(AskLine(question, str(proposed)), take)

    def under_way(self, lane: str) -> bool:
        """Whether the routine of a lane has not ended yet."""
        chosen = self._chosen.get(lane)
        return chosen is not None and chosen.run is not None and not chosen.run.over

    def run(self, lane: str) -> None:
        """Run all, or all that is left."""
        self._begin(lane, by_step=False)

    def step(self, lane: str) -> None:
        """Do one step."""
        self._begin(lane, by_step=True)

    def _begin(self, lane: str, *, by_step: bool) -> None:
        from pale_heron.bench.operations.routine import RoutineRun

        chosen = self._chosen.get(lane)
        if chosen is None:
            self._app.notify("No routine is chosen: T chooses one", severity="warning", markup=False)
            return
        run = chosen.run
        if run is not None and not run.over:
            if by_step and run.held:
                run.next_step()
            elif not by_step:
                run.run_on()
            return
        try:
            run = RoutineRun(chosen.routine, self._bench, chosen.lanes, chosen.values, by_step=by_step)
            self._bench.operations.begin(run)
        except Trouble as trouble:
            self._app.notify(str(trouble), severity="error", markup=False)
            return
        chosen.run = run
        if by_step:
            run.next_step()
