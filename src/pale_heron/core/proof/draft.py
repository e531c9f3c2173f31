"""Expectations made from what there is: as good as today, with some room."""

from math import isfinite
from typing import Final

from pale_heron.core.proof.expectation import INTERVAL, POINT, Expectation
from pale_heron.core.proof.measured import Evident, Measured
from pale_heron.core.proof.names import measured, named

MORE: Final = 1.5
"""A figure that may grow by half is as good as today."""

LESS: Final = 0.9

BAD: Final = {"fix.level": ("none", "unknown"), "link.verdict": ("fails", "inconclusive"), "record.whole": (False,)}
"""What is nothing to be as good as."""

LANE_DRAFTS: Final = (
    ("legible", "line.readable_share", "at_least"),
    ("sentences are whole", "line.bad_share", "at_most"),
    ("the port stays", "line.returns", "at_most"),
    ("a fix at the end", "fix.level", "equals"),
    ("a fix nearly always", "fix.share", "at_least"),
    ("the first fix comes in time", "fix.seconds_to_first_fix", "at_most"),
    ("no long outage", "fix.longest_outage_s", "at_most"),
    ("the module answers", "module.unanswered", "at_most"),
)
TRIAL_DRAFTS: Final = (
    ("the link holds", "link.verdict", "equals"),
    ("little is lost", "link.not_delivered_share", "at_most"),
    ("it is quick", "link.latency_p95_ms", "at_most"),
)
OTHER_DRAFTS: Final = (
    ("the record is whole", "record.whole", "equals"),
    ("sentences come steadily", "clock.spread_ms", "at_most"),
    ("no pulse is missed", "clock.pulses_missed", "at_most"),
)


def draft(known: Evident) -> tuple[Expectation, ...]:
    """One for each of the usual names that have a value here; all of them pass now."""
    found: list[Expectation] = []
    for lane in known.lanes:
        found += _made(LANE_DRAFTS, known, lane=lane.name)
    for number, _ in known.numbered_trials():
        found += _made(TRIAL_DRAFTS, known, trial=number)
    return (*found, *_made(OTHER_DRAFTS, known))


def _made(rows: tuple[tuple[str, str, str], ...], known: Evident, lane: str = "", trial: int = 0) -> list[Expectation]:
    made = []
    for what, that, condition in rows:
        row = named(that)
        assert row is not None, "drafts are of known names"
        now = measured(*row, known, lane, trial)
        if now.value is None or not now.samples or now.value in BAD.get(that, ()):
            continue
        far = None if now.interval is None else now.interval[condition == "at_most"]
        certainty = POINT if far is not None and not isfinite(far) else INTERVAL
        bound = _bound(condition, now._replace(value=far) if far is not None and certainty == INTERVAL else now)
        made.append(Expectation(what, that, condition, (bound,), lane, trial, _enough(now), certainty=certainty))
    return made


def _bound(condition: str, now: Measured) -> float | int | str | bool:
    assert now.value is not None, "it has a value"
    if condition == "equals" or isinstance(now.value, str | bool):
        return now.value
    room = now.value * (MORE if condition == "at_most" else LESS)
    return now.value if room == 0 else float(f"{room:.3g}") if condition == "at_most" else float(f"{room:.2g}")


def _enough(now: Measured) -> int:
    """Half as many samples as today, in a round number."""
    half = max(1, now.samples // 2)
    return int(float(f"{half:.1g}"))
