"""How far two computers' clocks lie apart, as far as two captures tell: an interval that holds it, never a bare figure.

    pulses, sentences, hosts   what each computer's clock is off UTC (`machine_clock.py`), one less the other
    messages                   what one sends and the other receives arrives later than it was sent, both ways: each
                               bounds the difference of the clocks on one side (as network time does, RFC 5905,
                               section 8), in the first and in the second half of their time

Where both heard pulses, the drift between the two is known by them, whatever names the second.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from itertools import combinations
from typing import Final, NamedTuple

from pale_heron.core.figures import bound
from pale_heron.core.frames import IN, SECOND, Event, Frame
from pale_heron.core.proof.machine_clock import Bounds, MachineClock
from pale_heron.core.wire.visible import safe_label

PULSES, SENTENCES, MESSAGES, HOSTS = "pulses", "sentences", "messages", "hosts"
METHODS: Final = {
    PULSES: "GNSS time, by pulses and sentences of both",
    SENTENCES: "GNSS time, by sentences of both, taken to come within a second where their lines have room",
    MESSAGES: "messages that crossed both ways",
    HOSTS: "hosts that were both synchronised",
}
JOINED: Final = "joined"
"""The event of a capture that was joined from two."""


class JoinedClocks(NamedTuple):
    """What a joined capture says of the two clocks on which its times were taken."""

    captures: tuple[str, ...]
    method: str
    uncertainty_s: float

    @property
    def words(self) -> str:
        """In a sentence."""
        by = METHODS.get(self.method, "an unknown way")
        return (
            f"Joined from {' and '.join(self.captures)} by {by}: their clocks are known against each other to within "
            f"{bound(self.uncertainty_s)}, and no time from one to the other is known better."
        )


def joined_of(event: Event) -> JoinedClocks | None:
    """What the event says; None where it cannot be believed."""
    captures, unsure = event.details.get("captures"), event.details.get("uncertainty_s")
    if not isinstance(captures, list) or not isinstance(unsure, int | float) or not 0 <= unsure < math.inf:
        return None
    return JoinedClocks(tuple(safe_label(str(each)) for each in captures[:2]), str(event.details.get("by")), unsure)


class MutualDrift(NamedTuple):
    """By how much a second of the second clock is longer than one of the first; both agree on `moment` of the second.

    `sure` is how well that is known. `first` and `second` are when pulses came, each by its own clock.
    """

    rate: float
    sure: float
    moment: int
    first: tuple[int, int]
    second: tuple[int, int]


class ClockShift(NamedTuple):
    """The times of the second clock on the first: it is `ahead` at a moment of its own, and drifts by `rate`."""

    ahead: int
    rate: float
    moment: int

    def moved(self, time: int) -> int:
        """A time of the second clock by the first."""
        return time - self.ahead - round(self.rate * (time - self.moment))


class JoinedBy(NamedTuple):
    """`ahead` is by how much the clock of the second capture is ahead of that of the first."""

    method: str
    ahead: Bounds


class JoinWays(NamedTuple):
    """All ways in which two captures can be joined, the surest first, and what speaks against some of them."""

    ways: tuple[JoinedBy, ...]
    drift: MutualDrift | None
    contradictions: tuple[tuple[frozenset[str], str], ...]
    """Between which ways, and in words."""

    @property
    def doubted(self) -> frozenset[str]:
        """The ways that contradict something."""
        return frozenset().union(*(each for each, _ in self.contradictions))


def crossings(sent: Mapping[bytes, int | None], lines: Iterable[Frame | Event]) -> list[tuple[int, int]]:
    """When messages were sent there, and when they came here: only what came once, and was sent once."""
    came: dict[bytes, int | None] = {}
    for line in lines:
        if isinstance(line, Frame) and line.direction is IN and line.time is not None:
            message = line.data.strip()
            if message in sent:
                came[message] = None if message in came else line.time
    return sorted(
        (left, there) for message, there in came.items() if there is not None and (left := sent[message]) is not None
    )


def ahead_by_messages(there: Sequence[tuple[int, int]], back: Sequence[tuple[int, int]]) -> Bounds | None:
    """By how much the second clock is ahead: `there` went from the first to the second, `back` the other way."""
    if not there or not back:
        return None
    # Halves of the time of the first clock, as far as each has messages both ways.
    middle = (there[0][0] + there[-1][0]) // 2
    halves = []
    for early in (True, False):
        out = [came - left for left, came in there if (left <= middle) is early]
        home = [left - came for left, came in back if (came <= middle) is early]
        if out and home:
            halves.append((max(home), min(out)))
    if not halves:
        halves = [(max(left - came for left, came in back), min(came - left for left, came in there))]
    low, high = min(min(pair) for pair in halves), max(max(pair) for pair in halves)
    return Bounds(low, high, len(there) + len(back))


def ways_to_join(
    machines: tuple[str, str],
    clocks: tuple[MachineClock, MachineClock],
    there: Sequence[tuple[int, int]],
    back: Sequence[tuple[int, int]],
) -> JoinWays:
    """All that is possible, and what does not go together."""
    first, second = clocks
    drift = _drift(first, second)
    errors = {
        SENTENCES: (first.error_by_sentences(), second.error_by_sentences()),
        HOSTS: (first.error_by_host(), second.error_by_host()),
    }
    found = [
        JoinedBy(method, Bounds(other.low - one.high, other.high - one.low, min(one.samples, other.samples)))
        for method, (one, other) in errors.items()
        if one is not None and other is not None
    ]
    by_pulses = _by_pulses(first, second, drift)
    found += [JoinedBy(PULSES, by_pulses)] if by_pulses is not None else []
    crossed = ahead_by_messages(there, back)
    found += [JoinedBy(MESSAGES, crossed)] if crossed is not None else []
    against = [
        (frozenset({SENTENCES, PULSES, HOSTS}), f"{name}: {words}")
        for name, clock in zip(machines, clocks, strict=True)
        if (words := clock.contradiction)
    ]
    doubted = against[0][0] if against else frozenset()
    for one, other in combinations([each for each in found if each.method not in doubted], 2):
        if one.ahead.with_other(other.ahead) is None:
            apart = max(one.ahead.low, other.ahead.low) - min(one.ahead.high, other.ahead.high)
            words = f"{one.method} and {other.method} lie {bound(apart / SECOND)} apart at least"
            against.append((frozenset({one.method, other.method}), words))
    return JoinWays(tuple(sorted(found, key=lambda each: each.ahead.half_width)), drift, tuple(against))


def _drift(first: MachineClock, second: MachineClock) -> MutualDrift | None:
    one, other = first.pulse_line, second.pulse_line
    if one is None or other is None:
        return None
    spans = (one.begin, one.end), (other.begin, other.end)
    return MutualDrift(other.rate - one.rate, one.rate_sure + other.rate_sure, other.moment, *spans)


def _by_pulses(first: MachineClock, second: MachineClock, drift: MutualDrift | None) -> Bounds | None:
    """At the moment of the second's line; the first is followed to there by its own."""
    one, other, line = first.error_by_pulses(), second.error_by_pulses(), first.pulse_line
    if one is None or other is None or line is None or drift is None:
        return None
    # Each line is by its own clock: at that moment the first shows so much.
    away = drift.moment - other.middle + one.middle - line.moment
    beyond = max(0, abs(away) - (line.end - line.begin) // 2)
    moved, unsure = round(line.rate * away), math.ceil(line.rate_sure * beyond)
    low, high = other.low - (one.high + moved) - unsure, other.high - (one.low + moved) + unsure
    return Bounds(low, high, min(one.samples, other.samples))


def shift_of(by: JoinedBy, drift: MutualDrift | None, span: tuple[int, int]) -> tuple[ClockShift, int]:
    """How times of the second clock are moved, and how far that may be wrong anywhere in its `span`, nanoseconds."""
    if drift is None:
        return ClockShift(by.ahead.middle, 0.0, 0), by.ahead.half_width
    ahead = by.ahead.middle
    # Beyond the pulses of either the drift is taken to go on, as surely as it was measured.
    begin, end = max(drift.first[0] + ahead, drift.second[0]), min(drift.first[1] + ahead, drift.second[1])
    beyond = max(0, begin - span[0], span[1] - end)
    return ClockShift(ahead, drift.rate, drift.moment), by.ahead.half_width + math.ceil(drift.sure * beyond)
