"""A raw file as a lane: bytes without arrival times, whose sentences say themselves when they were."""

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

from pale_heron.core.clock.events import OWN_CLOCK_STEP
from pale_heron.core.clock.own_time import OwnTime
from pale_heron.core.frames import IN, SECOND, Chunk, Event, Frame
from pale_heron.core.lane import Lane
from pale_heron.core.line.tracker import Pieces
from pale_heron.core.wire.framer import Framer

if TYPE_CHECKING:
    from pale_heron.core.wire.sentence_batch import Addresses, SentenceBatch


def step_event(lane: str, own: OwnTime) -> Event:
    """What says that the clock of a receiver has just stepped."""
    return Event(own.time or 0, lane, OWN_CLOCK_STEP, {"seconds": own.step / SECOND})


class RawLaneFeeder:
    """Feeds one lane with what a raw file holds, as frames with their own times, many at a time where it can be."""

    def __init__(self, lane: Lane, own: OwnTime) -> None:
        self._lane = lane
        self._own = own
        self._framer = Framer(lane.name, IN)
        self._addresses: Addresses | None = None

    def feed(self, chunks: Sequence[bytes]) -> None:
        """Bytes that follow each other in the file."""
        from pale_heron.core.lane_batches import Addresses, starts
        from pale_heron.core.wire.batcher import stretches

        self._addresses = self._addresses or Addresses()
        # No time passes between them, so nothing is ended by a pause.
        pieces = [Chunk(self._lane.name, IN, 0, data) for data in chunks]
        for stretch in stretches(self._framer, pieces, self._addresses, starts):
            if stretch.batch is None:
                for piece in stretch.chunks:
                    self._take(self._framer.feed(piece))
            else:
                self._take_batch(stretch.batch)
                self._take(stretch.frames)

    def finish(self) -> None:
        """The end of the file."""
        self._take(self._framer.finish())

    def _take(self, frames: Iterable[Frame]) -> None:
        for frame in frames:
            time = self._own.read(frame)
            if self._own.step:
                self._lane.event(step_event(self._lane.name, self._own))
            self._lane.take((frame._replace(time=time),))

    def _take_batch(self, batch: "SentenceBatch") -> None:
        from pale_heron.core.nmea.columns import times_told

        told = times_told(batch)
        times = self._own.read_batch(batch, told) if self._lane.takes_batches else None
        if times is None:
            self._take(batch.run())
            return
        timed = batch.timed(times)
        self._lane.take_batch(timed, told, Pieces(times.tolist(), timed.size.tolist(), range(1, len(timed) + 1)))
