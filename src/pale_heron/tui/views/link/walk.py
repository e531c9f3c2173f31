"""A beacon on a walk: one large share, and a clock for what is wrong, to be read at arm's length."""

from typing import Final

from pale_heron.core import figures
from pale_heron.core.frames import SECOND
from pale_heron.core.link.reach_words import distance_words, strength_words
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.tui.painting.large import large_figure
from pale_heron.tui.painting.paint import BLANK, Line, cut, line

MARGIN: Final = 2
GAP: Final = 4
GOOD, POOR = 0.98, 0.8


def paint(trial: TrialSnapshot, now: int, width: int) -> list[Line]:
    """Nothing for other trials, and before anything is known."""
    if not trial.directions or trial.recent is None:
        return []
    (way,), (came, of) = trial.directions, trial.recent
    share = came / of if trial.end is None and of else None if trial.end is None else _whole(way.share)
    text = "-" if share is None else f"{100 * share:.0f}"
    role = "quiet" if share is None else "reed" if share >= GOOD else "amber" if share >= POOR else "coral"
    beside = (
        f"% of the last minute: {came} of {of}" if trial.end is None else "% of all of it",
        _clock(trial, now),
        _signal(trial),
    )
    drawn = large_figure(text)
    rows = [
        cut(line((" " * MARGIN, role), (figure, f"*{role}"), (" " * GAP, role), (words, "*text")), width)
        for figure, words in zip(drawn, beside, strict=True)
    ]
    return [*rows, BLANK]


def _whole(bad: float | None) -> float | None:
    return None if bad is None else 1 - bad


def _clock(trial: TrialSnapshot, now: int) -> str:
    """For how long nothing has come, or nothing was missed."""
    way, end = trial.directions[0], trial.end if trial.end is not None else now
    if way.outages and way.outages[-1].end is None:
        return f"nothing for {figures.duration((end - way.outages[-1].begin) / SECOND)}"
    if way.outages and way.outages[-1].end is not None:
        return f"well again for {figures.duration((end - way.outages[-1].end) / SECOND)}"
    return f"no outage in {figures.duration((end - trial.begin) / SECOND)}"


def _signal(trial: TrialSnapshot) -> str:
    """How strong it comes, and how far away, where anybody says so."""
    strengths = [each.strength for ranged in trial.ranges for each in ranged.points if each.strength is not None]
    loose = [each.strength for ranged in trial.ranges for each in ranged.bins if each.strength is not None]
    last = f"{strengths[-1]:.0f}" if strengths else strength_words(loose[-1]) if loose else ""
    parts = [f"strength {last}"] if last else []
    parts += [f"{distance_words(ranged.points[-1].distance_m)} away" for ranged in trial.ranges if ranged.points]
    return ", ".join(parts)
