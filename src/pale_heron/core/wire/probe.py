"""Probes in their text form: one line of printable ASCII each, made and found (docs/probe-format.md).

    #p3F7A,A,42,5C1BD0F2,9C2E1B07        a probe: trial, who sends, number, filler, CRC
    #a3F7A,A,42,40,39,1,5C1B,0B5D2A91    the answer to it: besides, its own number, probes got, probes damaged

The CRC is that of ITU-T V.42 (CRC-32, as in zlib) over everything before its comma. The filler makes the line as long
as is asked for; it follows from the other fields, so whoever knows these knows every byte of the probe.
"""

import re
import zlib
from typing import Final, NamedTuple

PROBE, ANSWER = "p", "a"
CRC_DIGITS: Final = 8
LONGEST: Final = 1024
SHORTEST: Final = 20
"""Of a probe with a number of one digit, without its line end."""

_ENDS: Final = re.compile(rb"[\r\n]+")
_MARK: Final = re.compile(rb"#[pa][0-9A-F]{4},")
_WHOLE: Final = re.compile(
    rb"#(?P<kind>[pa])(?P<trial>[0-9A-F]{4}),(?P<sender>[A-Z]),(?P<number>\d{1,10}),"
    rb"(?:(?P<order>\d{1,10}),(?P<got>\d{1,10}),(?P<damaged>\d{1,10}),)?(?P<filler>[0-9A-F]*),(?P<crc>[0-9A-F]{8})"
)


class Probe(NamedTuple):
    """One probe, or the answer to one. The last three are 0 in a probe."""

    kind: str
    trial: int
    sender: str
    """A letter for the end that sends probes; an answer carries that of the probe."""
    number: int
    """From 1."""
    order: int = 0
    """The number of the answer, from 1."""
    got: int = 0
    """How many different probes had come undamaged to whoever answers."""
    damaged: int = 0
    """How many had come damaged."""


def encode(probe: Probe, size: int = 0) -> bytes:
    """The line without its line end, as long as asked for, or as short as it can be."""
    head = f"#{probe.kind}{probe.trial:04X},{probe.sender},{probe.number},"
    if probe.kind == ANSWER:
        head += f"{probe.order},{probe.got},{probe.damaged},"
    room = min(size, LONGEST) - len(head) - CRC_DIGITS - 1
    body = (head + _filler(head, room)).encode("ascii")
    return body + b",%08X" % zlib.crc32(body)


def probe_of(trial: int, sender: str, size: int, number: int) -> bytes:
    """The probe of a number, as it is sent."""
    return encode(Probe(PROBE, trial, sender, number), size)


def _filler(head: str, length: int) -> str:
    """Digits that follow from the fields, so that damage can be seen."""
    if length <= 0:
        return ""
    state, digits = zlib.crc32(head.encode("ascii")), ""
    while len(digits) < length:
        digits += f"{state:08X}"
        state = (state * 1_664_525 + 1_013_904_223) & 0xFFFF_FFFF
    return digits[:length]


def decode(data: bytes) -> Probe | None:
    """A whole, undamaged probe; None for anything else."""
    match = _WHOLE.fullmatch(data)
    return _checked(match) if match else None


def is_probe(data: bytes) -> bool:
    """Whether a line, with or without its end, is a probe or an answer to one."""
    return data[:1] == b"#" and decode(data.strip(b"\r\n")) is not None


def _checked(match: "re.Match[bytes]") -> Probe | None:
    text = match[0]
    if zlib.crc32(text[: -CRC_DIGITS - 1]) != int(match["crc"], 16):
        return None
    kind = match["kind"].decode()
    if (kind == ANSWER) != (match["order"] is not None):
        return None
    more = (int(match[name]) for name in ("order", "got", "damaged")) if kind == ANSWER else ()
    return Probe(kind, int(match["trial"], 16), match["sender"].decode(), int(match["number"]), *more)


class Found(NamedTuple):
    """What stood in a stream: a probe, or (None) a piece of anything else, line ends between probes left out.

    `time` is when its first byte came, or the chunk with it; `end` when its last byte had come.
    """

    probe: Probe | None
    data: bytes
    time: int | None
    end: int | None


class ProbeFinder:
    """Probes of one lane and direction, however the stream is cut, merged or mixed with other things."""

    def __init__(self, byte_ns: float = 0.0) -> None:
        """A byte takes `byte_ns` on the line; 0 where that is not known: then all of a chunk comes at once."""
        self._byte_ns = byte_ns
        self._held = b""
        self._offset = 0
        """Of the first held byte in the stream."""
        self._marks: list[tuple[int, int | None]] = []
        """Where chunks begin, and when they came; the first one holds the first held byte."""

    @property
    def holds(self) -> bool:
        """Whether something waits for its end."""
        return bool(self._held)

    def feed(self, time: int | None, data: bytes) -> list[Found]:
        """What became whole."""
        self._marks.append((self._offset + len(self._held), time))
        self._held += data
        return self._take(final=False)

    def flush(self) -> list[Found]:
        """What waits is as it will ever be: the stream ended, or paused for long."""
        return self._take(final=True)

    def _take(self, *, final: bool) -> list[Found]:
        found: list[Found] = []
        data, at = self._held, 0
        while at < len(data):
            ends = _ENDS.match(data, at)
            if ends is not None:
                at = ends.end()
                continue
            # However much has come, only so much of it is looked at for one piece.
            window = data[at : at + 2 * LONGEST + 1]
            length, probe = self._next(window, final=final)
            if not length:
                break
            begin = self._offset + at
            piece = window[:length] if probe is not None else window[:length].rstrip(b"\r\n")
            last = begin + max(1, len(piece))
            found.append(Found(probe, piece, self._time_at(begin, begin), self._time_at(last - 1, last)))
            at += length
        self._held = data[at:]
        self._offset += at
        while len(self._marks) > 1 and self._marks[1][0] <= self._offset:
            del self._marks[0]
        return found

    def _next(self, held: bytes, *, final: bool) -> tuple[int, Probe | None]:
        """How many bytes stand by themselves, and the probe that they are; 0 where more must come first."""
        match = _WHOLE.match(held)
        probe = _checked(match) if match else None
        if match is not None and probe is not None:
            return match.end(), probe
        # Up to the next line end, or to the next mark, it is something else.
        end = _line_end(held)
        mark = _MARK.search(held, 1)
        if mark is not None and (end == 0 or mark.start() < end):
            return mark.start(), None
        if end:
            return end, None
        return (len(held), None) if final or len(held) > 2 * LONGEST else (0, None)

    def _time_at(self, byte: int, end: int) -> int | None:
        """When as many bytes of the stream had come as `end` says, by the chunk that holds that byte."""
        begin, time = 0, None
        for mark, when in self._marks:
            if mark > byte:
                break
            begin, time = mark, when
        return None if time is None else time + round((end - begin) * self._byte_ns)


def _line_end(data: bytes) -> int:
    """Behind the first line end; 0 where there is none."""
    ends = [at for at in (data.find(b"\n"), data.find(b"\r")) if at >= 0]
    return min(ends) + 1 if ends else 0
