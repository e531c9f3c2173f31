"""Makes chunks out of reads: few enough to be cheap, and each beginning at a time that is known.

A slow line hands over a byte or two at a time. They are held until a line ends, so that the next line begins a chunk of
its own and has its own time; or until HOLD_NS have passed, or ENOUGH bytes are together.
"""

from typing import NamedTuple

HOLD_NS = 100_000_000
ENOUGH = 1024


class Piece(NamedTuple):
    """Bytes and the time of the first of them."""

    time: int
    data: bytes


class Gatherer:
    """`byte_ns` is how long one byte takes on the line, 0 where that is unknown."""

    def __init__(self, byte_ns: int = 0) -> None:
        self._byte_ns = byte_ns
        self._held = b""
        self._begin = 0
        self._end = 0

    @property
    def deadline(self) -> int | None:
        """When what is held must go on; None where nothing is held."""
        return self._begin + HOLD_NS if self._held else None

    def add(self, data: bytes, now: int) -> list[Piece]:
        """Take what a read returned at `now`; the first byte arrived as much earlier as the bytes need on the line."""
        if not self._held:
            self._begin = max(self._end, now - len(data) * self._byte_ns)
        self._held += data
        self._end = now
        if len(self._held) >= ENOUGH:
            return self.take()
        cut = data.rfind(b"\n") + 1
        if not cut:
            return []
        rest = data[cut:]
        pieces = [Piece(self._begin, self._held[: len(self._held) - len(rest)])]
        self._held = rest
        self._begin = now - len(rest) * self._byte_ns
        return pieces

    def due(self, now: int) -> list[Piece]:
        """What has been held long enough."""
        return self.take() if self._held and now >= self._begin + HOLD_NS else []

    def take(self) -> list[Piece]:
        """Everything held, now."""
        held, self._held = self._held, b""
        return [Piece(self._begin, held)] if held else []
