"""A pipeline for whoever asks for lanes and not for lines: chunks of a lane are gathered, and fed many at a time.

Between lanes only the order of lines depends on what came when; a lane is the same whether its chunks are fed as they
came or all together. So as long as nobody looks at lines, each lane goes its own way, up to an event of its own.
"""

from collections.abc import Iterable
from typing import Final

from pale_heron.bench.pipeline import Pipeline, Record
from pale_heron.core.frames import IN, Chunk
from pale_heron.core.lane import Lane
from pale_heron.core.order import Entry

AT_A_TIME_BYTES: Final = 1 << 20
"""So much of a lane is fed at once: what fits into a processor's own memory."""


class GatheringPipeline(Pipeline[Lane]):
    """`gather` takes chunks of which nobody wants the lines; `feed` takes up the lines from where it is called."""

    def __init__(self, *args: object, **named: object) -> None:
        super().__init__(*args, **named)  # type: ignore[arg-type]
        self._gathered: dict[str, list[Chunk]] = {}
        self._sizes: dict[str, int] = {}

    def gather(self, chunks: Iterable[Chunk]) -> None:
        """Take chunks without giving lines."""
        for chunk in chunks:
            name = chunk.lane
            lane = self.lanes.get(name) or self.lane(name)
            if chunk.direction is not IN or chunk.time is None or not lane.takes_batches:
                self.feed((chunk,))
                continue
            self._gathered.setdefault(name, []).append(chunk)
            size = self._sizes[name] = self._sizes.get(name, 0) + len(chunk.data)
            if size >= AT_A_TIME_BYTES:
                self._settle(name)

    def feed(self, records: Iterable[Record]) -> list[Entry]:
        """As any pipeline; what was gathered of the lanes that these concern comes before them."""
        records = tuple(records)
        for name in {record.lane for record in records}:
            self._settle(name)
        return super().feed(records)

    def advance(self, now: int) -> list[Entry]:
        """As any pipeline."""
        self.settle()
        return super().advance(now)

    def finish(self) -> list[Entry]:
        """As any pipeline."""
        self.settle()
        return super().finish()

    def settle(self) -> None:
        """Feed all that was gathered."""
        for name in list(self._gathered):
            self._settle(name)

    def _settle(self, name: str) -> None:
        chunks = self._gathered.pop(name, None)
        self._sizes.pop(name, None)
        if chunks:
            lane = self.lanes[name]
            lane.feed_many(chunks)
            self._waiting.pop(name, None)

    def _up_to_date(self) -> Iterable[Lane]:
        return [lane for name, lane in self.lanes.items() if name not in self._gathered]
