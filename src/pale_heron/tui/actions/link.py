"""Trials on the full screen: begun, given up, described afterwards."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from textual.app import App

from pale_heron.bench.operations.trial import OVER, Trial
from pale_heron.bench.operations.trial_lanes import TrialBench
from pale_heron.bench.operations.trial_plan import TrialSeries
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.settings import ENDINGS_OUT
from pale_heron.core.link.description import EXCHANGE
from pale_heron.core.link.line_ends import line_end_words
from pale_heron.core.link.tracker import WIRED
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.trouble import Trouble
from pale_heron.tui.actions.trial_questions import TrialQuestions

if TYPE_CHECKING:
    from pale_heron.bench.operations.registry import Operations

ROUNDS_EACH = 5
"""Rounds of an exchange with each line end."""


class LinkActions:
    """`bench` is a live one."""

    def __init__(self, app: App[Any], bench: TrialBench, operations: "Operations") -> None:
        self._app = app
        self._bench = bench
        self._operations = operations
        self._questions = TrialQuestions(app, bench, lambda described: self._run(Trial(bench, described, anyway=True)))
        self._trial: Trial | TrialSeries | None = None
        self._told = True

    @property
    def state(self) -> str:
        """What a trial of ours does now; empty where none is under way. How it ended is shown once."""
        trial = self._trial
        if trial is None:
            return ""
        if trial.over and not self._told:
            self._told = True
            if isinstance(trial, TrialSeries):
                self._app.notify(" ".join(line_end_words(trial.results)), markup=False, timeout=20)
            elif trial.failure and trial.result is None:
                self._app.notify(trial.failure, severity="error", markup=False)
        return "" if trial.over or trial.state == OVER else trial.state

    def give_up(self, newest: TrialSnapshot | None) -> None:
        """What was counted stands. One that began by itself is stopped too."""
        if self._trial is not None and not self._trial.over:
            self._trial.stop()
        elif newest is not None:
            for each in self._operations.running:
                if isinstance(each, Trial) and each.described.trial == newest.described.trial:
                    each.stop()

    def begin(self, lane: LaneSnapshot, lanes: Sequence[LaneSnapshot]) -> None:
        """Ask how, then begin."""
        self._questions.begin(lane, lanes)

    def wire(self, trial: TrialSnapshot) -> None:
        """Say how a trial was wired, during it or afterwards."""

        def note(wiring: str) -> None:
            self._bench.note(trial.described.lanes[0], WIRED, {"trial": trial.described.trial, "wiring": wiring})

        self._questions.ask_wiring(note)

    def try_line_ends(self, trial: TrialSnapshot) -> None:
        """The same exchange with each line end in turn, a few rounds each."""
        described = trial.described
        if described.kind != EXCHANGE:
            self._app.notify("Line ends are tried with an exchange: b, then m", severity="warning", markup=False)
            return
        each = [
            described._replace(ending=ending, probes=ROUNDS_EACH, cell=("line end", ending)) for ending in ENDINGS_OUT
        ]
        self._run(TrialSeries(self._bench, "an exchange with each line end", each))

    def _run(self, trial: Trial | TrialSeries) -> None:
        try:
            self._operations.begin(trial)
        except Trouble as trouble:
            self._app.notify(str(trouble), severity="warning", markup=False)
            return
        self._trial, self._told = trial, False
