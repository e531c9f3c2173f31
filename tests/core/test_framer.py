"""Cutting a stream into frames."""

import itertools
import random

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.streams import GGA, HOSTILE, MEASURED, RTCM, chunk, framed, pieces_of_streams

from pale_heron.core.frames import SECOND, Direction, Kind, Status
from pale_heron.core.wire import rtcm3
from pale_heron.core.wire.checksum import crc24q, running_xor, xor8
from pale_heron.core.wire.framer import ENDS, LIMIT, PAUSE_NS, Framer

OK, BAD, NONE, MALFORMED, PARTIAL = Status.OK, Status.BAD_CHECKSUM, Status.NO_CHECKSUM, Status.MALFORMED, Status.PARTIAL

FLIPPED = RTCM[:5] + bytes([RTCM[5] ^ 1]) + RTCM[6:]
CASES = {
    "a sentence": (GGA, [("GNGGA", OK)]),
    "a sentence that ends with LF": (GGA.replace(b"\r", b""), [("GNGGA", OK)]),
    "a sentence that ends with CR, then another": (GGA[:-1] + GGA, [("GNGGA", OK), ("GNGGA", OK)]),
    "a flipped digit": (GGA.replace(b"4607", b"4617"), [("GNGGA", BAD)]),
    "lower-case checksum": (b"$GPTXT,01,01,02,x*3c\r\n", [("GPTXT", BAD)]),
    "no checksum": (b"$GPGLL,,,,,,V\r\n", [("GPGLL", NONE)]),
    "half a checksum": (b"$GPGLL,,,,,,V*5\r\n", [("GPGLL", MALFORMED)]),
    "bytes after the checksum": (GGA[:-2] + b"x\r\n", [("GNGGA", MALFORMED)]),
    "an address of small letters is text": (b"$gpgga,1*00\r\n", [("text", OK)]),
    "a damaged address": (b"$G\x00GGA,1*00\r\n", [("nmea", MALFORMED)]),
    "cut short by the next": (b"$GNGGA,0941" + GGA, [("GNGGA", MALFORMED), ("GNGGA", OK)]),
    "text cut short by a sentence": (b"boot" + GGA, [("text", PARTIAL), ("GNGGA", OK)]),
    "an encapsulated sentence": (b"!AIVDM,1,1,,A,x,0*4B\r\n", [("AIVDM", BAD)]),
    "the end of a sentence begun before": (b"103,N,0671*5C\r\n" + GGA, [("text", PARTIAL), ("GNGGA", OK)]),
    "a response in CR LF": (b"\r\nOK\r\n", [("text", OK)]),
    "an echo, then a response": (b"AT\r\r\nOK\r\n", [("text", OK), ("text", OK)]),
    "an empty line between": (b"a\r\n\r\n\r\nb\r\n", [("text", OK), ("text", OK), ("text", OK)]),
    "a prompt": (b"> ", [("text", PARTIAL)]),
    "money is no sentence": (b"costs $5, really!\r\n", [("text", OK)]),
    "a variable is no sentence": (b"echo $PATHS/bin\r\n", [("text", OK)]),
    "RTCM 3": (RTCM, [("RTCM 1085", OK)]),
    "RTCM 3 between sentences": (GGA + RTCM + GGA, [("GNGGA", OK), ("RTCM 1085", OK), ("GNGGA", OK)]),
    "an empty RTCM 3 message": (rtcm3.encode(b""), [("RTCM filler", OK)]),
    "RTCM 3 with a flipped bit, alone": (FLIPPED, [("bytes", OK)]),
    "RTCM 3 with a flipped bit before a sentence": (FLIPPED + GGA, [("RTCM 1085", BAD), ("GNGGA", OK)]),
    "RTCM 3 with a flipped bit between two": (
        RTCM + FLIPPED + RTCM,
        [("RTCM 1085", OK), ("RTCM 1085", BAD), ("RTCM 1085", OK)],
    ),
    "RTCM 3 torn by a sentence": (MEASURED[:20] + GGA, [("RTCM 1085", MALFORMED), ("GNGGA", OK)]),
    "RTCM 3 torn by a message": (
        RTCM + MEASURED[:20] + RTCM,
        [("RTCM 1085", OK), ("RTCM 1085", MALFORMED), ("RTCM 1085", OK)],
    ),
    "RTCM 3 torn behind line ends of its own": (
        rtcm3.encode(b"\x3e\xd0\r\n\n" + bytes(range(40)))[:40] + GGA,
        [("RTCM 1005", MALFORMED), ("GNGGA", OK)],
    ),
    "RTCM 3 that the stream ends in": (GGA + MEASURED[:20], [("GNGGA", OK), ("RTCM 1085", PARTIAL)]),
    "RTCM 3 torn right behind its number": (MEASURED[:7] + GGA, [("bytes", OK), ("GNGGA", OK)]),
    "bytes like the head of a message before a line": (b"\xd3\x00\x14text and more\r\n", [("bytes", OK)]),
    "RTCM 3 of a number that is not given out": (
        rtcm3.encode(b"\x00\x10ab")[:-1] + b"x" + GGA,
        [("bytes", OK), ("GNGGA", OK)],
    ),
    "a preamble in a line": (b"up \xd3\x00\x04\x43\xd0ab" + GGA, [("bytes", OK), ("GNGGA", OK)]),
    "noise, then a sentence": (b"\x00\xff\x80\x01" + GGA, [("bytes", OK), ("GNGGA", OK)]),
    "coloured text is text": (b"\x1b[31mhot water\x1b[0m in the kettle\r\n", [("text", OK)]),
}


@pytest.mark.parametrize(("stream", "expected"), CASES.values(), ids=CASES.keys())
def test_cases(stream: bytes, expected: list[tuple[str, Status]]) -> None:
    assert [(frame.type, frame.status) for frame in framed([stream])] == expected


@given(pieces_of_streams, st.lists(st.integers(0, 400), max_size=20), st.sampled_from(list(ENDS)))
def test_frames_do_not_depend_on_where_the_stream_is_cut(pieces: list[bytes], cuts: list[int], ending: str) -> None:
    stream = b"".join(pieces)
    places = sorted({0, len(stream), *(cut for cut in cuts if cut < len(stream))})
    cut_up = [stream[a:b] for a, b in itertools.pairwise(places)]
    whole = framed([stream], ending=ending)
    assert framed(cut_up, ending=ending) == whole
    assert framed((stream[at : at + 1] for at in range(len(stream))), ending=ending) == whole
    assert b"".join(frame.data for frame in whole) == stream


LINES = b"one\r\ntwo\nthree\rfour\r\n"
BY_ENDING = {
    "auto": [b"one\r\n", b"two\n", b"three\r", b"four\r\n"],
    "lf": [b"one\r\n", b"two\n", b"three\rfour\r\n"],
    "cr": [b"one\r", b"\ntwo\nthree\r", b"four\r", b"\n"],
    "crlf": [b"one\r\n", b"two\nthree\rfour\r\n"],
}


@pytest.mark.parametrize("ending", ENDS)
def test_lines_end_as_the_lane_is_set(ending: str) -> None:
    assert [frame.data for frame in framed([LINES], ending=ending)] == BY_ENDING[ending]


def test_an_idle_gap_ends_a_line_and_slow_bytes_are_no_gap() -> None:
    framer = Framer("curlew", Direction.IN, pause_ns=50_000_000, byte_ns=1_000_000)
    assert framer.feed(chunk(b"x" * 80, 0)) == []
    assert framer.feed(chunk(b"y", 100_000_000)) == [], "80 bytes took 80 ms: the gap was 20 ms"
    assert [frame.data for frame in framer.tick(200_000_000)] == [b"x" * 80 + b"y"]


@given(pieces_of_streams)
def test_joined_frames_are_the_stream(pieces: list[bytes]) -> None:
    stream = b"".join(pieces)
    frames = framed([stream])
    assert b"".join(frame.data for frame in frames) == stream
    at = 0
    for frame in frames:
        assert frame.offset == at
        at += len(frame.data)


@given(st.binary(max_size=600))
def test_a_sentence_after_any_line_of_noise_is_found(noise: bytes) -> None:
    """A preamble in the noise may swallow what follows it only where the CRC agrees, which noise does not achieve."""
    assert framed([noise + b"\r\n" + GGA])[-1].data.endswith(GGA)


def test_an_endless_line_is_cut_and_memory_stays_bounded() -> None:
    framer = Framer("curlew", Direction.IN)
    frames = []
    for _ in range(400):
        frames += framer.feed(chunk(b"x" * 100))
        assert framer.waiting <= LIMIT + 100
    assert len(frames) == 400 * 100 // LIMIT
    assert {(frame.kind, len(frame.data)) for frame in frames} == {(Kind.TEXT, LIMIT)}


@pytest.mark.parametrize("noise", [b"\xd3\x00", b"\xd3", b"$", b"$P", b"\r", b"$GPGGA,", b"\x00"])
def test_repeated_starts_of_frames_never_stall(noise: bytes) -> None:
    frames = framed([noise * 3000, b"\n", GGA])
    assert frames[-1].data.endswith(GGA)
    assert frames[-1].status is OK


def test_a_pause_ends_a_line_live_and_on_replay_alike() -> None:
    live, replay = Framer("curlew", Direction.IN), Framer("curlew", Direction.IN)
    early, late = chunk(b"login: ", 5 * SECOND), chunk(b"x\r\n", 5 * SECOND + PAUSE_NS + 2)
    ticked = [*live.feed(early), *live.tick(5 * SECOND + PAUSE_NS), *live.tick(5 * SECOND + PAUSE_NS + 1)]
    assert [frame.data for frame in ticked] == [b"login: "]
    assert ticked + live.feed(late) == replay.feed(early) + replay.feed(late)


def test_a_frame_has_the_time_of_its_first_byte() -> None:
    framer = Framer("curlew", Direction.IN)
    framer.feed(chunk(GGA[:10], 1))
    frames = framer.feed(chunk(GGA[10:] + GGA[:5], 2)) + framer.feed(chunk(GGA[5:], 3))
    assert [frame.time for frame in frames] == [1, 2]


def test_hostile_bytes_are_only_data() -> None:
    assert b"".join(frame.data for frame in framed([HOSTILE, GGA])) == HOSTILE + GGA


@given(st.binary(min_size=1, max_size=300))
def test_checksums_agree_with_their_definitions(data: bytes) -> None:
    expected, running = 0, []
    for byte in data:
        expected ^= byte
        running.append(expected)
    assert xor8(data) == expected
    assert list(running_xor(data)) == running
    remainder = 0
    for bit in (data[at] >> (7 - place) & 1 for at in range(len(data)) for place in range(8)):
        remainder = (remainder << 1) ^ (0x1864CFB if (remainder >> 23) ^ bit else 0)
        remainder &= 0xFFFFFF
    assert crc24q(data) == remainder
    assert crc24q(data + remainder.to_bytes(3, "big")) == 0


def test_a_megabyte_of_mutated_traffic_raises_nothing() -> None:
    chance = random.Random(5)
    framer = Framer("curlew", Direction.IN)
    for _ in range(300):
        stream = bytearray((GGA + RTCM + HOSTILE) * 12)
        for _ in range(60):
            stream[chance.randrange(len(stream))] = chance.randrange(256)
        cut = chance.randrange(len(stream))
        frames = framer.feed(chunk(bytes(stream[:cut]))) + framer.feed(chunk(bytes(stream[cut:])))
        assert frames
