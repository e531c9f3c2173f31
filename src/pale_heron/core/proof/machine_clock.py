"""What one capture says of the clock of the computer that took it: by how much it is ahead of UTC.

    pulses      a pulse begins a second of UTC, so its place in this computer's second is the error of this computer;
                which second it was follows from sentences, or from the system's own word
    sentences   a sentence comes after the second that it tells: the error is at most the least lag. Where the line has
                room between its rounds a sentence comes within LATEST_NS, so the error is at least that less; a line
                that is never quiet may be as far behind as a buffer of its sender is large
    host        the system's own word on how far its clock may be wrong at most

A clock that drifts is followed by its pulses: their line through time is taken out, and what is left bounds the error.
"""

import math
from collections import deque
from collections.abc import Sequence
from statistics import median
from typing import Final, NamedTuple

from pale_heron.core import figures
from pale_heron.core.clock.events import HOST_CLOCK, PULSE, PULSE_SOURCE, host_of
from pale_heron.core.clock.own_time import OwnTime
from pale_heron.core.frames import IN, NMEA, OK, OUT, SECOND, Event, Frame
from pale_heron.core.line.settings import settings_of
from pale_heron.core.nmea.raw import TIME_FIELD

LATEST_NS: Final = SECOND
BEHIND_NS: Final = 60 * SECOND
"""A line that is never quiet is no farther behind: no receiver keeps more of what it could not say."""

QUIET_NS: Final = SECOND // 50
ROUNDS: Final = 600
BUCKET_NS: Final = 10 * SECOND
MOST_MESSAGES: Final = 200_000
SHORTEST: Final = 6
"""A message of fewer bytes says too little to be known again."""

LEAST_PULSES: Final = 5
FOR_A_LINE: Final = 15
"""Of fewer pulses no drift is taken."""

RECENT: Final = 5
SURE_NS: Final = SECOND // 4
"""What lies between two pulses as it may be seen: a phase that spreads wider names no second."""

FINEST_NS: Final = 1000
"""No stamp of a pulse is believed more finely: to take it costs as much."""

_PRINTED: Final = "printed:"
"""A pulse that is told by a line of text comes as late as that line."""


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

    def with_other(self, other: "Bounds") -> "Bounds | None":
        """What both allow; None where they contradict each other."""
        low, high = max(self.low, other.low), min(self.high, other.high)
        return Bounds(low, high, min(self.samples, other.samples)) if low <= high else None


class PulseLine(NamedTuple):
    """Where pulses lie in this computer's second: within `phase` at `moment`, nanoseconds, and moving by `rate`.

    It holds from `begin` to `end`; the rate is known to `rate_sure`.
    """

    phase: Bounds
    moment: int
    rate: float
    rate_sure: float
    begin: int
    end: int


class _LaneTimes:
    """What one receiver tells, and whether its line has room between rounds."""

    def __init__(self) -> None:
        self.own = OwnTime()
        self.byte_ns = 0
        self.least: dict[int, tuple[int, int]] = {}
        """By stretch of time: the least lag, and how many there were."""
        self._told: int | None = None
        self._before: tuple[int, int] | None = None
        self._within: deque[int] = deque(maxlen=ROUNDS)
        self._pauses: deque[int] = deque(maxlen=ROUNDS)

    def hear(self, frame: Frame, arrived: int) -> None:
        """One sentence."""
        told = self.own.read(frame)
        tells = frame.type[-3:] in TIME_FIELD and told is not None
        begins = tells and told != self._told
        if self._before is not None:
            gap = arrived - self._before[0] - self._before[1] * self.byte_ns
            (self._pauses if begins else self._within).append(gap)
        self._before = arrived, len(frame.data)
        self._told = told if tells else self._told
        if tells and told is not None and self.own.vouched:
            lag, place = arrived - told, arrived // BUCKET_NS
            least, count = self.least.get(place, (lag, 0))
            self.least[place] = min(least, lag), count + 1

    @property
    def has_room(self) -> bool:
        """Whether it falls quiet before a round: then none before it waits any more."""
        usual = median(self._within) if self._within else 0
        return bool(self._pauses) and median(self._pauses) > 2 * max(0, usual) + QUIET_NS

    def error(self) -> Bounds:
        """The error that both halves allow together: what drifts is in it."""
        buckets = sorted(self.least.items())
        middle = (len(buckets) + 1) // 2
        least = [min(lag for _, (lag, _) in half) for half in (buckets[:middle], buckets[middle:]) if half]
        behind = LATEST_NS if self.has_room else BEHIND_NS
        return Bounds(min(least) - behind, max(least), sum(count for _, (_, count) in buckets))


class MachineClock:
    """Feed it lines and events in their order."""

    def __init__(self) -> None:
        self._lanes: dict[str, _LaneTimes] = {}
        self._pulses: dict[str, list[int]] = {}
        self._resolution: dict[str, int] = {}
        self._host_s: float | None = None
        self.sent: dict[bytes, int | None] = {}
        """When each message was sent; None for one that was sent twice."""

    def feed(self, entry: Frame | Event) -> None:
        """One more line."""
        if isinstance(entry, Event):
            self.heed(entry)
        elif entry.time is not None and entry.direction is IN and entry.kind is NMEA and entry.status is OK:
            self._lane(entry.lane).hear(entry, entry.time)
        elif entry.time is not None and entry.direction is OUT and len(self.sent) < MOST_MESSAGES:
            message = entry.data.strip()
            if len(message) >= SHORTEST:
                self.sent[message] = None if message in self.sent else entry.time

    def heed(self, event: Event) -> None:
        """What happened; pulses and the host's clock stand in no list of lines."""
        source = str(event.details.get("source", ""))
        if event.name == PULSE and not source.startswith(_PRINTED):
            self._pulses.setdefault(source, []).append(event.time)
        elif event.name == PULSE_SOURCE:
            resolution = event.details.get("resolution_ns")
            self._resolution[source] = min(resolution, SECOND) if isinstance(resolution, int) else 0
        elif event.name == HOST_CLOCK:
            host = host_of(event.details)
            worst_s = host.maximum_error_s if host is not None and host.synchronised else math.inf
            self._host_s = max(worst_s, self._host_s or 0.0)
        elif event.lane and (set_to := settings_of(event.details)) is not None:
            self._lane(event.lane).byte_ns = set_to.byte_ns

    def _lane(self, name: str) -> _LaneTimes:
        return self._lanes.setdefault(name, _LaneTimes())

    @property
    def host(self) -> int | None:
        """How far the system took its clock to be wrong at most, nanoseconds, at the worst moment of the record.

        None where it does not say, or where it was not synchronised at any time.
        """
        known = self._host_s is not None and math.isfinite(self._host_s)
        return round(self._host_s * SECOND) if known and self._host_s is not None else None

    def error_by_sentences(self) -> Bounds | None:
        """By how much this computer is ahead of UTC; None where no receiver vouches for a time, or they contradict."""
        found = [lane.error() for lane in self._lanes.values() if lane.least]
        if not found:
            return None
        low, high = max(each.low for each in found), min(each.high for each in found)
        return Bounds(low, high, sum(each.samples for each in found)) if low <= high else None

    def error_by_host(self) -> Bounds | None:
        """The same by the system's own word."""
        return None if self.host is None else Bounds(-self.host, self.host, 1)

    def error_by_pulses(self) -> Bounds | None:
        """The same by pulses, at the moment of their line; None where no second, or more than one, is theirs."""
        line, said = self.pulse_line, (self.error_by_sentences(), self.error_by_host())
        known = [each for each in said if each is not None]
        if line is None or not known:
            return None
        about = known[0] if len(known) == 1 else known[0].with_other(known[1])
        if about is None:
            return None
        low, high = line.phase.low, line.phase.high
        seconds = [about.low // SECOND + step for step in range(-1, (about.high - about.low) // SECOND + 3)]
        fits = [each for each in seconds if about.low <= each * SECOND + high and each * SECOND + low <= about.high]
        if len(fits) != 1:
            return None
        return Bounds(fits[0] * SECOND + low, fits[0] * SECOND + high, line.phase.samples)

    @property
    def contradiction(self) -> str:
        """What its receivers and its system say against each other, in words; empty where they agree."""
        sentences, host = self.error_by_sentences(), self.error_by_host()
        if sentences is None or host is None or sentences.with_other(host) is not None:
            return ""
        ahead = (sentences.low if sentences.low > 0 else sentences.high) / SECOND
        way, most = "ahead" if ahead > 0 else "behind", figures.bound(host.high / SECOND)
        off = figures.duration(abs(ahead))
        return f"by its receivers its clock is {off} {way} or more, by its own word at most {most}"

    @property
    def pulse_line(self) -> PulseLine | None:
        """Of the source with the most pulses; None of too few, or where they are spread too widely."""
        source = max(self._pulses, key=lambda each: len(self._pulses[each]), default="")
        times = self._pulses.get(source, [])
        return _line_of(times, max(FINEST_NS, self._resolution.get(source, 0))) if len(times) >= LEAST_PULSES else None


def _line_of(times: Sequence[int], resolution: int) -> PulseLine | None:
    phases = _unwrapped(times)
    moment, rate, apart = (times[0] + times[-1]) // 2, 0.0, 0.0
    if len(times) >= FOR_A_LINE:
        third = len(times) // 3
        early, late = (
            (median(times[begin:end]), median(phases[begin:end])) for begin, end in ((0, third), (-third, len(times)))
        )
        apart = late[0] - early[0]
        rate = (late[1] - early[1]) / apart if apart > 0 else 0.0
    rest = sorted(phase - round(rate * (time - moment)) for time, phase in zip(times, phases, strict=True))
    # One in twenty at each end may be something else: a doubled pulse, a stamp that came late.
    trimmed = rest[len(rest) // 20 : len(rest) - len(rest) // 20]
    # Stamps come late and never early, so that the edge itself lies where something was left out; and of a minute of
    # pulses the line is known to a tenth of what they spread over.
    width = trimmed[-1] - trimmed[0]
    beyond = -(-width // 5) + resolution
    low, high = trimmed[0] - beyond, trimmed[-1] + beyond
    if high - low > SURE_NS:
        return None
    sure = (high - low) / apart if apart > 0 else 0.0
    return PulseLine(Bounds(low, high, len(times)), moment, rate, sure, times[0], times[-1])


def _unwrapped(times: Sequence[int]) -> list[int]:
    """The place of each in its second, so that a clock which drifts over an edge goes on behind it."""
    found: list[int] = []
    recent: deque[int] = deque(maxlen=RECENT)
    for time in times:
        about = int(median(recent)) if recent else time % SECOND
        phase = about + (time - about + SECOND // 2) % SECOND - SECOND // 2
        recent.append(phase)
        found.append(phase)
    return found
