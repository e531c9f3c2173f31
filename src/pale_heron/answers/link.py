"""Does the link deliver, undamaged, how fast, how far?"""

from typing import Final

from pale_heron.answers.answer import ViewAnswer, answered
from pale_heron.core.link.findings import FAILS, HOLDS, INCONCLUSIVE
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.link.verdict import Verdict, verdict
from pale_heron.core.wire.visible import safe_label

ROLES: Final = {HOLDS: "reed", FAILS: "coral", INCONCLUSIVE: "amber"}
CLOUDED_BY: Final = frozenset({"round-time"})
"""Findings with which a link that holds is not simply well."""


def link_answer(trial: TrialSnapshot | None, state: str = "") -> ViewAnswer:
    """What a trial came to; without one what is under way (`state`), or how to begin."""
    if trial is None:
        words = state or "No trial yet: b begins one. It sends numbered probes, or asks messages, and counts."
        return answered("amber" if state else "quiet", words)
    found = verdict(trial)
    # What is under way and has not failed is neither well nor a cause to worry.
    role = "heron" if trial.end is None and found.result == INCONCLUSIVE else role_of(found)
    # The two ends of a direction stay on one line.
    return answered(role, (safe_label(found.why).replace(" ▸ ", "\u00a0▸\u00a0"), f"*{role}"))


def role_of(found: Verdict) -> str:
    """The colour of a verdict."""
    clouded = any(each.id in CLOUDED_BY for each in found.findings)
    return ROLES[INCONCLUSIVE if clouded and found.result == HOLDS else found.result]
