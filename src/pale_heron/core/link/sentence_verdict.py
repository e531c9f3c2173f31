"""What a trial of sentences shows, in words: nothing was sent, so what the receiver left out itself counts too."""

from collections.abc import Sequence
from itertools import pairwise
from typing import Final

from pale_heron.core.link.certainty import certainty, percent
from pale_heron.core.link.delivery import DELIVERED, DeliverySnapshot
from pale_heron.core.link.findings import FAILS, HOLDS, INCONCLUSIVE, LinkFinding
from pale_heron.core.link.trial import TrialSnapshot

LEAST_IN_STEP: Final = 8


def sentence_words(trial: TrialSnapshot) -> tuple[str, str]:
    """The result, and why."""
    lanes, counted = trial.described.lanes, [each for each in trial.directions if each.settled]
    if not counted:
        if len(lanes) == 2:
            begins = f"a type counts from when {lanes[1]} first carries it"
            return INCONCLUSIVE, f"Nothing of {lanes[0]} could be looked for on {lanes[1]} yet: {begins}."
        return INCONCLUSIVE, f"Nothing on {lanes[0]} tells its time often enough to count by yet."
    # Sentences of one epoch suffer together: of several types the worst one speaks, not their sum.
    worst = max(counted, key=_not_delivered)
    bad, allowed = worst.lost + worst.damaged, trial.described.at_most_lost
    share = certainty(bad, worst.settled)
    what = f", {worst.lost} lost" * bool(worst.lost) + f", {worst.damaged} damaged" * bool(worst.damaged)
    figures = f"{worst.delivered} of {worst.settled}"
    allows = f" (allowed: {percent(allowed)})" if allowed else ""
    if len(lanes) == 2:
        words = (
            f"{lanes[0]} ▸ {lanes[1]}: {figures} sentences delivered{''.join(what)}: not delivered is {share}{allows}."
        )
    else:
        of = f", the worst of {len(counted)} types" if len(counted) > 1 else ""
        came = f"{figures} {worst.sender} came{what}{of}"
        words = f"{lanes[0]}, by their own times: {came}: missing is {share}{allows}."
    return FAILS if _not_delivered(worst) > allowed else HOLDS, words


def _clocks_apart(trial: TrialSnapshot) -> str:
    """Nothing comes before it is said: then the clocks are apart, by so much at least."""
    least = min((each.latency.least for each in trial.directions if each.latency), default=0.0)
    if least >= 0:
        return ""
    return f"; some come {-least:.3f} s before the time that they tell, so the clocks are apart by that much at least"


def sentence_findings(trial: TrialSnapshot) -> list[LinkFinding]:
    """What to know beside it."""
    if trial.described.kind != "sentences":
        return []
    found = []
    if len(trial.described.lanes) == 1 and trial.directions:
        found.append(
            LinkFinding(
                "own-times",
                "What the receiver itself left out counts as missing too, and the lag holds the error of this "
                "computer's clock.",
                "one lane alone: only the times in the sentences are known" + _clocks_apart(trial),
                "Record the receiver on a lane of its own as well: then the two are told apart.",
            )
        )
    for each in trial.directions:
        every = thinned(each.strip)
        if every:
            found.append(
                LinkFinding(
                    "thinned",
                    f"Of {each.sender} only every {every}th came, as regularly as on purpose: what passes sentences on "
                    "may send no more.".replace("2th", "2nd").replace("3th", "3rd"),
                    f"one of {every}, always in step",
                    "Look at what it is set to pass on; or count by what comes there alone (one lane).",
                )
            )
    if trial.clock_steps:
        times = "once" if trial.clock_steps == 1 else f"{trial.clock_steps} times"
        found.append(
            LinkFinding(
                "clock-steps",
                f"The clock behind the sentences was set {times}: what was lost over that is not known.",
                f"steps of the clock: {trial.clock_steps}",
                "A receiver sets its clock at the first fix: begin when it has one.",
            )
        )
    return found


def thinned(strip: Sequence[str]) -> int:
    """How many come between two that are passed on, where that never varies; 0 where it does, or too few came."""
    came = [index for index, result in enumerate(strip) if result == DELIVERED]
    steps = {after - before for before, after in pairwise(came)}
    return steps.pop() if len(came) >= LEAST_IN_STEP and len(steps) == 1 and steps != {1} else 0


def _not_delivered(each: DeliverySnapshot) -> float:
    return (each.lost + each.damaged) / each.settled
