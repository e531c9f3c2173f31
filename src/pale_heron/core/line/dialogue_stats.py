"""What a lane's lines say about its wiring and its state: answers and their delays, our own bytes, banners, log-ins.

An *answer* is the first line that comes after something was sent, that is not what was sent (an echo), and not of a
kind that comes unasked. A *kind* is a line up to its first colon, digits left out. A *banner* is a line with the words
of a start (boot, version, ready); the same banner twice, with nothing sent before the second, is a restart where a
silence longer than usual here came before it: words alone are no evidence.
"""

import re
from collections import deque
from typing import NamedTuple

from pale_heron.core.frames import NMEA, OUT, SECOND, TEXT, Frame
from pale_heron.core.nmea.talk import tells_of_before
from pale_heron.core.wire.probe import is_probe

PATIENCE_NS = 10 * SECOND
"""Longer than this nobody takes a line for the answer."""

ASKED_NS = 5 * SECOND
KINDS_KEPT = 50
DELAYS_KEPT = 8
SENT_KEPT = 16
BANNERS_KEPT = 20
TEXT_KEPT = 60
PAUSES_KEPT = 15
SILENCE_NS = SECOND // 5
"""A shorter one says nothing of a start."""

ENDS = ("crlf", "lf", "cr", "none")

_BANNER = re.compile(rb"(?i)\b(?:(?:re)?boot|(?:re)?start|reset|power)(?:ing|ed|up| up| on)?\b|\bready\b|\bfirmware\b")
_LOGIN = re.compile(rb"(?i)(?:login|log in|user ?name|password|pass phrase)\s*:\s*\Z")
_DIGITS = re.compile(rb"[0-9]+")


class DialogueSnapshot(NamedTuple):
    """Counts since the lane began."""

    sent: int
    """Lines sent."""
    answered: int
    echoed: int
    """Lines received that are what was sent."""
    notices: int
    """Lines received since the first unanswered one was sent, that answer nothing."""
    unanswered: int
    """Lines sent in a row without an answer, each old enough to have one."""
    delays_s: tuple[float, ...]
    """From the last lines sent to their answers."""
    endings: tuple[int, int, int, int]
    """Text lines received that end with CR LF, LF, CR, or nothing, as in ENDS."""
    other_ends: int
    """Line ends within text lines, of a kind that does not end lines here."""
    login: bytes
    banner: bytes
    """The banner that was seen again; empty while none was."""
    restarts: tuple[int, ...]
    """Times at which it was seen again unasked."""
    unasked: int = 0
    """Lines that came while nothing waited for an answer, banners and prompts left out."""
    at_login: bool = False
    """Whether a log-in prompt is what was heard last."""

    @property
    def waits_to_be_asked(self) -> bool:
        """All that was heard came because something was sent, or a prompt waits: silence then is no fault."""
        if self.sent and self.echoed >= self.sent and not (self.answered or self.unasked):
            # A loop: all of it came back, and nothing else can come.
            return True
        return not self.unanswered and (self.at_login or (self.answered > 0 and not self.unasked))


class DialogueStats:
    """Feed it every frame of a lane, both directions, in order."""

    def __init__(self) -> None:
        self._sent = self._answered = self._echoed = self._notices = self._row = 0
        self._waiting_since: int | None = None
        self._last_sent: int | None = None
        self._own: deque[bytes] = deque(maxlen=SENT_KEPT)
        self._kinds: deque[bytes] = deque(maxlen=KINDS_KEPT)
        self._delays: deque[float] = deque(maxlen=DELAYS_KEPT)
        self._endings = [0, 0, 0, 0]
        self._other_ends = 0
        self._login = b""
        self._banners: dict[bytes, bool] = {}
        self._banner = b""
        self._greeting = False
        """Whether the lane was opened or somebody connected since the last banner."""
        self._restarts: deque[int] = deque(maxlen=DELAYS_KEPT)
        self._unasked = 0
        self._at_login = False
        self._heard: int | None = None
        self._pauses: deque[int] = deque(maxlen=PAUSES_KEPT)
        """Of the last lines, how long after the one before each came, in nanoseconds."""

    def feed(self, frame: Frame) -> None:
        """Take one frame; sentences of standard formatters, probes of a link and bytes say nothing here."""
        if is_probe(frame.data):
            # Nobody answers a probe as one answers a question; trials count them.
            return
        if frame.direction is OUT:
            self._take_sent(frame)
            return
        after_silence = self._is_after_silence(frame.time)
        spoken = frame.type.endswith("TXT") if frame.kind is NMEA else frame.kind is TEXT
        if not spoken and not frame.type.startswith("P"):
            return
        body = frame.data.strip(b"\r\n")
        if frame.kind is TEXT and body:
            self._endings[_ending(frame.data)] += 1
            self._other_ends += body.count(b"\n") + body.count(b"\r")
            self._at_login = bool(_LOGIN.search(body))
            if self._at_login:
                self._login = body[-TEXT_KEPT:]
        if body:
            self._take_received(body, frame.time, after_silence=after_silence)

    def _is_after_silence(self, time: int | None) -> bool:
        """Whether the pause before a line is longer than usual here: than the middle one of the last."""
        before, self._heard = self._heard, time if time is not None else self._heard
        if before is None or time is None:
            return False
        usual = sorted(self._pauses)[len(self._pauses) // 2] if self._pauses else None
        self._pauses.append(time - before)
        return usual is not None and time - before >= max(SILENCE_NS, 1.5 * usual)

    def _take_sent(self, frame: Frame) -> None:
        if self._waiting_since is not None:
            self._row += 1
        self._sent += 1
        self._own.append(frame.data.strip(b"\r\n"))
        self._waiting_since = self._last_sent = frame.time
        if not self._row:
            self._notices = 0

    def _take_received(self, body: bytes, time: int | None, *, after_silence: bool) -> None:
        if body in self._own:
            self._echoed += 1
            return
        kind = _DIGITS.sub(b"", body.partition(b":")[0])[:TEXT_KEPT]
        since = self._waiting_since
        if since is not None and time is not None and time - since <= PATIENCE_NS and kind not in self._kinds:
            self._delays.append((time - since) / SECOND)
            self._answered += 1
            self._waiting_since, self._row, self._notices = None, 0, 0
        else:
            self._notices += 1
            self._unasked += not (self._at_login or self._answered_lately(time) or _BANNER.search(body))
            if since is None and kind not in self._kinds:
                self._kinds.append(kind)
        if time is not None and _BANNER.search(body):
            self._see_banner(body[:TEXT_KEPT], time, after_silence=after_silence)

    def connected(self) -> None:
        """The lane was opened, or somebody has connected: a banner now is a greeting, and no start by itself."""
        self._greeting = True

    def _answered_lately(self, time: int | None) -> bool:
        """An answer may have several lines: those that follow soon belong to it."""
        return self._last_sent is not None and time is not None and time - self._last_sent <= PATIENCE_NS

    def _see_banner(self, body: bytes, time: int, *, after_silence: bool) -> None:
        if tells_of_before(body):
            return
        asked = self._greeting or (self._last_sent is not None and time - self._last_sent < ASKED_NS)
        self._greeting = False
        if body not in self._banners:
            if len(self._banners) < BANNERS_KEPT:
                self._banners[body] = True
        elif after_silence and not asked and (not self._banner or body == self._banner):
            self._banner = body
            self._restarts.append(time)

    def snapshot(self, now: int | None) -> DialogueSnapshot:
        """The counts as of `now`."""
        waiting = self._waiting_since
        late = waiting is not None and now is not None and now - waiting > 2 * SECOND
        return DialogueSnapshot(
            sent=self._sent,
            answered=self._answered,
            echoed=self._echoed,
            notices=self._notices,
            unanswered=self._row + late,
            delays_s=tuple(self._delays),
            endings=(self._endings[0], self._endings[1], self._endings[2], self._endings[3]),
            other_ends=self._other_ends,
            login=self._login,
            banner=self._banner,
            restarts=tuple(self._restarts),
            unasked=self._unasked,
            at_login=self._at_login,
        )


def _ending(data: bytes) -> int:
    """Place in ENDS."""
    return 0 if data.endswith(b"\r\n") else 1 if data.endswith(b"\n") else 2 if data.endswith(b"\r") else 3
