"""The fix: state, facts, satellites, starts, outages, scatter."""

import math
import random
from typing import Final

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.streams import BEGIN, GGA, chunk, fed, framed, said, sentences, track

from pale_heron.core import utc
from pale_heron.core.clock.own_time import OwnTime
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.earth.geodesy import moved, offset_m
from pale_heron.core.gnss.facts import EMPTY, GOOD, INVALID, STALE, ZERO
from pale_heron.core.gnss.satellites.names import satellite_name, system_of
from pale_heron.core.gnss.scatter import scatter
from pale_heron.core.gnss.states import RANKS, judge
from pale_heron.core.lane import Lane
from pale_heron.sim.scenes import SCENES

ALL: Final = frozenset((*RANKS, "GSA"))
JUDGED: Final[list[tuple[dict[str, tuple[str, ...]], str, str]]] = [
    ({}, "no fix", ""),
    ({"GGA": ("0", "")}, "no fix", ""),
    ({"GGA": ("0", "known")}, "time only", ""),
    ({"GGA": ("1", "")}, "fix", "single"),
    ({"GGA": ("1", ""), "GSA": ("2",)}, "2D", "single"),
    ({"GGA": ("2", ""), "GSA": ("3",)}, "3D", "differential"),
    ({"GGA": ("4", ""), "GSA": ("3",)}, "3D", "RTK fixed"),
    ({"GGA": ("5", ""), "GSA": ("3",)}, "3D", "RTK float"),
    ({"GGA": ("6", "")}, "estimated", "estimated"),
    ({"GGA": ("8", ""), "GSA": ("3",)}, "simulated", "simulated"),
    ({"GGA": ("1", "known"), "GSA": ("1",)}, "time only", ""),
    ({"GGA": ("1", "known"), "RMC": ("A", "A", "known"), "GSA": ("1",)}, "time only", ""),
    ({"GGA": ("0", ""), "RMC": ("A", "", ""), "GSA": ("3",)}, "no fix", ""),
    ({"GGA": ("?", ""), "GSA": ("3",)}, "no fix", ""),
    ({"GNS": ("ANR",), "GSA": ("3",)}, "3D", "RTK fixed"),
    ({"GNS": ("NN",), "RMC": ("V", "N", "known")}, "time only", ""),
    ({"RMC": ("A", "D", "")}, "fix", "differential"),
    ({"RMC": ("A", "", "")}, "fix", "single"),
    ({"RMC": ("A", "N", "")}, "no fix", ""),
    ({"RMC": ("V", "A", "")}, "no fix", ""),
    ({"GLL": ("A", "")}, "fix", "single"),
    ({"module": ("A", "")}, "fix", "single"),
]


@pytest.mark.parametrize(("says", "state", "kind"), JUDGED)
def test_state_in_words(says: dict[str, tuple[str, ...]], state: str, kind: str) -> None:
    assert judge(says, ALL) == (state, kind)


def test_a_word_of_an_older_epoch_says_how_and_not_whether() -> None:
    """RMC comes with each epoch, GGA and GSA with every tenth: between them RMC decides."""
    gone = {"GGA": ("4", "known"), "RMC": ("V", "N", "known"), "GSA": ("3",)}
    assert judge(gone, ALL).has_position and not judge(gone, {"RMC"}).has_position
    back = {"GGA": ("0", "known"), "RMC": ("A", "D", "known"), "GSA": ("1",)}
    assert not judge(back, ALL).has_position and judge(back, {"RMC"}) == ("fix", "differential")
    assert judge(gone | {"RMC": ("A", "D", "known")}, {"RMC"}) == ("3D", "RTK fixed")


def test_a_cold_start_passes_every_stage_in_order() -> None:
    lane, states = Lane("curlew"), []
    for second, data in enumerate(said(30)):
        lane.feed(chunk(data, BEGIN + second * SECOND))
        states.append(lane.snapshot(BEGIN + second * SECOND).fix.state.state)
    assert list(dict.fromkeys(states)) == ["no fix", "time only", "2D", "3D"]
    fix = lane.snapshot(BEGIN + 29 * SECOND).fix
    (start,) = fix.history.starts
    times = list(start.reached.values())
    assert list(start.reached) == [
        "first byte", "sentence", "time", "date", "satellite seen", "satellite used", "2D", "3D",
    ]  # fmt: skip
    assert times == sorted(times)
    assert start.seconds_to_first_fix == states.index("2D")
    assert fix.since == BEGIN + states.index("3D") * SECOND
    assert (fix.epochs, fix.epochs_with_fix) == (27, 30 - states.index("2D"))


def test_a_snapshot_does_not_change_with_what_comes_later() -> None:
    lane = fed(said(40))
    before = lane.snapshot(BEGIN + 39 * SECOND)
    kept = (tuple(before.fix.track), before.fix.history, dict(before.fix.facts), before.line.types)
    for second, data in enumerate(said(60)[40:], 40):
        lane.feed(chunk(data, BEGIN + second * SECOND))
    assert (tuple(before.fix.track), before.fix.history, dict(before.fix.facts), before.line.types) == kept


def test_outages_under_the_bridge() -> None:
    scene = SCENES["saltmarsh"]
    lane = fed(said(200, scene))
    outages = lane.snapshot(BEGIN + 199 * SECOND).fix.history.outages
    assert [(each.end - each.begin) / SECOND for each in outages if each.end] == [scene.bridge_s, scene.bridge_s]
    assert all(scene.under_bridge((each.begin - BEGIN) / SECOND) for each in outages)


def test_a_lane_that_has_its_fix_when_opened_shows_no_start() -> None:
    assert fed([GGA] * 3).snapshot(BEGIN).fix.history.starts == ()
    gsa = sentences("GNGSA,A,3,07,09,,,,,,,,,,,1.6,0.8,1.5,1")
    amid_a_burst = fed([gsa + GGA + gsa] * 3).snapshot(BEGIN).fix
    assert amid_a_burst.history.starts == ()
    assert [span.state.state for span in amid_a_burst.history.spans] == ["3D"]


def test_a_bad_checksum_is_never_believed() -> None:
    lane = fed(said(30))
    before = lane.snapshot(BEGIN + 30 * SECOND).fix
    lane.feed(chunk(GGA.replace(b",1,11", b",0,11") + GGA.replace(b"4607", b"4507"), BEGIN + 30 * SECOND))
    after = lane.snapshot(BEGIN + 30 * SECOND).fix
    assert (after.state, after.facts["latitude"].value) == (before.state, before.facts["latitude"].value)


def test_no_checksum_is_believed_only_of_a_device_that_never_sends_one() -> None:
    bare = GGA[: GGA.index(b"*")] + b"\r\n"
    assert fed([bare]).snapshot(BEGIN).fix.epochs_with_fix == 1
    assert fed([sentences("GPTXT,01,01,02,hello"), bare]).snapshot(BEGIN).fix.epochs_with_fix == 0


NO_FIX = "GNGGA,094108.00,{},0,00,99.9,{},M,,M,,"
CONDITIONS = {
    GOOD: (GGA, 0.5),
    STALE: (b"", 9.0),
    EMPTY: (sentences(NO_FIX.format(",,,", "")), 1.0),
    ZERO: (sentences(NO_FIX.format("0000.00000,N,00000.00000,E", "0.0")), 1.0),
    INVALID: (sentences(NO_FIX.format("4607.03800,S,06718.40000,W", "3.4")), 1.0),
}


@pytest.mark.parametrize(("condition", "last"), CONDITIONS.items())
def test_empty_zero_stale_and_invalid_are_four_things(condition: str, last: tuple[bytes, float]) -> None:
    data, wait_s = last
    lane = fed([GGA, data])
    fact = lane.snapshot(BEGIN + SECOND + int(wait_s * SECOND)).fix.facts["latitude"]
    assert fact.condition == condition
    assert fact.value == -46.1173, "the last believed value stays"
    assert fact.source == "GNGGA"


def test_facts_come_with_source_age_and_raw_digits() -> None:
    now = BEGIN + 30 * SECOND
    found = fed(said(30)).snapshot(now).fix.facts
    assert {name: found[name].source for name in ("latitude", "speed_knots", "date", "pdop")} == {
        "latitude": "GNGGA", "speed_knots": "GNRMC", "date": "GNRMC", "pdop": "GNGSA",
    }  # fmt: skip
    assert found["longitude"].raw.endswith(",W")
    assert found["longitude"].age_s(now) == 1.0
    assert {fact.condition for fact in found.values()} == {GOOD}


def gsv(talker: str, ids: list[int], signal: str = "1", parts: int = 0) -> list[str]:
    groups = [ids[at : at + 4] for at in range(0, len(ids), 4)] or [[]]
    return [
        ",".join([f"{talker}GSV", str(parts or len(groups)), str(number), f"{len(ids):02d}"])
        + "".join(f",{each:02d},45,100,{30 + each % 20}" for each in group)
        + f",{signal}"
        for number, group in enumerate(groups, 1)
    ]


def test_a_satellite_on_two_signals_counts_once() -> None:
    lane = fed([sentences(*gsv("GP", [3, 7, 9, 11, 20]), *gsv("GP", [3, 7], "6"), *gsv("GL", [65, 66]))])
    sky = lane.snapshot(BEGIN).fix.sky
    assert sky.by_system == {"G": (5, 0), "R": (2, 0)}
    assert [str(each.name) for each in sky.satellites] == ["G03", "G07", "G09", "G11", "G20", "R01", "R02"]


def test_an_incomplete_list_does_not_become_the_sky() -> None:
    whole = gsv("GP", [1, 2, 3, 4, 5])
    lane = fed([sentences(*whole), sentences(gsv("GP", [9, 10, 11, 12, 13])[0]), sentences(gsv("GP", [20])[0])])
    sky = lane.snapshot(BEGIN + 2 * SECOND).fix.sky
    assert [each.name.number for each in sky.satellites] == [20]
    assert sky.incomplete_lists == 1


def test_used_satellites_by_system_id_and_by_range() -> None:
    named = fed([sentences("GNGSA,A,3,07,09,,,,,,,,,,,1.6,0.8,1.5,1", "GNGSA,A,3,07,,,,,,,,,,,,1.6,0.8,1.5,3")])
    assert [str(each.name) for each in named.snapshot(BEGIN).fix.sky.satellites] == ["E07", "G07", "G09"]
    ranged = fed([sentences("GNGSA,A,3,07,09,,,,,,,,,,,1.6,0.8,1.5", "GNGSA,A,3,70,,,,,,,,,,,,1.6,0.8,1.5")])
    assert [str(each.name) for each in ranged.snapshot(BEGIN).fix.sky.satellites] == ["G07", "G09", "R06"]


def test_an_old_list_is_no_longer_the_sky() -> None:
    lane = fed([sentences(*gsv("GP", [1, 2]))])
    assert lane.snapshot(BEGIN + 11 * SECOND).fix.sky.satellites
    assert not lane.snapshot(BEGIN + 13 * SECOND).fix.sky.satellites


@pytest.mark.parametrize(
    ("talker", "system_id", "number", "name"),
    [
        ("GP", None, 7, "G07"), ("GP", None, 40, "S27"), ("GL", None, 70, "R06"), ("GL", None, 6, "R06"),
        ("GA", None, 307, "E07"), ("GB", None, 207, "C07"), ("GQ", None, 193, "J01"), ("GN", 4, 7, "C07"),
        ("GN", None, 401, "C01"), ("GN", None, 193, "J01"), ("GN", None, 999, "?999"),
    ],
)  # fmt: skip
def test_satellite_names(talker: str, system_id: int | None, number: int, name: str) -> None:
    assert str(satellite_name(system_of(talker, system_id), number)) == name


def test_scatter_of_a_known_distribution() -> None:
    chance, sigma = random.Random(3), 2.0
    points = [moved(-46.1, -67.3, chance.gauss(0, sigma), chance.gauss(0, sigma)) for _ in range(4000)]
    found = scatter(track(points))
    assert found is not None
    assert found.cep50_m == pytest.approx(sigma * math.sqrt(2 * math.log(2)), rel=0.05)
    assert found.cep95_m == pytest.approx(sigma * math.sqrt(2 * math.log(20)), rel=0.05)
    assert found.drms2_m == pytest.approx(2 * math.sqrt(2) * sigma, rel=0.05)
    assert scatter(track(points[:1])) is None


@given(st.floats(-80, 80), st.floats(-180, 180), st.floats(-900, 900), st.floats(-900, 900))
def test_small_moves_and_offsets_are_inverse(latitude: float, longitude: float, east: float, north: float) -> None:
    there = moved(latitude, longitude, east, north)
    assert offset_m(*there, latitude, longitude) == pytest.approx((east, north), abs=1e-3)


def test_metres_of_a_minute_of_arc() -> None:
    """A minute of latitude is about 1852 m, one of longitude that times the cosine."""
    east, north = offset_m(-46.0 + 1 / 60, -67.0 + 1 / 60, -46.0, -67.0)
    assert north == pytest.approx(1852.4, abs=0.5)
    assert east == pytest.approx(1855.3 * math.cos(math.radians(46)) * 1.0017, rel=1e-3)


def test_own_time_crosses_midnight_and_learns_the_date() -> None:
    own = OwnTime()
    stream = sentences(
        "GPGGA,235958,,,,,0,,,,,,,,",
        "GPGGA,000001,,,,,0,,,,,,,,",
        "GPZDA,000002,05,05,2031,00,00",
        "GPGGA,,,,,,0,,,,,,,,",
    )
    times = [own.read(frame) for frame in framed([stream], None)]
    day = utc.midnight("2031-05-05")
    assert times == [86_398 * SECOND, 86_401 * SECOND, day + 2 * SECOND, day + 2 * SECOND]
    assert own.span_s == 4.0


@given(st.integers(0, 4_000_000_000_000_000_000))
def test_iso_and_back(time: int) -> None:
    assert utc.from_iso(utc.iso(time)[:26] + "Z") == time // 1000 * 1000


def test_gsa_that_stops_and_comes_back_decides_again() -> None:
    gsa = sentences("GNGSA,A,3,07,09,,,,,,,,,,,1.6,0.8,1.5,1")
    gga = [sentences(f"GNGGA,0941{second:02d},4607.0,S,06718.4,W,1,11,0.8,3.4,M,11.2,M,,") for second in range(40)]
    epochs = [data + (gsa if second < 5 or second > 30 else b"") for second, data in enumerate(gga)]
    lane, states = Lane("curlew"), []
    for second, data in enumerate(epochs):
        lane.feed(chunk(data, BEGIN + second * SECOND))
        states.append(lane.snapshot(BEGIN + second * SECOND).fix.state.state)
    assert (states[4], states[20], states[35]) == ("3D", "fix", "3D")
