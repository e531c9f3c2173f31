"""Messages and their answers as lines, whatever they end with, and if they end with nothing."""

from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND

GAP_NS: Final = SECOND // 5
"""A line without line end is over after such a pause."""

LONGEST: Final = 4096


class HeardLine(NamedTuple):
    """One line, and when its first and its last byte came."""

    text: str
    began: int
    ended: int


class LineCutter:
    """One stream. A byte takes `byte_ns` on the line; 0 where that is not known."""

    def __init__(self, byte_ns: float = 0.0) -> None:
        self._byte_ns = byte_ns
        self._held = b""
        self._began = self._time = 0

    def feed(self, time: int, data: bytes) -> list[HeardLine]:
        """The lines that became whole; empty ones are none."""
        found, at = [], 0
        for part in data.replace(b"\r", b"\n").split(b"\n"):
            if not self._held:
                self._began = time + round(at * self._byte_ns)
            self._held = (self._held + part)[-LONGEST:]
            at += len(part)
            self._time = time + round(at * self._byte_ns)
            # Behind the last part nothing has ended yet.
            if at < len(data):
                if self._held.strip():
                    found.append(HeardLine(as_text(self._held), self._began, self._time))
                self._held = b""
            at += 1
        return found

    def advance(self, now: int) -> HeardLine | None:
        """A line that will not be ended any more."""
        if not self._held.strip() or now - self._time < GAP_NS:
            return None
        line, self._held = self._held, b""
        return HeardLine(as_text(line), self._began, self._time)


def as_text(line: bytes) -> str:
    """Bytes that are no UTF-8 stand as escapes."""
    return line.decode("utf-8", "backslashreplace")
