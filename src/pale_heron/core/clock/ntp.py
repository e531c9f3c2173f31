"""Questions to a network time server, client mode, version 4 (RFC 5905): packets, and what their times say.

Times are nanoseconds since 1970. T1 is when the question left, T2 when it came to the server, T3 when the answer left
it, T4 when the answer came here.
"""

import struct
from collections.abc import Sequence
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND

PORT: Final = 123
LENGTH: Final = 48
VERSION: Final = 4
CLIENT: Final = 3
SERVER: Final = 4
UNSYNCHRONISED: Final = 3
"""The leap indicator of a server whose own clock is not set."""

LAST_STRATUM: Final = 15
MOST_DISTANCE_S: Final = 1.5
"""A server that may be farther off is fit for nobody (RFC 5905, 11.2.1 and A.5.5.3)."""

HELD_SLACK_NS: Final = SECOND // 1000
"""So much may two clocks disagree on how long the server had the question."""

ERA_S: Final = 2_208_988_800
"""From 1900, when NTP's seconds begin, to 1970."""

WRAP_S: Final = 1 << 32
_PACKET: Final = struct.Struct("!BBbbII4sQQQQ")
FRACTION: Final = 1 << 32

KISSES: Final = {
    "DENY": "the server refuses this computer",
    "RSTR": "the server refuses this computer",
    "RATE": "the server is asked too often: wait a few minutes",
}
"""Kiss codes with what they mean to whoever asks (RFC 5905, 7.4)."""


class NtpProblem(Exception):
    """An answer that tells no time; says why."""


class OtherQuestion(NtpProblem):
    """It belongs to a question of before, or to nobody's."""


class NetworkTime(NamedTuple):
    """One answer. `offset_ns` is how far the server is ahead of this computer, `delay_ns` the way there and back."""

    stratum: int
    reference_id: str
    leap: int
    root_delay_s: float
    root_dispersion_s: float
    offset_ns: int
    delay_ns: int


class NetworkServer(NamedTuple):
    """What asking a server came to: the answer with the least delay of so many, or why there is none."""

    server: str
    samples: int
    best: NetworkTime | None
    error: str


def ntp_time(moment: int) -> int:
    """Nanoseconds since 1970 as NTP counts: seconds since 1900, modulo 2^32, and their fraction."""
    seconds, rest = divmod(moment, SECOND)
    return ((seconds + ERA_S) % WRAP_S) << 32 | (rest << 32) // SECOND


def moment_of(stamp: int, near: int) -> int:
    """A time of NTP as nanoseconds since 1970, in the era that lies nearest to a moment."""
    seconds, fraction = stamp >> 32, stamp & (FRACTION - 1)
    moment = (seconds - ERA_S) * SECOND + round(fraction * SECOND / FRACTION)
    era = WRAP_S * SECOND
    return moment + round((near - moment) / era) * era


def question(moment: int) -> bytes:
    """What is sent at a moment."""
    head = VERSION << 3 | CLIENT
    return _PACKET.pack(head, 0, 0, 0, 0, 0, b"", 0, 0, 0, ntp_time(moment))


def answer_to(asked: bytes, moment: int, sent: int, stratum: int, reference: bytes, leap: int = 0) -> bytes:
    """What a server says that got a question at a moment, and answers when its clock shows `sent`."""
    _, _, poll, _, _, _, _, _, _, _, transmitted = _PACKET.unpack(asked[:LENGTH])
    head = leap << 6 | VERSION << 3 | SERVER
    times = ntp_time(moment), transmitted, ntp_time(moment), ntp_time(sent)
    return _PACKET.pack(head, stratum, poll, -20, 0, 66, reference[:4], *times)


def read_answer(answer: bytes, asked: bytes, left: int, came: int) -> NetworkTime:
    """What an answer says; raises NtpProblem where it says no time, or answers another question."""
    if len(answer) < LENGTH:
        raise OtherQuestion(f"the answer has {len(answer)} bytes, not {LENGTH}")
    fields = _PACKET.unpack(answer[:LENGTH])
    head, stratum, _, _, root_delay, root_dispersion, reference, _, origin, received, sent = fields
    leap, mode = head >> 6, head & 7
    if mode != SERVER:
        raise OtherQuestion(f"what came is no answer of a server (mode {mode})")
    if origin != _PACKET.unpack(asked)[-1]:
        raise OtherQuestion("what came answers another question")
    code = _code(stratum, reference)
    if stratum == 0 and code in KISSES:
        raise NtpProblem(f"{KISSES[code]} ({code})")
    # Stratum 16 goes over the wire as 0 (RFC 5905, 7.3).
    if leap == UNSYNCHRONISED or stratum > LAST_STRATUM or (stratum == 0 and not code):
        raise NtpProblem("the server's own clock is not set")
    if stratum == 0:
        raise NtpProblem(f"the server tells no time ({code})")
    if not received or not sent:
        raise NtpProblem("the answer leaves out when the server had the question")
    distance = (root_delay / 2 + root_dispersion) / (1 << 16)
    if distance >= MOST_DISTANCE_S:
        raise NtpProblem(f"the server may be {distance:.1f} s off by its own account")
    there, back = moment_of(received, came), moment_of(sent, came)
    if not 0 <= back - there <= came - left + HELD_SLACK_NS:
        held, whole = (back - there) / SECOND, (came - left) / SECOND
        raise NtpProblem(f"the server says that it held the question for {held:.3f} s of {whole:.3f} s")
    return NetworkTime(
        stratum=stratum,
        reference_id=code,
        leap=leap,
        root_delay_s=root_delay / (1 << 16),
        root_dispersion_s=root_dispersion / (1 << 16),
        offset_ns=((there - left) + (back - came)) // 2,
        delay_ns=max(0, (came - left) - (back - there)),
    )


def best_of(found: Sequence[NetworkTime]) -> NetworkTime | None:
    """The one with the least delay: what the network added is bounded by it (RFC 5905, 10)."""
    return min(found, key=lambda each: each.delay_ns, default=None)


def _code(stratum: int, reference: bytes) -> str:
    """A reference id: letters of a primary server or a kiss, else an address."""
    if stratum <= 1:
        text = reference.rstrip(b"\0")
        return "".join(chr(byte) if 0x21 <= byte < 0x7F else "·" for byte in text)
    return ".".join(map(str, reference))
