"""Runs the trials of a plan one after the other; one that fails is a result, and the next one follows."""

from collections.abc import Sequence

from pale_heron.bench.operations.registry import GIVEN_UP, Operation, OperationFailed
from pale_heron.bench.operations.trial import Trial
from pale_heron.bench.operations.trial_lanes import TrialBench
from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.trouble import Trouble


class TrialSeries(Operation):
    """`messages` belong to the trials in their order."""

    def __init__(
        self,
        bench: TrialBench,
        title: str,
        trials: Sequence[TrialDescription],
        messages: Sequence[Sequence[str]] = (),
        *,
        anyway: bool = False,
    ) -> None:
        super().__init__(title, dict.fromkeys(lane for trial in trials for lane in trial.lanes))
        asked = [*messages, *([()] * len(trials))]
        self._trials = [
            Trial(bench, each, asked[index], token=self.token, anyway=anyway) for index, each in enumerate(trials)
        ]
        self._now = 0
        self.failures: list[str] = []
        """Of trials that could not be made at all, with what was seen."""

    @property
    def state(self) -> str:
        """Which one runs, of how many."""
        trial = self._trials[min(self._now, len(self._trials) - 1)]
        return f"{self._now + 1} of {len(self._trials)}, {' '.join(trial.described.cell) or trial.described.kind}"

    @property
    def results(self) -> tuple[TrialSnapshot, ...]:
        """Of those that were made so far."""
        return tuple(found for found in (trial.result for trial in self._trials[: self._now + 1]) if found is not None)

    def stop(self) -> None:
        """No more trials; the one that runs listens for what is under way, and asked once more ends at once."""
        self._trials[self._now].stop()

    @property
    def listens_s(self) -> float:
        return self._trials[self._now].listens_s

    def work(self) -> None:
        for index, trial in enumerate(self._trials):
            self._now = index
            failure = ""
            try:
                trial.work()
            except (OperationFailed, Trouble, ValueError) as problem:
                failure = str(problem)
            trial.report(failure)
            if self.token.stopped:
                raise OperationFailed(GIVEN_UP)
            if failure and trial.result is None:
                self.failures.append(f"{' '.join(trial.described.cell)}: {failure}")
