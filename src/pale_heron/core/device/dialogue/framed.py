"""Both streams of a module that speaks in frames without line ends: each frame becomes the lines that it stands for.

What is no frame is put together and told as one line, as soon as a frame or a pause stands behind it. A damaged frame
costs itself alone: its head is passed over, and the next one is looked for behind it.
"""

from collections.abc import Iterator
from typing import Final, Protocol

from pale_heron.core.device.schema.frame_form import LONGEST, FrameForm
from pale_heron.core.frames import SECOND

PAUSE_NS: Final = 3 * SECOND // 10
"""No frame has such a pause in it: what is held is none."""

SHOWN: Final = 32
"""Of bytes that are no frame so many are told."""


class LineListener(Protocol):
    """Who hears what came and what was sent, as lines."""

    def hear_line(self, text: bytes, time: int | None) -> None: ...

    def line_sent(self, line: bytes, time: int | None, *, to_far_end: bool = False) -> None: ...


Piece = tuple[bytes | None, bytes, int | None]
"""The body of a frame and nothing, or None and bytes that are no frame; and when the last byte was there."""


class FrameCutter:
    """Cuts one stream into frames; however it is cut into chunks, what comes out is the same."""

    def __init__(self, form: FrameForm) -> None:
        self._form = form
        self._held = b""
        self._noise = b""
        self._last: int | None = None
        """When the last byte was there, by the rate of the line."""

    def feed(self, data: bytes, begin: int | None, byte_ns: int) -> Iterator[Piece]:
        """What a chunk completes; `begin` is the time of its first byte."""
        if begin is not None:
            yield from self.tick(begin)
        self._held += data
        end = None if begin is None else begin + len(data) * byte_ns
        yield from self._cut(end, byte_ns)
        self._last = end

    def tick(self, now: int) -> Iterator[Piece]:
        """Let time pass: what has waited for too long is no frame."""
        if self._last is not None and now - self._last >= PAUSE_NS:
            yield from self.rest()

    def rest(self) -> Iterator[Piece]:
        """What is held, at an end: none of it is a frame that only waits for more."""
        while self._held:
            self._pass_over(1)
            yield from self._cut(self._last, 0)
        yield from self._told_noise(self._last)

    def _pass_over(self, count: int) -> None:
        self._noise = (self._noise + self._held[:count])[:LONGEST]
        self._held = self._held[count:]

    def _cut(self, end: int | None, byte_ns: int) -> Iterator[Piece]:
        while self._held and (cut := self._form.first(self._held)) is not None:
            if cut.body is None:
                self._pass_over(cut.size)
                continue
            self._held = self._held[cut.size :]
            time = None if end is None else end - len(self._held) * byte_ns
            yield from self._told_noise(time)
            yield cut.body, b"", time

    def _told_noise(self, time: int | None) -> Iterator[Piece]:
        noise, self._noise = self._noise, b""
        if noise:
            yield None, noise, time


class FramedIncoming:
    """What such a module sends. Nothing is announced in lines, and it has no prompt."""

    expecting: Final = False

    def __init__(self, listener: LineListener, form: FrameForm) -> None:
        self._listener, self._form, self._cutter = listener, form, FrameCutter(form)

    def feed(self, data: bytes, begin: int | None, byte_ns: int) -> None:
        """Take a chunk; `begin` is the time of its first byte."""
        self._hear(self._cutter.feed(data, begin, byte_ns))

    def tick(self, now: int) -> None:
        """Let time pass."""
        self._hear(self._cutter.tick(now))

    def _hear(self, pieces: Iterator[Piece]) -> None:
        for body, noise, time in pieces:
            lines = [no_frame(noise)] if body is None else self._form.lines_said(body)
            for line in lines:
                self._listener.hear_line(line.encode("latin-1", "replace"), time)

    def expect(self, count: str | None, follows: bool, belongs: str) -> None:
        """A frame holds all that belongs to it."""

    def forget_space(self) -> None:
        """There is no prompt."""


class FramedOutgoing:
    """What is sent to such a module. What is no frame is no command."""

    def __init__(self, speaker: LineListener, form: FrameForm) -> None:
        self._speaker, self._form, self._cutter = speaker, form, FrameCutter(form)

    def feed(self, data: bytes, time: int | None) -> None:
        """Take a chunk; `time` is that of its first byte."""
        for body, _, _ in self._cutter.feed(data, time, 0):
            for line in self._form.lines_sent(body) if body is not None else ():
                self._speaker.line_sent(line.encode("latin-1", "replace"), time)

    def forget_escape(self) -> None:
        """There is no data mode."""


def no_frame(noise: bytes) -> str:
    """How bytes are told that are no frame."""
    more = f" and {len(noise) - SHOWN} more" if len(noise) > SHOWN else ""
    return f"no frame: {noise[:SHOWN].hex(' ').upper()}{more}"
