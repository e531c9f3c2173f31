"""An exchange trial: one message, one expected answer, again and again.

A message and its answer are lines. Until the answer comes, or the limit is over, nothing else is sent; so a reply
belongs to the round that waits, with these exceptions, in this order:

1. a line that began before the message went out is no answer to it: the far end says it by itself;
2. a line that the trial is told to pass over (`ignore`), a sentence of a receiver, and our own message coming back are
   no replies;
3. a line that is not right for the round that waits, and is right for an earlier one without an answer, is that one's
   answer, and late.
"""

from collections import deque
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.link.fates import DAMAGED, DELIVERED, LATE, LOST, NOT_KNOWN, UNDER_WAY, HearResult, ProbeResult
from pale_heron.core.link.figures import Cluster, clusters
from pale_heron.core.link.ledger import Ledger
from pale_heron.core.link.rules import Rule
from pale_heron.core.patterns import Pattern
from pale_heron.core.samples import Sample, Times

WRONG_KEPT: Final = 50
OVERDUE_KEPT: Final = 8
SPACED_NS: Final = 9 * SECOND // 10
"""After so long without a message the far end has had its rest."""

RIGHT, WRONG, UNANSWERED, WAITING = "right", "wrong", "unanswered", "waiting"
FACES: Final = {
    DELIVERED: RIGHT,
    DAMAGED: WRONG,
    LOST: UNANSWERED,
    LATE: LATE,
    NOT_KNOWN: NOT_KNOWN,
    UNDER_WAY: WAITING,
}
"""The fates of the ledger as they are called here."""


class WrongReply(NamedTuple):
    """What came instead, or (`late`) when the round was over."""

    round: int
    message: str
    wanted: str
    came: str
    late: bool = False

    @property
    def unreadable(self) -> bool:
        """Bytes that are no text, as at a wrong rate."""
        return "\\x" in self.came or "\ufffd" in self.came or not self.came.isprintable()


class ExchangeSnapshot(NamedTuple):
    """How it stands; times in seconds, over right and wrong replies alike."""

    rounds: int
    """Those of which it is known how they ended."""
    right: int
    wrong: int
    unanswered: int
    late: int
    """Rounds whose reply came when they were over."""
    own_back: int
    """How often a message came back as it was sent."""
    unasked: int
    """Lines that answer nothing."""
    round_trip: Times | None
    spaced: Times | None
    """Of rounds before which it rested for a while, and of the others: a far end may rest between messages."""
    close: Times | None
    clusters: tuple[Cluster, ...]
    wrongs: tuple[WrongReply, ...]
    strip: tuple[str, ...]
    sent: int
    not_known: tuple[tuple[str, int], ...]
    under_way: int

    @property
    def bad(self) -> int:
        """Rounds without a right reply in time."""
        return self.wrong + self.unanswered + self.late


class ExchangeCounter:
    """Takes messages as they go out and of lines as they come in, in the order of their times."""

    def __init__(
        self, rule: Rule, limit_ns: int, lane: str = "", hear: HearResult | None = None, ignore: str = ""
    ) -> None:
        """`hear` is called with each round that is over; `ignore` is a regular expression, or nothing."""
        self._rule = rule
        self._hear = hear
        self._ignore = Pattern(ignore) if ignore else None
        self.ledger = Ledger(lane, lane, limit_ns, self._tell)
        self._waiting: tuple[int, str, int] | None = None
        self._overdue: deque[tuple[int, str]] = deque(maxlen=OVERDUE_KEPT)
        self._last = ""
        self._own_back = self._unasked = 0
        self._times, self._spaced, self._close = Sample(), Sample(), Sample()
        self._over_at: int | None = None
        self._rested = False
        self._wrongs: deque[WrongReply] = deque(maxlen=WRONG_KEPT)

    def _tell(self, result: ProbeResult) -> None:
        if self._waiting is not None and result.number == self._waiting[0]:
            if result.result == LOST:
                self._overdue.append(self._waiting[:2])
            self._waiting = None
        if self._hear is not None:
            self._hear(result._replace(result=FACES[result.result]))

    def send(self, number: int, message: str, time: int) -> None:
        """The message of a round went out."""
        self.advance(time)
        if self._waiting is not None:
            self.ledger.settle(self._waiting[0], LOST)
        self._last = message
        self._rested = self._over_at is not None and time - self._over_at >= SPACED_NS
        self.ledger.send(number, time)
        if self.ledger.fate(number) == UNDER_WAY:
            self._waiting = number, message, time

    def take(self, line: str, began: int, ended: int) -> None:
        """A line came in, from its first byte to its last."""
        self.advance(ended)
        if not line.strip() or (self._ignore is not None and self._ignore.search(line)):
            return
        if self._rule.kind != "echo" and line.strip() == self._last.strip():
            self._own_back += 1
            return
        waiting = self._waiting
        if waiting is not None and began < waiting[2]:
            waiting = None
        if waiting is None or not self._rule.right(waiting[1], line, waiting[0]):
            if self._is_late(line, ended):
                return
            if waiting is None:
                self._unasked += 1
                return
        number, message, begun = waiting
        took = (ended - begun) / SECOND
        self._times.add(took)
        if self._over_at is not None:
            (self._spaced if self._rested else self._close).add(took)
        self._over_at = ended
        if self._rule.right(message, line, number):
            # What came as it was sent tells an echo from a loop no better than a wire does.
            self._own_back += self._rule.kind == "echo"
            self.ledger.settle(number, DELIVERED, ended)
            return
        self._wrongs.append(WrongReply(number, message, self._rule.wanted(message, number), line))
        self.ledger.settle(number, DAMAGED)

    def _is_late(self, line: str, time: int) -> bool:
        """Whether a line is what an earlier round waited for."""
        for number, message in self._overdue:
            if self._rule.right(message, line, number):
                self._overdue.remove((number, message))
                self._wrongs.append(WrongReply(number, message, self._rule.wanted(message, number), line, late=True))
                self.ledger.deliver(number, time)
                return True
        return False

    def leave(self, _: int) -> None:
        """Its lane is gone: what waits will not be known."""
        self.ledger.leave()

    def back(self) -> None:
        """It is there again."""
        self.ledger.back()

    def advance(self, now: int) -> None:
        """Time passes: a reply that has not come by its limit is waited for no more."""
        self.ledger.advance(now)

    def finish(self, now: int, *, listened: bool) -> None:
        """The trial is over."""
        self.ledger.finish(now, listened=listened)

    def snapshot(self) -> ExchangeSnapshot:
        """How it stands."""
        found = self.ledger.snapshot()
        return ExchangeSnapshot(
            rounds=found.settled,
            right=found.delivered,
            wrong=found.damaged,
            unanswered=found.lost,
            late=found.late,
            own_back=self._own_back,
            unasked=self._unasked,
            round_trip=self._times.times(),
            spaced=self._spaced.times(),
            close=self._close.times(),
            clusters=clusters(self._times.values),
            wrongs=tuple(self._wrongs),
            strip=tuple(FACES[fate] for fate in found.strip),
            sent=found.sent,
            not_known=found.not_known,
            under_way=found.under_way,
        )
