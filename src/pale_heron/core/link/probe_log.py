"""What became of each probe of each trial, kept while a capture is gone through."""

from collections.abc import Iterator, Sequence

from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.fates import ProbeResult
from pale_heron.core.link.trial_snapshot import TrialSnapshot


class ProbeLog:
    """Called with each of them; grows with the capture, so it is for those that go through one and end."""

    def __init__(self) -> None:
        self._kept: dict[tuple[int, int], dict[tuple[str, str, int], ProbeResult]] = {}

    def __call__(self, described: TrialDescription, begin: int, result: ProbeResult) -> None:
        """What is known last of a number counts: one that comes late was lost before."""
        self._kept.setdefault((described.trial, begin), {})[result.sender, result.receiver, result.number] = result

    def of(self, trial: TrialSnapshot) -> Sequence[ProbeResult]:
        """Those of a trial, in the order in which it was known what became of them."""
        return [*self._kept.get((trial.described.trial, trial.begin), {}).values()]

    def rows(self, trials: Sequence[TrialSnapshot]) -> Iterator[tuple[int, TrialSnapshot, ProbeResult]]:
        """All of them, with the trial and its place in the list, counted from 1."""
        for place, trial in enumerate(trials, 1):
            for each in self.of(trial):
                yield place, trial, each
