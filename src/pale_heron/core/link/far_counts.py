"""What a far end says that it got: counts that grow from answer to answer, in stretches between its restarts.

An answer vouches for all probes up to its own: so many different ones had come undamaged, so many damaged. What is
known of the way there is therefore a number of probes, and how many of them came; which they were nobody says. A count
that falls back, in an answer to a newer probe than any before, is that of a far end that has begun again: what lies
between its last answer before and its first one after is not known, and counts go on from there. The first answer of a
stretch only says from where it counts: that this one came is why it is heard, so it counts neither way.
"""

from collections import Counter
from typing import Final, NamedTuple

from pale_heron.core.link.fates import COUNTED_BEFORE, RESTARTED
from pale_heron.core.wire.probe import Probe

MOST_COPIES: Final = 10
"""A way that doubles probes makes the far end answer each of them so many times at most, or it is not believed."""

REORDERED: Final = 8
SEEN_KEPT: Final = 4096
GAPS_KEPT: Final = 1000
RESTARTS_KEPT: Final = 100


class _Counts(NamedTuple):
    """As of one answer: of how many sent ones it speaks, and what it counts."""

    rank: int
    order: int
    got: int
    damaged: int


NOTHING: Final = _Counts(0, 0, 0, 0)


class FarCounts:
    """Takes the numbers that are sent, in rising order, and the answers that come."""

    def __init__(self) -> None:
        self._sent = 0
        self._last_sent = 0
        self._gaps: list[tuple[int, int]] = []
        """Numbers behind a gap, and how many up to there were not sent."""
        self._begin: _Counts | None = NOTHING
        """From where the counts of this stretch are taken; None until its first answer."""
        self._now = NOTHING
        self._reason = COUNTED_BEFORE
        self._highest = 0
        """The highest number that was answered."""
        self._done = NOTHING
        """The sums of the stretches before this one."""
        self._seen: dict[int, None] = {}
        self.answers = self.twice_back = self.out_of_order = 0
        self.not_known: Counter[str] = Counter()
        self.restarts: list[int] = []
        self.around = 0, 0
        """The first and the last number around the last restart."""

    def send(self, number: int) -> None:
        """One went out."""
        if number <= self._last_sent:
            return
        if number > self._last_sent + 1 and len(self._gaps) < GAPS_KEPT:
            self._gaps.append((number, number - 1 - self._sent))
        self._last_sent = number
        self._sent += 1

    def _rank(self, number: int) -> int:
        """How many were sent up to this one."""
        return number - next((missing for begin, missing in reversed(self._gaps) if begin <= number), 0)

    def take(self, answer: Probe, time: int) -> bool:
        """An answer came; False where it is not to be believed."""
        rank = self._rank(answer.number)
        counts = _Counts(rank, answer.order, answer.got, answer.damaged)
        if not 0 < answer.number <= self._last_sent:
            return False
        newest = answer.number > self._highest
        if self._begin == NOTHING and self._now == NOTHING and not self._could_be_first(counts):
            self._begin = None
        if self._begin is not None and newest and self._falls_back(answer.order):
            self.restarts = [*self.restarts, time][-RESTARTS_KEPT:]
            self.interrupt(RESTARTED)
            self.around = self._highest + 1, answer.number - 1
        if self._begin is not None and answer.order - self._now.order > MOST_COPIES * self._sent:
            return False
        self._highest = max(self._highest, answer.number)
        if self._begin is None:
            # That this one came is why it is heard: from here on it is counted.
            self.not_known[self._reason] += rank - self._now.rank
            self._begin = self._now = counts
            self._seen = {answer.order: None}
            return True
        if answer.order in self._seen:
            self.twice_back += 1
            return True
        self._seen[answer.order] = None
        while len(self._seen) > SEEN_KEPT:
            del self._seen[next(iter(self._seen))]
        self.answers += 1
        self.out_of_order += answer.order < self._now.order
        now = self._now
        self._now = _Counts(*(max(one, other) for one, other in zip(now, counts, strict=True)))
        return True

    def _falls_back(self, order: int) -> bool:
        """Whether the answer to the newest probe has a number that only a far end that began again can give it.

        Both ways may change the order of a few: such a number is a little lower than another, and new.
        """
        return order <= self._now.order - REORDERED or (order <= self._now.order and order in self._seen)

    def _could_be_first(self, counts: _Counts) -> bool:
        """Whether these can be counts of this trial alone: a far end that never begins afresh has larger ones."""
        return counts.got <= counts.rank and counts.order <= MOST_COPIES * counts.rank

    def interrupt(self, reason: str) -> None:
        """What comes from now on is counted afresh; what lies between is not known."""
        if self._begin is None:
            return
        self._done = self.sums
        self._now = self._now._replace(order=0, got=0, damaged=0)
        self._begin, self._reason = None, reason

    @property
    def sums(self) -> _Counts:
        """Of how many it is known, how many answers were given to them, how many came, and how many damaged."""
        if self._begin is None:
            return self._done
        grown = [last - first for last, first in zip(self._now, self._begin, strict=True)]
        rank, order, got = grown[0], grown[1], min(grown[2], grown[0])
        own = _Counts(rank, order, got, min(grown[3], rank - got))
        return _Counts(*(one + other for one, other in zip(self._done, own, strict=True)))

    @property
    def twice_there(self) -> int:
        """Each probe is answered as often as it comes, and counted once."""
        return max(0, self.sums.order - self.sums.got)

    @property
    def behind(self) -> int:
        """How many were sent behind the last one that was answered."""
        return self._sent - self._now.rank
