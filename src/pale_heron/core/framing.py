"""Both streams of a lane cut into frames, as its settings say and its events end them."""

from collections.abc import Iterable, Mapping
from typing import Any

from pale_heron.core.frames import Chunk, Direction, Event, Frame
from pale_heron.core.line.settings import LineSettings, settings_of
from pale_heron.core.wire.framer import Framer, Held

SETTING_EVENTS = ("added", "opened", "returned", "settings")
ENDING_EVENTS = ("lost", "closed")


class Framing:
    """Chunks and events of one lane in, frames out. It can be pickled, and goes on just the same."""

    def __init__(self, lane: str) -> None:
        self._framers = {direction: Framer(lane, direction) for direction in Direction}
        self._settings: LineSettings | None = None

    @property
    def held(self) -> Held | None:
        """What waits in either direction: since when, and the first moment at which a pause ends any of it."""
        received, sent = (framer.held for framer in self._framers.values())
        if received is None or sent is None:
            return received or sent
        return Held(min(received.since, sent.since), min(received.until, sent.until))

    def feed(self, chunk: Chunk) -> list[Frame]:
        """The frames that a chunk completes."""
        return self._framers[chunk.direction].feed(chunk)

    def tick(self, now: int) -> list[Frame]:
        """The frames that a pause up to `now` ends."""
        return [frame for framer in self._framers.values() for frame in framer.tick(now)]

    def finish(self) -> list[Frame]:
        """What is left at the end of the streams."""
        return [frame for framer in self._framers.values() for frame in framer.finish()]

    def take(self, frames: Iterable[Frame]) -> None:
        """Frames that were cut before: there is nothing to cut."""

    def event(self, event: Event) -> list[Frame]:
        """Take what happened: new settings hold from here on; an end leaves what was waiting for more bytes."""
        left = self._set(event.details) if event.name in SETTING_EVENTS else []
        return self.finish() if event.name in ENDING_EVENTS else left

    def _set(self, details: Mapping[str, Any]) -> list[Frame]:
        """Take new settings; what was received at another rate is no begin of what comes now."""
        settings = settings_of(details)
        if settings is None:
            return []
        before, self._settings = self._settings, settings
        other = before is not None and (before.rate, before.framing) != (settings.rate, settings.framing)
        left = self.finish() if other else []
        for direction, framer in self._framers.items():
            # How lines end that are received says nothing of those that are sent.
            ending = settings.ending_in if direction is Direction.IN else "auto"
            framer.set(settings.gap_ms * 1_000_000, ending, settings.byte_ns)
        return left
