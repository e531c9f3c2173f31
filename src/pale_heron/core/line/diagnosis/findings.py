"""What is wrong with a lane, by what evidence, and what to try next: the causes weighed, most likely first."""

from typing import NamedTuple

from pale_heron.core.line.diagnosis.causes import CAUSES, Cause, Phrase
from pale_heron.core.line.diagnosis.evidence import Evidence
from pale_heron.core.line.diagnosis.stages import LaneOpening

FAINT = 0.15
"""What weighs less is not said."""


class Finding(NamedTuple):
    """`weight` orders findings, 0 to 1; it is no probability."""

    id: str
    text: str
    evidence: str
    next: str
    weight: float


def findings(evidence: Evidence) -> tuple[Finding, ...]:
    """All that can be said, most likely cause first."""
    if evidence.opening is LaneOpening.LET_GO:
        # Nothing is to be tried on a lane that was closed here.
        return ()
    found = [weighed(cause, evidence) for cause in CAUSES if cause.symptom(evidence)]
    return tuple(sorted((each for each in found if each.weight >= FAINT), key=lambda each: -each.weight))


def weighed(cause: Cause, evidence: Evidence) -> Finding:
    """A cause with the signs that hold."""
    signs = [sign for sign in cause.signs if sign.holds(evidence)]
    words = "; ".join(filter(None, (_say(sign.words, evidence) for sign in signs)))
    weight = min(1.0, max(0.0, cause.base + sum(sign.weight for sign in signs)))
    return Finding(cause.id, _say(cause.text, evidence), words, _say(cause.next, evidence), round(weight, 3))


def _say(phrase: Phrase, evidence: Evidence) -> str:
    return phrase if isinstance(phrase, str) else phrase(evidence)
