"""What happened over a whole record, in the little memory that a picture of it takes.

Bytes, probes and pulses are counted in columns of time; what happened (lanes lost and back, orders, starts, trials,
steps of the clock) is kept as a list. Fix levels, C/N0, readings and milestones are kept by their own trackers.
"""

from collections import deque
from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType
from typing import TYPE_CHECKING, Final, NamedTuple

from pale_heron.core.clock.events import CLOCK_STEP, PULSE
from pale_heron.core.frames import OUT, SECOND, Chunk, Event
from pale_heron.core.link.tracker import BEGUN, ENDED
from pale_heron.core.strips import ColumnStrip, StripColumns
from pale_heron.core.wire.visible import safe_label

if TYPE_CHECKING:
    from pale_heron.core.link.description import TrialDescription
    from pale_heron.core.link.fates import ProbeResult

RECEIVED, SENT, DELIVERED, NOT_DELIVERED, PULSES = "received", "sent", "delivered", "not delivered", "pulses"
RESULTS: Final[Mapping[str, str]] = {
    **dict.fromkeys(("delivered", "right"), DELIVERED),
    **dict.fromkeys(("lost", "damaged", "wrong", "unanswered"), NOT_DELIVERED),
}
"""What becomes of a probe or a round, as it counts here; what comes late was lost before, and is not counted again."""

MOST_KEPT: Final = 5000
MOST_STRIPS: Final = 300

HAPPENINGS: Final[Mapping[str, str]] = {
    "opened": "opened",
    "returned": "came back",
    "lost": "lost",
    "refused": "cannot be opened",
    "settings": "settings changed",
    "start": "a start was ordered",
    "told": "an order",
    "break": "a break was sent",
    "dropped": "bytes were dropped",
    "not-recorded": "bytes were not recorded",
    CLOCK_STEP: "the host's clock was set",
    BEGUN: "a trial begins",
    ENDED: "a trial ends",
}
"""Events that are shown, and in which words."""

_DETAILS: Final = ("what", "mode", "kind", "settings", "reason")


class Happening(NamedTuple):
    """Something that happened at one moment; `lane` is empty where the whole bench is meant."""

    moment: int
    lane: str
    kind: str
    words: str


class WaitingTrial(NamedTuple):
    """A trial that waits so many nanoseconds for what it sent; `ended` is None while it runs."""

    trial: int
    limit: int
    ended: int | None = None

    def known_until(self, now: int) -> int:
        """Of what was sent before that it is known what became of it; of the rest only that some of it came."""
        return (now if self.ended is None else self.ended) - self.limit


class ChronicleSnapshot(NamedTuple):
    """Strips by lane (or source of pulses) and what they count; what happened, the oldest first."""

    strips: Mapping[tuple[str, str], ColumnStrip] = MappingProxyType({})
    happenings: tuple[Happening, ...] = ()
    forgotten: int = 0
    """So many happened before those that are kept."""
    waits: "Mapping[str, WaitingTrial]" = MappingProxyType({})
    """The last trial of each way, which may not know yet what becomes of the last that it sent."""


NO_TRIAL: Final = WaitingTrial(-1, 0)
NOTHING_HAPPENED: Final = ChronicleSnapshot()


class Chronicle:
    """Feed it records in their order. It can be pickled."""

    def __init__(self) -> None:
        self._strips: dict[tuple[str, str], StripColumns] = {}
        self._happenings: deque[Happening] = deque(maxlen=MOST_KEPT)
        self._happened = 0
        self._waits: dict[str, WaitingTrial] = {}

    def feed(self, chunks: Iterable[Chunk]) -> None:
        """Bytes of lanes."""
        came: dict[tuple[str, str], list[tuple[int, float]]] = {}
        for chunk in chunks:
            if chunk.time is not None:
                key = chunk.lane, SENT if chunk.direction is OUT else RECEIVED
                came.setdefault(key, []).append((chunk.time, len(chunk.data)))
        for key, values in came.items():
            self._add(key, values)

    def heed(self, event: Event) -> None:
        """What happened; events that are none of it pass."""
        if event.name == PULSE:
            self._add((safe_label(str(event.details.get("source", ""))), PULSES), [(event.time, 1)])
            return
        if event.name == ENDED:
            for way, trial in self._waits.items():
                if trial.trial == event.details.get("trial") and trial.ended is None:
                    self._waits[way] = trial._replace(ended=event.time)
        words = HAPPENINGS.get(event.name)
        if words is None:
            return
        more = next((str(event.details[name]) for name in _DETAILS if event.details.get(name)), "")
        told = safe_label(f"{words}: {more}" if more else words)
        self._happenings.append(Happening(event.time, event.lane, event.name, told))
        self._happened += 1

    def see(self, described: "TrialDescription", _: int, result: "ProbeResult") -> None:
        """What became of a probe; it is called as a link tracker calls."""
        kind = RESULTS.get(result.result)
        if kind is not None:
            way = (result.sender, result.receiver)
            name = " → ".join(dict.fromkeys(way))
            self._add((name, kind), [(result.sent, result.in_a_row)])
            if self._waits.get(name, NO_TRIAL).trial != described.trial:
                self._waits[name] = WaitingTrial(described.trial, round(described.limit_s * SECOND))

    def _add(self, key: tuple[str, str], values: Sequence[tuple[int, float]]) -> None:
        strip = self._strips.get(key)
        if strip is None:
            if len(self._strips) >= MOST_STRIPS:
                return
            strip = self._strips[key] = StripColumns()
        strip.extend(values)

    def snapshot(self) -> ChronicleSnapshot:
        """As it stands."""
        strips = {key: strip.strip() for key, strip in self._strips.items()}
        kept = tuple(self._happenings)
        return ChronicleSnapshot(strips, kept, self._happened - len(kept), dict(self._waits))
