"""What a trial of sentences shows, in words: nothing was sent, so what the receiver left out itself counts too."""

from collections.abc import Sequence
from itertools import pairwise
from typing import Final

from pale_heron.core.figures import several
from pale_heron.core.link.certainty import certainty, percent
from pale_heron.core.link.fates import DELIVERED
from pale_heron.core.link.findings import INCONCLUSIVE, LinkFinding
from pale_heron.core.link.judging import judged
from pale_heron.core.link.trial_snapshot import TrialSnapshot

LEAST_IN_STEP: Final = 8


def sentence_words(trial: TrialSnapshot) -> tuple[str, str]:
    """The result, and why."""
    lanes, counted = trial.described.lanes, [each for each in trial.directions if each.settled]
    if not counted:
        if len(lanes) == 2:
            said = sum(count for _, count in trial.left_out) + sum(each.sent for each in trial.directions)
            known = "a type is looked for once one of it has come, and the limit is over"
            return (
                INCONCLUSIVE,
                f"Of {several(said, 'sentence')} of {lanes[0]} nothing is known on {lanes[1]}: {known}.",
            )
        return INCONCLUSIVE, f"Nothing on {lanes[0]} tells its time often enough to count by yet."
    # Sentences of one epoch suffer together: of several types the worst one speaks, not their sum.
    worst = max(counted, key=lambda each: each.share or 0.0)
    bad, allowed = worst.not_delivered, trial.described.at_most_lost
    share = certainty(bad, worst.settled)
    fates = ("lost", worst.lost), ("damaged", worst.damaged), ("late", worst.late), ("not known", worst.unknown)
    what = "".join(f", {count} {fate}" for fate, count in fates if count)
    figures = f"{worst.delivered} of {worst.settled}"
    allows = f" (allowed: {percent(allowed)})" if allowed else ""
    if len(lanes) == 2:
        words = f"{lanes[0]} ▸ {lanes[1]}: {figures} sentences delivered{what}: not delivered is {share}{allows}."
    else:
        of = f", the worst of {len(counted)} types" if len(counted) > 1 else ""
        came = f"{figures} {worst.sender} came{what}{of}"
        words = f"{lanes[0]}, by their own times: {came}: missing is {share}{allows}."
    return judged(bad, worst.settled, allowed), words


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
    never = [f"{name} ({count})" for name, count in trial.left_out if name not in {kind for kind, *_ in trial.types}]
    if never:
        found.append(
            LinkFinding(
                "not-carried",
                f"Said and never carried: {', '.join(never)}. These are left out.",
                f"nothing of these types came on {trial.described.lanes[-1]}",
                "Is it meant that the way passes on less than the receiver says?",
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
