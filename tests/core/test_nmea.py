"""Sentences: fields, values, notations."""

import math
from datetime import date
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.streams import GGA, HOSTILE

from pale_heron.core.frames import IN, SECOND, Frame, Kind, Status
from pale_heron.core.gnss.fix import FixTracker
from pale_heron.core.nmea import degrees
from pale_heron.core.nmea.explain import rows, title
from pale_heron.core.nmea.sentence import checksums, encode, parse, problems, sealed, values
from pale_heron.core.nmea.sentences import LAYOUTS

SATELLITE = {"id": 7, "elevation_deg": 63, "azimuth_deg": 112, "cn0_dbhz": 44}

DECODED: list[tuple[str, dict[str, Any]]] = [
    (
        "GNGGA,094107.25,4607.03800,S,06718.40000,W,4,11,0.8,-3.4,M,11.2,M,1.5,0042",
        {"time": "09:41:07.25", "latitude": -46.1173, "longitude": -67.3066666667, "quality": 4, "satellites_used": 11}
        | {"hdop": 0.8, "altitude_m": -3.4, "geoid_separation_m": 11.2}
        | {"differential_age_s": 1.5, "differential_station": "0042"},
    ),
    (
        "GPGGA,,,,,,0,,,,,,,,",
        {"time": None, "latitude": None, "quality": 0, "hdop": None, "differential_station": None},
    ),
    (
        "GPRMC,094107,V,,,,,,,040531,,",
        {"status": "V", "date": "2031-05-04", "magnetic_variation_deg": None, "mode": None},
    ),
    (
        "GNRMC,235959.9,A,0000.0000,N,17959.9999,W,0.4,212.1,311299,1.5,W,R,V",
        {"date": "1999-12-31", "longitude": -179.9999983333, "magnetic_variation_deg": -1.5, "mode": "R"},
    ),
    ("GNGNS,094107,4607.0,S,06718.4,W,RDN,18,0.6,3.4,11.2,,,V", {"modes": "RDN", "navigational_status": "V"}),
    ("GPGLL,4607.0380,S,06718.4000,W,094107.00,A,D", {"latitude": -46.1173, "status": "A", "mode": "D"}),
    ("GNGSA,A,3,01,15,,,,,,,,,,,1.6,0.8,1.5,2", {"fix_mode": 3, "satellites": [1, 15], "vdop": 1.5, "system_id": 2}),
    ("GPGSA,M,1,,,,,,,,,,,,,,,", {"selection_mode": "M", "satellites": [], "pdop": None, "system_id": None}),
    (
        "GPGSV,3,3,09,07,63,112,44,B",
        {"messages": 3, "satellites_in_view": 9, "satellites": [SATELLITE], "signal_id": 11},
    ),
    (
        "GLGSV,1,1,01,65,12,,,,,,",
        {
            "satellites": [SATELLITE | {"id": 65, "elevation_deg": 12, "azimuth_deg": None, "cn0_dbhz": None}],
            "signal_id": None,
        },
    ),
    ("GPGSV,1,1,00", {"satellites": [], "signal_id": None}),
    ("GNVTG,212.10,T,,M,0.42,N,0.78,K,A", {"course_true_deg": 212.1, "speed_kmh": 0.78, "mode": "A"}),
    ("GNZDA,094107.00,04,05,2031,-03,00", {"date": "2031-05-04", "local_zone_hours": -3, "local_zone_minutes": 0}),
    ("GNGST,094107,3.1,,,,0.6,0.7,1.5", {"rms_m": 3.1, "semi_major_m": None, "altitude_error_m": 1.5}),
    ("GPGBS,094107,0.1,0.2,0.3,19,0.01,-2.5,1.1,1,A", {"failed_satellite": 19, "bias_m": -2.5, "signal_id": 10}),
    ("GPGRS,094107,1,-0.1,0.2,,,,,,,,,,,1,1", {"residuals_mode": 1, "residuals_m": [-0.1, 0.2], "system_id": 1}),
    ("GPDTM,W84,,0.0123,S,0.0456,W,0.5,W84", {"latitude_offset_min": -0.0123, "longitude_offset_min": -0.0456}),
    ("GPHDT,212.5,T", {"heading_true_deg": 212.5}),
    ("GPTHS,212.5,E", {"heading_true_deg": 212.5, "mode": "E"}),
    ("GPROT,-3.5,A", {"rate_of_turn_deg_per_min": -3.5, "status": "A"}),
    ("GPTXT,01,01,02,antenna ok", {"messages": 1, "identifier": "02", "text": "antenna ok"}),
    ("PCURLEW,IAM,Curlew,", {"1": "IAM", "2": "Curlew", "3": ""}),
    ("GPXXX,1,", {"1": "1", "2": ""}),
]


@pytest.mark.parametrize(("body", "expected"), DECODED, ids=[body[:12] for body, _ in DECODED])
def test_decode(body: str, expected: dict[str, Any]) -> None:
    found = values(parse(sealed(body)))
    assert {key: found[key] for key in expected} == expected
    assert problems(parse(sealed(body))) == []


@pytest.mark.parametrize(
    ("field", "raw"),
    [
        ("latitude", ("4660.000", "S")),
        ("latitude", ("9000.001", "N")),
        ("latitude", ("4607.038", "X")),
        ("latitude", ("4607.038", "")),
        ("longitude", ("18000.001", "E")),
        ("longitude", ("1e5", "E")),
        ("hdop", ("nan",)),
        ("hdop", ("1_0",)),
        ("hdop", ("0x1",)),
        ("satellites_used", ("1.5",)),
        ("time", ("246060",)),
        ("time", ("9:41",)),
    ],
)
def test_what_cannot_be_read_is_none_with_a_reason(field: str, raw: tuple[str, ...]) -> None:
    places = {"time": 0, "latitude": 1, "longitude": 3, "satellites_used": 6, "hdop": 7}
    fields = ["094107", "4607.0", "S", "06718.4", "W", "1", "11", "0.8", "", "M", "", "M", "", ""]
    fields[places[field] : places[field] + len(raw)] = raw
    sentence = parse(sealed("GNGGA," + ",".join(fields)))
    assert values(sentence)[field] is None
    assert [key for key, _ in problems(sentence)] == [field]
    shown = next(row for row in rows(sealed("GNGGA," + ",".join(fields))) if row.number == places[field] + 1)
    assert shown.meaning.startswith("cannot be read")


_text = st.text("ABCdef 123.-", min_size=1, max_size=8).filter(lambda text: text == text.strip())
_number = st.integers(-9999, 9999)


def _samples(formatter: str) -> st.SearchStrategy[dict[str, Any]]:
    """Values that a sentence can say exactly, for each of its columns."""
    by_key: dict[str, st.SearchStrategy[Any]] = {
        "time": st.tuples(st.integers(0, 23), st.integers(0, 59), st.integers(0, 60)).map(
            lambda parts: "{:02d}:{:02d}:{:02d}.25".format(*parts)
        ),
        "date": st.dates(date(1980, 1, 1), date(2079, 12, 31)).map(str),
        "latitude": st.integers(-90 * 6_000_000, 90 * 6_000_000).map(lambda units: round(units / 6_000_000, 10)),
        "longitude": st.integers(-180 * 6_000_000, 180 * 6_000_000).map(lambda units: round(units / 6_000_000, 10)),
        "satellites": st.lists(st.integers(1, 99), max_size=12)
        if formatter == "GSA"
        else st.lists(st.fixed_dictionaries({key: st.integers(0, 99) for key in SATELLITE}), min_size=1, max_size=4),
        "residuals_m": st.lists(_number.map(lambda units: units / 10), max_size=12),
        "system_id": st.integers(0, 15),
        "signal_id": st.integers(0, 15),
    }
    letters = {"status", "mode", "modes", "selection_mode", "navigational_status"}
    texts = {
        "text",
        "datum",
        "subdivision",
        "reference",
        "identifier",
        "differential_station",
        "beacon",
        "message",
        "integrity",
    }
    layout = LAYOUTS[formatter]
    columns = [*layout.columns, *layout.after_group]
    chosen: dict[str, st.SearchStrategy[Any]] = {}
    for column in columns:
        key = column.key
        if key in by_key:
            chosen[key] = by_key[key]
        elif key in letters:
            chosen[key] = st.sampled_from("ADENRSV")
        elif key in texts:
            chosen[key] = _text
        else:
            written = column.codec.write(7)
            whole = type(column.codec.read(written, 0)) is int
            decimals = len(written[0].partition(".")[2])
            chosen[key] = st.integers(0, 99) if whole else _number.map(lambda units, scale=10**decimals: units / scale)
    if layout.group:
        chosen["satellites"] = by_key["satellites"]
    return st.fixed_dictionaries(chosen)


@pytest.mark.parametrize("formatter", LAYOUTS)
@given(data=st.data())
def test_encode_then_decode_gives_the_values_back(formatter: str, data: st.DataObject) -> None:
    said = data.draw(_samples(formatter))
    sentence = encode("GN", formatter, said)
    assert _same(values(parse(sentence)), said)
    sums = checksums(sentence)
    assert sums.expected == sums.found


def _same(found: dict[str, Any], said: dict[str, Any]) -> bool:
    return found.keys() == said.keys() and all(
        math.isclose(found[key], value, abs_tol=1e-9) if isinstance(value, float) else found[key] == value
        for key, value in said.items()
    )


@given(st.binary(max_size=200))
def test_no_bytes_make_decoding_fail(data: bytes) -> None:
    for sentence in (b"$GNGGA," + data, b"$GPGSV," + data, b"$GNGSA," + data, b"$" + data, b"$PXYZ," + data):
        values(parse(sentence))
        problems(parse(sentence))
        checksums(sentence)
        title(sentence)
        for row in rows(sentence):
            assert all(text.isprintable() for text in row[1:])


def test_device_text_in_fields_is_printable() -> None:
    found = values(parse(b"$GPTXT,01,01,02," + HOSTILE))
    assert all(text.isprintable() for text in found.values() if isinstance(text, str))


def test_explained_rows_stand_together() -> None:
    by_name = {row.name: row for row in rows(GGA)}
    assert by_name["longitude"][2:] == ("06718.40000 W", "-67.3066667°", "", "067°18.40000′ W")
    assert by_name["fix quality"].meaning == "single"
    assert by_name["age of corrections"].meaning == "empty"
    assert rows(b"$GPRMC,094107,A*00\r\n")[-1].meaning == "not sent by this version"
    assert rows(sealed("GPHDT,1.0,T,9"))[-1].name == "beyond the table"


@given(st.floats(-180, 180), st.integers(0, 7))
def test_packed_degrees_keep_their_angle(angle: float, decimals: int) -> None:
    digits, letter = degrees.pack(angle, "EW", decimals)
    found = degrees.unpack(digits, letter, "EW")
    assert found is not None
    # Half a unit of the last digit of a minute, and half of one of the decimals kept of a degree.
    assert abs(found - angle) <= 0.5 / 60 / 10**decimals + 0.51e-10


def test_three_notations_of_one_angle() -> None:
    assert degrees.unpack("06718.40", "W", "EW") == pytest.approx(-67.3066667, abs=1e-7)
    assert degrees.decimal(-46.1173) == "-46.1173000°"
    assert degrees.degrees_minutes(-46.1173, "NS") == "46°07.03800′ S"
    assert degrees.degrees_minutes_seconds(-46.1173, "NS") == "46°07′02.280″ S"


def fields_of(text: str) -> dict[str, Any]:
    return values(parse(sealed(text)))


SATELLITES = {
    "all fields": ("07,30,200,38", [7, 30, 200, 38], None),
    "and a signal": ("07,30,200,38,1", [7, 30, 200, 38], 1),
    "not followed": ("07,30,200,", [7, 30, 200, None], None),
    "not followed, and a signal": ("07,30,200,,1", [7, 30, 200, None], 1),
    "the last field left out": ("07,30,200", [7, 30, 200, None], None),
    "two left out": ("07,30", [7, 30, None, None], None),
}


@pytest.mark.parametrize("name", SATELLITES)
def test_the_last_satellite_keeps_its_fields(name: str) -> None:
    """What is left out at the end of a list costs neither the satellite nor makes a signal of what it has."""
    text, last, signal = SATELLITES[name]
    data = f"GPGSV,1,1,02,03,45,120,40,{text}"
    found = fields_of(data)
    assert [list(each.values()) for each in found["satellites"]] == [[3, 45, 120, 40], last]
    assert found["signal_id"] == signal
    said = [row.value for row in rows(sealed(data)) if row.name == "satellite"]
    assert said == ["3", "7"]


def test_residuals_stay_with_their_satellites() -> None:
    found = fields_of("GNGRS,090000.00,1,0.5,,-0.3,,1.2,,,,,,,,1,1")
    assert found["residuals_m"] == [0.5, None, -0.3, None, 1.2]
    assert (found["system_id"], found["signal_id"]) == (1, 1)
    (row,) = (row for row in rows(sealed("GNGRS,090000.00,1,0.5,,-0.3,,1.2,,,,,,,,1,1")) if row.name == "residuals")
    assert (row.value, row.meaning) == ("0.5 – -0.3 – 1.2", "3 given")


IMPOSSIBLE = {
    "a latitude that is east": ("GPGLL,4607.038,E,06718.4,W,090000.00,A,A", "latitude"),
    "a longitude that is south": ("GPGLL,4607.038,S,06718.4,S,090000.00,A,A", "longitude"),
    "the 31st of February": ("GNRMC,090000.00,A,4607.038,S,06718.4,W,0.1,,310231,,,A", "date"),
    "the 29th of February of a year without one": ("GNRMC,090000.00,A,4607.038,S,06718.4,W,0.1,,290231,,,A", "date"),
    "the same in ZDA": ("GNZDA,090000.00,29,02,2031,00,00", "date"),
    "a thirteenth month": ("GNZDA,090000.00,01,13,2031,00,00", "date"),
}


@pytest.mark.parametrize("name", IMPOSSIBLE)
def test_what_cannot_be_is_no_value(name: str) -> None:
    text, key = IMPOSSIBLE[name]
    assert fields_of(text)[key] is None
    assert key in dict(problems(parse(sealed(text))))
    # And nobody takes it for a place or a day.
    tracker = FixTracker()
    tracker.feed(Frame("lane", IN, SECOND, 0, sealed(text), Kind.NMEA, Status.OK, None, text[:5]))
    tracker.finish()
    found = tracker.snapshot(SECOND)
    assert not (found.value(key) and found.value(key).value)  # type: ignore[union-attr]  # it is there
    assert key == "date" or found.epochs_with_fix == 0


def test_leap_days_are_days() -> None:
    assert fields_of("GNRMC,090000.00,V,,,,,,,290232,,,N")["date"] == "2032-02-29"
