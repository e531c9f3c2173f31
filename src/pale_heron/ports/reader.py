"""One thread a lane: opens it, reads it, sets it anew, notices that it is gone, and opens it again when it is back."""

import contextlib
import threading
from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from pale_heron.core.frames import SECOND, Chunk, Direction, Event
from pale_heron.core.line.evidence import DriverErrors
from pale_heron.core.line.settings import LineSettings, settings_details, short_line
from pale_heron.core.trouble import Trouble, fault_words
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.clock import StampClock
from pale_heron.ports.gatherer import Gatherer, Piece
from pale_heron.ports.inbox import Inbox
from pale_heron.ports.opening import Gone, Stream
from pale_heron.ports.sender import Sender, Sending

RETRY_S = 0.25
FAULT_S = 2.0
WAIT_S = 0.1
FEW_BYTES = 64
BREATH_S = 0.002
"""After a read of few bytes the thread rests this long: a burst then costs a handful of reads instead of hundreds."""

LOOK_NS = SECOND
"""How often the driver is asked for its errors."""

BREAK_S = 0.25
Order = Callable[[Stream], None]


class Reader:
    """Life of a lane: opening, then open or refused; open, then lost; lost or refused, then opening again."""

    def __init__(self, spec: LaneSpec, inbox: Inbox, clock: StampClock) -> None:
        self._spec = spec
        self._inbox = inbox
        self._clock = clock
        self._adapter = spec.adapter
        self._adapter_asked = bool(spec.adapter)
        self._stream: Stream | None = None
        self._orders: deque[Order] = deque()
        self._errors: DriverErrors | None = None
        self._errors_asked = 0
        self.tap: Callable[[Chunk], None] | None = None
        """Whoever wants to see received chunks as they come, from this lane's thread."""
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name=f"lane {spec.name}", daemon=True)
        self._sender = Sender(
            spec.name,
            stream=lambda: self._stream,
            settings=lambda: self._spec.settings,
            sent=lambda pieces: self._hand_over(pieces, Direction.OUT),
            now=clock.now,
            failed=lambda why: self._tell("not-sent", reason=why),
        )

    @property
    def name(self) -> str:
        return self._spec.name

    @property
    def spec(self) -> LaneSpec:
        """The lane as it is set now."""
        return self._spec

    def know_dialect(self, name: str) -> None:
        """Remember which dialect its device speaks; nothing changes on the line."""
        self._spec = replace(self._spec, dialect=name)

    def intend(self, settings: Mapping[str, str]) -> None:
        """Remember how the settings of its module are meant to be."""
        self._spec = replace(self._spec, intended=dict(settings))

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        """Ask it to end."""
        self._stop.set()
        self._sender.end()

    def join(self, wait_s: float) -> bool:
        """Wait for its end; False where it hangs (a driver that does not let go)."""
        self._thread.join(wait_s)
        return not self._thread.is_alive()

    def send(self, sending: Sending) -> None:
        """Send in turn. Raises Trouble for a lane that only listens, and for one that is not open."""
        if self._spec.settings.listen_only:
            raise Trouble(f"{self.name} only listens: nothing is sent", "Switch listen only off in the settings first")
        if self._stream is None:
            raise Trouble(f"{self.name} is not open", "Line says why; send it again when the lane is back")
        self._sender.put(sending)

    def change(self, settings: LineSettings) -> None:
        """Set the lane anew, at once where it is open; the event `settings` or `settings-refused` tells the end."""

        def set_anew(stream: Stream) -> None:
            wanted = replace(self._spec, settings=settings)
            try:
                stream.change(wanted)
            except Trouble as trouble:
                self._tell("settings-refused", reason=str(trouble))
                return
            self._spec = wanted
            self._tell("settings", **self._described(stream.settings))

        if self._stream is None:
            self._spec = replace(self._spec, settings=settings)
            self._tell("settings", **self._described(settings))
        else:
            self._orders.append(set_anew)

    def send_break(self) -> None:
        """Hold the line low for a while. Raises Trouble for a lane that only listens."""
        if self._spec.settings.listen_only:
            raise Trouble(f"{self.name} only listens: nothing is sent", "Switch listen only off in the settings first")

        def hold_low(stream: Stream) -> None:
            try:
                stream.send_break(BREAK_S)
            except Trouble as trouble:
                self._tell("not-sent", reason=str(trouble))
                return
            self._tell("break", seconds=BREAK_S)

        self._orders.append(hold_low)

    def _run(self) -> None:
        while not self._stop.is_set():
            try:
                self._live()
            except Exception as fault:
                # Whatever it is, the lane must not end in silence, and must be tried again.
                self._tell("lost", reason=fault_words(fault).rstrip("."))
                self._stop.wait(FAULT_S)

    def _live(self) -> None:
        opened_before, refusal = False, ""
        while not self._stop.is_set():
            try:
                self._find_again()
                stream = Stream(self._spec)
            except Trouble as trouble:
                if trouble.what != refusal and not opened_before:
                    refusal = trouble.what
                    self._tell("refused", reason=trouble.what, way_out=trouble.way_out, cause=trouble.cause)
                self._stop.wait(RETRY_S)
                continue
            self._note_adapter()
            self._tell("returned" if opened_before else "opened", **self._described(stream.settings))
            opened_before = True
            self._stream = stream
            self._read(stream)

    def _note_adapter(self) -> None:
        if not self._spec.networked and not self._adapter_asked:
            self._adapter_asked = True
            # Asking the system what hangs on it takes a while and is of use for devices alone.
            from pale_heron.ports.listing import key_of

            with contextlib.suppress(OSError):
                self._adapter = key_of(self._spec.address)

    def _find_again(self) -> None:
        """Where the adapter is known, take the device name that it has now. Trouble where it is not plugged in."""
        if self._adapter:
            from pale_heron.ports.listing import device_of

            device = device_of(self._adapter)
            if device is None:
                raise Trouble(f"The adapter ({self._adapter}) is not plugged in", "Plug it in", "absent")
            self._spec = replace(self._spec, address=device, adapter=self._adapter)

    def _read(self, stream: Stream) -> None:
        """Until it is gone or the end is asked for."""
        gatherer = Gatherer(stream.settings.byte_ns)
        try:
            while not self._stop.is_set():
                while self._orders:
                    self._orders.popleft()(stream)
                    self._hand_over(gatherer.take())
                    gatherer = Gatherer(stream.settings.byte_ns)
                data = stream.read(self._wait(gatherer))
                now = self._clock.now()
                self._hand_over(gatherer.add(data, now) if data else gatherer.due(now))
                self._ask_errors(stream, now)
                if 0 < len(data) < FEW_BYTES:
                    self._stop.wait(BREATH_S)
            self._hand_over(gatherer.take())
            self._tell("closed")
        except Gone as gone:
            self._hand_over(gatherer.take())
            self._tell("lost", reason=str(gone))
        finally:
            self._stream = None
            stream.close()

    def _wait(self, gatherer: Gatherer) -> float:
        deadline = gatherer.deadline
        return WAIT_S if deadline is None else min(WAIT_S, max(0.0, (deadline - self._clock.now()) / SECOND))

    def _ask_errors(self, stream: Stream, now: int) -> None:
        """Tell what the driver counted, when that has changed."""
        if now - self._errors_asked < LOOK_NS:
            return
        self._errors_asked = now
        errors = stream.errors()
        if errors is not None and errors != self._errors:
            self._errors = errors
            self._tell("driver-errors", **errors._asdict())

    def _hand_over(self, pieces: list[Piece], direction: Direction = Direction.IN) -> None:
        for piece in pieces:
            chunk = Chunk(self._spec.name, direction, piece.time, piece.data)
            self._inbox.put(chunk)
            if self.tap is not None and direction is Direction.IN:
                self.tap(chunk)

    def _described(self, settings: LineSettings) -> dict[str, Any]:
        line = {"settings": short_line(settings), "adapter": self._adapter}
        return {"address": self._spec.address, "role": self._spec.role, **line, **settings_details(settings)}

    def _tell(self, name: str, **details: Any) -> None:
        self._inbox.put(Event(self._clock.now(), self._spec.name, name, details))
