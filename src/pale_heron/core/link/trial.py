"""One trial, followed in the bytes of its lanes: live, on replay and from a capture by the same code."""

from collections import deque
from collections.abc import Iterable
from functools import partial
from typing import Final, NamedTuple

from pale_heron.core.frames import (
    BACK_EVENTS,
    ENDING_EVENTS,
    HELD,
    HELD_ENDED,
    IN,
    OUT,
    SECOND,
    Chunk,
    Direction,
    Event,
)
from pale_heron.core.link.blocks import DataBlock
from pale_heron.core.link.content import CONTENTS
from pale_heron.core.link.delivery import DeliveryCounter, DeliverySnapshot, HearResult, ProbeResult
from pale_heron.core.link.description import EXCHANGE, LETTERS, THROUGHPUT, TrialDescription
from pale_heron.core.link.exchange import ExchangeCounter, ExchangeSnapshot
from pale_heron.core.link.far_blocks import FarBlockCounter
from pale_heron.core.link.far_end import FAR_END, FarEndCounter
from pale_heron.core.link.lines import LineCutter, as_text
from pale_heron.core.link.progress import CTS, FURTHER_ON, UNTOLD, Stall
from pale_heron.core.link.reach import PlaceSource, RangeCounter, RangeSnapshot
from pale_heron.core.link.throughput import BulkSnapshot, ThroughputCounter
from pale_heron.core.samples import Times
from pale_heron.core.wire.probe import ANSWER, Found, ProbeFinder, probe_of

AWAY_KEPT: Final = 500

DONE: Final = "done"
"""Why a trial ended that went on to its end."""


class AwayPeriod(NamedTuple):
    """A lane was gone from `begin` on; `end` is None while it is."""

    lane: str
    begin: int
    end: int | None


class HeldPeriod(NamedTuple):
    """A lane took nothing that was sent, from `begin` on; `end` is None while that lasts. `by` is CTS or untold."""

    lane: str
    begin: int
    end: int | None
    by: str


class TrialSnapshot(NamedTuple):
    """How a trial stands. `end` is None while it runs; `ended` says why it ended."""

    described: TrialDescription
    begin: int
    end: int | None
    ended: str
    directions: tuple[DeliverySnapshot, ...]
    exchange: ExchangeSnapshot | None
    round_trip: Times | None
    """Of probes and their answers, where the far end answers; seconds."""
    own_bytes_back: bool
    """A lane received what it sent itself."""
    unanswered: int
    """So many probes at the end were not answered by the far end: which way is broken is not known."""
    bulk: tuple[BulkSnapshot, ...] = ()
    """Of a trial of throughput: how the bytes of each direction fared."""
    dropped: int = 0
    """Bytes that this machine received and could not keep up with: not the link lost them."""
    types: tuple[tuple[str, int, int], ...] = ()
    """Of sentences: each type, how many were said, and how many came."""
    clock_steps: int = 0
    """How often the clock behind the sentences was set: nothing is said of what was lost over that."""
    ranges: tuple[RangeSnapshot, ...] = ()
    """By distance, where that was asked for: one a direction, or one for there and back."""
    away: tuple[AwayPeriod, ...] = ()
    """When a lane was not there: nothing was sent meanwhile, and nothing is said of the link."""

    @property
    def wiring(self) -> str:
        """How it was wired, as a person said last; empty where nobody did."""
        return self.described.wiring


class TrialTracker:
    """Takes the chunks of its lanes, in the order of recording."""

    def __init__(self, described: TrialDescription, begin: int, see: HearResult | None = None) -> None:
        """`see` is called with what became of each probe."""
        self.described = described
        self._begin = begin
        self._see = see
        self._ranges: dict[str, RangeCounter] = {}
        """By the lane that sends; of an answering far end one for there and back."""
        self._away: deque[AwayPeriod] = deque(maxlen=AWAY_KEPT)
        self._held: deque[HeldPeriod] = deque(maxlen=AWAY_KEPT)
        self._end: int | None = None
        self._ended = ""
        self._own_back = False
        self._finders: dict[tuple[str, Direction], ProbeFinder] = {}
        self._counters: dict[str, DeliveryCounter] = {}
        """By the letter of who sends."""
        self._bulk: dict[str, ThroughputCounter | FarBlockCounter] = {}
        self._dropped = 0
        self._far: FarEndCounter | None = None
        self._exchange: ExchangeCounter | None = None
        self._lines = LineCutter()
        self._round = 0
        self._message = b""
        limit_ns = round(described.limit_s * SECOND)
        if described.kind == EXCHANGE:
            self._exchange = ExchangeCounter(described.rule, limit_ns, described.lanes[0], self._hear)
        elif described.kind == THROUGHPUT and described.far == "answer":
            lane = described.lanes[0]
            self._bulk[LETTERS[0]] = FarBlockCounter(lane, described.trial, LETTERS[0], described.size)
        elif described.kind == THROUGHPUT:
            for letter, sender, receiver in self._ways():
                ceiling = described.ceilings.get(receiver)
                byte_ns = SECOND / ceiling if ceiling else 0.0
                self._bulk[letter] = ThroughputCounter(sender, receiver, partial(block_of, described, letter), byte_ns)
        elif described.far == "answer":
            self._far = FarEndCounter(described.lanes[0], limit_ns, self._hear)
            self._watch_range(described.lanes[0], "there and back")
        else:
            for letter, sender, receiver in self._ways():
                expected = partial(probe_of, described.trial, letter, described.size)
                self._counters[letter] = DeliveryCounter(sender, receiver, expected, limit_ns, self._hear)
                self._watch_range(sender, f"{sender} ▸ {receiver}")

    def _watch_range(self, sender: str, way: str) -> None:
        counter = range_counter(self.described, way)
        if counter is not None:
            self._ranges[sender] = counter

    def _hear(self, result: ProbeResult) -> None:
        if self._see is not None:
            self._see(result)
        if result.sender in self._ranges:
            self._ranges[result.sender].settle(result.sent, result.result)

    @property
    def ranges(self) -> tuple[RangeCounter, ...]:
        """Those whose places are to be looked up."""
        return tuple(self._ranges.values())

    def _ways(self) -> Iterable[tuple[str, str, str]]:
        """Each direction: the letter of who sends, the lane that sends, the lane that receives."""
        described = self.described
        here, there = described.lanes[0], described.lanes[-1]
        both = described.far == "lane" and not described.one_way
        return ((LETTERS[0], here, there), (LETTERS[1], there, here))[: 1 + both]

    @property
    def over(self) -> bool:
        return self._end is not None

    def feed(self, chunk: Chunk) -> None:
        """Take what went over one of its lanes; chunks without a time count for nothing here."""
        if chunk.time is None or chunk.lane not in self.described.lanes:
            return
        if self._exchange is not None:
            self._feed_exchange(self._exchange, chunk, chunk.time)
            return
        if self._bulk:
            self._feed_blocks(chunk, chunk.time)
            return
        finder = self._finders.setdefault((chunk.lane, chunk.direction), ProbeFinder())
        for found in finder.feed(chunk.time, chunk.data):
            self._take(chunk.lane, chunk.direction, found)
        self.advance(chunk.time)

    def heed(self, event: Event) -> None:
        """Take what happened on its lanes."""
        lost = event.details.get("bytes")
        if event.name == "dropped" and event.lane in self.described.lanes and isinstance(lost, int):
            self._dropped += max(0, lost)
        if event.lane in self.described.lanes:
            self._note_away(event)
            self._note_held(event)

    def _note_held(self, event: Event) -> None:
        if event.name == HELD:
            by = CTS if event.details.get("by") == CTS else UNTOLD
            self._held.append(HeldPeriod(event.lane, event.time, None, by))
        elif event.name == HELD_ENDED and self._held:
            for index in reversed(range(len(self._held))):
                if self._held[index].lane == event.lane and self._held[index].end is None:
                    self._held[index] = self._held[index]._replace(end=event.time)
                    return

    def _holder(self, sender: str, stall: Stall) -> Stall:
        """A stall with what held the sender meanwhile."""
        for each in self._held:
            if each.lane == sender and each.begin < stall.end and (each.end is None or each.end > stall.begin):
                return stall._replace(held_by=each.by)
        return stall._replace(held_by=FURTHER_ON)

    def _note_away(self, event: Event) -> None:
        last = next((each for each in reversed(self._away) if each.lane == event.lane), None)
        gone = last is not None and last.end is None
        if event.name in ENDING_EVENTS and not gone:
            self._away.append(AwayPeriod(event.lane, event.time, None))
            for counter in self._counters.values():
                counter.disregard()
        elif event.name in BACK_EVENTS and last is not None and gone:
            self._away[self._away.index(last)] = last._replace(end=event.time)

    def advance(self, now: int) -> None:
        """Time passes."""
        for counter in self._counters.values():
            counter.advance(now)
        for bulk in self._bulk.values():
            bulk.advance(now)
        if self._far is not None:
            self._far.advance(now)
        if self._exchange is not None:
            held = self._lines.advance(now)
            if held is not None:
                self._take_line(self._exchange, *held)
            self._exchange.advance(now)

    def finish(self, now: int, why: str) -> None:
        """It ended."""
        self.advance(now)
        for (lane, direction), finder in self._finders.items():
            for found in finder.flush():
                self._take(lane, direction, found)
        for counter in self._counters.values():
            counter.finish(now)
        for bulk in self._bulk.values():
            # Whoever ends it in the usual way has waited; else it shows from how long nothing moved.
            bulk.finish(waited=why == DONE or now - bulk.last >= self.described.limit_s * SECOND)
        if self._far is not None:
            self._far.finish(now)
        if self._exchange is not None:
            self._exchange.finish(now)
        self._end, self._ended = now, why

    def _take(self, lane: str, direction: Direction, found: Found) -> None:
        probe, own = found.probe, LETTERS[self.described.lanes.index(lane)]
        time = found.time if direction is OUT else found.end
        assert time is not None, "its chunks have times"
        if probe is not None and probe.trial != self.described.trial:
            probe = None
        if direction is OUT:
            if probe is not None and probe.sender == own:
                self._sent(own, probe.number, time)
            return
        if self._far is not None:
            self._own_back |= probe is not None and probe.kind != ANSWER
            self._far.take(probe, found.data, time)
            return
        echoed = self.described.far == "echo"
        sender = own if echoed else LETTERS[1 - LETTERS.index(own)]
        counter = self._counters.get(sender)
        if probe is not None and probe.sender == own:
            # A module may echo what it is given; that is no loop.
            self._own_back |= lane not in self.described.through
            if not echoed:
                return
        if counter is None:
            return
        if probe is not None and probe.kind != ANSWER:
            counter.take(probe.number, time)
        else:
            if lane in self.described.through:
                # What a module says around it is its own, and no stranger's.
                counter.take_damaged(found.data)
            else:
                counter.take_piece(found.data)

    def _feed_blocks(self, chunk: Chunk, time: int) -> None:
        own = LETTERS[self.described.lanes.index(chunk.lane)]
        if chunk.direction is OUT:
            sending = self._bulk.get(own)
            if sending is not None:
                sending.send(time, chunk.data)
            return
        # Where both ends are here, what comes was sent by the other one; else it is about what this lane sent.
        receiving = self._bulk.get(own if self.described.far != "lane" else LETTERS[1 - LETTERS.index(own)])
        if receiving is not None:
            receiving.take(time, chunk.data)
            self._own_back |= receiving.own_back

    def _sent(self, letter: str, number: int, time: int) -> None:
        if self._far is not None:
            self._far.send(number, time)
        elif letter in self._counters:
            self._counters[letter].send(number, time)

    def _feed_exchange(self, exchange: ExchangeCounter, chunk: Chunk, time: int) -> None:
        held = self._lines.advance(time)
        if held is not None:
            self._take_line(exchange, *held)
        if chunk.direction is IN:
            for line in self._lines.feed(time, chunk.data):
                self._take_line(exchange, line, time)
            return
        self._message += chunk.data
        if not chunk.continued:
            self._round += 1
            exchange.send(self._round, as_text(self._message.strip(b"\r\n")), time)
            self._message = b""

    def _take_line(self, exchange: ExchangeCounter, line: str, time: int) -> None:
        """Sentences of receivers are no replies."""
        if line[:1] not in ("$", "!"):
            exchange.take(line, time)

    @property
    def _unanswered(self) -> int:
        far = [each for each in self._bulk.values() if isinstance(each, FarBlockCounter)]
        return sum(each.unanswered for each in far) + (self._far.unanswered if self._far else 0)

    def snapshot(self) -> TrialSnapshot:
        """How it stands."""
        directions = [counter.snapshot() for counter in self._counters.values()]
        bulk = [counter.snapshot() for counter in self._bulk.values()]
        directions += [blocks for blocks, _ in bulk]
        told = [
            each._replace(stalls=tuple(self._holder(blocks.sender, stall) for stall in each.stalls))
            for blocks, each in bulk
        ]
        exchange = self._exchange.snapshot() if self._exchange else None
        return TrialSnapshot(
            described=self.described,
            begin=self._begin,
            end=self._end,
            ended=self._ended,
            directions=tuple(directions) if self._far is None else self._far.snapshots(FAR_END),
            exchange=exchange,
            round_trip=self._far.round_trip if self._far else None,
            own_bytes_back=self._own_back or bool(exchange and exchange.own_back),
            unanswered=self._unanswered,
            bulk=tuple(told),
            dropped=self._dropped,
            ranges=tuple(each.snapshot() for each in self._ranges.values()),
            away=tuple(self._away),
        )


def range_counter(described: TrialDescription, way: str) -> RangeCounter | None:
    """What follows a way by its distance; None where nobody asked for that."""
    if not described.position:
        return None
    source = PlaceSource(described.position, described.place, described.place_lane, described.strength)
    return RangeCounter(way, source, round(described.limit_s * SECOND))


def block_of(described: TrialDescription, letter: str, number: int) -> DataBlock:
    """The block of a number that one end of a trial sends."""
    return DataBlock(described.trial, letter, number, described.size, CONTENTS[described.content][0])
