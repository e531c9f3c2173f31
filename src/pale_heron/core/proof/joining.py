"""How far two computers' clocks lie apart, as far as two captures tell: an interval that holds it, never a bare figure.

    pulses      a pulse begins a second of UTC, so its place in this computer's second is the error of this computer;
                which second it was follows from sentences
    sentences   a sentence comes after the second that it tells, and within LATEST_NS of it: the error of this computer
                is at most the least lag, and at least that less LATEST_NS
    messages    what one sends and the other receives arrives later than it was sent, both ways: each bounds the
                difference of the clocks on one side (as network time does, RFC 5905 section 8)
    hosts       each system's own word on how far its clock may be wrong at most

Each is looked at in the first and in the second half of its time; an interval holds both, so that drift is in it.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from typing import Final, NamedTuple

from pale_heron.core.clock.events import HOST_CLOCK, PULSE, host_of
from pale_heron.core.clock.own_time import OwnTime
from pale_heron.core.figures import bound
from pale_heron.core.frames import IN, NMEA, OK, OUT, SECOND, Event, Frame
from pale_heron.core.nmea.raw import TIME_FIELD
from pale_heron.core.wire.visible import safe_label

PULSES, SENTENCES, MESSAGES, HOSTS = "pulses", "sentences", "messages", "hosts"
METHODS: Final = {
    PULSES: "GNSS time, by pulses and sentences of both",
    SENTENCES: "GNSS time, by sentences of both, taken to come within a second",
    MESSAGES: "messages that crossed both ways",
    HOSTS: "hosts that were both synchronised",
}
JOINED: Final = "joined"
"""The event of a capture that was joined from two."""

LATEST_NS: Final = SECOND
BUCKET_NS: Final = 10 * SECOND
MOST_MESSAGES: Final = 200_000
SHORTEST: Final = 6
"""A message of fewer bytes says too little to be known again."""

LEAST_PULSES: Final = 5
SURE_NS: Final = SECOND // 4
"""What lies between two pulses as it may be seen: a phase that spreads wider names no second."""


class Bounds(NamedTuple):
    """A number of nanoseconds that lies from `low` to `high`; `samples` is what says so."""

    low: int
    high: int
    samples: int

    @property
    def middle(self) -> int:
        return (self.low + self.high) // 2

    @property
    def half_width(self) -> int:
        return (self.high - self.low + 1) // 2


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


class JoinedBy(NamedTuple):
    """`ahead` is by how much the clock of the second capture is ahead of that of the first."""

    method: str
    ahead: Bounds


class MachineEvidence:
    """What one capture says of its computer's clock; feed it lines and events in their order."""

    def __init__(self) -> None:
        self._own: dict[str, OwnTime] = {}
        self._lags: dict[str, dict[int, tuple[int, int]]] = {}
        """By lane and stretch of time: the least lag, and how many there were."""
        self._pulses: dict[str, list[int]] = {}
        self._host_s: float | None = None
        self.sent: dict[bytes, int | None] = {}
        """When each message was sent; None for one that was sent twice."""

    def feed(self, entry: Frame | Event) -> None:
        """One more line."""
        if isinstance(entry, Event):
            self.heed(entry)
        elif entry.time is not None and entry.direction is IN and entry.kind is NMEA and entry.status is OK:
            self._hear(entry, entry.time)
        elif entry.time is not None and entry.direction is OUT and len(self.sent) < MOST_MESSAGES:
            message = entry.data.strip()
            if len(message) >= SHORTEST:
                self.sent[message] = None if message in self.sent else entry.time

    def heed(self, event: Event) -> None:
        """What happened; pulses and the host's clock stand in no list of lines."""
        if event.name == PULSE:
            self._pulses.setdefault(str(event.details.get("source", "")), []).append(event.time)
        elif event.name == HOST_CLOCK:
            host = host_of(event.details)
            worst_s = host.maximum_error_s if host is not None and host.synchronised else math.inf
            self._host_s = max(worst_s, self._host_s or 0.0)

    @property
    def host(self) -> int | None:
        """How far the system took its clock to be wrong at most, nanoseconds, at the worst moment of the record.

        None where it does not say, or where it was not synchronised at any time.
        """
        known = self._host_s is not None and math.isfinite(self._host_s)
        return round(self._host_s * SECOND) if known and self._host_s is not None else None

    def _hear(self, frame: Frame, arrived: int) -> None:
        own = self._own.setdefault(frame.lane, OwnTime())
        told = own.read(frame)
        if frame.type[-3:] not in TIME_FIELD or told is None or not own.vouched:
            return
        lag = arrived - told
        buckets = self._lags.setdefault(frame.lane, {})
        place = arrived // BUCKET_NS
        least, count = buckets.get(place, (lag, 0))
        buckets[place] = min(least, lag), count + 1

    def error_by_sentences(self) -> Bounds | None:
        """By how much this computer is ahead of UTC; None where no receiver vouches for a time, or they contradict."""
        found = [_of_halves(sorted(buckets.items())) for buckets in self._lags.values() if buckets]
        if not found:
            return None
        low, high = max(each.low for each in found), min(each.high for each in found)
        return Bounds(low, high, sum(each.samples for each in found)) if low <= high else None

    def error_by_pulses(self) -> Bounds | None:
        """The same by pulses, whose second the sentences name."""
        about = self.error_by_sentences()
        times = max(self._pulses.values(), key=len, default=[])
        if about is None or len(times) < LEAST_PULSES:
            return None
        first = times[0] % SECOND
        phases = sorted((each - first + SECOND // 2) % SECOND - SECOND // 2 + first for each in times)
        # One in twenty at each end may be something else: a doubled pulse, a stamp that came late.
        trimmed = phases[len(phases) // 20 : len(phases) - len(phases) // 20]
        # A clock that drifts spreads them evenly: what was left out of it is a ninth of the rest, half at each end.
        beyond = -(-(trimmed[-1] - trimmed[0]) // 16)
        low, high = trimmed[0] - beyond, trimmed[-1] + beyond
        if high - low > SURE_NS:
            return None
        seconds = [about.low // SECOND + step for step in range(-1, 3)]
        fits = [each for each in seconds if about.low <= each * SECOND + high and each * SECOND + low <= about.high]
        if len(fits) != 1:
            return None
        return Bounds(fits[0] * SECOND + low, fits[0] * SECOND + high, len(times))


def _of_halves(buckets: Sequence[tuple[int, tuple[int, int]]]) -> Bounds:
    """The error that both halves allow together: what drifts is in it."""
    middle = (len(buckets) + 1) // 2
    least = [min(lag for _, (lag, _) in half) for half in (buckets[:middle], buckets[middle:]) if half]
    return Bounds(min(least) - LATEST_NS, max(least), sum(count for _, (_, count) in buckets))


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
    first: MachineEvidence,
    second: MachineEvidence,
    there: Sequence[tuple[int, int]],
    back: Sequence[tuple[int, int]],
) -> list[JoinedBy]:
    """All that is possible, the surest first."""
    found = []
    for method, one, other in (
        (PULSES, first.error_by_pulses(), second.error_by_pulses()),
        (SENTENCES, first.error_by_sentences(), second.error_by_sentences()),
    ):
        if one is not None and other is not None:
            samples = min(one.samples, other.samples)
            found.append(JoinedBy(method, Bounds(other.low - one.high, other.high - one.low, samples)))
    crossed = ahead_by_messages(there, back)
    if crossed is not None:
        found.append(JoinedBy(MESSAGES, crossed))
    if first.host is not None and second.host is not None:
        both = first.host + second.host
        found.append(JoinedBy(HOSTS, Bounds(-both, both, 2)))
    return sorted(found, key=lambda each: each.ahead.half_width)
