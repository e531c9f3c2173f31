"""Positions in streams of bytes, moved or taken out so that a copy can be shown to others.

A position is found wherever it stands as NMEA 0183 packs it and `degrees.unpack` reads it, in a sentence of any kind or
in what a module hands on, and in the messages of vessels (ITU-R M.1371): digits and letters are changed. All positions
of a capture move by one offset: distances between them stay, to a thousandth. What is written in another way
(`TEXT_FORMS`), and what is left of a position that is not whole, gets stars, and messages of RTCM 3 that hold where a
station stands are taken out.

Heights stay, and so do the satellites' directions, from which a place can be reckoned to some tens of kilometres.
"""

import re
from collections.abc import Iterator
from typing import Final

from pale_heron.core.nmea.degrees import unpack
from pale_heron.core.sharing.edits import StreamEdit
from pale_heron.core.sharing.offset import UNITS, PlaceOffset
from pale_heron.core.sharing.vessels import moved_report
from pale_heron.core.wire import rtcm3
from pale_heron.core.wire.checksum import crc24q, xor8

HOLD: Final = 1100
"""So many bytes are waited for behind a place before it is changed, and kept before it: no message is longer."""

LINE: Final = 256
TOGETHER: Final = 1 << 16
"""So many bytes are looked through together."""

_PACKED: Final = rb"(\d{3,5}(?:\.\d{0,20})?)"
_POSITION: Final = re.compile(rb"(?<![\d.])" + _PACKED + rb",([NS])," + _PACKED + rb",([EW])(?![\w.])")
_PLAIN: Final = re.compile(rb"[$!]((?!..TXT)[A-OQ-Z][A-Z][A-Z]{3},[^\r\n$!*]*)\*([0-9A-F]{2})\r?\n")
_VESSEL: Final = re.compile(rb"[$!][A-Z]{2}VD[MO],\d,1,\d?,[^,\r\n]?,([0-W`-w]{1,100}),[0-5]")
_RUN: Final = re.compile(rb"\d+")
_DIGITS: Final = re.compile(rb"(?<![\d.])(\d{4,5})\.(\d+)")
_DECIMAL: Final = re.compile(rb"(?<![\d.])(\d{1,3}\.\d)(\d{3,})")
_DEGREE: Final = rb"(?:\xc2\xb0|\xb0|\xba|deg|d)"
_FRACTION: Final = rb"\d{1,3}[.,]\d{3,}"
TEXT_FORMS: Final = tuple(
    re.compile(form, re.IGNORECASE)
    for form in (
        # 47°17.114'N, 48 07.038 N, 48°07'02.3"N: with a degree sign, or with decimals.
        rb"(?<![\w.])\d{1,3} ?"
        + _DEGREE
        + rb"[ -]?\d{1,2}(?:[.,]\d+)?(?: ?(?:'|\xe2\x80\xb2|m) ?(?:\d{1,2}(?:[.,]\d+)?)?)?"
        rb"(?: ?(?:\"|''|\xe2\x80\xb3|s))? ?[NSEW](?!\w)",
        rb"(?<![\w.])\d{1,3}[ :-]\d{1,2}(?:[.,]\d{2,}|[ :-]\d{1,2}(?:[.,]\d+)?) ?[NSEW](?!\w)",
        rb"(?<!\w)[NSEW] ?\d{1,3}(?: ?" + _DEGREE + rb" ?| )\d{1,2}[.,]\d{2,}",
        # 46.1173 S, S 46.1173, -46.1173°
        rb"(?<![\w.])" + _FRACTION + rb" ?" + _DEGREE + rb"? ?[NSEW](?!\w)",
        rb"(?<!\w)[NSEW] ?" + _FRACTION,
        rb"(?<![\w.])-?" + _FRACTION + rb" ?" + _DEGREE + rb"(?!\w)",
        # lat=46.1173, "longitude": -67.3067
        rb"(?:lat(?:itude)?|lon(?:g(?:itude)?)?|lng|breite|l.nge)[\"']?[ :=>]{1,4}[\"']?[-+]?" + _FRACTION,
        # -46.117300,-67.306667
        rb"(?<![\w.])[-+]?\d{1,2}\.\d{4,} ?[,; ] ?[-+]?\d{1,3}\.\d{4,}(?![\w.])",
    )
)
"""Positions as people and boards write them: their digits get stars, and nothing else of them changes."""

_STATION: Final = frozenset({1005, 1006})
"""Messages of RTCM 3 with the coordinates of a reference station."""


class KnownDigits:
    """How the positions of a capture begin, as they are written: to know again what is left of one."""

    def __init__(self) -> None:
        self.packed: set[bytes] = set()
        self.decimal: set[bytes] = set()

    def note(self, latitude: bytes, longitude: bytes) -> None:
        """Take the packed digits of a position."""
        for digits, letters, letter in ((latitude, "NS", "N"), (longitude, "EW", "E")):
            self.packed.add(digits.partition(b".")[0])
            angle = _angle(digits, letter, letters)
            if angle is not None:
                self.decimal.add(f"{angle:.6f}"[: f"{angle:.6f}".index(".") + 2].encode())


class PlaceEditor:
    """One stream of one lane; `offset` None takes positions out. Feed it all bytes, then `finish`."""

    def __init__(self, offset: PlaceOffset | None, known: KnownDigits) -> None:
        self._offset = offset
        self._known = known
        self._buffer = bytearray()
        self._base = self._done = 0
        self.edits: list[StreamEdit] = []
        self.positions = 0

    def feed(self, data: bytes) -> None:
        """More of it."""
        self._buffer += data
        if len(self._buffer) - self._done > TOGETHER:
            self._scan(len(self._buffer) - HOLD)

    def finish(self) -> None:
        """The end of it."""
        self._scan(len(self._buffer))

    def _scan(self, limit: int) -> None:
        if limit <= self._done:
            return
        for found in _POSITION.finditer(self._buffer, self._done):
            if found.start() >= limit:
                break
            self._change(found)
        for found in _VESSEL.finditer(self._buffer, self._done):
            if found.start() < limit and (changed := moved_report(found[1], self._offset)) is not None:
                self.positions += 1
                self.edits.append(StreamEdit(self._base + found.start(1), self._base + found.end(1), changed))
        for begin, end in _stations(self._buffer, self._done, limit):
            self.edits.append(StreamEdit(self._base + begin, self._base + end, b""))
        self._done = limit
        cut = max(0, self._done - HOLD)
        del self._buffer[:cut]
        self._base += cut
        self._done -= cut

    def _change(self, found: "re.Match[bytes]") -> None:
        latitude, north, longitude, east = found.groups()
        self._known.note(latitude, longitude)
        if _angle(latitude, north.decode(), "NS") is None or _angle(longitude, east.decode(), "EW") is None:
            # Nothing reads that as a position; what is written there may be one that suffered.
            return
        moved = moved_place(latitude, north, longitude, east, self._offset) if self._offset is not None else None
        changed = b",".join(moved) if moved is not None else b",,,"
        self.positions += 1
        begin = self._base + found.start()
        self.edits.append(StreamEdit(begin, begin + len(found[0]), changed))


class RestFinder:
    """What is left of positions that are not whole: stars for their digits. Feed it all bytes, then `finish`."""

    def __init__(self, known: KnownDigits, edits: list[StreamEdit]) -> None:
        self._known = known
        self._taken = sorted(edits)
        self._next = 0
        self._buffer = bytearray()
        self._base = self._done = 0
        self.stars: list[tuple[int, int]] = []
        self.positions = 0
        """Whole ones that were written in another way; two numbers that belong together may count as two."""

    def feed(self, data: bytes) -> None:
        """More of it."""
        self._buffer += data
        if len(self._buffer) - self._done > TOGETHER:
            self._scan(len(self._buffer) - LINE)

    def finish(self) -> None:
        """The end of it."""
        self._scan(len(self._buffer))

    def _scan(self, limit: int) -> None:
        if limit <= self._done:
            return
        found = [each for begin, end in self._stretches() for each in self._found(begin, end)]
        until = 0
        for each in sorted(found, key=lambda each: (each.start(), -each.end())):
            begin, end = self._base + each.start(), self._base + each.end()
            # Of several that overlap the first, and longest, has it.
            if each.start() < limit and each.start() >= until and not self._is_taken(begin, end):
                until = each.end()
                self.positions += each.re in TEXT_FORMS
                self.stars += [(begin + run.start(), begin + run.end()) for run in _RUN.finditer(each[0])]
        self._done = limit
        cut = max(0, self._done - LINE)
        del self._buffer[:cut]
        self._base += cut
        self._done -= cut

    def _stretches(self) -> Iterator[tuple[int, int]]:
        """What is no whole sentence of the standard: those hold their positions as it packs them, and nothing else."""
        at = self._done
        for plain in _PLAIN.finditer(self._buffer, self._done):
            body, total = plain.groups()
            if xor8(body) == int(total, 16):
                yield at, plain.start()
                at = plain.end()
        yield at, len(self._buffer)

    def _found(self, begin: int, end: int) -> Iterator["re.Match[bytes]"]:
        if begin == end:
            return
        for form in TEXT_FORMS:
            yield from form.finditer(self._buffer, begin, end)
        for pattern, known in ((_DIGITS, self._known.packed), (_DECIMAL, self._known.decimal)):
            yield from (each for each in pattern.finditer(self._buffer, begin, end) if each[1] in known)

    def _is_taken(self, begin: int, end: int) -> bool:
        while self._next < len(self._taken) and self._taken[self._next].end <= begin:
            self._next += 1
        return self._next < len(self._taken) and self._taken[self._next].begin < end


def is_plain_sentence(data: bytes) -> bool:
    """Whether a whole sentence is one of the standard whose fields are figures and letters."""
    return _PLAIN.fullmatch(data) is not None


def _stars(text: bytes) -> bytes:
    return re.sub(rb"\d", b"*", text)


def without_places(text: str) -> tuple[str, int]:
    """What somebody typed, with stars for the digits of positions, in whatever form; and how many there were."""
    data, found = text.encode("utf-8", "surrogateescape"), 0
    for form in (_POSITION, *TEXT_FORMS):
        data, count = form.subn(lambda match: _stars(match[0]), data)
        found += count
    return data.decode("utf-8", "surrogateescape"), found


def _stations(buffer: bytearray, begin: int, limit: int) -> Iterator[tuple[int, int]]:
    """Whole messages of RTCM 3 that say where a station stands."""
    at = buffer.find(rtcm3.PREAMBLE, begin, limit)
    while at >= 0:
        length = rtcm3.total_length(buffer[at:]) if len(buffer) - at >= rtcm3.HEADER_BYTES else None
        message = bytes(buffer[at : at + length]) if length else b""
        whole = len(message) == length and crc24q(message[:-3]).to_bytes(3, "big") == message[-3:]
        if whole and rtcm3.message_number(message) in _STATION:
            yield at, at + len(message)
        at = buffer.find(rtcm3.PREAMBLE, at + 1, limit)


def moved_place(
    latitude: bytes, north: bytes, longitude: bytes, east: bytes, offset: PlaceOffset
) -> tuple[bytes, bytes, bytes, bytes] | None:
    """Packed digits and letters, moved, with as many digits as before; None where they are no position."""
    if _angle(latitude, north.decode(), "NS") is None or _angle(longitude, east.decode(), "EW") is None:
        return None
    turn = 360 * 60 * UNITS
    up = _minutes(latitude) * (1 if north == b"N" else -1) + offset.latitude
    over = _minutes(longitude) * (1 if east == b"E" else -1) + offset.longitude
    over = (over + turn // 2) % turn - turn // 2
    return (
        _packed(abs(up), latitude), b"N" if up >= 0 else b"S",
        _packed(abs(over), longitude), b"E" if over >= 0 else b"W",
    )  # fmt: skip


def _angle(digits: bytes, letter: str, pair: str) -> float | None:
    try:
        return unpack(digits.decode(), letter, pair)
    except ValueError:
        return None


def _minutes(digits: bytes) -> int:
    """Packed degrees and minutes as ten millionths of a minute."""
    whole, _, fraction = digits.decode().partition(".")
    return (int(whole[:-2]) * 60 + int(whole[-2:])) * UNITS + int(fraction[:7].ljust(7, "0"))


def _packed(units: int, like: bytes) -> bytes:
    """As degrees and minutes, with as many digits and decimals as `like` where that is enough."""
    whole, _, tail = like.partition(b".")
    width, decimals = len(whole) - 2, len(tail)
    step = 10 ** max(0, 7 - decimals)
    minutes, rest = divmod((units + step // 2) // step * step, UNITS)
    fraction = f"{rest:07d}"[:decimals].ljust(decimals, "0")
    return f"{minutes // 60:0{width}d}{minutes % 60:02d}{'.' if b'.' in like else ''}{fraction}".encode()
