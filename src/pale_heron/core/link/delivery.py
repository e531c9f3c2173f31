"""One direction of a link: what was sent on one side, what came on the other, and what that means.

What is sent has numbers: probes their own, sentences those that somebody gives them.

Every probe ends in one class: delivered (whole, within the limit), damaged, or lost; one that comes whole after the
limit is late, and stays counted among the lost. What is kept is bounded, however long a trial runs.
"""

from collections import OrderedDict, deque
from collections.abc import Callable, Sequence
from itertools import islice
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.link.figures import wilson
from pale_heron.core.samples import Sample, Times

RECENT: Final = 4096
"""So many probes that are settled are still known by number: a second copy, or a late one, is no stranger."""

AHEAD: Final = 4
"""So many probes may come in before they are known to be sent."""

MOST_COMPARED: Final = 256
"""A damaged piece is held against so many of the newest probes at most, whatever a record says of its limit."""

STRIP: Final = 600
OUTAGES_KEPT: Final = 1000
REFUSALS: Final = (b"ERROR", b"+CME ERROR", b"+CMS ERROR")
"""How a module in command mode begins to refuse what is no command (ITU-T V.250, 5.7.1; 3GPP 27.007, 9.2)."""

ALIKE: Final = 0.5
"""A piece that has at least this share of a probe's bytes at its beginning and its end is that probe, damaged."""

DELIVERED, LOST, DAMAGED, LATE, UNDER_WAY = "delivered", "lost", "damaged", "late", "under-way"
UNSEEN: Final = "unseen"
"""Sent, but nobody could see what became of it: it counts neither way."""


class ProbeResult(NamedTuple):
    """What became of one probe, or of one round of an exchange; `came` is None where nothing whole came."""

    sender: str
    receiver: str
    number: int
    sent: int
    result: str
    came: int | None
    in_a_row: int = 1
    """So many in a row of which the same is true, from this number on."""


HearResult = Callable[[ProbeResult], None]


class LinkOutage(NamedTuple):
    """At least two probes in a row were not delivered. From when the first was sent to when the next good one was.

    `end` is None while it lasts.
    """

    begin: int
    end: int | None
    lost: int


class DeliverySnapshot(NamedTuple):
    """One direction as it stands. Shares are None where nothing is settled yet; times in seconds."""

    sender: str
    receiver: str
    sent: int
    delivered: int
    lost: int
    twice: int
    out_of_order: int
    damaged: int
    late: int
    foreign_bytes: int
    loss_share: float | None
    loss_95: tuple[float, float] | None
    latency: Times | None
    outages: tuple[LinkOutage, ...]
    longest_run: int
    """The most that were not delivered in a row."""
    strip: tuple[str, ...]
    """The class of each of the last probes, in the order of their numbers."""
    refusals: int = 0
    """Foreign lines with which a module in command mode refuses."""

    @property
    def settled(self) -> int:
        return self.delivered + self.lost + self.damaged


class DeliveryCounter:
    """`expected` gives the bytes of a number as they were sent; `limit_ns` is when one counts as lost."""

    def __init__(
        self,
        sender: str,
        receiver: str,
        expected: Callable[[int], bytes],
        limit_ns: int,
        hear: HearResult | None = None,
    ) -> None:
        """`hear` is called with each result as soon as it is known; one that comes late was lost before."""
        self._names = sender, receiver
        self._hear = hear
        self.expected = expected
        self._limit_ns = limit_ns
        self.sent = self.delivered = self.lost = self.twice = self.out_of_order = self.damaged = self.late = 0
        self.foreign_bytes = self.refusals = 0
        self._under_way: OrderedDict[int, int] = OrderedDict()
        """Numbers that were sent and not settled, with their times."""
        self._settled: OrderedDict[int, str] = OrderedDict()
        self._early: dict[int, int | None] = {}
        """What came in before the record had it as sent, with its time; None where it came damaged."""
        self._waiting: dict[int, tuple[str, int]] = {}
        """Settled, but one before it is not: outages follow from the order of numbers."""
        self._order: deque[int] = deque()
        """The numbers as they were sent, from the first one that is not settled on; some may be missing in a record."""
        self._last_sent = 0
        self._highest = 0
        self._run: list[int] = []
        self._run_length = 0
        self._longest = 0
        self._outages: deque[LinkOutage] = deque(maxlen=OUTAGES_KEPT)
        self._strip: deque[str] = deque(maxlen=STRIP)
        self._strip_numbers: deque[int] = deque(maxlen=STRIP)
        self._latency = Sample()

    def settled(self, number: int) -> bool:
        """Whether it is known what became of a number."""
        return number in self._settled

    def send(self, number: int, time: int) -> None:
        """A probe went out; one whose number is not higher than before was not sent by us."""
        if number <= self._last_sent:
            return
        self.sent += 1
        self._order.append(number)
        self._under_way[number] = time
        self._last_sent = number
        if number in self._early:
            # The two ends are read by two threads: what arrives may be handed over before what was sent.
            came = self._early.pop(number)
            if came is None:
                self._settle_damaged(number)
            else:
                self.take(number, max(came, time))

    def miss(self, number: int, count: int, begin: int, every_ns: int) -> None:
        """So many in a row from this number on, the first sent at `begin`, are known to be lost, and all before them.

        It takes no longer for a million than for a few.
        """
        for older in list(self._under_way):
            self.lost += 1
            self._settle(older, LOST)
        shown = min(count, STRIP)
        for each in range(number + count - shown, number + count):
            self._in_order(each, LOST, begin + (each - number) * every_ns)
        if self._run_length == shown:
            self._run = [begin]
        self._run_length += count - shown
        self._longest = max(self._longest, self._run_length)
        self.sent += count
        self.lost += count
        self._last_sent = number + count - 1
        if self._hear is not None:
            self._hear(ProbeResult(*self._names, number, begin, LOST, None, count))

    def take(self, number: int, time: int) -> None:
        """A whole probe came in."""
        begun = self._under_way.get(number)
        known = self._settled.get(number)
        if begun is None and known is None:
            if self._last_sent < number <= self._last_sent + AHEAD:
                self._early[number] = time
            else:
                # Nobody sent it: of another run with the same name, or made up.
                self.foreign_bytes += len(self.expected(number))
            return
        if known == UNSEEN:
            return
        if begun is None and known in (DELIVERED, DAMAGED):
            self.twice += 1
            return
        self.out_of_order += number < self._highest
        self._highest = max(self._highest, number)
        if begun is None or time - begun > self._limit_ns:
            self._settle_late(number, begun, time)
            return
        # Both ends are stamped by threads of their own, some microseconds late: nothing arrives before it was sent.
        self._latency.add(max(0, time - begun) / SECOND)
        self.delivered += 1
        self._settle(number, DELIVERED, max(begun, time))

    def _settle_late(self, number: int, begun: int | None, time: int) -> None:
        if begun is not None:
            self.lost += 1
            self._settle(number, LATE, time)
        elif self._settled.get(number) == LOST:
            self._settled[number] = LATE
            if number in self._strip_numbers:
                self._strip[self._strip_numbers.index(number)] = LATE
        elif self._settled.get(number) == LATE:
            self.twice += 1
            return
        self.late += 1

    def take_piece(self, data: bytes) -> None:
        """Something else came in: a probe that suffered on the way, or nothing of ours."""
        if not self.take_damaged(data):
            self.foreign_bytes += len(data)
            self.refusals += refuses(data)

    def take_damaged(self, data: bytes) -> bool:
        """Whether a piece is a probe that suffered on the way; it then counts as one."""
        number = self._damaged_probe(data)
        if number is None:
            return False
        if number in self._under_way:
            self._settle_damaged(number)
        else:
            self._early[number] = None
        return True

    def spoil(self, number: int) -> None:
        """One under way is known to have come damaged."""
        if number in self._under_way:
            self._settle_damaged(number)

    def _settle_damaged(self, number: int) -> None:
        self.damaged += 1
        self._settle(number, DAMAGED)

    def _damaged_probe(self, data: bytes) -> int | None:
        """The probe under way that a piece resembles most; None where it resembles none enough."""
        best, likeness = None, ALIKE
        newest = islice(reversed(self._under_way), MOST_COMPARED)
        for number in (*newest, *range(self._last_sent + 1, self._last_sent + 1 + AHEAD)):
            if number in self._early:
                continue
            found = alike(data, self.expected(number))
            if found >= likeness and (best is None or found > likeness):
                best, likeness = number, found
        return best

    def advance(self, now: int) -> None:
        """Time passes: what was sent too long ago is lost."""
        while self._under_way:
            number, begun = next(iter(self._under_way.items()))
            if now - begun <= self._limit_ns:
                return
            self.lost += 1
            self._settle(number, LOST)

    def disregard(self) -> None:
        """Nobody can see what becomes of what is under way: it counts neither way."""
        self.sent -= len(self._under_way)
        for number in self._under_way:
            self._remember(number, UNSEEN)
        self._under_way.clear()
        for number in self._order:
            if number in self._waiting:
                self._in_order(number, *self._waiting.pop(number))
        self._order.clear()

    def finish(self, now: int) -> None:
        """The trial is over: what is still under way will not be waited for, and counts neither way."""
        self.advance(now)
        self.foreign_bytes += sum(len(self.expected(number)) for number in self._early)
        self._early.clear()
        self.sent -= len(self._under_way)
        self._under_way.clear()

    def _settle(self, number: int, result: str, came: int | None = None) -> None:
        begun = self._under_way.pop(number)
        if self._hear is not None:
            self._hear(ProbeResult(*self._names, number, begun, result, came))
        self._remember(number, result)
        self._waiting[number] = result, begun
        while self._order and self._order[0] in self._waiting:
            first = self._order.popleft()
            self._in_order(first, *self._waiting.pop(first))

    def _remember(self, number: int, result: str) -> None:
        self._settled[number] = result
        if len(self._settled) > RECENT:
            self._settled.popitem(last=False)

    def _in_order(self, number: int, result: str, begun: int) -> None:
        self._strip.append(result)
        self._strip_numbers.append(number)
        if result == DELIVERED:
            if self._run_length >= 2:
                self._outages.append(LinkOutage(self._run[0], begun, self._run_length))
            self._run, self._run_length = [], 0
            return
        self._run = self._run or [begun]
        self._run_length += 1
        self._longest = max(self._longest, self._run_length)

    def snapshot(self) -> DeliverySnapshot:
        """How it stands."""
        lasting = (LinkOutage(self._run[0], None, self._run_length),) if self._run_length >= 2 else ()
        settled = self.delivered + self.lost + self.damaged
        behind: Sequence[str] = [UNDER_WAY] * min(STRIP, len(self._under_way))
        return DeliverySnapshot(
            *self._names,
            sent=self.sent,
            delivered=self.delivered,
            lost=self.lost,
            twice=self.twice,
            out_of_order=self.out_of_order,
            damaged=self.damaged,
            late=self.late,
            foreign_bytes=self.foreign_bytes,
            loss_share=self.lost / settled if settled else None,
            loss_95=wilson(self.lost, settled),
            latency=self._latency.times(),
            outages=(*self._outages, *lasting),
            longest_run=self._longest,
            strip=(*self._strip, *behind)[-STRIP:],
            refusals=self.refusals,
        )


def refuses(data: bytes) -> bool:
    """Whether a line is how a module in command mode says no."""
    return data.strip().startswith(REFUSALS)


def alike(data: bytes, expected: bytes) -> float:
    """What share of the longer one both have in common at their beginnings and their ends, 0 to 1."""
    shorter, longer = sorted((len(data), len(expected)))
    if not longer:
        return 1.0
    front = next((at for at in range(shorter) if data[at] != expected[at]), shorter)
    back = next((at for at in range(shorter - front) if data[-1 - at] != expected[-1 - at]), shorter - front)
    return (front + back) / longer
