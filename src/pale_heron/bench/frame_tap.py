"""What comes on one lane, heard beside everything else: for whoever waits for a line."""

from collections import deque
from collections.abc import Iterable
from typing import Final

from pale_heron.core.frames import Frame

HEARD_KEPT: Final = 20_000


class FrameTap:
    """Hears the frames of one lane as they become whole, from the moment at which it was made."""

    def __init__(self, lane: str) -> None:
        self.lane = lane
        self._heard: deque[Frame] = deque(maxlen=HEARD_KEPT)

    def hear(self, frames: Iterable[Frame]) -> None:
        """Take those of the lane."""
        self._heard.extend(frame for frame in frames if frame.lane == self.lane)

    def take(self) -> list[Frame]:
        """What was heard since this was asked last."""
        heard = self._heard
        return [heard.popleft() for _ in range(len(heard))]
