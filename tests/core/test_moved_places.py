"""Positions in a copy: all moved by one offset however the stream is cut, distances kept, nothing of them left."""

import re
from itertools import pairwise
from pathlib import Path
from typing import Final

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.streams import BEGIN, chunk, framed, said

from pale_heron.bench.distance import distance_and_bearing
from pale_heron.bench.redacting import COARSE, NONE, SharingWishes, StillThere, redact
from pale_heron.bench.sources import Source
from pale_heron.capture.reader import CaptureReader
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import OK, SECOND, TEXT, Chunk, Event
from pale_heron.core.nmea.degrees import unpack
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.sharing import positions
from pale_heron.core.sharing.edits import StreamCopy, merged
from pale_heron.core.sharing.kinds import POSITION
from pale_heron.core.sharing.offset import UNITS, PlaceOffset
from pale_heron.core.sharing.positions import KnownDigits, PlaceEditor, RestFinder, moved_place
from pale_heron.core.sharing.vessels import moved_report
from pale_heron.core.wire import rtcm3

OFFSET: Final = PlaceOffset(round(3.21 * UNITS), round(-7.65 * UNITS))
STREAM: Final = b"".join(
    (
        sealed("GNGGA,094107.00,4607.03800,S,06718.40000,W,1,11,0.8,3.4,M,11.2,M,,"),
        sealed("GNRMC,094107.00,A,4607.0380,S,06718.4000,W,0.1,84.4,040531,,,A"),
        b"$GNGLL,4607.038,S,06718.400,W,094107.00,A*00\r\n",
        b'+RX: -110,"GNRMC,094107.00,A,4607.03800,S,06718.40000,W,0.1"\r\n',
        sealed("GNGGA,094108.00,,,,,0,00,99.9,,,,,,"),
        rtcm3.encode(bytes.fromhex("3ED00000") + bytes(15)),
        rtcm3.encode(bytes.fromhex("43d0000102d30003")),
        b"+LOC: -46.117300,-67.306667\r\n",
        b"$GNGGA,094109.00,4607.0380",
    )
)


OWN: Final = (-46.1173, -67.3067)
SIXTEENTHS: Final = {1: (61, 28, 27, 10_000), 18: (57, 28, 27, 10_000), 27: (44, 18, 17, 10)}
"""Of ITU-R M.1371: where longitude begins, how many bits it and latitude behind it have, parts of a minute."""


def vessel(number: int, where: tuple[float, float]) -> bytes:
    """The characters of a message of a vessel that lies there."""
    begin, wide, narrow, parts = SIXTEENTHS[number]
    latitude, longitude = (round(each * 60 * parts) for each in where)
    bits = (
        f"{number:06b}".ljust(begin, "1") + f"{longitude % (1 << wide):0{wide}b}{latitude % (1 << narrow):0{narrow}b}"
    )
    bits = bits.ljust(168, "0")
    return "".join(ARMOUR[int(bits[at : at + 6], 2)] for at in range(0, 168, 6)).encode()


ARMOUR: Final = "0123456789:;<=>?@ABCDEFGHIJKLMNOPQRSTUVW`abcdefghijklmnopqrstuvw"


def edited(pieces: list[bytes], offset: PlaceOffset | None) -> bytes:
    known = KnownDigits()
    editor = PlaceEditor(offset, known)
    for piece in pieces:
        editor.feed(piece)
    editor.finish()
    rest = RestFinder(known, editor.edits)
    for piece in pieces:
        rest.feed(piece)
    rest.finish()
    copy = StreamCopy(merged(editor.edits, rest.stars))
    return b"".join(map(copy.of_chunk, pieces))


@given(st.lists(st.integers(1, len(STREAM) - 1), max_size=30), st.sampled_from([OFFSET, None]))
def test_however_it_is_cut_the_same_comes_out(cuts: list[int], offset: PlaceOffset | None) -> None:
    ends = [0, *sorted(set(cuts)), len(STREAM)]
    pieces = [STREAM[begin:end] for begin, end in pairwise(ends)]
    out = edited(pieces, offset)
    assert out == edited([STREAM], offset)
    assert not re.search(rb"4607\.\d|6718\.\d|46\.117|67\.306", out), out
    good = [frame for frame in framed([out]) if frame.status is OK and frame.kind is not TEXT]
    assert len(good) == 4, "each good checksum is right again, the bad one is as bad, the station's message is gone"
    assert len(out) == len(STREAM) - 25 or offset is None


@given(
    st.floats(-89, 89),
    st.floats(-180, 180),
    st.integers(0, 8),
    st.integers(-(10**8), 10**8),
    st.integers(-(10**9), 10**9),
)
def test_a_moved_position_lies_where_it_should(
    latitude: float, longitude: float, decimals: int, up: int, over: int
) -> None:
    from pale_heron.core.nmea.degrees import pack

    packed = [each.encode() for each in (*pack(latitude, "NS", decimals), *pack(longitude, "EW", decimals))]
    moved = moved_place(*packed, PlaceOffset(up, over))
    assert moved is not None and [len(each) for each in moved] == [len(each) for each in packed]
    before = unpack(packed[0].decode(), packed[1].decode(), "NS"), unpack(packed[2].decode(), packed[3].decode(), "EW")
    after = unpack(moved[0].decode(), moved[1].decode(), "NS"), unpack(moved[2].decode(), moved[3].decode(), "EW")
    assert None not in (*before, *after)
    step = 10**-decimals / 60 + 2e-9
    assert abs(after[0] - before[0] - up / UNITS / 60) <= step  # type: ignore[operator]
    turned = (after[1] - before[1] - over / UNITS / 60 + 180) % 360 - 180  # type: ignore[operator]
    assert abs(turned) <= step


def capture(path: Path) -> Path:
    writer = CaptureWriter(path)
    writer.add_lane("curlew", "/dev/ttyUSB0", None)
    writer.event(Event(BEGIN, "", "trial", {"trial": 3, "place": [-46.1173, -67.3067]}))
    for second, data in enumerate(said(60)):
        for half, piece in enumerate((data[:200], data[200:])):
            writer.chunk(chunk(piece, BEGIN + second * SECOND + half * 1000))
    writer.close()
    return path


@pytest.mark.parametrize("place", [COARSE, NONE])
def test_a_copy_keeps_all_but_the_place(tmp_path: Path, place: str) -> None:
    source = capture(tmp_path / "a.pcapng")
    done = redact(source, tmp_path / "b.pcapng", SharingWishes(place))
    before, after = (Source(path).lanes()[0] for path in (source, tmp_path / "b.pcapng"))
    assert done.kinds[POSITION] > 100
    assert after.line.valid_sentences == before.line.valid_sentences and after.line.bad_checksums == 0
    assert [each.utc for each in after.fix.track] == [each.utc for each in before.fix.track]
    raw = b"".join(each.data for each in CaptureReader(tmp_path / "b.pcapng").records() if isinstance(each, Chunk))
    assert b"4607.0" not in raw
    (trial,) = [each for each in CaptureReader(tmp_path / "b.pcapng").records() if isinstance(each, Event)]
    if place == NONE:
        assert after.fix.epochs_with_fix == 0 or all(each.latitude is None for each in after.fix.track)
        assert "place" not in trial.details
        return
    pairs = [(each, other) for each, other in zip(before.fix.track, after.fix.track, strict=True) if each.has_position]
    moves = {round(other.latitude - each.latitude, 7) for each, other in pairs}  # type: ignore[operator]
    assert len(moves) <= 3 and min(map(abs, moves)) > 0.016, "one offset, to the last digit, of 2 km at least"
    assert abs(trial.details["place"][0] + 46.1173 - next(iter(moves))) < 1e-6
    for one, other in zip(pairs[:10], pairs[-10:], strict=True):
        apart = [
            distance_and_bearing(a.latitude, a.longitude, b.latitude, b.longitude)[0]
            for a, b in zip(one, other, strict=True)
        ]
        assert apart[0] == pytest.approx(apart[1], rel=0.003, abs=0.02)
    assert redact(source, tmp_path / "c.pcapng", SharingWishes(place)).kinds == done.kinds
    assert (tmp_path / "c.pcapng").read_bytes() != (tmp_path / "b.pcapng").read_bytes(), "nobody knows the offset"


PLANTED: Final = {
    # Where it stands, and what of it must not be there afterwards.
    "without its leading zero": (
        sealed("GNGGA,094107.00,4607.03800,N,0833.91522,E,1,11,0.8,3.4,M,11.2,M,,"),
        b"33.91522",
    ),
    "no decimals": (sealed("GNGLL,4607,S,06718,W,094107.00,A,A"), b"4607,S"),
    "a bare point": (sealed("GNGLL,4607.,S,06718.,W,094107.00,A,A"), b"4607."),
    "a damaged sentence": (b"$GNGLL,4607.038,S,0833.9152,W,094107.00,A,A*00\r\n", b"33.9152"),
    "a maker's sentence": (sealed("PMARSH,7,4607.03800,S,6718.40000,W,ebb"), b"6718.40000"),
    "degrees and minutes": ("47°17.114'N 008°33.915'E\r\n".encode(), b"17.114"),
    "degrees in another code page": (b"47\xb017.114'N 8\xb033.915'E\r\n", b"17.114"),
    "blanks": (b"at 48 07.038 N 011 31.000 E\r\n", b"07.038"),
    "seconds": (b"48deg07'02.3\"N 011deg31'00.5\"E\r\n", b"02.3"),
    "letters in front": (b"pos N 48 07.038 E 11 31.001\r\n", b"07.038"),
    "decimals and letters": (b"46.1173 S 67.3067 W\r\n", b"46.1173"),
    "words": (b"lat=46.1173 lon=-67.3067\r\n", b"67.3067"),
    "members": (b'{"latitude": -46.1173, "lng":-67.3067}\r\n', b"67.3067"),
    "its own vessel": (sealed(f"AIVDO,1,1,,,{vessel(18, OWN).decode()},0").replace(b"$", b"!"), vessel(18, OWN)[9:18]),
    "a pair": (b"+LOC: -46.117300,-67.306667\r\n", b"46.1173"),
}


@pytest.mark.parametrize("place", [COARSE, NONE])
@pytest.mark.parametrize("name", PLANTED)
def test_a_position_is_found_in_whatever_form_it_stands(name: str, place: str, tmp_path: Path) -> None:
    data, gone = PLANTED[name]
    writer = CaptureWriter(tmp_path / "a.pcapng")
    writer.add_lane("hide", "/dev/hide", None)
    for second in range(3):
        # Cut in the middle, as a reader may.
        for half, piece in enumerate((data[:17], data[17:])):
            writer.chunk(chunk(piece, BEGIN + second * SECOND + half * 1000, lane="hide"))
    writer.close()
    done = redact(tmp_path / "a.pcapng", tmp_path / "b.pcapng", SharingWishes(place))
    raw = b"".join(each.data for each in CaptureReader(tmp_path / "b.pcapng").records() if isinstance(each, Chunk))
    assert gone not in raw and done.kinds[POSITION] >= 3, raw
    if place == NONE:
        assert all(each.latitude is None for lane in Source(tmp_path / "b.pcapng").lanes() for each in lane.fix.track)


LETTERS: Final = st.sampled_from([b"abc ", b"7,", b"$GN", b"*00", b" ", b"\r\n", b"=", b"42.1 V ", b"\xff"])


@given(
    st.floats(-89.9, 89.9),
    st.floats(-179.9, 179.9),
    st.sampled_from(["packed", "short", "decimal pair", "minutes", "words", "sentence"]),
    st.lists(LETTERS, max_size=6).map(b"".join),
    st.sampled_from([OFFSET, None]),
)
def test_nothing_of_a_planted_position_stays(
    latitude: float, longitude: float, form: str, around: bytes, offset: PlaceOffset | None
) -> None:
    from pale_heron.core.nmea.degrees import pack

    (up, north), (over, east) = pack(latitude, "NS", 5), pack(longitude, "EW", 5)
    written = {
        "packed": f"{up},{north},{over},{east}",
        "short": f"{up.lstrip('0').rjust(9, '0')},{north},{over.lstrip('0').rjust(9, '0')},{east}",
        "decimal pair": f"{latitude:.6f},{longitude:.6f}",
        "minutes": f"{up[:2]}°{up[2:]}'{north} {over[:3]}°{over[3:]}'{east}",
        "words": f"lat: {latitude:.6f} lon: {longitude:.6f}",
        "sentence": sealed(f"GNGLL,{up},{north},{over},{east},094107.00,A,A").decode().strip(),
    }[form]
    out = edited([around + b"\r\n" + written.encode() + b"\r\n" + around], offset)
    assert up[2:].encode() not in out or offset is not None
    for digits in (f"{latitude:.6f}".lstrip("-"), f"{longitude:.6f}".lstrip("-")):
        assert form not in ("decimal pair", "words") or digits.encode() not in out


def test_what_people_typed_has_no_position_any_more(tmp_path: Path) -> None:
    writer = CaptureWriter(tmp_path / "a.pcapng")
    writer.add_lane("hide", "/dev/hide", None)
    writer.event(Event(BEGIN, "", "mark", {"id": "1", "text": "buoy at 46°07.038'S 067°18.400'W, ebb"}))
    writer.event(Event(BEGIN + 1, "", "mark", {"id": "2", "text": "46.1173 S, 67.3067 W"}))
    writer.close()
    done = redact(tmp_path / "a.pcapng", tmp_path / "b.pcapng", SharingWishes(NONE))
    texts = [each.details["text"] for each in CaptureReader(tmp_path / "b.pcapng").records() if isinstance(each, Event)]
    assert texts == ["buoy at **°**.***'S ***°**.***'W, ebb", "**.**** S, **.**** W"] and done.kinds[POSITION] == 4


def test_a_copy_that_still_tells_where_it_was_is_not_kept(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whatever the finder overlooks, the reader of the copy would see."""
    source, target = capture(tmp_path / "a.pcapng"), tmp_path / "b.pcapng"
    monkeypatch.setattr(positions, "_POSITION", re.compile(b"(never)()()()"))
    for place in (NONE, COARSE):
        with pytest.raises(StillThere, match="curlew still tells a position at"):
            redact(source, target, SharingWishes(place))
        assert not target.exists()


@given(st.sampled_from(sorted(SIXTEENTHS)), st.floats(-80, 80), st.floats(-179, 179), st.integers(-UNITS, UNITS))
def test_a_vessel_lies_where_it_should(number: int, latitude: float, longitude: float, up: int) -> None:
    """To the last part of a minute; and of what is taken out nothing is left."""
    parts = SIXTEENTHS[number][3]
    offset = PlaceOffset(up // parts * parts, UNITS)
    moved = moved_report(vessel(number, (latitude, longitude)), offset)
    minutes = (
        round(latitude * 60 * parts) + round(offset.latitude * parts / UNITS),
        round(longitude * 60 * parts) + parts,
    )
    assert moved == vessel(number, (minutes[0] / 60 / parts, minutes[1] / 60 / parts))
    assert moved_report(vessel(number, (latitude, longitude)), None) == vessel(number, (91, 181))
    assert moved_report(vessel(number, (91, 181)), None) is None, "there is none to be taken"
    assert moved_report(vessel(number, (latitude, longitude))[:9], offset) is None
