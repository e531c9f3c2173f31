"""An exchange trial: one message, one expected answer, again and again.

A message and its answer are lines. Until the answer comes, or the limit is over, nothing else is sent; so a reply
belongs to the round that waits. Sentences of receivers and our own message coming back are no replies.
"""

from collections import deque
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.link.delivery import HearResult, ProbeResult
from pale_heron.core.link.figures import Cluster, clusters
from pale_heron.core.link.rules import Rule
from pale_heron.core.samples import Sample, Times

WRONG_KEPT: Final = 50
STRIP: Final = 600
RIGHT, WRONG, UNANSWERED, WAITING = "right", "wrong", "unanswered", "waiting"


class WrongReply(NamedTuple):
    """What came instead."""

    round: int
    message: str
    wanted: str
    came: str


class ExchangeSnapshot(NamedTuple):
    """How it stands; times in seconds, over right and wrong replies alike."""

    rounds: int
    right: int
    wrong: int
    unanswered: int
    late: int
    """Replies that came when their round was over."""
    own_back: int
    """How often a message came back as it was sent."""
    round_trip: Times | None
    clusters: tuple[Cluster, ...]
    wrongs: tuple[WrongReply, ...]
    strip: tuple[str, ...]


class ExchangeCounter:
    """Takes messages as they go out and of lines as they come in, in the order of their times."""

    def __init__(self, rule: Rule, limit_ns: int, lane: str = "", hear: HearResult | None = None) -> None:
        """`hear` is called with each round that is over."""
        self._rule = rule
        self._lane, self._hear = lane, hear
        self._limit_ns = limit_ns
        self._waiting: tuple[int, str, int] | None = None
        self._last = ""
        self._counts = dict.fromkeys((RIGHT, WRONG, UNANSWERED), 0)
        self._late = self._own_back = 0
        self._times = Sample()
        self._wrongs: deque[WrongReply] = deque(maxlen=WRONG_KEPT)
        self._strip: deque[str] = deque(maxlen=STRIP)

    @property
    def waiting(self) -> bool:
        """Whether a round waits for its answer."""
        return self._waiting is not None

    @property
    def ended(self) -> int:
        """How many rounds are over."""
        return sum(self._counts.values())

    def send(self, number: int, message: str, time: int) -> None:
        """The message of a round went out."""
        self.advance(time)
        if self._waiting is not None:
            self._end(UNANSWERED)
        self._waiting, self._last = (number, message, time), message

    def take(self, line: str, time: int) -> None:
        """A line came in."""
        self.advance(time)
        if not line.strip():
            return
        if self._rule.kind != "echo" and line.strip() == self._last.strip():
            self._own_back += 1
            return
        if self._waiting is None:
            self._late += 1
            return
        number, message, begun = self._waiting
        self._times.add((time - begun) / SECOND)
        if self._rule.right(message, line, number):
            self._end(RIGHT, time)
            return
        self._wrongs.append(WrongReply(number, message, self._rule.wanted(message, number), line))
        self._end(WRONG, time)

    def advance(self, now: int) -> None:
        """Time passes: a reply that has not come by its limit will not be waited for."""
        if self._waiting is not None and now - self._waiting[2] > self._limit_ns:
            self._end(UNANSWERED)

    def finish(self, now: int) -> None:
        """The trial is over; a round that still waits counts neither way."""
        self.advance(now)
        self._waiting = None

    def _end(self, result: str, came: int | None = None) -> None:
        if self._hear is not None and self._waiting is not None:
            number, _, begun = self._waiting
            self._hear(ProbeResult(self._lane, self._lane, number, begun, result, came))
        self._counts[result] += 1
        self._strip.append(result)
        self._waiting = None

    def snapshot(self) -> ExchangeSnapshot:
        """How it stands."""
        return ExchangeSnapshot(
            rounds=self.ended,
            right=self._counts[RIGHT],
            wrong=self._counts[WRONG],
            unanswered=self._counts[UNANSWERED],
            late=self._late,
            own_back=self._own_back,
            round_trip=self._times.times(),
            clusters=clusters(self._times.values),
            wrongs=tuple(self._wrongs),
            strip=(*self._strip, *([WAITING] if self._waiting else [])),
        )
