"""Sentences over the air: what a receiver said on one lane, looked for on another. Nothing special is sent.

A sentence arrives when the same bytes come; one that comes damaged is known by what is left of it. Where the same bytes
were said more than once, a copy belongs to one that was said behind the last that is known to have come, as a link
keeps its order, and of these to the one that gives the latency that the others have; such a pair says nothing of
latency itself.

Which types are looked for is a matter of evidence: those of which one was seen to arrive. What was said of such a type
before anything at all arrived is lost; what was said while other types arrived and this one did not is left out, as
the way may not have carried it yet; and so is a type that never arrives. What is left out is told with its count.
"""

from collections import Counter, OrderedDict, deque
from itertools import islice, takewhile
from statistics import median
from typing import Final, NamedTuple

from pale_heron.core.frames import IN, NMEA, OK, SECOND, Frame
from pale_heron.core.link.delivery import ALIKE, MOST_COMPARED, DeliveryCounter, alike
from pale_heron.core.link.fates import AWAY, BAD, DELIVERED, LATE, NOT_KNOWN, DeliverySnapshot, HearResult, ProbeResult

KEPT: Final = 4096
"""So many sentences are still looked for, and kept apart from strangers."""

WITHHELD_KEPT: Final = 1 << 16
"""So many of one type wait for the first of it to arrive."""

EARLY_NS: Final = SECOND // 5
"""Two lanes on one wire: either may have it first."""

LATENCIES: Final = 31


class SentencesSnapshot(NamedTuple):
    """All sentences together; of each type how many are settled, and how many were delivered."""

    all: DeliverySnapshot
    types: tuple[tuple[str, int, int], ...]
    left_out: tuple[tuple[str, int], ...]
    """Types of which so many were said and not looked for."""


class SentenceMatcher:
    """Takes the frames of both lanes in the order of their times."""

    def __init__(self, sender: str, receiver: str, limit_ns: int, hear: HearResult | None = None) -> None:
        self._sender, self._receiver = sender, receiver
        self._limit_ns = limit_ns
        self._hear_result = hear
        self._counter = DeliveryCounter(sender, receiver, self._text, limit_ns, self._settled, ahead=0)
        self._ledger = self._counter.ledger
        self._texts: OrderedDict[int, tuple[str, bytes, int]] = OrderedDict()
        """What was said under a number: its type, its bytes, when."""
        self._numbers: dict[bytes, list[int]] = {}
        self._withheld: dict[str, deque[tuple[int, int]]] = {}
        """By type, what was said before anything of it came: numbers and times."""
        self._carried: set[str] = set()
        self._spoilt: set[int] = set()
        """Those of them that came damaged."""
        self._left_out: Counter[str] = Counter()
        self._first_came: int | None = None
        self._unsaid: OrderedDict[bytes, int] = OrderedDict()
        """What came and was not said, yet."""
        self._unasked: OrderedDict[bytes, None] = OrderedDict()
        """What was said when nothing was asked about any more, or nobody could hear it: it may arrive."""
        self._count = 0
        self._stopped = False
        self.gone = False
        """The receiving lane is not there."""
        self._latest: deque[int] = deque(maxlen=LATENCIES)
        self._highest = 0
        """The highest number of those that came and are the only ones with their bytes."""
        self._kinds: dict[int, str] = {}
        """The types of those that are entered and not settled."""
        self._known: Counter[str] = Counter()
        self._came: Counter[str] = Counter()

    def _text(self, number: int) -> bytes:
        found = self._texts.get(number)
        return b"" if found is None else found[1]

    def _settled(self, result: ProbeResult) -> None:
        if result.result in (DELIVERED, *BAD) and result.result != LATE:
            # What comes late was lost before.
            kind = self._kinds.pop(result.number, None)
            if kind is not None:
                self._known[kind] += 1
                self._came[kind] += result.result == DELIVERED
        elif result.result == NOT_KNOWN:
            self._kinds.pop(result.number, None)
        if self._hear_result is not None:
            self._hear_result(result)

    def feed(self, frame: Frame) -> None:
        """Take one frame; those without a time, or of other lanes, count for nothing."""
        if frame.time is None or frame.direction is not IN:
            return
        self.advance(frame.time)
        if frame.lane == self._sender and frame.kind is NMEA and not frame.bad:
            self._say(frame, frame.time)
        elif frame.lane == self._receiver:
            self._hear(frame, frame.time)

    def _say(self, frame: Frame, time: int) -> None:
        data = frame.data.strip(b"\r\n")
        if self._stopped or self.gone:
            self._unasked[data] = None
            if len(self._unasked) > KEPT:
                self._unasked.popitem(last=False)
            if self.gone and not self._stopped and frame.type in self._carried:
                self._ledger.pass_over(1, AWAY)
            return
        self._count += 1
        self._texts[self._count] = frame.type, data, time
        self._numbers.setdefault(data, []).append(self._count)
        self._let_go()
        if frame.type in self._carried:
            self._kinds[self._count] = frame.type
            self._ledger.send(self._count, time)
        else:
            held = self._withheld.setdefault(frame.type, deque())
            held.append((self._count, time))
            if len(held) > WITHHELD_KEPT:
                held.popleft()
                self._left_out[frame.type] += 1
        came = self._unsaid.pop(data, None)
        if came is not None:
            self._arrive(data, time)

    def _let_go(self) -> None:
        """Of the oldest that is settled nobody asks any more."""
        number = next(iter(self._texts))
        if len(self._texts) > KEPT and not self._ledger.is_open(number):
            _, old, _ = self._texts.pop(number)
            numbers = self._numbers[old]
            numbers.remove(number)
            if not numbers:
                del self._numbers[old]

    def _hear(self, frame: Frame, time: int) -> None:
        data = frame.data.strip(b"\r\n")
        if data in self._numbers:
            self._arrive(data, time)
        elif frame.kind is not NMEA or frame.status is not OK:
            # Damage may leave no sentence at all; whatever resembles none of ours is somebody else's business.
            if not self._counter.take_damaged(data):
                self._note_damaged(data, time)
        elif data not in self._unasked:
            self._unsaid[data] = time

    def _arrive(self, data: bytes, time: int) -> None:
        """A whole sentence that was said came in."""
        self._learn(self._texts[self._numbers[data][-1]][0], time)
        numbers, ledger = self._numbers[data], self._ledger
        if len(numbers) == 1:
            if ledger.is_awaited(numbers[0]):
                self._latest.append(max(0, time - self._texts[numbers[0]][2]))
                self._highest = max(self._highest, numbers[0])
            ledger.deliver(numbers[0], time)
            return
        waiting = [each for each in takewhile(ledger.is_open, reversed(numbers)) if ledger.is_awaited(each)]
        behind = [each for each in waiting if each > self._highest] or waiting
        usual = median(self._latest) if self._latest else 0
        # A copy more than was said is one of the newest, as far as is known.
        number = min(behind, key=lambda each: abs(time - self._texts[each][2] - usual), default=numbers[-1])
        ledger.deliver(number, time, timed=False)

    def _note_damaged(self, data: bytes, time: int) -> None:
        """A damaged one of a type of which nothing whole has come yet."""
        fresh = time - self._limit_ns
        recent = (
            number
            for held in self._withheld.values()
            for number, _ in takewhile(lambda each: each[1] >= fresh, islice(reversed(held), MOST_COMPARED))
            if number not in self._spoilt
        )
        best = max(recent, key=lambda number: alike(data, self._text(number)), default=0)
        if best and alike(data, self._text(best)) >= ALIKE:
            self._spoilt.add(best)

    def _learn(self, kind: str, time: int) -> None:
        """One of a type came: it is looked for from now on, and so is what was said of it and may still come."""
        if kind in self._carried:
            return
        self._carried.add(kind)
        if self._first_came is None:
            self._first_came = time
        held = self._withheld.pop(kind, ())
        first, fresh = self._first_came, time - self._limit_ns
        entered = [each for each in held if each[1] < first - self._limit_ns or each[1] >= fresh]
        self._left_out[kind] += len(held) - len(entered)
        self._kinds.update((number, kind) for number, _ in entered)
        self._ledger.enter(entered)
        for number in self._spoilt & {number for number, _ in held}:
            self._spoilt.discard(number)
            self._ledger.spoil(number)

    def open(self) -> None:
        """The receiving lane is there, again or for the first time."""
        if self._first_came is None and not self.gone:
            # It was not there before: what was said until now nobody could hear.
            self._drop_withheld()
        self.gone = False
        self._ledger.back()

    def leave(self, now: int) -> None:
        """The receiving lane is gone: of what is under way nothing will be known."""
        self.advance(now)
        self.gone = True
        self._ledger.leave()
        for kind, held in self._withheld.items():
            while held and held[-1][1] >= now - self._limit_ns:
                held.pop()
                self._left_out[kind] += 1

    def _drop_withheld(self) -> None:
        for kind, held in self._withheld.items():
            self._left_out[kind] += len(held)
        self._withheld.clear()

    def stop(self, _: int) -> None:
        """What is said from now on is not asked about."""
        self._stopped = True

    def advance(self, now: int) -> None:
        """Time passes."""
        self._counter.advance(now)
        while self._unsaid and next(iter(self._unsaid.values())) < now - EARLY_NS:
            data, _ = self._unsaid.popitem(last=False)
            self._counter.foreign_bytes += len(data)

    def finish(self, now: int, *, listened: bool) -> None:
        """Both were heard to their end."""
        self.advance(now)
        self._counter.finish(now, listened=listened)

    def snapshot(self) -> SentencesSnapshot:
        """How it stands."""
        rows = tuple((name, count, self._came[name]) for name, count in sorted(self._known.items()))
        left = self._left_out + Counter({kind: len(held) for kind, held in self._withheld.items()})
        return SentencesSnapshot(self._counter.snapshot(), rows, tuple(sorted(left.items())))
