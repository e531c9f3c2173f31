"""The ledger of all that is numbered and awaited: probes, blocks, sentences, answers, rounds. One number, one fate.

| fate | when |
|---|---|
| delivered | it came whole within its limit |
| damaged | it came within its limit, and never whole |
| late | it came whole, after its limit |
| lost | its whole limit was watched, and nothing came |
| not known | its limit was not watched to its end; with the reason |

What counts is decided by what was watched, never by what came:

1. A number counts once its whole limit was watched. A delivery in the last limit before the end counts no more than
   a loss there: both are not known.
2. Whoever ends a trial and still listens until all has come, or the limit is over, has watched everything.
3. A lane that goes away ends the watching: what is under way then is not known, and neither is what is sent meanwhile.
4. Where the way keeps its order (`in_order`), what comes settles all that was sent before it.
5. What was never sent has no fate: it is what was asked for without what was sent.

Not delivered is lost, damaged and late together; a share of it is taken of all whose fate is known.
"""

from collections import Counter, OrderedDict, deque
from collections.abc import Iterable, Iterator
from typing import Final

from pale_heron.core.frames import SECOND
from pale_heron.core.link.fates import (
    AWAY,
    BAD,
    CUT,
    DAMAGED,
    DELIVERED,
    LATE,
    LOST,
    NOT_KNOWN,
    STRIP,
    UNDER_WAY,
    DeliverySnapshot,
    HearResult,
    LinkOutage,
    ProbeResult,
)
from pale_heron.core.link.figures import more_than_chance
from pale_heron.core.samples import Sample

RECENT: Final = 4096
"""So many numbers that are settled are still known: a second copy, or a late one, is no stranger."""

AHEAD: Final = 4
"""So many may come in before they are known to be sent: the two ends are read by two threads."""

OUTAGES_KEPT: Final = 1000


class _Open:
    """One whose limit is not over."""

    __slots__ = ("came", "sent", "spoilt", "timed")

    def __init__(self, sent: int) -> None:
        self.sent = sent
        self.came: int | None = None
        self.spoilt = False
        self.timed = True

    @property
    def fate(self) -> str:
        return DELIVERED if self.came is not None else DAMAGED if self.spoilt else LOST


class Ledger:
    """One direction. Numbers are sent in rising order, with gaps where some were not; what is kept is bounded.

    `limit_ns` is how long one is watched. `hear` is called with each fate as soon as it is settled, and once more
    where a late arrival changes it.
    """

    def __init__(
        self,
        sender: str,
        receiver: str,
        limit_ns: int,
        hear: HearResult | None = None,
        *,
        in_order: bool = False,
        ahead: int = AHEAD,
    ) -> None:
        self._names = sender, receiver
        self._limit_ns = limit_ns
        self._hear = hear
        self._in_order = in_order
        self._ahead = ahead
        self.sent = self.twice = self.out_of_order = 0
        self.counts = dict.fromkeys((DELIVERED, *BAD), 0)
        self._not_known: Counter[str] = Counter()
        self._open: OrderedDict[int, _Open] = OrderedDict()
        self._closed: OrderedDict[int, tuple[str, int]] = OrderedDict()
        """The last that are settled: their fate, and when they were sent."""
        self._early: dict[int, int | None] = {}
        """What came in before the record had it as sent, with its time; None where it came damaged."""
        self.last_sent = 0
        self._highest = 0
        self._gone = False
        self._strip: deque[tuple[int, str]] = deque(maxlen=STRIP)
        self._run_begin = self._run_length = self.longest_run = 0
        self._runs: deque[LinkOutage] = deque(maxlen=OUTAGES_KEPT)
        self._latency = Sample()

    @property
    def settled(self) -> int:
        """Of how many it is known what became of them."""
        return sum(self.counts.values())

    @property
    def awaited(self) -> Iterator[int]:
        """The numbers that have not come whole and still may, the newest first."""
        return (number for number, each in reversed(self._open.items()) if each.came is None)

    def fate(self, number: int) -> str | None:
        """What is known of a number; None of one that was not sent, or long ago."""
        each = self._open.get(number)
        if each is not None:
            return UNDER_WAY if each.came is None else DELIVERED
        closed = self._closed.get(number)
        return None if closed is None else closed[0]

    def send(self, number: int, time: int) -> None:
        """One went out; one whose number is not higher than before was not sent by us."""
        if number <= self.last_sent:
            return
        self.sent += 1
        self.last_sent = number
        if self._gone:
            self._forget(number, time, AWAY)
            return
        self._open[number] = _Open(time)
        if number in self._early:
            came = self._early.pop(number)
            if came is None:
                self.spoil(number)
            else:
                self.deliver(number, max(came, time))

    def enter(self, numbers: Iterable[tuple[int, int]]) -> None:
        """Some turn out to count that were sent before others that are known: their numbers, and when."""
        added = {number: _Open(time) for number, time in numbers}
        self.sent += len(added)
        self.last_sent = max((self.last_sent, *added))
        self._open = OrderedDict(sorted({**self._open, **added}.items()))

    def deliver(self, number: int, time: int, *, timed: bool = True) -> bool:
        """A whole one came in; False where nobody sent it: of another run, or made up.

        Where it is not sure that it was this one (`timed`), it says nothing of latency.
        """
        each = self._open.get(number)
        if each is None:
            if number in self._closed:
                self._deliver_after_all(number, time)
                return True
            if self.last_sent < number <= self.last_sent + self._ahead:
                self._early[number] = time
                return True
            return False
        if each.came is not None:
            self.twice += 1
            return True
        self.out_of_order += number < self._highest
        self._highest = max(self._highest, number)
        if time - each.sent > self._limit_ns:
            # Its limit was over, and nothing else has said so yet.
            self.advance(time)
            self._deliver_after_all(number, time)
            return True
        # Both ends are stamped by threads of their own, some microseconds late: nothing comes before it was sent.
        each.came, each.timed = max(each.sent, time), timed
        if self._in_order:
            self._close_until(number)
        return True

    def _deliver_after_all(self, number: int, time: int) -> None:
        """One that was settled: what it was held to be may change."""
        fate, sent = self._closed[number]
        if fate in (DELIVERED, LATE):
            self.twice += 1
        elif fate == LOST or (fate == DAMAGED and time - sent <= self._limit_ns):
            changed = DELIVERED if time - sent <= self._limit_ns else LATE
            self.out_of_order += number < self._highest
            self._highest = max(self._highest, number)
            if changed == DELIVERED:
                self._latency.add(max(0, time - sent) / SECOND)
            self._change(number, fate, changed, sent, max(sent, time))

    def spoil(self, number: int) -> None:
        """One under way came damaged: it may still come whole."""
        each = self._open.get(number)
        if each is not None:
            each.spoilt = True
        elif self.last_sent < number <= self.last_sent + self._ahead:
            self._early.setdefault(number, None)

    def is_open(self, number: int) -> bool:
        """Whether its limit is not over."""
        return number in self._open

    def is_awaited(self, number: int) -> bool:
        """Whether it has not come whole, and still may."""
        return number in self._open and self._open[number].came is None

    def is_spoilt(self, number: int) -> bool:
        """Whether it came damaged, and may still come whole."""
        each = self._open.get(number)
        return self._early.get(number, 0) is None if each is None else each.spoilt

    def sent_before(self, moment: int) -> int:
        """The highest number of those that are not settled and were sent by a moment; 0 where there is none."""
        return max((number for number, each in self._open.items() if each.sent <= moment), default=0)

    def sent_at(self, number: int) -> int | None:
        """When one went out that is not settled."""
        each = self._open.get(number)
        return None if each is None else each.sent

    def open_until(self, number: int) -> list[int]:
        """Those that are not settled, up to a number."""
        return [each for each in self._open if each <= number]

    def settle_all(self, number: int) -> None:
        """Nothing more will come of any up to this one."""
        self._close_until(number)

    def settle(self, number: int, fate: str, came: int | None = None) -> None:
        """It is known already what becomes of one, and of all before it."""
        each = self._open.get(number)
        if each is not None:
            each.came, each.spoilt = came if fate == DELIVERED else None, fate == DAMAGED
            self._close_until(number)

    def miss(self, number: int, count: int, begin: int, every_ns: int) -> None:
        """So many in a row from this number on, the first sent at `begin`, are known to be lost, and all before them.

        It takes no longer for a million than for a few.
        """
        if self._open:
            self._close_until(next(reversed(self._open)))
        shown = min(count, STRIP)
        for each in range(number + count - shown, number + count):
            self._follow(each, LOST, begin + (each - number) * every_ns)
        if self._run_length == shown:
            self._run_begin = begin
        self._run_length += count - shown
        self.longest_run = max(self.longest_run, self._run_length)
        self.sent += count
        self.counts[LOST] += count
        self.last_sent = number + count - 1
        self._tell(number, begin, LOST, None, count)

    def pass_over(self, count: int, reason: str) -> None:
        """So many more would have been sent, and nobody could see what became of them."""
        if count > 0:
            self.sent += count
            self._not_known[reason] += count
            self._end_run(None)

    def leave(self, reason: str = AWAY) -> None:
        """Nobody can see any more what becomes of what is under way, nor of what is sent until `back`."""
        for number in list(self._open):
            self._forget(number, self._open.pop(number).sent, reason)
        self._gone = True

    def back(self) -> None:
        """It can be seen again."""
        self._gone = False

    def excuse(self, first: int, last: int, reason: str) -> None:
        """It turns out that nobody could see what became of those from one number to another that have not come."""
        for number in [each for each, entry in self._open.items() if first <= each <= last and entry.came is None]:
            self._forget(number, self._open.pop(number).sent, reason)
        missed = [number for number, (fate, _) in self._closed.items() if first <= number <= last and fate == LOST]
        for number in missed:
            sent = self._closed[number][1]
            self._change(number, LOST, NOT_KNOWN, sent, None)
            self._not_known[reason] += 1
        if missed:
            # A run of these was none; one that began before them ended there.
            begin = self._closed[missed[0]][1]
            lost = self._run_length - len(missed)
            if self._run_length and self._run_begin < begin and lost >= 2:
                self._runs.append(LinkOutage(self._run_begin, begin, lost))
            self._run_length = 0

    def _change(self, number: int, fate: str, changed: str, sent: int, came: int | None) -> None:
        """What was settled is another thing after all."""
        self.counts[fate] -= 1
        if changed in self.counts:
            self.counts[changed] += 1
        self._closed[number] = changed, sent
        for index, (each, _) in enumerate(self._strip):
            if each == number:
                self._strip[index] = each, changed
        self._tell(number, sent, changed, came)

    def advance(self, now: int) -> None:
        """Time passes: those whose limit is over are settled."""
        while self._open:
            number, each = next(iter(self._open.items()))
            if now - each.sent <= self._limit_ns:
                return
            self._close(number)

    def finish(self, now: int, *, listened: bool) -> None:
        """It is over. `listened`: until all had come, or the limit was over; else what is under way is not known."""
        self.advance(now)
        if listened and all(each.came is not None for each in self._open.values()):
            for number in list(self._open):
                self._close(number)
        for number in list(self._open):
            self._forget(number, self._open.pop(number).sent, CUT)

    @property
    def early(self) -> dict[int, int | None]:
        """What came in before it is known to be sent, with its time; None where it came damaged."""
        return self._early

    def _close_until(self, number: int) -> None:
        while self._open and next(iter(self._open)) <= number:
            self._close(next(iter(self._open)))

    def _close(self, number: int) -> None:
        each = self._open.pop(number)
        fate = each.fate
        self.counts[fate] += 1
        if fate == DELIVERED and each.came is not None and each.timed:
            self._latency.add((each.came - each.sent) / SECOND)
        self._remember(number, fate, each.sent)
        self._follow(number, fate, each.sent)
        self._tell(number, each.sent, fate, each.came)

    def _forget(self, number: int, sent: int, reason: str) -> None:
        self._not_known[reason] += 1
        self._remember(number, NOT_KNOWN, sent)
        self._follow(number, NOT_KNOWN, sent)
        self._tell(number, sent, NOT_KNOWN, None)

    def _remember(self, number: int, fate: str, sent: int) -> None:
        self._closed[number] = fate, sent
        if len(self._closed) > RECENT:
            self._closed.popitem(last=False)

    def _tell(self, number: int, sent: int, fate: str, came: int | None, in_a_row: int = 1) -> None:
        if self._hear is not None:
            self._hear(ProbeResult(*self._names, number, sent, fate, came, in_a_row))

    def _follow(self, number: int, fate: str, sent: int) -> None:
        """The next one in order: strip and runs."""
        self._strip.append((number, fate))
        if fate in BAD:
            self._run_begin = self._run_begin if self._run_length else sent
            self._run_length += 1
            self.longest_run = max(self.longest_run, self._run_length)
        else:
            self._end_run(sent)

    def _end_run(self, end: int | None) -> None:
        if self._run_length >= 2:
            self._runs.append(LinkOutage(self._run_begin, end, self._run_length))
        self._run_length = 0

    def snapshot(self) -> DeliverySnapshot:
        """How it stands."""
        lasting = (LinkOutage(self._run_begin, None, self._run_length),) if self._run_length >= 2 else ()
        bad, of = sum(self.counts[fate] for fate in BAD), self.settled
        behind = [UNDER_WAY if each.came is None else DELIVERED for each in self._open.values()]
        strip = (*(fate for _, fate in self._strip), *behind[-STRIP:])
        return DeliverySnapshot(
            *self._names,
            sent=self.sent,
            delivered=self.counts[DELIVERED],
            lost=self.counts[LOST],
            twice=self.twice,
            out_of_order=self.out_of_order,
            damaged=self.counts[DAMAGED],
            late=self.counts[LATE],
            foreign_bytes=0,
            latency=self._latency.times(),
            outages=tuple(each for each in (*self._runs, *lasting) if more_than_chance(each.lost, bad, of)),
            longest_run=self.longest_run,
            strip=strip[-STRIP:],
            not_known=tuple(sorted(self._not_known.items())),
            under_way=len(self._open),
            awaited=behind.count(UNDER_WAY),
        )
