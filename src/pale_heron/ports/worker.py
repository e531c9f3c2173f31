"""One thread a lane: opens it, reads it, sets it, notices that it is gone, and opens it again when it is back.

That thread alone changes the lane's state. All others queue orders, which it carries out in turn whatever it is doing:
what is changed while it opens is set as soon as the line is there. `passed` says how far in time it has come: nothing
of before will be handed over any more.
"""

import contextlib
import queue
import threading
from collections.abc import Callable
from dataclasses import replace
from typing import Any

from pale_heron.core.frames import BY_USER, HELD, HELD_ENDED, SECOND, SECRET_FOLLOWS, WAITED, Chunk, Direction, Event
from pale_heron.core.line.diagnosis.evidence import DriverErrors
from pale_heron.core.line.settings import LineSettings, settings_details, short_line
from pale_heron.core.trouble import Trouble, fault_words
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.clock import StampClock
from pale_heron.ports.coalescer import ChunkCoalescer, TimedBytes
from pale_heron.ports.opening import READ_BYTES, ByteStream, OpenStream, StreamGone
from pale_heron.ports.queue import BoundedQueue
from pale_heron.ports.sender import Sender, SendJob

RETRY_S = 0.25
BRIEF_NS, LONGEST_RETRY_S = SECOND, 30.0
"""A connection that lasts no longer is brief; after several of these the pauses grow, up to so long."""

FAULT_S = 2.0
WAIT_S = 0.1
FEW_BYTES = 64
BREATH_S = 0.002
"""After a read of few bytes in the middle of a line the thread rests this long: a line then costs few reads, not one a
byte. What ends a line is handed over at once, and what answers it is read as it comes."""

LOOK_NS = SECOND
"""How often the driver is asked for its errors."""

MOST_WAITING = 1 << 20
BREAK_S = 0.25
LET_GO_LOOK_S = 0.1
NOT_OPEN = "the lane is not open"
Order = Callable[[OpenStream | None], None]
"""Carried out by the lane's thread, which gives the open stream, or None while there is none."""


class LaneWorker:
    """Life of a lane: opening, then open or refused; open, then lost; lost or refused, then opening again."""

    def __init__(self, spec: LaneSpec, inbox: BoundedQueue, clock: StampClock) -> None:
        self._spec = spec
        self._inbox = inbox
        self._clock = clock
        self._adapter = spec.adapter
        self._adapter_asked = bool(spec.adapter)
        self._stream: OpenStream | None = None
        self._orders: queue.SimpleQueue[Order] = queue.SimpleQueue()
        self._errors: DriverErrors | None = None
        self._errors_asked = 0
        self._guard = threading.Lock()
        """Held while bytes are sent and handed over: what answers them is handed over behind them."""
        self._sent = ChunkCoalescer()
        self._taps: tuple[Callable[[Chunk], None], ...] = ()
        self.passed: int | None = None
        """Up to this time everything that came was handed over; None while the lane is not open."""
        self._stop = threading.Event()
        self._let_go = threading.Event()
        """Somebody else is to have the port."""
        self._thread = threading.Thread(target=self._run, name=f"lane {spec.name}", daemon=True)
        self._sender = Sender(
            spec.name,
            write=self._write,
            flush=self._flush,
            settings=lambda: self._spec.settings,
            failed=lambda why: self._note("not-sent", reason=why),
            held=self._note_held,
            hide=lambda skip, count: self._note(SECRET_FOLLOWS, skip=skip, bytes=count),
        )

    @property
    def name(self) -> str:
        return self._spec.name

    @property
    def spec(self) -> LaneSpec:
        """The lane as it is set now."""
        return self._spec

    @property
    def is_open(self) -> bool:
        """Whether its stream is there now."""
        return self._stream is not None

    def duplicate(self) -> int | None:
        """A file number of the open port for whoever watches its control lines; None while there is none."""
        stream = self._stream
        return None if stream is None else stream.duplicate()

    @property
    def usb(self) -> bool:
        """Whether its port hangs on USB, which tells of control lines in steps of its own."""
        name = self._spec.address.lower()
        return "usb" in name or "acm" in name

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        """Ask it to end."""
        self._stop.set()
        self._sender.end()

    def let_go(self) -> None:
        """Close the port, so that others can have it, until `take_up`; the event `closed` says when that is done."""
        self._let_go.set()

    def take_up(self) -> None:
        """Open it again after `let_go`."""
        self._let_go.clear()

    def join(self, wait_s: float) -> bool:
        """Wait for its end; False where it hangs (a driver that does not let go)."""
        if self._thread.ident is not None:
            self._thread.join(wait_s)
        return not self._thread.is_alive()

    def tap(self, listener: Callable[[Chunk], None]) -> Callable[[], None]:
        """Let somebody see received chunks as they come, from this lane's thread; gives what ends that."""
        with self._guard:
            self._taps = (*self._taps, listener)

        def end() -> None:
            with self._guard:
                self._taps = tuple(each for each in self._taps if each is not listener)

        return end

    def send(self, job: SendJob) -> None:
        """Send in turn. Raises Trouble for a lane that only listens, and for one that is not open."""
        self._check_job()
        if self._stream is None:
            raise Trouble(f"{self.name} is not open", "Line says why; send it again when the lane is back")
        self._sender.put(job)

    def change(self, settings: LineSettings) -> None:
        """Set the lane; the event `settings` or `settings-refused` reports the end, soon where a driver is quick."""

        def set_line(stream: OpenStream | None) -> None:
            wanted = replace(self._spec, settings=settings)
            try:
                described = stream.change(wanted) if stream is not None else settings
            except Trouble as trouble:
                self._note("settings-refused", reason=str(trouble))
                return
            self._spec = wanted
            self._note("settings", **self._described(described))

        self._orders.put(set_line)

    def send_break(self) -> None:
        """Hold the line low for a while. Raises Trouble for a lane that only listens, and for one that is not open."""
        self._check_job()
        if self._stream is None:
            raise Trouble(f"{self.name} is not open", "Line says why; try again when the lane is back")

        def hold_low(stream: OpenStream | None) -> None:
            if stream is None or self._spec.settings.listen_only:
                # It was asked for on a line that is no more, or not to be touched any more.
                self._note("not-sent", reason=f"A break: {NOT_OPEN}" if stream is None else "A break: it only listens")
                return
            try:
                stream.send_break(BREAK_S)
            except Trouble as trouble:
                self._note("not-sent", reason=str(trouble))
                return
            self._note("break", seconds=BREAK_S)

        self._orders.put(hold_low)

    def _check_job(self) -> None:
        if self._spec.settings.listen_only:
            raise Trouble(f"{self.name} only listens: nothing is sent", "Switch listen only off in the settings first")

    def _run(self) -> None:
        while not self._stop.is_set():
            try:
                self._live()
            except Exception as fault:
                # Whatever it is, the lane must not end in silence, and must be tried again.
                self._note("lost", reason=fault_words(fault).rstrip("."))
                self._stop.wait(FAULT_S)

    def _live(self) -> None:
        opened_before, refusal, brief = False, "", 0
        while not self._stop.is_set():
            if self._let_go.is_set():
                # What is opened after that is no return: nobody took it from us.
                opened_before, refusal, brief = False, "", 0
                self._wait_let_go()
                continue
            self._obey(None)
            try:
                self._find_again()
                stream = _opened(self._spec)
            except Trouble as trouble:
                if trouble.what != refusal and not opened_before:
                    refusal = trouble.what
                    self._note("refused", reason=trouble.what, way_out=trouble.hint, cause=trouble.cause)
                self._stop.wait(RETRY_S)
                continue
            self._note_adapter()
            self.passed = self._clock.now()
            self._note("returned" if opened_before else "opened", **self._described(stream.settings))
            opened_before = True
            self._stream = stream
            begun = self._clock.now()
            self._read(stream)
            # A server that closes at once is not asked forty times a minute.
            brief = brief + 1 if self._spec.networked and self._clock.now() - begun < BRIEF_NS else 0
            if brief > 1:
                self._stop.wait(min(LONGEST_RETRY_S, RETRY_S * 2 ** min(brief, 10)))

    def _wait_let_go(self) -> None:
        self._note("closed", by=BY_USER)
        while self._let_go.is_set() and not self._stop.wait(LET_GO_LOOK_S):
            self._obey(None)

    def _obey(self, stream: OpenStream | None) -> bool:
        """Carry out what was ordered; whether there was anything."""
        obeyed = False
        with contextlib.suppress(queue.Empty):
            while True:
                self._orders.get_nowait()(stream)
                obeyed = True
        return obeyed

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

    def _read(self, stream: OpenStream) -> None:
        """Until it is gone or the end is asked for."""
        coalescer: ChunkCoalescer | None = None
        try:
            self._take_waiting(stream)
            coalescer = ChunkCoalescer(stream.settings.byte_ns, self._clock.now())
            while not (self._stop.is_set() or self._let_go.is_set()):
                if not self._orders.empty():
                    self._hand_over(coalescer.take())
                    self._obey(stream)
                    coalescer = ChunkCoalescer(stream.settings.byte_ns, self._clock.now())
                data = stream.read(self._wait(coalescer))
                now = self._clock.now()
                if stream.news:
                    self._hand_over(coalescer.take())
                    self._note_news(stream)
                self._hand_over(coalescer.add(data, now) if data else coalescer.due(now))
                held = coalescer.begin
                self.passed = now if held is None else min(now, held)
                self._ask_errors(stream, now)
                if 0 < len(data) < FEW_BYTES and held is not None:
                    self._stop.wait(BREATH_S)
            self._hand_over(coalescer.take())
            if not self._let_go.is_set():
                self._note("closed")
        except StreamGone as gone:
            if coalescer is not None:
                self._hand_over(coalescer.take())
            self._note("lost", reason=str(gone))
        finally:
            self._stream = None
            self.passed = None
            stream.close()

    def _take_waiting(self, stream: OpenStream) -> None:
        """What the system kept of before: it came some time, perhaps at other settings. A network keeps its order."""
        count, more = 0, not self._spec.networked
        while more and count < MOST_WAITING:
            data = stream.read(0.0)
            self._hand_over([TimedBytes(self._clock.now(), data)] if data else [])
            count, more = count + len(data), len(data) >= READ_BYTES
        if count:
            self._note(WAITED, bytes=count)

    def _note_news(self, stream: OpenStream) -> None:
        """What happened to the stream meanwhile."""
        while stream.news:
            name, details = stream.news.pop(0)
            self._note(name, **details)

    def _wait(self, coalescer: ChunkCoalescer) -> float:
        deadline = coalescer.deadline
        return WAIT_S if deadline is None else min(WAIT_S, max(0.0, (deadline - self._clock.now()) / SECOND))

    def _ask_errors(self, stream: OpenStream, now: int) -> None:
        """Tell what the driver counted, when that has changed."""
        if now - self._errors_asked < LOOK_NS:
            return
        self._errors_asked = now
        errors = stream.errors()
        if errors is not None and errors != self._errors:
            self._errors = errors
            self._note("driver-errors", **errors._asdict())

    def _hand_over(self, pieces: list[TimedBytes]) -> None:
        if not pieces:
            return
        with self._guard:
            for piece in pieces:
                chunk = Chunk(self._spec.name, Direction.IN, piece.time, piece.data)
                self._inbox.put(chunk)
                for tap in self._taps:
                    tap(chunk)

    def _write(self, data: bytes, last: bool) -> int:
        """Send what there is room for; how many bytes that were, perhaps none. `last`: nothing follows behind `data`.

        Raises Gone where the lane is not open, or no longer there.
        """
        stream = self._stream
        if stream is None:
            raise StreamGone(NOT_OPEN)
        # A stream that may wait in the middle of it must not hold up reading.
        with self._guard if stream.writes_at_once else contextlib.nullcontext():
            now = self._clock.now()
            count = stream.write(data)
            pieces = self._sent.add(data[:count], now) if count else []
            whole = last and count == len(data)
            pieces += self._sent.take() if whole else self._sent.due(self._clock.now())
            self._hand_over_sent(pieces, whole)
        if not count:
            stream.wait_for_room()
        return count

    def _note_held(self, lasted_s: float | None) -> None:
        """The line takes nothing, or does again."""
        if lasted_s is not None:
            self._note(HELD_ENDED, seconds=round(lasted_s, 3))
            return
        stream = self._stream
        self._note(HELD, by=stream.held_by() if stream is not None else "", flow=self._spec.settings.flow)

    def _flush(self) -> None:
        """What was sent is not gone on with."""
        with self._guard:
            self._hand_over_sent(self._sent.take(), True)

    def _hand_over_sent(self, pieces: list[TimedBytes], whole: bool) -> None:
        for place, piece in enumerate(pieces, 1):
            continued = not whole or place < len(pieces)
            self._inbox.put(Chunk(self._spec.name, Direction.OUT, piece.time, piece.data, continued))

    def _described(self, settings: LineSettings) -> dict[str, Any]:
        line = {"settings": short_line(settings), "adapter": self._adapter}
        return {"address": self._spec.address, "role": self._spec.role, **line, **settings_details(settings)}

    def _note(self, name: str, **details: Any) -> None:
        self._inbox.put(Event(self._clock.now(), self._spec.name, name, details))


def _opened(spec: LaneSpec) -> OpenStream:
    """The open stream of a lane, or Trouble."""
    # Few lanes are of the network; no other one should wait for what those need.
    if spec.listens:
        from pale_heron.ports.listening import ListeningStream

        return ListeningStream(spec)
    if spec.remote:
        from pale_heron.ports.remote import RemoteStream

        return RemoteStream(spec)
    return ByteStream(spec)
