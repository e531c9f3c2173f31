"""Sentences against NMEA 0183, version 4.11: a case for each clause where a reading goes wrong easily."""

from typing import Any, Final

import pytest
from tests.streams import fed

from pale_heron.core.gnss.satellites.names import satellite_name
from pale_heron.core.nmea.explain import rows
from pale_heron.core.nmea.sentence import encode, parse, problems, sealed, values

VALUES: Final[dict[str, tuple[str, dict[str, Any], str]]] = {
    # clause: the sentence, what it says, what of it cannot be read
    "8.3.98 VTG": ("GPVTG,84.4,T,77.8,M,0.5,N,0.9,K,A", {"course_true_deg": 84.4, "speed_kmh": 0.9, "mode": "A"}, ""),
    "8.3.98 VTG before 2.00": (
        "GPVTG,084.4,077.8,000.5,000.9", {"course_true_deg": 84.4, "speed_knots": 0.5, "speed_kmh": 0.9}, "",
    ),
    "8.3.98 VTG in other units": ("GPVTG,84.4,T,,M,0.5,K,0.9,N,A", {"speed_knots": None, "speed_kmh": None}, "unit"),
    "8.3.45 GGA in metres": (
        "GPGGA,094107.00,4607.03800,S,06718.40000,W,1,11,0.8,3.4,M,11.2,M,,", {"altitude_m": 3.4}, "",
    ),
    "8.3.45 GGA in feet": (
        "GPGGA,094107.00,4607.03800,S,06718.40000,W,1,11,0.8,11.2,f,36.7,f,,",
        {"altitude_m": None, "geoid_separation_m": None}, "not M",
    ),
    "8.3.106 ZDA east": ("GPZDA,094107.00,04,05,2031,-03,00", {"local_zone_hours": -3, "local_zone_minutes": 0}, ""),
    "8.3.106 ZDA half an hour east": (
        "GPZDA,094107.00,04,05,2031,-00,30", {"local_zone_hours": 0, "local_zone_minutes": -30}, "",
    ),
    "8.3.106 ZDA half hours east": ("GPZDA,094107.00,04,05,2031,-05,30", {"local_zone_minutes": -30}, ""),
    "8.3.90 THS": ("GPTHS,84.4,E", {"heading_true_deg": 84.4, "mode": "E"}, ""),
    "8.3.51 HDG": ("HCHDG,98.3,0.0,E,12.6,W", {"heading_magnetic_deg": 98.3, "magnetic_variation_deg": -12.6}, ""),
    "8.3.101 VHW": ("VWVHW,084.4,T,077.8,M,1.5,N,2.8,K", {"water_speed_knots": 1.5, "heading_true_deg": 84.4}, ""),
    "8.3.42 GFA": (
        "GNGFA,094107.00,4.2,6.1,1.0,0.7,84.4,1.5,3.0,SVV",
        {"horizontal_protection_m": 4.2, "wanted_accuracy_m": 3.0, "integrity": "SVV"}, "",
    ),
    "8.3.80 RLM": ("GNRLM,00000078A9FBAD5,094107.00,1,C45B", {"beacon": "00000078A9FBAD5", "message_code": 1}, ""),
    "5.1.3 TXT": ("GNTXT,01,01,02,reeds^2C water^2A", {"text": "reeds, water*"}, ""),
    "5.1.3 TXT of what acts": ("GNTXT,01,01,02,a^1B[2J", {"text": "a␛[2J"}, ""),
}  # fmt: skip


@pytest.mark.parametrize("name", VALUES)
def test_what_a_sentence_says(name: str) -> None:
    body, wanted, trouble = VALUES[name]
    sentence = parse(sealed(body))
    found = values(sentence)
    assert {key: found[key] for key in wanted} == wanted
    wrong = problems(sentence)
    assert bool(wrong) == bool(trouble) and all(trouble in reason for _, reason in wrong)


def test_what_is_reserved_is_written_as_its_code() -> None:
    fields = {"messages": 1, "message_number": 1, "identifier": "02", "text": "a,b*c"}
    written = encode("GN", "TXT", fields)
    assert b"a^2Cb^2Ac" in written and values(parse(written))["text"] == "a,b*c"


MEANINGS: Final[dict[str, tuple[str, str, str]]] = {
    # clause: the sentence, the name of a field, what is said of it
    "8.3.106 ZDA east": ("GPZDA,094107.00,04,05,2031,-03,00", "local zone", "local time is UTC+3:00"),
    "8.3.106 ZDA west": ("GPZDA,094107.00,04,05,2031,03,30", "local zone", "local time is UTC−3:30"),
    "8.3.106 ZDA half an hour east": ("GPZDA,094107.00,04,05,2031,-00,30", "local zone", "local time is UTC+0:30"),
    "8.3.106 ZDA none": ("GPZDA,094107.00,04,05,2031,00,00", "local zone", "local time is UTC±0:00"),
    "8.3.46 GNS": (
        "GNGNS,094107.00,4607.038,S,06718.400,W,RDN,11,0.8,3.4,11.2,,,V", "mode of each system",
        "GPS RTK fixed, GLONASS differential, Galileo no fix",
    ),
    "8.3.90 THS": ("GPTHS,84.4,A", "mode", "found by itself"),
    "8.3.47 GSV signal of GPS": ("GPGSV,1,1,1,07,45,090,44,6", "signal", "L2C-L"),
    "8.3.47 GSV signal of Galileo": ("GAGSV,1,1,1,07,45,090,44,7", "signal", "L1-BC"),
    "8.3.47 GSV signal of BeiDou": ("GBGSV,1,1,1,07,45,090,44,B", "signal", "B2I"),
    "8.3.47 GSV all signals": ("GLGSV,1,1,1,67,45,090,44,0", "signal", "all of them"),
    "8.3.49 GRS": ("GNGRS,094107.00,1,0.5,,,,,,,,,,,,2,3", "signal", "G2 C/A"),
}  # fmt: skip


@pytest.mark.parametrize("name", MEANINGS)
def test_what_a_reader_is_told(name: str) -> None:
    body, field, meaning = MEANINGS[name]
    found = [each.meaning for each in rows(sealed(body)) if each.name == field]
    assert meaning in found, found


@pytest.mark.parametrize(
    ("system", "number", "name"),
    [("R", 33, "S20"), ("R", 64, "S51"), ("R", 65, "R01"), ("G", 33, "S20"), (None, 40, "S27"), ("E", 5, "E05")],
)
def test_numbers_of_satellites(system: str | None, number: int, name: str) -> None:
    """Table 20: 33 to 64 are those of SBAS also where the talker is GL."""
    assert str(satellite_name(system, number)) == name


def test_a_height_in_feet_is_no_height_in_metres() -> None:
    body = "GPGGA,0941{:02d}.00,4607.03800,S,06718.40000,W,1,11,0.8,{},36.7,{},,"
    for unit, known in (("M", True), ("f", False)):
        lane = fed([sealed(body.format(second, f"11.2,{unit}", unit)) for second in range(5)])
        track = lane.snapshot(None).fix.track
        assert {epoch.altitude_m for epoch in track} == {11.2 if known else None}
        assert all(epoch.latitude is not None for epoch in track), "the position stands all the same"


@pytest.mark.parametrize(
    ("body", "remark"),
    [
        ("GPDTM,W84,,0.0,N,0.0,E,0.0,W84", ""),
        ("GPDTM,W84,,0.08,N,0.07,E,-47.7,W84", "W84 with an offset"),
        ("GPDTM,999,CH95,0.08,N,0.07,E,-47.7,W84", "999"),
    ],
)
def test_another_datum_is_a_remark(body: str, remark: str) -> None:
    """8.3.27: positions in another datum lie elsewhere, and nothing in them tells."""
    gga = "GPGGA,0941{:02d}.00,4607.03800,S,06718.40000,W,1,11,0.8,3.4,M,11.2,M,,"
    lane = fed([sealed(gga.format(second)) + sealed(body) for second in range(5)])
    fix = lane.snapshot(None).fix
    assert ("datum" in {each.id for each in fix.remarks}) is bool(remark)
    assert fix.datum == remark
