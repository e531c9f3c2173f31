"""One thread a lane: opens it, reads it, notices that it is gone, and opens it again when it is back."""

import threading
from typing import Any

from pale_heron.core.frames import SECOND, Chunk, Direction, Event
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.clock import StampClock
from pale_heron.ports.gatherer import Gatherer, Piece
from pale_heron.ports.inbox import Inbox
from pale_heron.ports.opening import Gone, Stream

RETRY_S = 0.25
WAIT_S = 0.1
FEW_BYTES = 64
BREATH_S = 0.002
"""After a read of few bytes the thread rests this long: a burst then costs a handful of reads instead of hundreds."""


class Reader:
    """Life of a lane: opening, then open or refused; open, then lost; lost or refused, then opening again."""

    def __init__(self, spec: LaneSpec, inbox: Inbox, clock: StampClock) -> None:
        self._spec = spec
        self._inbox = inbox
        self._clock = clock
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name=f"lane {spec.name}", daemon=True)

    @property
    def name(self) -> str:
        return self._spec.name

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        """Ask it to end."""
        self._stop.set()

    def join(self, wait_s: float) -> bool:
        """Wait for its end; False where it hangs (a driver that does not let go)."""
        self._thread.join(wait_s)
        return not self._thread.is_alive()

    def _run(self) -> None:
        opened_before, refusal = False, ""
        while not self._stop.is_set():
            try:
                stream = Stream(self._spec)
            except Trouble as trouble:
                if trouble.what != refusal and not opened_before:
                    refusal = trouble.what
                    self._tell("refused", reason=trouble.what, way_out=trouble.way_out)
                self._stop.wait(RETRY_S)
                continue
            self._tell("returned" if opened_before else "opened", **self._described(stream.settings))
            opened_before = True
            self._read(stream)

    def _read(self, stream: Stream) -> None:
        """Until it is gone or the end is asked for."""
        settings = stream.settings
        gatherer = Gatherer(0 if settings.decorative else int(SECOND / settings.bytes_per_s))
        try:
            while not self._stop.is_set():
                data = stream.read(self._wait(gatherer))
                now = self._clock.now()
                self._hand_over(gatherer.add(data, now) if data else gatherer.due(now))
                if 0 < len(data) < FEW_BYTES:
                    self._stop.wait(BREATH_S)
            self._hand_over(gatherer.take())
            self._tell("closed")
        except Gone as gone:
            self._hand_over(gatherer.take())
            self._tell("lost", reason=str(gone))
        finally:
            stream.close()

    def _wait(self, gatherer: Gatherer) -> float:
        deadline = gatherer.deadline
        return WAIT_S if deadline is None else min(WAIT_S, max(0.0, (deadline - self._clock.now()) / SECOND))

    def _hand_over(self, pieces: list[Piece]) -> None:
        for piece in pieces:
            self._inbox.put(Chunk(self._spec.name, Direction.IN, piece.time, piece.data))

    def _described(self, settings: LineSettings) -> dict[str, Any]:
        return {
            "address": self._spec.address,
            "role": self._spec.role,
            "rate": settings.rate,
            "framing": settings.framing,
            "flow": settings.flow,
            "decorative": settings.decorative,
        }

    def _tell(self, name: str, **details: Any) -> None:
        self._inbox.put(Event(self._clock.now(), self._spec.name, name, details))
