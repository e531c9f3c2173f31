"""Both streams of a lane cut into frames, as its settings say and its events end them."""

from collections.abc import Iterable, Mapping
from typing import Any

from pale_heron.core.frames import ENDING_EVENTS, OUT, SETTING_EVENTS, WAITED, Chunk, Direction, Event, Frame
from pale_heron.core.line.settings import LineSettings, settings_of
from pale_heron.core.wire.framer import Framer, HeldBytes

BULK, BULK_ENDED = "bulk", "bulk-ended"
"""From one to the other a lane carries the blocks of a trial: bytes that are no lines and no sentences."""


class Framing:
    """Chunks and events of one lane in, frames out. It can be pickled, and goes on just the same."""

    def __init__(self, lane: str) -> None:
        self._received = Framer(lane, Direction.IN)
        self._sent = Framer(lane, Direction.OUT)
        self._settings: LineSettings | None = None
        self.bulk = False
        """The bytes of a trial are passing: nothing is cut."""

    @property
    def framing(self) -> "Framing":
        """What cuts: this itself."""
        return self

    @property
    def received(self) -> Framer:
        """What cuts the received direction."""
        return self._received

    @property
    def waiting(self) -> bool:
        """Whether bytes of either direction wait for the end of their frame."""
        return self._received.waiting or self._sent.waiting

    @property
    def held(self) -> HeldBytes | None:
        """What waits in either direction: since when, and the first moment at which a pause ends any of it."""
        received, sent = self._received.held, self._sent.held
        if received is None or sent is None:
            return received or sent
        return HeldBytes(min(received.since, sent.since), min(received.until, sent.until))

    def growing(self, now: int) -> Frame | None:
        """A received line that has not ended for a while, as it stands; None where there is none."""
        return None if self.bulk else self._received.growing(now)

    def feed(self, chunk: Chunk) -> list[Frame]:
        """The frames that a chunk completes."""
        if self.bulk:
            return []
        return (self._sent if chunk.direction is OUT else self._received).feed(chunk)

    def tick(self, now: int) -> list[Frame]:
        """The frames that a pause up to `now` ends."""
        return [*self._received.tick(now), *self._sent.tick(now)]

    def finish(self) -> list[Frame]:
        """What is left at the end of the streams."""
        return [*self._received.finish(), *self._sent.finish()]

    def take(self, frames: Iterable[Frame]) -> None:
        """Frames that were cut before: there is nothing to cut."""

    def event(self, event: Event) -> list[Frame]:
        """Take what happened: new settings hold from here on; an end leaves what was waiting for more bytes."""
        left = self._set(event.details) if event.name in SETTING_EVENTS else []
        if event.name == WAITED:
            # What comes now does not go on where that ended.
            left = self.finish()
        ends = event.name in ENDING_EVENTS
        if event.name == BULK:
            self.bulk = True
        elif ends or event.name == BULK_ENDED:
            self.bulk = False
        return self.finish() if ends or event.name == BULK else left

    def _set(self, details: Mapping[str, Any]) -> list[Frame]:
        """Take new settings; what was received at another rate does not begin what comes now."""
        settings = settings_of(details)
        if settings is None:
            return []
        before, self._settings = self._settings, settings
        other = before is not None and (before.rate, before.framing) != (settings.rate, settings.framing)
        left = self.finish() if other else []
        # How lines end that are received says nothing of those that are sent.
        for framer, ending in ((self._received, settings.ending_in), (self._sent, "auto")):
            framer.set(settings.gap_ms * 1_000_000, ending, settings.byte_ns)
        return left
