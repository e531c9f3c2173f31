"""Which second a pulse is: the sentence that names it comes after it, or crosses into the next one."""

from collections import deque
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.utc import turned

WAITING: Final = 64
RECENT: Final = 8
FEW: Final = 5
"""From so many pairs on it is told."""

NEARLY_ALL: Final = 0.9
THIS, PREVIOUS, NEXT = "this", "previous", "next"
NAMES: Final = {0: THIS, 1: PREVIOUS, -1: NEXT}
"""By how many seconds the pulse before a sentence is later than what the sentence tells."""


class SecondNamed(NamedTuple):
    """Of one lane and one source: which second a sentence means that comes after a pulse, in `pairs` of `of` pairs.

    `after_s` is how long after the pulse before it a sentence begins to come, seconds, on the average.
    """

    lane: str
    source: str
    second: str | None
    pairs: int
    of: int
    after_s: float
    unsure: str = ""
    """Why it cannot be told, where that is this computer's clock; empty otherwise."""


class SecondNaming:
    """Pairs the pulses of one source with the times that one lane tells, by the moments of both.

    Whichever of the two is handed over first: a sentence waits until the pulses around it are known.
    """

    def __init__(self, lane: str, source: str) -> None:
        self._lane, self._source = lane, source
        self._pulses: deque[int] = deque(maxlen=RECENT)
        self._waiting: deque[tuple[int, int]] = deque(maxlen=WAITING)
        self._told: int | None = None
        self._apart: dict[int, int] = {}
        self._count = 0
        self._after = 0.0

    def tell(self, told: int, arrived: int) -> None:
        """A sentence tells a time of day; of several that tell the same the first one counts."""
        if told != self._told and told % SECOND == 0:
            self._waiting.append((told, arrived))
        self._told = told

    def pulse(self, moment: int) -> None:
        """A pulse came: what arrived before the one before it can be paired."""
        if self._pulses:
            while self._waiting and self._waiting[0][1] < self._pulses[-1]:
                self._pair(*self._waiting.popleft())
        self._pulses.append(moment)

    def _pair(self, told: int, arrived: int) -> None:
        before = max((each for each in self._pulses if each <= arrived), default=None)
        if before is None or arrived - before >= SECOND:
            # The pulse between them was missed.
            return
        second = (before + SECOND // 2) // SECOND * SECOND
        apart = turned(second - told)
        self._apart[apart // SECOND] = self._apart.get(apart // SECOND, 0) + 1
        if len(self._apart) > RECENT:
            del self._apart[min(self._apart, key=lambda each: self._apart[each])]
        self._count += 1
        self._after += (arrived - before) / SECOND

    def snapshot(self) -> SecondNamed:
        """How it stands; no second is named where pairs disagree, are few, or are apart by more than one."""
        if not self._count:
            return SecondNamed(self._lane, self._source, None, 0, 0, 0.0)
        apart, pairs = max(self._apart.items(), key=lambda each: each[1])
        sure = pairs >= FEW and pairs >= NEARLY_ALL * self._count
        return SecondNamed(
            self._lane,
            self._source,
            NAMES.get(apart) if sure else None,
            pairs,
            self._count,
            self._after / self._count,
        )
