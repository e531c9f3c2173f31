"""What RTCM 3 messages say: each layout bit by bit, and nothing of what is too short or unknown."""

import math
from collections.abc import Iterable

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.streams import framed
from tests.tui.test_painters import width_of

from pale_heron.bench.decoded import decoded
from pale_heron.core.wire import rtcm3
from pale_heron.core.wire.rtcm3_messages import AXIS_M, FLATTENING, geodetic, message_fields, message_words
from pale_heron.tui.views.traffic.detail import DetailInput, paint


def packed(fields: Iterable[tuple[int, int]]) -> bytes:
    """A whole message of values and their numbers of bits."""
    number = count = 0
    for value, bits in fields:
        number, count = number << bits | value & (1 << bits) - 1, count + bits
    spare = -count % 8
    return rtcm3.encode((number << spare).to_bytes((count + spare) // 8, "big"))


def text(words: str) -> list[tuple[int, int]]:
    return [(len(words), 8), *((ord(letter), 8) for letter in words)]


def station(latitude: float, longitude: float, height: float) -> tuple[float, float, float]:
    squared = FLATTENING * (2 - FLATTENING)
    phi, lam = math.radians(latitude), math.radians(longitude)
    curvature = AXIS_M / math.sqrt(1 - squared * math.sin(phi) ** 2)
    flat = (curvature + height) * math.cos(phi)
    return flat * math.cos(lam), flat * math.sin(lam), (curvature * (1 - squared) + height) * math.sin(phi)


def place(number: int, latitude: float, longitude: float, height: float) -> bytes:
    x, y, z = (round(10_000 * each) for each in station(latitude, longitude, height))
    tail = [(15_000, 16)] if number == 1006 else []
    return packed(
        [(number, 12), (2003, 12), (0, 6), (0b101, 3), (0, 1), (x, 38), (0, 2), (y, 38), (0, 2), (z, 38), *tail]
    )


@given(st.floats(-90, 90), st.floats(-180, 180), st.floats(-400, 9000), st.sampled_from([1005, 1006]))
def test_the_place_of_a_station(latitude: float, longitude: float, height: float, number: int) -> None:
    said = {each.key: each.value for each in message_fields(place(number, latitude, longitude, height))}
    assert (said["station"], said["systems"]) == (2003, ["GPS", "Galileo"])
    assert said["latitude"] == pytest.approx(latitude, abs=3e-9)
    metres = 111_320 * math.cos(math.radians(latitude)) * abs((float(said["longitude"]) - longitude + 180) % 360 - 180)  # type: ignore[arg-type]
    assert metres < 3e-4 or abs(latitude) > 89.999
    assert said["ellipsoid_height_m"] == pytest.approx(height, abs=3e-4)
    assert said.get("antenna_height_m") == (1.5 if number == 1006 else None)
    assert geodetic(*station(latitude, longitude, height))[2] == pytest.approx(height, abs=1e-5)


def measurements(number: int, time: list[tuple[int, int]], satellites: list[int], signals: list[int]) -> bytes:
    cells = len(satellites) * len(signals)
    return packed(
        [
            *((number, 12), (7, 12), *time, (1, 1), (0, 18)),
            *((place in satellites, 1) for place in range(1, 65)),
            *((place in signals, 1) for place in range(1, 33)),
            *((cell % 2 == 0, 1) for cell in range(cells)),
        ]
    )


MSM = [
    (1077, [(207_667_000, 30)], "GPS", {"time_of_week_s": 207_667.0}, "G03"),
    (1087, [(4, 3), (45_667_000, 27)], "GLONASS", {"day_of_week": 4, "time_of_day_s": 45_667.0}, "R03"),
    (1094, [(207_667_250, 30)], "Galileo", {"time_of_week_s": 207_667.25}, "E03"),
    # Satellite 120 is the first (3.5.16), and S20 in RINEX 3.
    (1107, [(0, 30)], "SBAS", {"time_of_week_s": 0.0}, "S22"),
    (1124, [(1, 30)], "BeiDou", {"time_of_week_s": 0.001}, "C03"),
    (1131, [(0, 30)], "NavIC", {"time_of_week_s": 0.0}, "I03"),
]


@pytest.mark.parametrize(("number", "time", "system", "told", "first"), MSM)
def test_measurements(
    number: int, time: list[tuple[int, int]], system: str, told: dict[str, float], first: str
) -> None:
    data = measurements(number, time, [3, 17, 40], [2, 15])
    said = {each.key: each.value for each in message_fields(data)}
    assert (said["system"], said["station"], said["measured"], said["more"]) == (system, 7, 3, "yes")
    apart = [f"{first[0]}{int(first[1:]) + each:02d}" for each in (0, 14, 37)]
    assert said["satellites"] == apart and said["signals"] == ["2", "15"]
    assert {key: said[key] for key in told} == told
    assert message_words(data) == f"station 7, {system}, 3 satellites"


def test_equipment_biases_and_orbits() -> None:
    data = packed(
        [(1033, 12), (7, 12), *text("HERON-A"), (0, 8), *text("42"), *text("CURLEW \x1b[2J"), *text("2.1"), *text("9")]
    )
    said = {each.key: each.value for each in message_fields(data)}
    assert (said["antenna"], said["receiver"], said["firmware"]) == ("HERON-A", "CURLEW \x1b[2J", "2.1")
    (frame,) = framed([data])
    assert decoded(frame)["fields"]["receiver"] == "CURLEW ␛[2J"
    for width in (40, 72, 120):
        rows = paint(DetailInput(frame), width)
        assert max(map(width_of, rows)) <= width and not any("\x1b" in span.text for row in rows for span in row)
    biases = packed([(1230, 12), (7, 12), (1, 1), (0, 3), (0b1010, 4), (-50, 16), (75, 16)])
    assert [(each.label, each.value) for each in message_fields(biases)][2:] == [
        ("bias of L1 C/A", -1.0),
        ("bias of L2 C/A", 1.5),
    ]
    assert message_words(packed([(1019, 12), (7, 6), (0, 470)])) == "G07"


@given(st.sampled_from([1005, 1033, 1077, 1087, 1230, 1019, 1001, 4072]), st.binary(max_size=80))
def test_nothing_is_said_of_what_is_too_short_and_nothing_fails(number: int, rest: bytes) -> None:
    data = rtcm3.encode(bytes([number >> 4, (number & 15) << 4]) + rest)
    message_fields(data)
    message_words(data)
    if number in (1001, 4072) or not rest:
        assert message_fields(data) == ()
