"""Messages and their answers as lines, whatever they end with, and if they end with nothing."""

from typing import Final

from pale_heron.core.frames import SECOND

GAP_NS: Final = SECOND // 5
"""A line without line end is over after such a pause."""

LONGEST: Final = 4096


class LineCutter:
    """One stream."""

    def __init__(self) -> None:
        self._held = b""
        self._time = 0

    def feed(self, time: int, data: bytes) -> list[str]:
        """The lines that became whole; empty ones are none."""
        self._time = time
        *lines, held = (self._held + data).replace(b"\r", b"\n").split(b"\n")
        self._held = held[-LONGEST:]
        return [as_text(line) for line in lines if line.strip()]

    def advance(self, now: int) -> tuple[str, int] | None:
        """A line that will not be ended any more, and when its last byte came."""
        if not self._held.strip() or now - self._time < GAP_NS:
            return None
        line, self._held = self._held, b""
        return as_text(line), self._time


def as_text(line: bytes) -> str:
    """Bytes that are no UTF-8 stand as escapes."""
    return line.decode("utf-8", "backslashreplace")
