"""What may be said of a trial: the one place that decides, for every kind and every face of the result.

- It *holds* where all that was asked for was sent, its fate is known, and nothing was lost where nothing may be; or,
  where a share may be, the upper bound of the 95 % interval of what was not delivered lies below it.
- It *fails* where something was not delivered and nothing may be, or where the lower bound lies above what may be.
- All else is *inconclusive*, with what would decide it.
"""

from collections import Counter
from collections.abc import Mapping
from typing import Final, NamedTuple

from pale_heron.core.link.description import FOLLOWED
from pale_heron.core.link.fates import CUT
from pale_heron.core.link.figures import wilson
from pale_heron.core.link.findings import FAILS, HOLDS, INCONCLUSIVE
from pale_heron.core.link.trial_snapshot import COUNT, INTERRUPTED, TIME, WATCHED, TrialSnapshot

MOST_NEEDED: Final = 1_000_000


def judged(bad: int, of: int, allowed: float) -> str:
    """What `bad` ones among `of` show where a share is allowed. Of nothing nothing is shown."""
    interval = wilson(bad, of)
    if interval is None:
        return INCONCLUSIVE
    if not allowed:
        return FAILS if bad else HOLDS
    return HOLDS if interval[1] < allowed else FAILS if interval[0] > allowed else INCONCLUSIVE


def more_needed(bad: int, of: int, allowed: float) -> int | None:
    """About how many more would decide, where the share stays as it is; None where a million would not."""
    share = bad / of if of else 0.0

    def decides(count: int) -> bool:
        return judged(round(share * count), count, allowed) != INCONCLUSIVE

    most = max(1, of)
    while not decides(most):
        most *= 2
        if most > MOST_NEEDED:
            return None
    least = most // 2
    while most - least > 1:
        middle = (least + most) // 2
        least, most = (least, middle) if decides(middle) else (middle, most)
    return max(0, most - of)


def worst(results: "set[str]") -> str:
    """What several results are together: one that fails, fails them all; of none nothing is shown."""
    return next((each for each in (FAILS, INCONCLUSIVE, HOLDS) if each in results), INCONCLUSIVE)


class Completeness(NamedTuple):
    """How much of what was asked for is known. `asked` and `sent` are those of the direction with fewest."""

    asked: int | None
    sent: int
    not_known: Mapping[str, int]
    """By reason, the most of any direction."""
    complete: bool

    @property
    def never_sent(self) -> int:
        """So many of what was asked for were not sent."""
        return max(0, (self.asked or 0) - self.sent)


def completeness(trial: TrialSnapshot) -> Completeness:
    """Of a trial that is over; one that runs is not complete."""
    described, exchange = trial.described, trial.exchange
    if exchange is not None:
        ways = [(exchange.sent, exchange.not_known)]
    else:
        # Of a far end that answers, what comes back is known by the way there.
        counted = trial.directions if described.far != "answer" else trial.directions[:1]
        ways = [(each.sent, each.not_known) for each in counted]
    asked = None if described.kind in FOLLOWED else described.asked
    unknown: Counter[str] = Counter()
    for _, reasons in ways:
        unknown |= Counter(dict(reasons))
    ends = {COUNT, TIME} if described.ends_by_itself else {INTERRUPTED, WATCHED}
    sent = min((sent for sent, _ in ways), default=0)
    # Whoever goes through a record asks for no end of it: of the last that were said there nothing can be known.
    open_ended = {CUT} if trial.ended_by == WATCHED else set()
    known = not any(count for reason, count in unknown.items() if reason not in open_ended)
    return Completeness(asked, sent, unknown, trial.ended_by in ends and known and sent >= (asked or 0))
