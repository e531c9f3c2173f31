"""Cuts one stream of bytes into frames.

A stream may mix NMEA 0183 sentences, lines of text, RTCM 3 messages and bytes of no known form. It is read from left to
right and never looked at twice: `_scan` says up to where the bytes in hand are known to hold no boundary. At a byte
that could be one (a line end, the start of a sentence, the preamble of an RTCM 3 message) there are three answers: it
is, it is not, or too few bytes are here to decide. On the third the framer waits for more bytes, or for a pause, which
decides.

- A line ends with LF, CR or CR LF. One line end in front of a line belongs to that line (V.250, 5.7.1: responses begin
  with CR LF).
- A sentence start in the middle of a line ends the line: it was cut short.
- A line of which more than one byte in eight is illegible is a run of bytes. One of over LIMIT bytes is cut there.
- However the stream is cut into chunks, the frames are the same; only a pause longer than `pause_ns` ends one early.
  What is no text ends where more of it comes later than RUBBISH_NS behind its beginning.
- A lane may be set to one kind of line end alone; the others are then bytes like any.
- What is sent ends where the sending ends: a line without a line end is whole, and a CR waits for no LF.
"""

import re
import sys
from collections import deque
from enum import Enum, auto
from typing import Final, NamedTuple

from pale_heron.core.frames import BAD_CHECKSUM, NMEA, OK, SECOND, Chunk, Direction, Frame, Kind, Status
from pale_heron.core.wire import rtcm3, sentence
from pale_heron.core.wire.checksum import crc24q, running_xor
from pale_heron.core.wire.visible import unreadable_count

LIMIT = 4096
"""The longest line, in bytes; what is longer is opaque."""

PAUSE_NS = 300_000_000
"""A silence that ends a frame without a line end, such as a prompt."""

RUBBISH_NS: Final = 700_000_000
"""Bytes that are no text end after so long at the next ones: nobody waits for their line end.

With a pause that does not end them they are whole within a second, so that they keep their place among other lanes'.
"""

GROWING_NS: Final = SECOND
"""A line that has not ended for so long is shown as it grows."""

_DIGITS = tuple(b"%02X" % value for value in range(256))
_SENTENCE_REST = re.compile(rb"[^$!]*,[^$!]*\*[0-9A-Fa-f]{2}\r?\n?")
_CR_LF = b"\r\n"
_STARTS = b"$!"
_FRAME_STARTS = _STARTS + bytes([rtcm3.PREAMBLE])
_CUT_SHORT = "cut short by what follows"
_GROWING: Final = "no line end so far"
_UNENDED = {Direction.IN: "no line end before a pause", Direction.OUT: "sent without a line end"}
"""Why a line is not whole, by its direction."""

_NO_MARK = sys.maxsize
_WITHOUT_CHECKSUM = (Status.NO_CHECKSUM, Status.MALFORMED)


def _is_opaque(data: bytes) -> bool:
    """Whether these bytes are no text."""
    return 8 * unreadable_count(data) > len(data)


class _LineEnds(NamedTuple):
    """How one way of ending lines is looked for: any boundary, a whole line end, the bytes that may begin one.

    `sentence` is a whole sentence with its line end.
    """

    boundary: re.Pattern[bytes]
    whole: re.Pattern[bytes]
    first: bytes
    sentence: re.Pattern[bytes]


def _ends(boundary: bytes, whole: bytes, first: bytes, after_sentence: bytes) -> _LineEnds:
    return _LineEnds(re.compile(boundary), re.compile(whole), first, re.compile(sentence.WHOLE + after_sentence))


ENDS: Final = {
    "auto": _ends(rb"[\r\n$!\xd3]", rb"\r\n|\r|\n", b"\r\n", rb"\r?\n"),
    "lf": _ends(rb"[\n$!\xd3]", rb"\n", b"\n", rb"\r?\n"),
    "cr": _ends(rb"[\r$!\xd3]", rb"\r", b"\r", rb"\r"),
    "crlf": _ends(rb"\r(?=\n|\Z)|[$!\xd3]", rb"\r\n|\r\Z", b"\r", rb"\r\n"),
}
"""By the name that settings give them. A CR at the end of what is here may still become CR LF."""


class HeldBytes(NamedTuple):
    """Bytes that wait for the end of their frame: since when, and after which moment a pause ends them."""

    since: int
    until: int


class FramerPlace(NamedTuple):
    """Where a framer stands: the bytes before `offset` are cut, `held` follows; marks are where chunks begin behind it.

    `time` is that of the chunk in which `offset` lies unless a mark says another; `last_time` is the end of all of it.
    """

    offset: int
    held: bytes
    time: int | None
    marks: tuple[tuple[int, int | None], ...]
    last_time: int | None


class _FramerAnswer(Enum):
    YES = auto()
    NO = auto()
    WAIT = auto()


class Framer:
    """The frames of one lane and direction."""

    def __init__(
        self, lane: str, direction: Direction, pause_ns: int = PAUSE_NS, ending: str = "auto", byte_ns: int = 0
    ) -> None:
        self._lane = lane
        self._direction = direction
        self._unended = _UNENDED[direction]
        self.set(pause_ns, ending, byte_ns)
        self._held = b""
        self.waiting = False
        """Whether bytes are held until their frame is whole."""
        self._scan = 0
        self._offset = 0
        self._last_time: int | None = None
        self._marks: deque[tuple[int, int | None]] = deque()
        self._time: int | None = None
        self._next_mark = _NO_MARK
        self._frames: list[Frame] = []

    def set(self, pause_ns: int, ending: str, byte_ns: int) -> None:
        """Change how lines end: after what silence, by which of ENDS; a byte takes `byte_ns` (0: unknown)."""
        self._pause_ns = pause_ns
        self._ending = ending
        self._byte_ns = byte_ns

    @property
    def pause_ns(self) -> int:
        """The silence that ends a line."""
        return self._pause_ns

    @property
    def byte_ns(self) -> int:
        """How long a byte takes; 0 where that is not known."""
        return self._byte_ns

    @property
    def ending(self) -> str:
        """Which of ENDS its lines have."""
        return self._ending

    @property
    def lane(self) -> str:
        """Whose stream it is."""
        return self._lane

    @property
    def place(self) -> FramerPlace:
        """Where it stands."""
        return FramerPlace(self._offset, self._held, self._time, tuple(self._marks), self._last_time)

    def leap(self, place: FramerPlace) -> list[Frame]:
        """Stand there: what lies before was whole frames, and was cut elsewhere. Gives what the held bytes complete."""
        self._offset, self._held, self._time, marks, self._last_time = place
        self._marks = deque(marks)
        self._next_mark = marks[0][0] if marks else _NO_MARK
        self._scan = 0
        self._cut(final=False)
        return self._taken()

    def waiting_text(self, most: int) -> bytes:
        """The last bytes that wait for the end of their frame."""
        return bytes(self._held[-most:])

    @property
    def held(self) -> HeldBytes | None:
        """What waits for the end of its frame; None where nothing does, or where no time is known."""
        if not self._held or self._last_time is None:
            return None
        since = self._time
        for offset, time in self._marks:
            if offset > self._offset:
                break
            since = time
        return None if since is None else HeldBytes(since, self._last_time + self._pause_ns)

    def feed(self, chunk: Chunk) -> list[Frame]:
        """The frames that `chunk` completes. Before it, a pause since the chunk before ends what was waiting."""
        if self._paused(chunk.time):
            self._cut(final=True)
        elif self.waiting:
            self._end_rubbish(chunk.time)
        self._marks.append((self._offset + len(self._held), chunk.time))
        self._next_mark = self._marks[0][0]
        self._last_time = chunk.time if chunk.time is None else chunk.time + len(chunk.data) * self._byte_ns
        self._held += chunk.data
        self._cut(final=self._direction is Direction.OUT and not chunk.continued)
        return self._taken()

    def _end_rubbish(self, now: int | None) -> None:
        """What is known to hold no boundary, is no text, and began long ago."""
        held, data = self.held, self._held[: self._scan]
        if held is not None and now is not None and now - held.since > RUBBISH_NS and _is_opaque(data):
            self._emit(0, data, Kind.BYTES, OK, None, "bytes")
            self._held, self._offset, self._scan = self._held[len(data) :], self._offset + len(data), 0

    def growing(self, now: int) -> Frame | None:
        """What has waited for the end of its line for a while, as it stands; None where nothing has."""
        held = self.held
        if held is None or now - held.since < GROWING_NS:
            return None
        kind, status, reason, name = self._judged(self._held, self._offset, _GROWING)
        return Frame(self._lane, self._direction, held.since, self._offset, self._held, kind, status, reason, name)

    def tick(self, now: int) -> list[Frame]:
        """What a pause up to `now` ends. The chunk that comes next would end it just the same."""
        if self._paused(now):
            self._cut(final=True)
        return self._taken()

    def finish(self) -> list[Frame]:
        """What is left at the end of the stream."""
        self._cut(final=True)
        return self._taken()

    def _paused(self, now: int | None) -> bool:
        last = self._last_time
        return bool(self._held) and now is not None and last is not None and now - last > self._pause_ns

    def _taken(self) -> list[Frame]:
        taken, self._frames = self._frames, []
        return taken

    def _cut(self, final: bool) -> None:
        held, start, size = self._held, 0, len(self._held)
        running, whole_sentence = b"", ENDS[self._ending].sentence.match
        while start < size:
            if self._scan <= start and (whole := whole_sentence(held, start, start + LIMIT)):
                running = running or running_xor(held)
                star, end = whole.start(2) - 1, whole.end()
                expected = running[start] ^ running[star - 1]
                name, digits = whole.groups()
                if digits == _DIGITS[expected] or (found := int(digits, 16)) == expected:
                    self._emit(start, held[start:end], NMEA, OK, None, name.decode("ascii"))
                else:
                    reason = sentence.mismatch(expected, found)
                    self._emit(start, held[start:end], NMEA, BAD_CHECKSUM, reason, name.decode("ascii"))
            else:
                ended = self._line(start, final)
                if ended is None:
                    break
                end = ended
            self._scan = start = end
        self._held = held[start:]
        self.waiting = start < size
        self._offset += start
        self._scan = max(0, self._scan - start)

    def _line(self, start: int, final: bool) -> int | None:
        """Emit what begins at `start` and give its end; None where more bytes are needed to know."""
        held, size = self._held, len(self._held)
        ends = ENDS[self._ending]
        first = start
        lead = ends.whole.match(held, start)
        if lead is not None:
            first = lead.end()
            if first == size and not final:
                return None
            if first == size or ends.whole.match(held, first):
                return self._close(start, first, None)
        scan = max(self._scan, first)
        while boundary := ends.boundary.search(held, scan, start + LIMIT):
            at = boundary.start()
            byte = held[at]
            if byte in ends.first:
                if byte == 0x0D and at + 1 == size and not final and self._ending != "cr":
                    self._scan = at
                    return None
                line_end = ends.whole.match(held, at)
                if line_end is None:
                    scan = at + 1
                    continue
                return self._close(start, line_end.end(), None)
            if byte in _STARTS and at == first:
                scan = at + 1
                continue
            answer = self._frame_at(at)
            undecided = answer is _FramerAnswer.WAIT
            if at == start and byte == rtcm3.PREAMBLE and (answer is _FramerAnswer.NO or (final and undecided)):
                answer, end = self._broken_message_at(at, final)
                if answer is _FramerAnswer.YES:
                    return self._broken_message(at, end, final)
            if answer is _FramerAnswer.WAIT and not final:
                self._scan = at
                return None
            if answer is _FramerAnswer.YES:
                return self._close(start, at, _CUT_SHORT) if at > start else self._message(at)
            scan = at + 1
        if size - start >= LIMIT:
            return self._close(start, start + LIMIT, f"no line end within {LIMIT} bytes")
        if final:
            return self._close(start, size, self._unended)
        self._scan = size
        return None

    def _sentence_at(self, at: int) -> _FramerAnswer:
        held = self._held
        if sentence.START.match(held, at):
            return _FramerAnswer.YES
        so_far = sentence.START_SO_FAR.fullmatch(held, at) if len(held) - at < sentence.START_BYTES else None
        return _FramerAnswer.WAIT if so_far else _FramerAnswer.NO

    def _message_at(self, at: int) -> _FramerAnswer:
        held, size = self._held, len(self._held)
        if at + 1 < size and held[at + 1] & 0xFC:
            return _FramerAnswer.NO
        if at + rtcm3.HEADER_BYTES > size:
            return _FramerAnswer.WAIT
        length = rtcm3.total_length(held[at : at + rtcm3.HEADER_BYTES])
        if length is None:
            return _FramerAnswer.NO
        if at + length > size:
            return _FramerAnswer.WAIT
        return _FramerAnswer.NO if crc24q(held[at : at + length]) else _FramerAnswer.YES

    def _broken_message_at(self, at: int, final: bool) -> tuple[_FramerAnswer, int]:
        """Whether a damaged or torn message stands there, right behind a frame, and where it ends.

        A preamble is a byte like any, so its length alone proves nothing: its number must be one that is given out, and
        either a message or a sentence begins where it says that it ends, or one that is whole begins before: then it is
        torn. So it is where everything ends before.
        """
        size = len(self._held)
        length = rtcm3.total_length(self._held[at : at + rtcm3.HEADER_BYTES]) if at + rtcm3.LEAST_BYTES <= size else 0
        if length is None or rtcm3.message_number(self._held[at : at + (length or size)]) not in rtcm3.NUMBERS:
            return _FramerAnswer.NO, at
        behind = at + length
        answer = self._begins_at(behind) if behind < size else _FramerAnswer.WAIT
        if answer is _FramerAnswer.YES or (answer is _FramerAnswer.WAIT and not final):
            return answer, behind
        for begins in range(at + rtcm3.LEAST_BYTES, min(behind, size)):
            if self._held[begins] in _FRAME_STARTS:
                answer = self._frame_at(begins)
                if answer is _FramerAnswer.YES or (answer is _FramerAnswer.WAIT and not final):
                    return answer, begins
        return (_FramerAnswer.YES if final and size < behind else _FramerAnswer.NO), size

    def _frame_at(self, at: int) -> _FramerAnswer:
        """Whether a sentence begins or a whole message stands there."""
        return self._sentence_at(at) if self._held[at] in _STARTS else self._message_at(at)

    def _begins_at(self, at: int) -> _FramerAnswer:
        """Whether a sentence or a message begins there, be it whole or not."""
        held, size = self._held, len(self._held)
        if held[at] != rtcm3.PREAMBLE:
            return self._sentence_at(at) if held[at] in _STARTS else _FramerAnswer.NO
        if at + rtcm3.HEADER_BYTES > size:
            return _FramerAnswer.WAIT
        begins = rtcm3.total_length(held[at : at + rtcm3.HEADER_BYTES]) is not None
        return _FramerAnswer.YES if begins else _FramerAnswer.NO

    def _message(self, at: int) -> int:
        length = rtcm3.total_length(self._held[at : at + rtcm3.HEADER_BYTES])
        assert length is not None
        data = self._held[at : at + length]
        number = rtcm3.message_number(data)
        name = "RTCM filler" if number is None else f"RTCM {number}"
        self._emit(at, data, Kind.RTCM3, Status.OK, None, name)
        return at + length

    def _broken_message(self, at: int, end: int, final: bool) -> int:
        """Emit a message whose check does not fit, or which is cut short by another or by the end."""
        data = self._held[at:end]
        length = rtcm3.total_length(data[: rtcm3.HEADER_BYTES])
        if len(data) == length:
            status, reason = BAD_CHECKSUM, "the check of the message does not fit"
        elif final and end == len(self._held):
            status, reason = Status.PARTIAL, f"ends after {len(data)} of {length} bytes"
        else:
            status, reason = Status.MALFORMED, f"{_CUT_SHORT}: {len(data)} of {length} bytes"
        self._emit(at, data, Kind.RTCM3, status, reason, f"RTCM {rtcm3.message_number(data)}")
        return end

    def _close(self, start: int, end: int, why: str | None) -> int:
        """Emit the line from `start` to `end` as what it is; `why` says how it ended if not by a line end."""
        data = self._held[start:end]
        self._emit(start, data, *self._judged(data, self._offset + start, why))
        return end

    def _judged(self, data: bytes, offset: int, why: str | None) -> tuple[Kind, Status, str | None, str]:
        """What a line is, which begins at an offset of the stream."""
        body = data.lstrip(_CR_LF)
        too_long = len(data) >= LIMIT
        if body[:1] and body[0] in _STARTS and body[1:2].isupper() and not too_long:
            status, reason, name = sentence.verdict(body)
            if why and status in _WITHOUT_CHECKSUM:
                status, reason = Status.PARTIAL if why in (self._unended, _GROWING) else Status.MALFORMED, why
            return Kind.NMEA, status, reason, name
        if _is_opaque(data):
            return Kind.BYTES, OK, why if too_long else None, "bytes"
        if offset == 0 and _SENTENCE_REST.fullmatch(body):
            return Kind.TEXT, Status.PARTIAL, "the rest of a sentence begun before the start", "text"
        if why and body:
            return Kind.TEXT, Status.PARTIAL, why, "text"
        return Kind.TEXT, OK, None, "text"

    def _pass_marks(self, offset: int) -> None:
        """Take the time of the chunk that holds `offset`."""
        while self._marks and self._marks[0][0] <= offset:
            self._time = self._marks.popleft()[1]
        self._next_mark = self._marks[0][0] if self._marks else _NO_MARK

    def _emit(self, start: int, data: bytes, kind: Kind, status: Status, reason: str | None, name: str) -> None:
        offset = self._offset + start
        if self._next_mark <= offset:
            self._pass_marks(offset)
        time = self._time
        self._frames.append(Frame(self._lane, self._direction, time, offset, data, kind, status, reason, name))
