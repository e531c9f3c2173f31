"""The sentences of a lane that are believed, on their way to who reads them: the fix, and how late they come.

Where many are fed, they wait until there are many, over whatever stands between them that is none: each of these ways
costs some milliseconds, however few there are. Who has to see what they say calls `settle` before.

Nothing that a sentence says ends decoding: who could not take one begins again behind it, and that is told.
"""

from typing import TYPE_CHECKING

from pale_heron.core.clock.lag_tracker import LagTracker
from pale_heron.core.frames import OK, Frame
from pale_heron.core.gnss.epochs.record import SILENT_NS
from pale_heron.core.gnss.fix import FixTracker
from pale_heron.core.gnss.snapshot import FixSnapshot
from pale_heron.core.trouble import fault_words

if TYPE_CHECKING:
    from pale_heron.core.wire.sentence_batch import Places, SentenceBatch


class BelievedSentences:
    """In the order in which they came."""

    def __init__(self, epochs_kept: int | None) -> None:
        self.fix = FixTracker(epochs_kept)
        self.lag = LagTracker()
        self.refused = 0
        """How often they had to begin again."""
        self.fault = ""
        """Why, in words; the last time."""
        self._waiting: list[SentenceBatch] = []
        self._arrived = 0
        """When bytes came last, of which nobody was told yet."""
        self.byte_ns = 0
        """What a byte takes on the line, in nanoseconds; 0 where that is not known."""
        self._lines: SentenceBatch | None = None

    def arrived(self, time: int) -> None:
        """Bytes came, legible or not. A silence is told where it is."""
        if self._waiting and time - self._arrived <= SILENT_NS:
            self._arrived = time
        else:
            self.settle()
            self.fix.arrived(time)

    def within(self, lines: "SentenceBatch | None") -> None:
        """The sentences that come now, one by one, are among these lines; None for the end of that."""
        self._lines = lines if self._waiting else None

    def one(self, frame: Frame) -> None:
        """One sentence."""
        row = self._lines.one(frame) if self._lines is not None and frame.status is OK else None
        if row is not None:
            self._waiting.append(row)
            return
        if self._waiting:
            self.settle()
        self._feed(frame)

    def many(self, batch: "SentenceBatch", arrived: int) -> None:
        """Many of them, of the same bytes as those before, the last of which came at that time."""
        self._waiting.append(batch)
        self._arrived = arrived

    def take(self, batch: "SentenceBatch", told: "Places") -> None:
        """Many of them, at once; `told` is the time of day that each tells, or NONE."""
        self.settle()
        try:
            self.fix.feed_batch(batch, told)
            self._feed_lags(batch, told)
        except Exception as fault:
            self._begin_again(fault)
            # What is in the record already came no later than its last epoch.
            taken = self.fix.taken_until
            for frame in batch.run():
                if taken is None or (frame.time or 0) > taken:
                    self._feed(frame)

    def snapshot(self, now: int | None) -> FixSnapshot:
        """The fix as of `now`."""
        try:
            return self.fix.snapshot(now)
        except Exception as fault:
            self._begin_again(fault)
            return self.fix.snapshot(now)

    def _feed(self, frame: Frame) -> None:
        try:
            self.fix.feed(frame)
            if self.fix.vouched is not None:
                self.lag.vouch(self.fix.vouched)
            self.lag.feed(frame, self.byte_ns)
        except Exception as fault:
            self._begin_again(fault)

    def _feed_lags(self, batch: "SentenceBatch", told: "Places") -> None:
        """Many sentences: those of before the fix came or went last are told of another time."""
        vouched = self.fix.vouched
        rows = batch.offset + batch.start
        before = int((rows < self.fix.vouched_from).sum())
        if vouched is not None and self.fix.vouched_from >= int(rows[0]):
            # It may have come and gone more than once among them.
            self.lag.vouch(not vouched)
        if before:
            self.lag.feed_batch(batch.part(0, before), told[:before], self.byte_ns)
        if vouched is not None:
            self.lag.vouch(vouched)
        if before < len(batch):
            self.lag.feed_batch(batch.part(before, len(batch)), told[before:], self.byte_ns)

    def _begin_again(self, fault: Exception) -> None:
        self.refused += 1
        self.fault = fault_words(fault)
        self.fix, self.lag = self.fix.begun_again(), LagTracker()

    def forget_lags(self) -> None:
        """What was heard until now says nothing of how late sentences come."""
        self.settle()
        self.lag = LagTracker()

    def finish(self) -> None:
        """The streams have ended."""
        self.fix.finish()
        self.lag.settle()

    def settle(self) -> None:
        """Whoever reads them has read all."""
        if not self._waiting:
            return
        from pale_heron.core.lane_batches import times_told

        waiting, self._waiting, self._lines = self._waiting, [], None
        batch = type(waiting[0]).joined(waiting) if len(waiting) > 1 else waiting[0]
        self.take(batch, times_told(batch))
        if self._arrived:
            self.fix.arrived(self._arrived)
            self._arrived = 0
