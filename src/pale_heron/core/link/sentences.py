"""Sentences over the air: what a receiver said on one lane, looked for on another. Nothing special is sent.

Only types that the second lane carries at all are looked for, and only while both lanes were heard. A sentence arrives
when the same bytes come; one that comes damaged is known by what is left of it.
"""

from collections import Counter, OrderedDict
from collections.abc import Iterable
from typing import Final, NamedTuple

from pale_heron.core.frames import IN, NMEA, OK, Frame
from pale_heron.core.link.delivery import DeliveryCounter, DeliverySnapshot, HearResult

KEPT: Final = 4096
"""So many sentences are still looked for, and kept apart from strangers."""


class Carried(NamedTuple):
    """What a lane carries: from when to when it was heard, and its types of whole sentences."""

    first: int | None
    last: int | None
    types: frozenset[str]


def carried(frames: Iterable[Frame], lane: str) -> Carried:
    """Of the received sentences of a lane."""
    first = last = None
    types = set()
    for frame in frames:
        if frame.lane == lane and frame.direction is IN and frame.time is not None:
            first, last = (frame.time if first is None else first), frame.time
            if frame.kind is NMEA and not frame.bad:
                types.add(frame.type)
    return Carried(first, last, frozenset(types))


class SentencesSnapshot(NamedTuple):
    """All sentences together, and how many of each type were said and delivered."""

    all: DeliverySnapshot
    types: tuple[tuple[str, int, int], ...]


class SentenceMatcher:
    """Takes the frames of both lanes in the order of their times."""

    def __init__(
        self, sender: str, receiver: str, there: Carried, limit_ns: int, hear: HearResult | None = None
    ) -> None:
        """`there` is what the receiving lane carries; `learn` what it carries besides."""
        self._sender, self._receiver = sender, receiver
        self._there = there
        self.away = False
        """The receiving lane is not open: nothing can be said of what is not heard there."""
        self._texts: OrderedDict[int, bytes] = OrderedDict()
        self._numbers: dict[bytes, list[int]] = {}
        self._uncounted: OrderedDict[bytes, None] = OrderedDict()
        """What was said while the other lane was not heard: it may still arrive."""
        self._counter = DeliveryCounter(sender, receiver, self._text, limit_ns, hear)
        self._count = 0
        self._said: Counter[str] = Counter()
        self._came: Counter[str] = Counter()

    def _text(self, number: int) -> bytes:
        return self._texts.get(number, b"")

    def feed(self, frame: Frame) -> None:
        """Take one frame; those without a time, or of other lanes, count for nothing."""
        if frame.time is None or frame.direction is not IN:
            return
        self._counter.advance(frame.time)
        if frame.lane == self._sender and frame.kind is NMEA and not frame.bad:
            self._say(frame, frame.time)
        elif frame.lane == self._receiver:
            self._hear(frame, frame.time)

    def _say(self, frame: Frame, time: int) -> None:
        first, last = self._there.first, self._there.last
        data = frame.data.strip(b"\r\n")
        heard = first is not None and last is not None and first <= time <= last and not self.away
        if frame.type not in self._there.types or not heard:
            self._uncounted[data] = None
            if len(self._uncounted) > KEPT:
                self._uncounted.popitem(last=False)
            return
        self._count += 1
        self._texts[self._count] = data
        self._numbers.setdefault(data, []).append(self._count)
        if len(self._texts) > KEPT:
            number, old = self._texts.popitem(last=False)
            numbers = self._numbers[old]
            numbers.remove(number)
            if not numbers:
                del self._numbers[old]
        self._said[frame.type] += 1
        self._counter.send(self._count, time)

    def _hear(self, frame: Frame, time: int) -> None:
        data = frame.data.strip(b"\r\n")
        numbers = self._numbers.get(data)
        if not numbers:
            if frame.kind is not NMEA or frame.status is not OK:
                # Damage may leave no sentence at all; whatever resembles none of ours is somebody else's business.
                self._counter.take_damaged(data)
            elif data not in self._uncounted:
                self._counter.foreign_bytes += len(data)
            return
        before = self._counter.delivered
        # The same sentence may be said more than once: the copies arrive in their order.
        number = next((each for each in numbers if not self._counter.settled(each)), numbers[-1])
        self._counter.take(number, time)
        self._came[frame.type] += self._counter.delivered - before

    def learn(self, frame: Frame) -> None:
        """A whole sentence on the receiving lane: its type is looked for from now on."""
        there = self._there
        if frame.lane == self._receiver and frame.kind is NMEA and not frame.bad and frame.type not in there.types:
            self._there = there._replace(types=there.types | {frame.type})

    def leave(self) -> None:
        """The receiving lane is gone: of what is under way nothing will be known."""
        self.away = True
        self._counter.disregard()

    def advance(self, now: int) -> None:
        """Time passes."""
        self._counter.advance(now)

    def finish(self, now: int) -> SentencesSnapshot:
        """Both were heard to their end."""
        self._counter.finish(now)
        return self.snapshot()

    def snapshot(self) -> SentencesSnapshot:
        """How it stands."""
        rows = tuple((name, count, self._came[name]) for name, count in sorted(self._said.items()))
        return SentencesSnapshot(self._counter.snapshot(), rows)
