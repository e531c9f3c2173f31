"""What a live bench notes of time: pulses as they come, time servers that are asked, how good this computer's clock is.

Each source has a thread of its own, which waits; what it finds goes into the record as events, and everything that is
said of time follows from those (`core/clock`), as on a replay.
"""

import threading
from collections.abc import Callable, Mapping
from typing import Any, Final, Protocol

from pale_heron.core.clock.events import (
    HOST_CLOCK,
    NETWORK_TIME,
    PULSE,
    PULSE_SOURCE,
    PULSES_END,
    host_details,
    network_details,
)
from pale_heron.core.clock.host import HostClock
from pale_heron.core.clock.sources import KERNEL, LINE, PRINTED, PulseSource
from pale_heron.core.frames import Event
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.ports.clock import StampClock

MOST_SOURCES: Final = 16
AGAIN_S: Final = 1.0
"""A source that gives nothing is opened again after so long."""

ASKED_EVERY_S: Final = 64.0
"""A server that is asked more often may refuse (RFC 5905, 7.4: RATE)."""

HOST_EVERY_S: Final = 60.0


class TimedLane(Protocol):
    """What is needed of a lane whose control lines are watched."""

    def duplicate(self) -> int | None: ...

    @property
    def usb(self) -> bool: ...


class Timekeeper:
    """`put` takes events for the record; `lane` gives a lane by its nickname."""

    def __init__(
        self, put: Callable[[Event], None], lane: Callable[[str], TimedLane | None], clock: StampClock
    ) -> None:
        self._put = put
        self._lane = lane
        self._clock = clock
        self._stop = threading.Event()
        self._guard = threading.Lock()
        self._sources: dict[str, threading.Event] = {}
        """What ends the thread of each source."""
        self._servers: set[str] = set()
        self._host: HostClock | None = None

    def start(self) -> None:
        """Note how good this computer's clock is, now and whenever that changes."""
        threading.Thread(target=self._watch_host, name="host clock", daemon=True).start()

    def stop(self) -> None:
        """Listen and ask no more."""
        self._stop.set()
        for each in list(self._sources.values()):
            each.set()

    def listen(self, source: PulseSource) -> None:
        """Take its pulses from now on. Trouble where it is listened to already, or there are too many."""
        with self._guard:
            if source.text in self._sources:
                raise Trouble(f"{source.text} is listened to already", "Clock shows it: key 4")
            if len(self._sources) >= MOST_SOURCES:
                raise Trouble(f"There are {MOST_SOURCES} sources of pulses already", "End one of them first")
            if source.lane and self._lane(source.lane) is None:
                raise Trouble(f"There is no lane {source.lane!r}", "Name one of those that are open here")
            ended = self._sources[source.text] = threading.Event()
        self._note(PULSE_SOURCE, source=source.text)
        if source.kind != PRINTED:
            threading.Thread(target=self._listen, args=(source, ended), name=source.text, daemon=True).start()

    def leave(self, text: str) -> None:
        """Listen to a source no more."""
        with self._guard:
            ended = self._sources.pop(text, None)
        if ended is not None:
            ended.set()
            self._note(PULSES_END, source=text)

    @property
    def sources(self) -> tuple[str, ...]:
        """Those that are listened to."""
        return tuple(self._sources)

    def ask(self, host: str, port: int) -> None:
        """Ask a time server, now and again and again."""
        name = f"{host}:{port}"
        with self._guard:
            if name in self._servers:
                return
            self._servers.add(name)
        threading.Thread(target=self._ask, args=(host, port), name=name, daemon=True).start()

    def _note(self, name: str, **details: Any) -> None:
        self._put(Event(self._clock.now(), "", name, details))

    def _listen(self, source: PulseSource, ended: threading.Event) -> None:
        from pale_heron.ports.pulses import NoPulses, ReadPulse

        told: tuple[str, int] = "", 0
        while not ended.is_set():
            reader = None
            try:
                reader = self._opened(source)
                while reader is not None and not ended.is_set():
                    pulse: ReadPulse | None = reader.next()
                    if told != ("", reader.resolution_ns):
                        told = "", reader.resolution_ns
                        self._note(PULSE_SOURCE, source=source.text, resolution_ns=told[1])
                    if pulse is not None and not ended.is_set():
                        self._take(source, pulse.moment, pulse.sequence)
            except NoPulses as problem:
                if told != (str(problem), 0):
                    told = str(problem), 0
                    self._note(PULSE_SOURCE, source=source.text, trouble=safe_label(told[0]))
            finally:
                if reader is not None:
                    reader.close()
            ended.wait(AGAIN_S)

    def _take(self, source: PulseSource, moment: int, sequence: int | None) -> None:
        details: Mapping[str, Any] = {"source": source.text}
        if sequence is not None:
            details = {**details, "sequence": sequence}
        self._put(Event(moment, "", PULSE, details))

    def _opened(self, source: PulseSource) -> Any:
        """A reader, or None while its lane is not open."""
        from pathlib import Path

        from pale_heron.ports.pulses import ControlLinePulses, KernelPulses, SimulatedPulses

        if source.kind == KERNEL:
            return KernelPulses(Path(source.what), self._clock)
        if source.kind != LINE:
            return SimulatedPulses(source.what, self._clock)
        lane = self._lane(source.lane)
        file = lane.duplicate() if lane is not None else None
        if lane is None or file is None:
            return None
        return ControlLinePulses(file, source.what, self._clock, usb=lane.usb)

    def _ask(self, host: str, port: int) -> None:
        from pale_heron.ports.network_time import ask

        while not self._stop.is_set():
            found = ask(host, port, self._clock, self._stop.is_set)
            if not self._stop.is_set():
                self._note(NETWORK_TIME, **network_details(found))
            self._stop.wait(ASKED_EVERY_S)

    def _watch_host(self) -> None:
        from pale_heron.ports.host_clock import read_host_clock, zone_name

        while not self._stop.is_set():
            host = read_host_clock()
            if host is not None and (self._host is None or self._host.synchronised != host.synchronised):
                self._host = host
                self._note(HOST_CLOCK, **host_details(host, zone_name()))
            self._stop.wait(HOST_EVERY_S)
