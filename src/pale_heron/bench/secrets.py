"""The secrets of modules while a capture is gone through: only the machine of exchanges listens, not all trackers."""

from collections.abc import Iterator, Sequence

from pale_heron.bench.speakers import Speakers
from pale_heron.core.frames import Chunk, Event, Frame
from pale_heron.core.lane import Lane
from pale_heron.core.wire.visible import starred


class Secrets:
    """`hear` every record in its order; frames are masked with what is known when they become whole."""

    def __init__(self) -> None:
        self._speakers = Speakers()
        self._lanes: dict[str, Lane] = {}

    def _lane(self, name: str) -> Lane:
        if name not in self._lanes:
            self._lanes[name] = Lane(name)
        return self._lanes[name]

    def hear(self, record: Chunk | Event) -> None:
        """Learn from what was told and heard."""
        lane = self._lane(record.lane)
        if isinstance(record, Event):
            if record.name == "dialect":
                self._speakers.choose(lane, str(record.details.get("name", "")))
            return
        self._speakers.hear_sent(lane, record)
        if lane.module is not None:
            lane.module.feed(record)

    def masked(self, chunk: Chunk, frames: Sequence[Frame]) -> Iterator[Frame]:
        """The frames that a chunk has completed, masked."""
        lane = self._lane(chunk.lane)
        known = lane.module is not None
        self._speakers.recognise(lane, frames)
        if lane.module is not None and not known:
            lane.module.feed(chunk)
        yield from map(self.starred, frames)

    def starred(self, frame: Frame) -> Frame:
        """A frame with stars for what must not be shown on its lane."""
        module = self._lane(frame.lane).module
        secrets = module.secrets if module is not None else frozenset()
        return frame._replace(data=starred(frame.data, secrets)) if secrets else frame
