"""Both directions as known from one place: the far end answers each probe, and says in its answers what it got."""

from collections import OrderedDict
from typing import Final

from pale_heron.core.frames import SECOND
from pale_heron.core.link.delivery import (
    DELIVERED,
    LOST,
    DeliveryCounter,
    DeliverySnapshot,
    HearResult,
    ProbeResult,
    refuses,
)
from pale_heron.core.link.figures import wilson
from pale_heron.core.samples import Sample, Times
from pale_heron.core.wire.probe import ANSWER, Probe

FAR_END: Final = "far end"
MOST_COPIES: Final = 10
"""A way that doubles probes makes the far end answer each of them so many times at most, or it is not believed."""

SEEN_KEPT: Final = 4096


class FarEndCounter:
    """Takes the probes that go out and of what comes in.

    What went there is counted by the far end itself: an answer that carries its count of different probes vouches for
    those before it too, so a lost answer does not make its probe lost. Of probes behind the last one that was answered
    nothing is known: the way there may be broken, or the way back. What came back is counted by the numbers of the
    answers. When each of the two was on its way nobody knows here: only the round trip has a time.
    """

    def __init__(self, lane: str, limit_ns: int, hear: HearResult | None = None) -> None:
        """`hear` is called with each probe that was answered, or not within the limit."""
        self._lane = lane
        self._hear = hear
        self._limit_ns = limit_ns
        self._sent = 0
        self._under_way: OrderedDict[int, int] = OrderedDict()
        self._overdue: OrderedDict[int, None] = OrderedDict()
        """Probes that were not answered within the limit."""
        self._late = 0
        self._got = self._damaged_there = 0
        self._orders = 0
        self._last = 0
        """The highest probe that was answered."""
        self._highest = 0
        self._seen: dict[int, None] = {}
        self._twice = self._out_of_order = self._foreign = self._refusals = self._damaged_here = 0
        self._times = Sample()

    @property
    def round_trip(self) -> Times | None:
        return self._times.times()

    def send(self, number: int, time: int) -> None:
        """A probe went out."""
        if number == self._sent + 1:
            self._sent = number
            self._under_way[number] = time

    def take(self, probe: Probe | None, data: bytes, time: int) -> None:
        """Something came in."""
        self.advance(time)
        if probe is None:
            damaged = data.startswith(b"#a") or data[-9:-8] == b","
            self._damaged_here += damaged
            self._foreign += 0 if damaged else len(data)
            self._refusals += refuses(data)
            return
        if probe.kind != ANSWER:
            return
        if probe.number > self._sent or probe.order > MOST_COPIES * self._sent:
            # It answers what nobody asked, or says that it has answered more than can be.
            self._foreign += len(data)
            return
        self._last = max(self._last, min(probe.number, self._sent))
        self._got, self._damaged_there = max(self._got, probe.got), max(self._damaged_there, probe.damaged)
        if probe.number in self._overdue:
            # It comes after all; whoever set the limit would not have waited.
            del self._overdue[probe.number]
            self._late += 1
            self._highest = max(self._highest, probe.order)
            return
        if probe.order in self._seen:
            self._twice += 1
            return
        self._seen[probe.order] = None
        while len(self._seen) > SEEN_KEPT:
            del self._seen[next(iter(self._seen))]
        self._orders += 1
        self._out_of_order += probe.order < self._highest
        self._highest = max(self._highest, probe.order)
        begun = self._under_way.pop(probe.number, None)
        if begun is not None:
            self._times.add(max(0, time - begun) / SECOND)
            self._show(probe.number, begun, DELIVERED, max(begun, time))

    def _show(self, number: int, begun: int, result: str, came: int | None = None) -> None:
        if self._hear is not None:
            self._hear(ProbeResult(self._lane, FAR_END, number, begun, result, came))

    def advance(self, now: int) -> None:
        """What was sent too long ago is waited for no more."""
        while self._under_way and now - next(iter(self._under_way.values())) > self._limit_ns:
            number, begun = self._under_way.popitem(last=False)
            self._overdue[number] = None
            self._show(number, begun, LOST)
            if len(self._overdue) > SEEN_KEPT:
                self._overdue.popitem(last=False)

    def finish(self, now: int) -> None:
        """The trial is over."""
        self.advance(now)
        self._sent -= len(self._under_way)
        self._under_way.clear()

    @property
    def unanswered(self) -> int:
        """So many probes at the end were not answered in time."""
        return max(0, self._sent - len(self._under_way) - self._last)

    def snapshots(self, far: str) -> tuple[DeliverySnapshot, DeliverySnapshot]:
        """There, and back."""
        got = min(self._got, self._last)
        damaged = min(self._damaged_there, self._last - got)
        there = _direction(self._lane, far, self._sent, got, self._last - got - damaged, damaged=damaged)
        missing = max(0, self._highest - self._orders - self._damaged_here)
        back = _direction(far, self._lane, self._highest, self._orders, missing, damaged=self._damaged_here)
        return there, back._replace(
            twice=self._twice,
            out_of_order=self._out_of_order,
            foreign_bytes=self._foreign,
            late=self._late,
            refusals=self._refusals,
        )


def _direction(sender: str, receiver: str, sent: int, delivered: int, lost: int, *, damaged: int) -> DeliverySnapshot:
    empty = DeliveryCounter(sender, receiver, bytes, 0).snapshot()
    settled = delivered + lost + damaged
    return empty._replace(
        sent=sent,
        delivered=delivered,
        lost=lost,
        damaged=damaged,
        loss_share=lost / settled if settled else None,
        loss_95=wilson(lost, settled),
    )
