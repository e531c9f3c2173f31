"""What a record says of time besides how late sentences come: pulses, servers, this computer's clock and its steps."""

from collections import deque
from collections.abc import Sequence
from typing import TYPE_CHECKING, Final, NamedTuple

from pale_heron.core.clock import events
from pale_heron.core.clock.host import HostClock
from pale_heron.core.clock.naming import SecondNamed, SecondNaming
from pale_heron.core.clock.ntp import NetworkServer
from pale_heron.core.clock.pulse import PulseSnapshot, PulseTracker
from pale_heron.core.frames import ENDING_EVENTS, IN, NMEA, OK, TEXT, Event, Frame
from pale_heron.core.nmea.raw import TIME_FIELD, time_of_day
from pale_heron.core.wire.visible import safe_label, safe_text

if TYPE_CHECKING:
    from pale_heron.core.clock.printed_pulse import OwnCounter, PrintedPulse

MOST_SOURCES: Final = 16
MOST_SERVERS: Final = 16
MOST_NAMINGS: Final = 32
STEPS_KEPT: Final = 100
ANSWERS_KEPT: Final = 1500
"""Of each server: a day of one answer a minute."""


class ClockStep(NamedTuple):
    """Somebody set this computer's clock, by so many seconds."""

    time: int
    seconds: float


class ServerAnswer(NamedTuple):
    """When a server was asked, and by how many nanoseconds it was ahead of this computer."""

    time: int
    offset_ns: int


class ServerHistory(NamedTuple):
    """The last answers of one server, the oldest first."""

    server: str
    answers: tuple[ServerAnswer, ...]


class ClockSnapshot(NamedTuple):
    """What is known besides the lags of the lanes."""

    pulses: tuple[PulseSnapshot, ...] = ()
    network: tuple[NetworkServer, ...] = ()
    host: HostClock | None = None
    zone: str = ""
    steps: tuple[ClockStep, ...] = ()
    named: tuple[SecondNamed, ...] = ()
    asked: tuple[ServerHistory, ...] = ()


NOTHING_KNOWN: Final = ClockSnapshot()


class ClockTracker:
    """Feed it the events of a record, and the frames of its lanes; it can be pickled."""

    def __init__(self) -> None:
        self._sources: dict[str, PulseTracker] = {}
        self._printed: dict[str, dict[str, PrintedPulse]] = {}
        """By lane, then by source."""
        self._counters: dict[str, OwnCounter] = {}
        self._namings: dict[tuple[str, str], SecondNaming] = {}
        self._network: dict[str, NetworkServer] = {}
        self._asked: dict[str, deque[ServerAnswer]] = {}
        self._host: HostClock | None = None
        self._zone = ""
        self._steps: deque[ClockStep] = deque(maxlen=STEPS_KEPT)

    def heed(self, event: Event) -> None:
        """Take what concerns time; other events pass."""
        details = event.details
        if event.name == events.PULSE:
            self._pulse(str(details.get("source", "")), event.time, _own(details.get("own_ns")))
        elif event.name == events.PULSE_SOURCE:
            self._listen(event)
        elif event.name == events.PULSES_END:
            self._end(str(details.get("source", "")))
        elif event.name == events.NETWORK_TIME:
            server = events.network_of(details)
            if server is not None and (server.server in self._network or len(self._network) < MOST_SERVERS):
                self._network[server.server] = server
                if server.best is not None:
                    answers = self._asked.setdefault(server.server, deque(maxlen=ANSWERS_KEPT))
                    answers.append(ServerAnswer(event.time, server.best.offset_ns))
        elif event.name == events.HOST_CLOCK:
            self._host = events.host_of(details) or self._host
            self._zone = safe_label(str(details.get("zone", "")))
        elif event.name == events.CLOCK_STEP:
            self._steps.append(ClockStep(event.time, events.seconds_of(details)))
        elif event.name in ENDING_EVENTS and event.lane:
            for name in self._printed.get(event.lane, ()):
                self._sources[name].break_off()

    def _listen(self, event: Event) -> None:
        # Loaded with the first source: most benches never have one, and the first picture need not wait.
        from pale_heron.core.clock.printed_pulse import OwnCounter, PrintedPulse
        from pale_heron.core.clock.sources import PRINTED, source_typed

        text, details = str(event.details.get("source", "")), event.details
        try:
            source = source_typed(text)
        except ValueError:
            return
        tracker = self._sources.get(text)
        if tracker is None:
            if len(self._sources) >= MOST_SOURCES:
                return
            tracker = self._sources[text] = PulseTracker(text, source.lane, source.period)
        tracker.left = False
        if source.kind == PRINTED and text not in self._printed.get(source.lane, {}):
            self._printed.setdefault(source.lane, {})[text] = PrintedPulse(source.what)
            self._counters[text] = OwnCounter()
        tracker.trouble = safe_label(str(details.get("trouble", "")))
        if tracker.trouble:
            tracker.break_off()
        resolution = details.get("resolution_ns")
        tracker.resolution_ns = resolution if isinstance(resolution, int) and resolution > 0 else 0

    def _end(self, source: str) -> None:
        if source in self._sources:
            self._sources[source].break_off()
            self._sources[source].left = True
        for sources in self._printed.values():
            sources.pop(source, None)

    def _pulse(self, source: str, moment: int, own: int | None) -> None:
        tracker = self._sources.get(source)
        if tracker is None:
            return
        tracker.take(moment, own)
        for (_, other), naming in self._namings.items():
            if other == source:
                naming.pulse(moment)

    @property
    def listens(self) -> bool:
        """Whether there is anything to hear in frames."""
        return bool(self._sources)

    def hear(self, frames: Sequence[Frame]) -> None:
        """Lines that are pulses, and sentences that tell a time."""
        for frame in frames:
            if frame.time is None or frame.direction is not IN:
                continue
            if frame.kind is TEXT:
                printed = self._printed.get(frame.lane)
                if printed:
                    line = safe_text(frame.data.strip(b"\r\n"))
                    for source, reader in list(printed.items()):
                        is_pulse, said = reader.read(line)
                        if is_pulse:
                            self._pulse(source, frame.time, self._counters[source].take(frame.time, said))
            elif frame.kind is NMEA and frame.status is OK:
                self._told(frame, frame.time)

    def _told(self, frame: Frame, arrived: int) -> None:
        place = TIME_FIELD.get(frame.type[-3:], 0)
        fields = frame.data.split(b",", place + 1) if place else []
        told = time_of_day(fields[place]) if len(fields) > place + 1 else None
        if told is None:
            return
        for source in self._sources:
            naming = self._namings.get((frame.lane, source))
            if naming is None:
                if len(self._namings) >= MOST_NAMINGS:
                    continue
                naming = self._namings[frame.lane, source] = SecondNaming(frame.lane, source)
            naming.tell(told, arrived)

    def snapshot(self) -> ClockSnapshot:
        """How it stands."""
        return ClockSnapshot(
            pulses=tuple(each.snapshot() for each in self._sources.values()),
            network=tuple(self._network.values()),
            host=self._host,
            zone=self._zone,
            steps=tuple(self._steps),
            named=tuple(each.snapshot() for each in self._namings.values()),
            asked=tuple(ServerHistory(server, tuple(answers)) for server, answers in self._asked.items()),
        )


def _own(given: object) -> int | None:
    return given if isinstance(given, int) and not isinstance(given, bool) and 0 <= given < 1 << 63 else None
