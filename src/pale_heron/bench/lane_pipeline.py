"""The pipeline of whole lanes: where chunks hold nothing but sentences, a lane takes many of them together.

Whoever wants lines gets the same lines in the same order as if each chunk were fed by itself. So a lane takes together
only what has no effect on others: sentences that are whole soon after they began, so that nobody waits for them.

Whoever wants no lines (`gather`) needs no order either: between lanes nothing else depends on what came when, so each
goes its own way, up to an event of its own.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from itertools import groupby, pairwise
from typing import TYPE_CHECKING, Final, cast

from pale_heron.bench.pipeline import Pipeline, Record
from pale_heron.core.frames import IN, Chunk, Event, Frame
from pale_heron.core.lane import FEW_BYTES, Lane
from pale_heron.core.order import SLACK_NS
from pale_heron.core.runs import Entries, Entry, FrameRun

if TYPE_CHECKING:
    from pale_heron.core.wire.batcher import WholeRun

GATHERED_BYTES: Final = 3 << 19
"""So much of a lane is fed at once where nobody wants its lines."""


class LanePipeline(Pipeline[Lane]):
    """`feed` gives lines; `gather` takes chunks of which nobody wants any."""

    def __init__(
        self,
        make: Callable[[str], Lane],
        lanes: Mapping[str, Lane] | None = None,
        see: Callable[[Sequence[Frame]], None] | None = None,
        heed: Callable[[Event], None] | None = None,
    ) -> None:
        super().__init__(make, lanes, see, heed)
        self._gathered: dict[str, list[Chunk]] = {}
        self._sizes: dict[str, int] = {}
        self._apart: frozenset[str] = frozenset()
        """Lanes that have been fed more than what has got its order."""

    def feed(self, records: Iterable[Record]) -> Entries:
        """As any pipeline; what was gathered of the lanes that these concern comes before them."""
        records = tuple(records)
        for name in {record.lane for record in records} & self._gathered.keys():
            self._settle(name)
        settled: list[Entry | FrameRun] = []
        for many, group in groupby(records, self._may_be_many):
            run = list(group)
            settled += (self._feed_some(cast("list[Chunk]", run)) if many else super().feed(run)).parts
        return Entries(settled)

    def gather(self, chunks: Sequence[Chunk]) -> None:
        """Take chunks without giving lines."""
        runs: dict[str, list[Chunk]] = {}
        for chunk in chunks:
            runs.setdefault(chunk.lane, []).append(chunk)
        for name, run in runs.items():
            lane = self.lanes.get(name) or self.lane(name)
            if lane.takes_batches and all(map(_is_received, run)):
                self._gather(name, run)
                runs[name] = []
        # In the order in which they came: with each of them time passes for all of these.
        for chunk in chunks if any(runs.values()) else ():
            if not runs[chunk.lane]:
                continue
            if self.lanes[chunk.lane].takes_batches and _is_received(chunk):
                self._gather(chunk.lane, [chunk])
            else:
                self.feed((chunk,))

    def _gather(self, name: str, run: Sequence[Chunk]) -> None:
        # What ends what the lane holds is among what is gathered.
        self._waiting.pop(name, None)
        self._gathered.setdefault(name, []).extend(run)
        size = self._sizes[name] = self._sizes.get(name, 0) + _size(run)
        if size >= GATHERED_BYTES:
            self._settle(name)

    def advance(self, now: int) -> Entries:
        """As any pipeline."""
        self.settle()
        return super().advance(now)

    def finish(self) -> Entries:
        """As any pipeline."""
        self.settle()
        return super().finish()

    def settle(self) -> None:
        """Feed all that was gathered."""
        for name in list(self._gathered):
            self._settle(name)

    def _settle(self, name: str) -> None:
        chunks = self._gathered.pop(name)
        self._sizes.pop(name)
        lane = self.lanes[name]
        # They have no places, but the lines behind them are numbered on.
        self.order.count_others(lane.feed_many(chunks))
        self._note(name, lane)

    def _up_to_date(self) -> Iterable[Lane]:
        return [lane for name, lane in self.lanes.items() if name not in self._gathered and name not in self._apart]

    def _may_be_many(self, record: Record) -> bool:
        if not isinstance(record, Chunk) or not _is_received(record):
            return False
        lane = self.lanes.get(record.lane)
        return lane is not None and lane.takes_batches

    def _feed_some(self, chunks: Sequence[Chunk]) -> Entries:
        """Received chunks of lanes that take batches: together where that makes no difference, else one by one."""
        if _size(chunks) < FEW_BYTES:
            return super().feed(chunks)
        if late := _late(chunks):
            return self._feed_between(chunks, late)
        places: dict[str, list[int]] = {}
        for place, chunk in enumerate(chunks):
            places.setdefault(chunk.lane, []).append(place)
        runs = self._runs({name: [chunks[place] for place in own] for name, own in places.items()})
        whole = {name: run for name, run in runs.items() if run.is_whole}
        if whole:
            return self._feed_whole(chunks, whole)
        odd = sorted(places[name][place] for name, run in runs.items() for place in run.odd)
        # Mostly it is one piece somewhere that is something else: what lies between such may go together.
        return self._feed_between(chunks, odd) if odd else super().feed(chunks)

    def _feed_between(self, chunks: Sequence[Chunk], odd: Sequence[int]) -> Entries:
        """Those one by one, and with them what is too little between two of them to be worth a batch."""
        settled: list[Entry | FrameRun] = []
        alone = 0
        for before, after in pairwise((-1, *odd, len(chunks))):
            between = chunks[before + 1 : after]
            if _size(between) >= FEW_BYTES:
                settled += super().feed(chunks[alone : before + 1]).parts
                settled += self.feed(between).parts
                alone = after
        settled += super().feed(chunks[alone:]).parts
        return Entries(settled)

    def _feed_whole(self, chunks: Sequence[Chunk], whole: "Mapping[str, WholeRun]") -> Entries:
        """Those of the lanes that are whole together, the others one by one."""
        self._apart = frozenset(whole)
        for name in whole:
            self._waiting.pop(name, None)
        frames = {name: self.lanes[name].take_run(run) for name, run in whole.items()}
        for chunk in chunks:
            if (chunk.time or 0) > self._now:
                self._pass(chunk.time or 0)
            if chunk.lane in whole:
                self._add(next(frames[chunk.lane]))
            else:
                self._take_chunk(chunk)
        self._apart = frozenset()
        for name in whole:
            self._note(name, self.lanes[name])
        return self._order.settled()

    def _runs(self, chunks: Mapping[str, Sequence[Chunk]]) -> "dict[str, WholeRun]":
        """The chunks of each lane as one run, of those lanes where that can be."""
        found = {}
        for name, own in chunks.items():
            run = self.lanes[name].whole_run(own, SLACK_NS) if _size(own) >= FEW_BYTES else None
            if run is not None:
                found[name] = run
        return found


def _is_received(chunk: Chunk) -> bool:
    return chunk.direction is IN and chunk.time is not None


def _late(chunks: Sequence[Chunk]) -> list[int]:
    """The places of those that are earlier than the one before."""
    times = [chunk.time or 0 for chunk in chunks]
    return [place for place, (before, after) in enumerate(pairwise(times), start=1) if after < before]


def _size(chunks: Iterable[Chunk]) -> int:
    return sum(len(chunk.data) for chunk in chunks)
