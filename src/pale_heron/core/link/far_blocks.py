"""Throughput to a far end on another machine, which counts the blocks that it gets and says so now and then."""

from pale_heron.core.frames import SECOND
from pale_heron.core.link.blocks import BlockFinder
from pale_heron.core.link.far_counts import FarCounts
from pale_heron.core.link.far_end import ways
from pale_heron.core.link.fates import AWAY, DELIVERED, LOST, RESTARTED, DeliverySnapshot, HearResult
from pale_heron.core.link.ledger import Ledger
from pale_heron.core.link.progress import Progress, Stalls
from pale_heron.core.link.throughput import EVER, BulkSnapshot
from pale_heron.core.samples import Sample
from pale_heron.core.wire.probe import ANSWER, Probe, ProbeFinder


class FarBlockCounter:
    """Takes what goes out of a lane, and the answers that come in. What came there is known up to the last answer.

    Answers come some times a second, so the speed is that of the far end's count, from one answer to another.
    """

    def __init__(self, lane: str, trial: int, sender: str, size: int, hear: HearResult | None = None) -> None:
        self._lane, self._trial, self._sender, self._size = lane, trial, sender, size
        self._going, self._coming = BlockFinder(), ProbeFinder()
        self.ledger = Ledger(lane, "", EVER, hear, in_order=True)
        self._there = FarCounts()
        self.own_back = False
        self._foreign = 0
        self._last_sent = self._sending_until = 0
        self._times = Sample()
        self._progress = Progress()
        self._going_out = Progress()
        self._stalls = Stalls()

    def send(self, time: int, data: bytes) -> None:
        """Bytes went out."""
        self._last_sent = time
        self._going_out.add(time, len(data))
        for found in self._going.feed(data):
            if found.block.trial == self._trial and found.block.sender == self._sender:
                self._there.send(found.block.number)
                self.ledger.send(found.block.number, time)

    def take(self, time: int, data: bytes) -> None:
        """Bytes came in."""
        self.own_back |= b"#b%04X,%s" % (self._trial, self._sender.encode()) in data
        for found in self._coming.feed(time, data):
            answer = found.probe
            known = answer is not None and answer.kind == ANSWER and answer.trial == self._trial
            if answer is None or not known or not self._hear(answer, time):
                self._foreign += len(found.data)

    def _hear(self, answer: Probe, time: int) -> bool:
        there = self._there
        restarts, got = there.restarts, there.sums.got
        if not there.take(answer, time):
            return False
        if there.restarts != restarts:
            self.ledger.excuse(*there.around, RESTARTED)
        grown = there.sums.got - got
        if grown > 0:
            self._progress.add(time, grown * self._size)
            self._stalls.came(time, time)
        sent_at = self.ledger.sent_at(answer.number)
        if sent_at is not None:
            self._times.add(max(0, time - sent_at) / SECOND)
        # Blocks are answered now and then: of those between two answers it is counted how many came, not which.
        for index, number in enumerate(self.ledger.open_until(answer.number)):
            self.ledger.settle(number, DELIVERED if index < grown else LOST, time)
        return True

    def leave(self, _: int) -> None:
        """Its lane is gone."""
        self.ledger.leave()
        self._there.interrupt(AWAY)

    def back(self) -> None:
        """It is there again."""
        self.ledger.back()

    def advance(self, now: int) -> None:
        """Time passes, and as far as is known here the sending goes on."""
        self._sending_until = now

    def finish(self, now: int, *, listened: bool) -> None:
        """The trial is over; of what was not answered nothing is known."""
        self._sending_until = self._last_sent
        if listened:
            self.ledger.settle_all(self.ledger.last_sent)
        self.ledger.finish(now, listened=False)

    def snapshot(self) -> tuple[DeliverySnapshot, BulkSnapshot]:
        """How it stands, in blocks and in bytes. Which bytes were changed the far end does not say."""
        until = max(self._last_sent, self._sending_until)
        there, _ = ways(self._lane, self._there, self.ledger.snapshot())
        bulk = BulkSnapshot(
            payload_bytes=self._progress.count,
            steady=self._progress.steady(until),
            points=self._progress.points,
            stalls=self._stalls.until(until),
            sent_per_s=self._going_out.per_s,
            changed=0,
            missing=0,
            added=0,
            located=(),
            vanished=(),
            wrong_values=0,
            unexamined=0,
        )
        return there._replace(latency=self._times.times(), foreign_bytes=self._foreign), bulk
