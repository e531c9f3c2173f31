"""One exchange with each line end in turn: which of them does the other side wait for?"""

from collections.abc import Sequence
from typing import Final

from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.samples import Times

MUCH_FASTER: Final = 3.0
MS: Final = 1000.0


def line_end_words(trials: Sequence[TrialSnapshot]) -> list[str]:
    """What the trials show together: one sentence."""
    answered = [
        (each.described.ending, each.exchange.right, each.exchange.rounds, each.exchange.round_trip)
        for each in trials
        if each.exchange is not None and each.exchange.right
    ]
    if not answered:
        return ["With no line end a right answer came: it is not the line end alone."]
    # Most right answers first, then the fastest of them.
    ending, right, rounds, times = max(answered, key=lambda each: (each[1] / each[2], -_median(each[3])))
    slower = [each for each in answered if _median(each[3]) > MUCH_FASTER * _median(times)]
    silent = [each.described.ending for each in trials if each.described.ending not in [name for name, *_ in answered]]
    if not slower and not silent:
        return [f"Every line end is answered alike: {right} of {rounds} right with {ending}. It is not the line end."]
    words = f"Send {ending}: {right} of {rounds} right, half within {MS * _median(times):.0f} ms"
    words += "".join(f"; with {name} half takes {MS * _median(each):.0f} ms" for name, _, _, each in slower)
    words += f"; with {' and '.join(silent)} no right answer came" if silent else ""
    return [f"{words}."]


def _median(times: Times | None) -> float:
    return times.median if times is not None else 0.0
