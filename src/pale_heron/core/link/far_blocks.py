"""Throughput to a far end on another machine, which counts the blocks that it gets and says so now and then."""

from collections import OrderedDict, deque
from typing import Final

from pale_heron.core.frames import SECOND
from pale_heron.core.link.blocks import BlockFinder
from pale_heron.core.link.delivery import DELIVERED, LOST, STRIP, DeliveryCounter, DeliverySnapshot
from pale_heron.core.link.far_end import FAR_END
from pale_heron.core.link.figures import wilson
from pale_heron.core.link.progress import Progress, Stalls
from pale_heron.core.link.throughput import BulkSnapshot
from pale_heron.core.samples import Sample
from pale_heron.core.wire.probe import ANSWER, Probe, ProbeFinder

TIMES_KEPT: Final = 1 << 14


class FarBlockCounter:
    """Takes what goes out of a lane, and the answers that come in. What came there is known up to the last answer.

    Answers come some times a second, so the speed is that of the far end's count, from one answer to another.
    """

    def __init__(self, lane: str, trial: int, sender: str, size: int) -> None:
        self._lane, self._trial, self._sender, self._size = lane, trial, sender, size
        self._going, self._coming = BlockFinder(), ProbeFinder()
        self.own_back = False
        self._sent = self._last = self._got = self._damaged = self._foreign = 0
        self._sent_at: OrderedDict[int, int] = OrderedDict()
        self.last = self._last_sent = self._sending_until = 0
        self._times = Sample()
        self._progress = Progress()
        self._stalls = Stalls()
        self._strip: deque[str] = deque(maxlen=STRIP)

    def send(self, time: int, data: bytes) -> None:
        """Bytes went out."""
        self._last_sent = self.last = time
        for found in self._going.feed(data):
            if found.block.trial == self._trial and found.block.number == self._sent + 1:
                self._sent += 1
                self._sent_at[self._sent] = time
                while len(self._sent_at) > TIMES_KEPT:
                    self._sent_at.popitem(last=False)

    def take(self, time: int, data: bytes) -> None:
        """Bytes came in."""
        self.last = time
        self.own_back |= b"#b%04X,%s" % (self._trial, self._sender.encode()) in data
        for found in self._coming.feed(time, data):
            answer = found.probe
            if answer is None or answer.kind != ANSWER or answer.trial != self._trial:
                self._foreign += len(found.data)
            elif self._last < answer.number <= self._sent and self._got <= answer.got <= answer.number:
                self._hear(answer, time)

    def _hear(self, answer: Probe, time: int) -> None:
        grown = answer.got - self._got
        missing = answer.number - self._last - grown
        self._last, self._got = answer.number, answer.got
        self._damaged = min(answer.damaged, self._last - self._got)
        self._strip.extend([DELIVERED] * grown + [LOST] * max(0, missing))
        if grown:
            self._progress.add(time, grown * self._size)
            self._stalls.came(time, time)
        sent_at = self._sent_at.get(answer.number)
        if sent_at is not None:
            self._times.add(max(0, time - sent_at) / SECOND)

    def advance(self, now: int) -> None:
        """Time passes, and as far as is known here the sending goes on."""
        self._sending_until = now

    def finish(self, *, waited: bool = True) -> None:
        """The trial is over; of what was not answered nothing is known."""
        if waited:
            self._sending_until = self._last_sent

    @property
    def unanswered(self) -> int:
        """So many blocks at the end of which the far end says nothing."""
        return self._sent - self._last

    def snapshot(self) -> tuple[DeliverySnapshot, BulkSnapshot]:
        """How it stands, in blocks and in bytes. Which bytes were changed the far end does not say."""
        until = max(self._last_sent, self._sending_until)
        lost = self._last - self._got - self._damaged
        empty = DeliveryCounter(self._lane, FAR_END, bytes, 0).snapshot()
        blocks = empty._replace(
            sent=self._sent,
            delivered=self._got,
            lost=lost,
            damaged=self._damaged,
            foreign_bytes=self._foreign,
            loss_share=lost / self._last if self._last else None,
            loss_95=wilson(lost, self._last),
            latency=self._times.times(),
            strip=tuple(self._strip),
        )
        bulk = BulkSnapshot(
            payload_bytes=self._progress.count,
            steady=self._progress.steady(until),
            points=self._progress.points,
            stalls=self._stalls.until(until),
            changed=0,
            missing=0,
            added=0,
            located=(),
            vanished=(),
            wrong_values=0,
            unexamined=0,
        )
        return blocks, bulk
