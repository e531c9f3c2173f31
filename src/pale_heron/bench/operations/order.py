"""One sentence as an order to a receiver, and what it answers; no dialect need describe it.

Replies are what can be told from others by the standard alone: to a query (NMEA 0183, 5.3.3) a sentence of the
formatter that was asked for; to a sentence of a maker's own, others of the same maker that were not coming anyway; and
text.
"""

import re
import time
from collections.abc import Callable
from typing import Any, Final, NamedTuple, Protocol

from pale_heron.bench.operations.receiver import FrameListener
from pale_heron.core.frames import IN, NMEA, OK, Frame
from pale_heron.core.line.typed import compose
from pale_heron.core.wire.visible import safe_text
from pale_heron.ports.sender import SendJob

LISTEN_S: Final = 1.2
"""So long is listened to what comes anyway, once a second as a rule."""

WITHIN_S: Final = 2.0
LOOK_S: Final = 0.05
_QUERY = re.compile(r"\$[A-Z]{2}[A-Z]{2}Q,([A-Z0-9]{3})").match
REFUSALS: Final = re.compile(r"(?i)\b(?:nak|nack|err|error|fail(?:ed)?|rejected|invalid|unknown|denied)\b")
"""Words with which receivers of any kind refuse."""


class OrderBench(Protocol):
    """What is needed of a live bench."""

    def send(self, lane: str, job: SendJob) -> None: ...

    def listen(self, lane: str) -> FrameListener: ...

    def leave(self, ear: Any) -> None: ...


class OrderReply(NamedTuple):
    """What was sent, and what answered it: none of it may be, and the order be heard all the same."""

    sent: str
    note: str
    """What was added to it, or is odd."""
    replies: tuple[str, ...]
    seconds: float | None
    """Until the first of them."""

    @property
    def refused(self) -> bool:
        return any(REFUSALS.search(each) for each in self.replies)


def order(
    bench: OrderBench,
    lane: str,
    text: str,
    *,
    within_s: float = WITHIN_S,
    stopped: Callable[[], bool] = lambda: False,
    exact: bool = False,
) -> OrderReply:
    """Send a sentence as it was typed, and listen. It gets its checksum, unless it is to be sent exactly so.

    Raises ValueError where the text cannot be sent, Trouble where the lane takes nothing.
    """
    ear = bench.listen(lane)
    try:
        before = [frame for frame in _heard(ear, LISTEN_S, stopped) if frame.kind is NMEA and frame.status is OK]
        usual = {_kind(frame) for frame in before}
        made = compose(text, b"\r\n", sentences=bool(before) and not exact)
        begin = time.monotonic()
        bench.send(lane, SendJob(made.data, text))
        replies: list[str] = []
        seconds = None
        answers = _answers_to(text)
        for frame in _heard(ear, within_s, stopped):
            if answers(frame) and _kind(frame) not in usual:
                seconds = seconds or time.monotonic() - begin
                replies.append(safe_text(frame.data.strip()))
        return OrderReply(safe_text(made.data.strip()), made.note, tuple(replies), seconds)
    finally:
        bench.leave(ear)


def _heard(ear: FrameListener, within_s: float, stopped: Callable[[], bool]) -> "list[Frame]":
    """What comes within a time."""
    found: list[Frame] = []
    end = time.monotonic() + within_s
    while time.monotonic() < end and not stopped():
        time.sleep(LOOK_S)
        found += [frame for frame in ear.take() if frame.direction is IN]
    return found


def _kind(frame: Frame) -> bytes:
    """What sentences of one kind have in common: the address, and of a maker's own the word behind it."""
    words = frame.data.split(b",", 2)
    return b",".join(words[:2]) if frame.type.startswith("P") else words[0]


def _answers_to(text: str) -> Callable[[Frame], bool]:
    """Whether a sentence may answer what was sent, by the standard alone."""
    asked = _QUERY(text)
    maker = text[1:5] if text[1:2] == "P" else ""

    def answers(frame: Frame) -> bool:
        if frame.kind is not NMEA or frame.status is not OK:
            return False
        if frame.type.endswith("TXT"):
            return True
        return frame.type.endswith(asked[1]) if asked else bool(maker) and frame.type.startswith(maker)

    return answers
