"""Which rate a device speaks at: candidates judged by what they make legible, and what garbage itself gives away.

*Some bytes came* says nothing: a wrong rate gives bytes too. A rate fits where sentences have right checksums, RTCM 3
messages right CRCs, a module answers with a result code (ITU-T V.250, 5.7), or whole lines are legible, one after the
other.

Garbage is evidence of its own. A UART that reads a slower device sees every bit several times over: of the 256 values
only few occur, and the fewer, the slower the device is. One that reads at another rate mixes the bits of several
characters, but those come from a small alphabet, so that fewer values occur than chance would give. As many values as
chance gives mean noise, a compressed or ciphered stream, or a binary protocol: no rate makes that legible.
"""

import re
from collections.abc import Sequence
from typing import Final, NamedTuple

from pale_heron.core.frames import NMEA, OK, PARTIAL, RTCM3, SECOND, TEXT, Chunk, Direction, Frame
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.wire.framer import Framer
from pale_heron.core.wire.visible import safe_text

CANDIDATES: Final = (9600, 115200, 38400, 4800, 57600, 19200, 230400, 460800, 921600, 2400, 1200)
"""The commonest first."""

LISTEN_NS = int(2.4 * SECOND)
"""The longest that one rate is listened to: two rounds of a receiver that speaks once a second, and some."""

AT_LEAST_NS = int(1.2 * SECOND)
SELDOM_NS = 12 * SECOND
"""A device that speaks seldom is listened to for so long at a rate at which nothing came at first."""

"""A burst may be cut at its start: garbage is believed only after a whole second has passed."""

ENOUGH_GARBAGE = 200
ENOUGH_VALID = 2
ENOUGH_LINES = 3
ENOUGH_LETTERS = 24
"""So many bytes of legible text are no chance: a device that speaks seldom has told no more meanwhile."""

UNENDED_BYTES = 512
LEAST_DISTINCT = 8
READABLE_SHARE = 0.98
SAMPLE = 40
UNENDED: Final = "text, no ends"
ENOUGH_FOR_LIKENESS = 192
LIKENESS_BYTES = 512
FOLLOWED_RATES = 3
"""At so many rates a device is heard that finds the rate itself; two may be chance."""

_RESULT_CODE = re.compile(rb"(?:OK|ERROR|CONNECT.*|NO CARRIER|\+CM[ES] ERROR:.*|0|4)\Z")


class BaudResult(NamedTuple):
    """What one rate gave."""

    rate: int
    bytes: int
    valid: int
    """Sentences and RTCM 3 messages whose check is right."""
    result_codes: int
    lines: int
    """Legible whole lines that are no sentences."""
    legible_share: float | None
    sample: str
    fits: bool
    unended: int = 0
    """Bytes of legible text behind which no line end has come."""

    @property
    def words(self) -> str:
        """Why it fits, or that it does not."""
        if self.valid:
            return f"{self.valid} valid"
        if self.result_codes:
            return f"{self.result_codes} answers"
        if self.fits and self.lines:
            return f"{self.lines} line{'' if self.lines == 1 else 's'}"
        if self.fits:
            return UNENDED
        return "not legible" if self.bytes else "nothing came"


class BaudTrial:
    """Feed it what comes at one rate, ask it how things stand."""

    def __init__(self, rate: int, began: int, *, seldom: bool = False) -> None:
        """`seldom`: the device was heard, and not at this rate: it is given more time."""
        self.rate = rate
        self._began = began
        self._listen_ns = SELDOM_NS if seldom else LISTEN_NS
        self._framer = Framer("trial", Direction.IN)
        self._bytes = self._valid = self._codes = self._lines = self._letters = self._legible = self._framed = 0
        self._sample = b""
        self._tail = b""
        """What came since the last line end."""

    def feed(self, chunk: Chunk) -> None:
        """Bytes received at this rate."""
        self._bytes += len(chunk.data)
        self._tail = (
            (self._tail + chunk.data).splitlines(keepends=True)[-1][-UNENDED_BYTES:] if chunk.data else self._tail
        )
        if self._tail.endswith((b"\r", b"\n")):
            self._tail = b""
        for frame in self._framer.feed(chunk):
            self._take(frame)

    def _take(self, frame: Frame) -> None:
        body = frame.data.strip(b"\r\n")
        if not body or (frame.status is PARTIAL and not self._framed):
            # The rest of a line that was begun before.
            return
        self._framed += len(frame.data)
        valid = frame.status is OK and frame.kind in (NMEA, RTCM3)
        whole_line = frame.kind is TEXT and frame.status is OK
        self._valid += valid
        self._codes += whole_line and bool(_RESULT_CODE.match(body))
        self._lines += whole_line and len(body) >= 4
        self._letters += len(body) * whole_line
        if valid or whole_line:
            self._legible += len(frame.data)
        if valid or whole_line or not self._sample or not self._lines + self._valid:
            self._sample = body

    def settled(self, now: int) -> bool:
        """Whether more listening would not change the judgement."""
        if self._valid >= ENOUGH_VALID or self._codes:
            return True
        passed = now - self._began
        garbage = self._bytes >= ENOUGH_GARBAGE and not self.result().fits
        return passed >= self._listen_ns or self._seldom_heard() or (garbage and passed >= AT_LEAST_NS)

    def _seldom_heard(self) -> bool:
        """Whether one that speaks seldom has said enough to be known by."""
        return self._listen_ns > LISTEN_NS and self.result().fits

    def result(self) -> BaudResult:
        """The judgement on what came so far."""
        share = self._legible / self._framed if self._framed else None
        # One valid sentence can be luck only once in 256; lines must come in a row, with next to nothing between them.
        legible = share is not None and share >= 0.9
        text = self._lines >= ENOUGH_LINES or (self._lines > 0 and self._letters >= ENOUGH_LETTERS)
        unended = _readable(self._tail) if share is None or legible else 0
        fits = self._valid >= 1 or (legible and (self._codes > 0 or text)) or unended >= ENOUGH_LETTERS
        sample = self._sample or (self._tail if unended else b"")
        return BaudResult(
            rate=self.rate,
            bytes=self._bytes,
            valid=self._valid,
            result_codes=self._codes,
            lines=self._lines,
            legible_share=share,
            sample="".join(letter if letter.isascii() else "·" for letter in safe_text(sample[:SAMPLE])),
            fits=fits,
            unended=unended,
        )


def _readable(data: bytes) -> int:
    """How long a text is that has no line end; 0 where it is none, or says the same few letters again and again."""
    printable = sum(0x20 <= byte < 0x7F or byte == 0x09 for byte in data)
    text = data and printable >= READABLE_SHARE * len(data) and len(set(data)) >= LEAST_DISTINCT
    return len(data) if text else 0


def follows_rate(tried: Sequence[BaudResult]) -> bool:
    """Whether the device finds the rate itself: what has one rate is not legible at others, twice as fast and more."""
    fitting = [each.rate for each in tried if each.fits]
    return len(fitting) >= FOLLOWED_RATES and max(fitting) >= 2 * min(fitting)


def recommended(tried: Sequence[BaudResult]) -> BaudResult | None:
    """The rate that fits best; None where none fits. The present one, the first, where the device takes any."""
    fitting = [each for each in tried if each.fits]
    if follows_rate(tried) and tried[0].fits:
        return tried[0]
    return max(fitting, key=lambda each: (each.valid, each.result_codes, each.lines, each.unended), default=None)


def candidates(current: LineSettings) -> tuple[int, ...]:
    """The rates to try, the present one first."""
    return (current.rate, *(rate for rate in CANDIDATES if rate != current.rate))


class Likeness(NamedTuple):
    """What garbage resembles: text of a device that is `slower` (by `times`), or at `another` rate, or `nothing`."""

    kind: str
    times: int | None
    distinct: int
    of: int


def likeness(garbage: bytes) -> Likeness | None:
    """What the last bytes of garbage give away; None where they are too few to judge."""
    sample = garbage[-LIKENESS_BYTES:]
    if len(sample) < ENOUGH_FOR_LIKENESS:
        return None
    distinct = len(set(sample))
    by_chance = 256 * (1 - (255 / 256) ** len(sample))
    if distinct <= 24:
        times = 2 if distinct > 8 else 4 if distinct > 2 else 8
        return Likeness("slower", times, distinct, len(sample))
    return Likeness("another" if distinct < 0.88 * by_chance else "nothing", None, distinct, len(sample))
