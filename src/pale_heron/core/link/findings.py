"""What a trial of a link came to, and what to know beside it."""

from typing import NamedTuple

HOLDS, FAILS, INCONCLUSIVE = "holds", "fails", "inconclusive"


class LinkFinding(NamedTuple):
    """Something to know about a trial: `id` is for programs, the rest for people."""

    id: str
    text: str
    evidence: str
    next: str
