"""Makes chunks out of reads: few enough to be cheap, and each beginning at a time that is known.

A slow line hands over a byte or two at a time. They are held until a line ends, so that the next line begins a chunk of
its own and has its own time; or until HOLD_NS have passed, or a pause of QUIET_NS, or ENOUGH bytes are together. What
an echo has begun is not taken for the answer behind it: a CR that no LF follows ends what is held too.
"""

from typing import NamedTuple

HOLD_NS = 100_000_000
QUIET_NS = 30_000_000
"""Adapters hand over every 16 ms what has come; a longer pause was one on the line."""

ENOUGH = 1024


class TimedBytes(NamedTuple):
    """Bytes and the time of the first of them."""

    time: int
    data: bytes


class ChunkCoalescer:
    """`byte_ns` is how long one byte takes on the line, 0 where that is unknown."""

    def __init__(self, byte_ns: int = 0, after: int = 0) -> None:
        """Nothing that comes arrived before `after`: what was noted then stands before it."""
        self._byte_ns = byte_ns
        self._held = b""
        self._begin = 0
        self._end = after

    @property
    def begin(self) -> int | None:
        """The time of the first byte that is held; None where nothing is held."""
        return self._begin if self._held else None

    @property
    def deadline(self) -> int | None:
        """When what is held must go on; None where nothing is held."""
        return min(self._begin + HOLD_NS, self._end + QUIET_NS) if self._held else None

    def add(self, data: bytes, now: int) -> list[TimedBytes]:
        """Take what a read returned at `now`; the first byte arrived as much earlier as the bytes need on the line."""
        pieces: list[TimedBytes] = []
        if self._held.endswith(b"\r") and data[:1] != b"\n":
            pieces = self.take()
        # What came before this read was handed over by the one before, whatever rate the line is said to have.
        earliest, self._end = self._end, now
        if not self._held:
            self._begin = max(earliest, now - len(data) * self._byte_ns)
        self._held += data
        if len(self._held) >= ENOUGH:
            return [*pieces, *self.take()]
        cut = data.rfind(b"\n") + 1
        if not cut:
            return pieces
        rest = data[cut:]
        pieces += [TimedBytes(self._begin, self._held[: len(self._held) - len(rest)])]
        self._held = rest
        self._begin = max(earliest, now - len(rest) * self._byte_ns)
        return pieces

    def due(self, now: int) -> list[TimedBytes]:
        """What has been held long enough."""
        deadline = self.deadline
        return self.take() if deadline is not None and now >= deadline else []

    def take(self) -> list[TimedBytes]:
        """Everything held, now."""
        held, self._held = self._held, b""
        return [TimedBytes(self._begin, held)] if held else []
