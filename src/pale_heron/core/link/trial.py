"""One trial, followed in the bytes of its lanes: live, on replay and from a capture by the same code."""

from collections import deque
from collections.abc import Iterable
from functools import partial
from typing import Final, Protocol

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
from pale_heron.core.link.beacon import STREAM, BeaconCounter
from pale_heron.core.link.blocks import DataBlock
from pale_heron.core.link.content import CONTENTS
from pale_heron.core.link.delivery import DeliveryCounter
from pale_heron.core.link.description import BEACON, EXCHANGE, LETTERS, THROUGHPUT, TrialDescription
from pale_heron.core.link.exchange import ExchangeCounter
from pale_heron.core.link.far_blocks import FarBlockCounter
from pale_heron.core.link.far_end import FarEndCounter
from pale_heron.core.link.fates import HearResult, ProbeResult
from pale_heron.core.link.lines import HeardLine, LineCutter, as_text
from pale_heron.core.link.progress import CTS, FURTHER_ON, UNTOLD, Stall
from pale_heron.core.link.reach import PlaceSource, RangeCounter
from pale_heron.core.link.throughput import ThroughputCounter
from pale_heron.core.link.trial_snapshot import AwayPeriod, HeldPeriod, TrialEnd, TrialSnapshot
from pale_heron.core.wire.probe import ANSWER, Found, ProbeFinder, probe_of

AWAY_KEPT: Final = 500
EVER_S: Final = 1e9


class WayCounter(Protocol):
    """What counts one way, or both of a far end."""

    def leave(self, now: int, /) -> None: ...

    def back(self) -> None: ...

    def advance(self, now: int, /) -> None: ...

    def finish(self, now: int, /, *, listened: bool) -> None: ...


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
        self._ended = self._ended_by = ""
        self._waits = described.wait_s > 0 and described.far != "lane" and not described.through
        """For the first sign of the far end: what goes to and fro until then is not counted."""
        self._waited: float | None = None
        self._own_back = False
        self._finders: dict[tuple[str, Direction], ProbeFinder] = {}
        self._counters: dict[str, DeliveryCounter] = {}
        """By the letter of who sends."""
        self._bulk: dict[str, ThroughputCounter | FarBlockCounter] = {}
        self._dropped = 0
        self._far: FarEndCounter | None = None
        self._exchange: ExchangeCounter | None = None
        self._stream: BeaconCounter | None = None
        self._round = 0
        self._message = b""
        limit_ns = round(described.limit_s * SECOND)
        self._lines = LineCutter(self._byte_ns(described.lanes[0]))
        if described.kind == EXCHANGE:
            self._exchange = ExchangeCounter(described.rule, limit_ns, described.lanes[0], self._hear, described.ignore)
        elif described.kind == BEACON:
            every_ns = round(described.every_s * SECOND)
            self._stream = BeaconCounter(described.lanes[0], limit_ns, "", every_ns, self._hear, stream=True)
            self._watch_range(STREAM, described.lanes[0])
        elif described.kind == THROUGHPUT and described.far == "answer":
            lane = described.lanes[0]
            self._bulk[LETTERS[0]] = FarBlockCounter(lane, described.trial, LETTERS[0], described.size)
        elif described.kind == THROUGHPUT:
            for letter, sender, receiver in self._ways():
                block = partial(block_of, described, letter)
                self._bulk[letter] = ThroughputCounter(sender, receiver, block, self._byte_ns(receiver), limit_ns)
        elif described.far == "answer":
            self._far = FarEndCounter(described.lanes[0], limit_ns, self._hear)
            self._watch_range(described.lanes[0], "there and back")
        else:
            for letter, sender, receiver in self._ways():
                expected = partial(probe_of, described.trial, letter, described.size)
                self._counters[letter] = DeliveryCounter(sender, receiver, expected, limit_ns, self._hear)
                self._watch_range(sender, f"{sender} ▸ {receiver}")

    def _byte_ns(self, lane: str) -> float:
        """How long a byte takes on a lane; 0 where no rate governs it."""
        ceiling = self.described.ceilings.get(lane)
        return SECOND / ceiling if ceiling else 0.0

    @property
    def _all(self) -> tuple[WayCounter, ...]:
        single = (each for each in (self._far, self._exchange, self._stream) if each is not None)
        return (*self._counters.values(), *self._bulk.values(), *single)

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
        if chunk.time is None or chunk.lane not in self.described.lanes or self._waits:
            return
        if self._exchange is not None:
            self._feed_exchange(self._exchange, chunk, chunk.time)
            return
        if self._stream is not None:
            if chunk.direction is IN:
                self._stream.flow(chunk.time)
            return
        if self._bulk:
            self._feed_blocks(chunk, chunk.time)
            return
        key = chunk.lane, chunk.direction
        finder = self._finders.get(key) or self._finders.setdefault(key, ProbeFinder(self._byte_ns(chunk.lane)))
        for found in finder.feed(chunk.time, chunk.data):
            self._take(chunk.lane, chunk.direction, found)
        self.advance(chunk.time)

    def begin_counting(self, event: Event) -> None:
        """The far end is up, or nobody waits for it any longer."""
        waited = event.details.get("waited_s")
        self._waits = False
        self._waited = float(waited) if isinstance(waited, int | float) and 0 <= waited < EVER_S else None

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
            # What was under way up to then and had its whole limit is settled; of the rest nobody sees what becomes.
            self.advance(event.time)
            for counter in self._all:
                counter.leave(event.time)
        elif event.name in BACK_EVENTS and last is not None and gone:
            self._away[self._away.index(last)] = last._replace(end=event.time)
            if all(each.end is not None for each in self._away):
                for counter in self._all:
                    counter.back()

    def sent_out(self, now: int) -> None:
        """What comes from now on is not asked about."""
        if self._stream is not None:
            self._stream.stop(now)

    def advance(self, now: int) -> None:
        """Time passes."""
        if self._exchange is not None:
            held = self._lines.advance(now)
            if held is not None:
                self._take_line(self._exchange, held)
        for counter in self._all:
            counter.advance(now)

    def finish(self, now: int, end: TrialEnd) -> None:
        """It ended."""
        self.advance(now)
        for (lane, direction), finder in self._finders.items():
            for found in finder.flush():
                self._take(lane, direction, found)
        for counter in self._all:
            counter.finish(now, listened=end.listened)
        self._end, self._ended, self._ended_by = now, end.why, end.by

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
            self._take_line(exchange, held)
        if chunk.direction is IN:
            for line in self._lines.feed(time, chunk.data):
                self._take_line(exchange, line)
            return
        self._message += chunk.data
        if not chunk.continued:
            self._round += 1
            exchange.send(self._round, as_text(self._message.strip(b"\r\n")), time)
            self._message = b""

    def _take_line(self, exchange: ExchangeCounter, line: HeardLine) -> None:
        """Sentences of receivers are no replies."""
        if line.text[:1] not in ("$", "!"):
            exchange.take(*line)

    def snapshot(self) -> TrialSnapshot:
        """How it stands."""
        directions = [counter.snapshot() for counter in self._counters.values()]
        directions += self._stream.snapshots() if self._stream is not None else ()
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
            directions=tuple(directions) if self._far is None else self._far.snapshots(),
            exchange=exchange,
            trip=self._far.ledger.snapshot() if self._far else None,
            own_bytes_back=self._own_back or bool(exchange and exchange.own_back),
            ended_by=self._ended_by,
            waited_s=self._waited,
            recent=self._stream.recent() if self._stream is not None else None,
            bulk=tuple(told),
            dropped=self._dropped,
            ranges=tuple(each.snapshot() for each in self._ranges.values()),
            away=tuple(self._away),
        )


def range_counter(described: TrialDescription, way: str) -> RangeCounter | None:
    """What follows a way by its distance, or by how strong it came; None where nobody asked for that."""
    if not described.position and not described.strength:
        return None
    source = PlaceSource(described.position, described.place, described.place_lane, described.strength)
    return RangeCounter(way, source, round(described.limit_s * SECOND))


def block_of(described: TrialDescription, letter: str, number: int) -> DataBlock:
    """The block of a number that one end of a trial sends."""
    return DataBlock(described.trial, letter, number, described.size, CONTENTS[described.content][0])
