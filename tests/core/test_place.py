"""Where and how sure: plausibility, scatter, comparison of two receivers, positions as typed."""

import contextlib
import math
import random
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.streams import BEGIN, HERE, chunk, gga, sentences, track

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.comparison import compare
from pale_heron.core.gnss.earth.geodesy import moved, offset_m
from pale_heron.core.gnss.earth.notation import misread, position_typed
from pale_heron.core.gnss.earth.points import Point
from pale_heron.core.gnss.epochs.log import Epoch, EpochLog, Epochs
from pale_heron.core.gnss.epochs.plausibility import ROLLOVER_NS
from pale_heron.core.gnss.quality import DILUTION, graded
from pale_heron.core.gnss.scatter import scatter
from pale_heron.core.lane import Lane
from pale_heron.core.nmea import degrees

WEEK_1024 = ROLLOVER_NS // SECOND


def rmc_of(second: float, date: str = "040531", where: str = HERE, status: str = "A", speed: str = "0.4") -> str:
    return f"GNRMC,{gga(second).split(',')[1]},{status},{where},{speed},212.0,{date},,,{status and 'A'},V"


def found_in(stream: list[list[str]]) -> list[str]:
    """The findings of a lane that heard these bodies, one list a second, a twentieth of a second each."""
    lane = Lane("curlew")
    for second, bodies in enumerate(stream):
        for place, body in enumerate(bodies):
            lane.feed(chunk(sentences(body), BEGIN + second * SECOND + place * SECOND // 20))
    lane.finish()
    return [finding.id for finding in lane.snapshot(BEGIN + len(stream) * SECOND).findings]


def walking(second: int, step: float = 0.0005) -> str:
    return f"4607.{int(3800 + 10000 * step * second) % 10000:04d}0,S,06718.40000,W"


INSANE = {
    "week-rollover": [[gga(second, walking(second)), rmc_of(second, "180911")] for second in range(5)],
    "date-differs": [[gga(second, walking(second)), rmc_of(second, "010131")] for second in range(5)],
    "default-date": [[rmc_of(second, "060180" if second < 3 else "040531", walking(second))] for second in range(6)],
    "time-back": [[gga(second if second != 4 else 1.5, walking(second))] for second in range(8)],
    "time-still": [[gga(3)] for _ in range(6)],
    "position-jump": [
        [gga(second, "4657.03800,S,06718.40000,W" if second == 4 else walking(second)), rmc_of(second, where="")]
        for second in range(8)
    ],
    "position-held": [[gga(second)] for second in range(140)],
    "origin": [[gga(second, "0000.00000,N,00000.00000,E")] for second in range(4)],
    "geoid": [[gga(second, walking(second), rest="11,0.8,3.4,M,811.2,M,,")] for second in range(4)],
    "no-geoid": [[gga(second, walking(second), rest="11,0.8,3.4,M,0.0,M,,")] for second in range(70)],
    "disagree-position": [
        [gga(second, walking(second)), rmc_of(second, where=walking(second).replace("4607", "4608"))]
        for second in range(6)
    ],
    "disagree-time": [
        [rmc_of(second - 1, where=walking(second)), gga(second, walking(second))] for second in range(1, 9)
    ],
    "disagree-validity": [
        [gga(second, walking(second)), rmc_of(second, where=walking(second), status="V")] for second in range(6)
    ],
}


@pytest.mark.parametrize("remark", INSANE)
def test_what_makes_no_sense_is_found(remark: str) -> None:
    assert remark in found_in(INSANE[remark])


def test_what_makes_sense_is_not_remarked() -> None:
    sane = [[gga(second, walking(second)), rmc_of(second, where=walking(second))] for second in range(140)]
    assert found_in(sane) == []
    fast = [[gga(second, walking(second, 0.1)), rmc_of(second, where="", speed="360")] for second in range(6)]
    assert "position-jump" not in found_in(fast), "an aircraft may"
    crowded = [gga(second, walking(second)) if turn else rmc_of(second, where=walking(second))
               for second in range(20) for turn in (0, 1)]  # fmt: skip
    lane = Lane("curlew")
    for place, body in enumerate(crowded):
        lane.feed(chunk(sentences(body), BEGIN + place * SECOND // 2))
    assert lane.snapshot(BEGIN + 20 * SECOND).findings == (), "a line without pauses"
    coarser = [
        [gga(second, f"4607.03{second}19,S,06718.4,W"), rmc_of(second, where=f"4607.03{second},S,06718.400,W")]
        for second in range(9)
    ]
    assert found_in(coarser) == [], "the same place with fewer digits is the same place"


def cloud(count: int, sigma: float, at: Point, seed: int = 3) -> list[tuple[float, float]]:
    chance = random.Random(seed)
    return [moved(at.latitude, at.longitude, chance.gauss(0, sigma), chance.gauss(0, sigma)) for _ in range(count)]


@pytest.mark.parametrize("at", [Point(-46.1, -67.3), Point(17.0, 180.0), Point(89.99999, 10.0), Point(-90.0, 0.0)])
def test_scatter_is_the_same_everywhere_on_earth(at: Point) -> None:
    found = scatter(track(cloud(4000, 2.0, at)))
    assert found is not None
    assert found.cep50_m == pytest.approx(2.0 * math.sqrt(2 * math.log(2)), rel=0.05)
    assert found.cep95_m == pytest.approx(2.0 * math.sqrt(2 * math.log(20)), rel=0.05)
    assert found.drms2_m == pytest.approx(2 * math.sqrt(2) * 2.0, rel=0.05)
    assert math.hypot(*offset_m(found.about.latitude, found.about.longitude, at.latitude, at.longitude)) < 0.2
    assert found.span_s == 3999.0
    assert found.independent > 3000


def test_scatter_about_a_reference_shows_the_bias() -> None:
    at = Point(-46.1, -67.3, 10.0)
    centre = Point(*moved(at.latitude, at.longitude, 3.0, -4.0))
    found = scatter(track(cloud(2000, 0.5, centre), altitude_m=12.5), at)
    assert found is not None and found.from_reference
    assert found.mean == pytest.approx((3.0, -4.0, 2.5), abs=0.06)
    assert found.cep50_m == pytest.approx(5.0, abs=0.1)
    assert found.vertical95_m == pytest.approx(2.5)


def test_whether_a_claim_holds_is_told_only_on_enough_independent_samples() -> None:
    points = cloud(500, 2.0, Point(-46.1, -67.3))
    honest, boastful = scatter(track(points, error_m=2.9)), scatter(track(points, error_m=0.9))
    assert honest is not None and boastful is not None
    assert (honest.claim_holds, boastful.claim_holds) == (True, False)
    assert replace(boastful, claimed_drms_m=None).claim_holds is None
    drifting = scatter(track([moved(-46.1, -67.3, place / 50, 0) for place in range(500)], error_m=0.1))
    assert drifting is not None
    assert drifting.independent < 10 and drifting.claim_holds is None


def test_scatter_of_nothing_and_of_one_place() -> None:
    assert scatter(track([])) is None and scatter(track([(1.0, 2.0)])) is None
    same = scatter(track([(1.0, 2.0)] * 5))
    assert same is not None
    assert (same.cep95_m, same.independent) == (pytest.approx(0, abs=1e-6), 1.0)


def shifted(epochs: Epochs, east: float, north: float, up: float, drop: int = 0, late: int = 0) -> Epochs:
    """A second receiver at an offset, that misses every `drop`th epoch and comes `late` epochs later."""
    log = EpochLog()
    for place, epoch in enumerate(epochs):
        if place < late or (drop and place % drop == 0):
            continue
        latitude, longitude = moved(epoch.latitude or 0, epoch.longitude or 0, east, north)
        height = (epoch.altitude_m or 0) + up
        log.append(epoch._replace(latitude=latitude, longitude=longitude, altitude_m=height, used=9, cn0=38.0))
    return log.view()


def test_two_receivers_are_matched_by_the_moment_they_tell_of() -> None:
    first = track(cloud(300, 30.0, Point(-46.1, -67.3)), altitude_m=3.0, used=12, cn0=44.0)
    found = compare(first, shifted(first, 1.2, -0.5, 0.25, drop=10, late=20))
    assert found is not None
    assert found.matched == 252
    assert (found.east.mean, found.north.mean) == pytest.approx((1.2, -0.5), abs=1e-3)
    assert found.up is not None and found.up.mean == pytest.approx(0.25)
    assert found.east.deviation < 1e-3
    assert found.distance95_m == pytest.approx(1.3, abs=1e-3)
    assert (found.sides[0].used, found.sides[1].used) == (12, 9)
    assert (found.sides[1].first_fix or 0) - (found.sides[0].first_fix or 0) == 21 * SECOND
    assert list(found.times) == sorted(found.times)


def test_receivers_without_a_moment_in_common_are_not_compared() -> None:
    first = track([(1.0, 2.0)] * 5)
    assert compare(first, track([])) is None
    elsewhere = EpochLog()
    for epoch in first:
        elsewhere.append(epoch._replace(utc=(epoch.utc or 0) + 3600 * SECOND))
    assert compare(first, elsewhere.view()) is None
    undated = EpochLog()
    undated.append(Epoch(*first[0])._replace(utc=None, of_day=None))
    assert compare(first, undated.view()) is None


@pytest.mark.parametrize("ahead_s", [-40_000, -3, 0, 3, 40_000])
def test_receivers_without_a_date_are_matched_by_their_times_of_day(ahead_s: int) -> None:
    """The one came a while after the other, and around midnight: the day is that of its arrival."""
    first, undated = track(cloud(300, 30.0, Point(-46.1, -67.3)), altitude_m=3.0), EpochLog()
    for epoch in shifted(first, 1.2, -0.5, 0.25, drop=10, late=0):
        assert epoch.utc is not None
        of_day = epoch.utc % (86_400 * SECOND)
        undated.append(epoch._replace(utc=None, of_day=of_day, arrived=epoch.utc + ahead_s * SECOND))
    found = compare(first, undated.view())
    assert found is not None and found.matched == 270
    assert (found.east.mean, found.north.mean) == pytest.approx((1.2, -0.5), abs=1e-3)


THERE = (-46.1173, -67.3066667)
TYPED = [
    "-46.1173 -67.3066667", "-46.1173, -67.3066667", "46.1173 S, 67.3066667 W", "46.1173S67.3066667W",
    "67.3066667 W 46.1173 S", "S 46.1173 W 67.3066667", "46.1173°S 67.3066667°W", "46 07.038 S 67 18.4 W",
    "46°07.038′S, 67°18.400′W", "S 46 07.038 W 67 18.4", "-46 07 02.28 -67 18 24", "46°07'02.28\"S 67°18'24.00\"W",
    "4607.03800,S,06718.40000,W", "  −46.1173 ; −67.3066667 ",
]  # fmt: skip


@pytest.mark.parametrize("typed", TYPED)
def test_every_usual_notation_is_read(typed: str) -> None:
    for text, height in ((typed, None), (typed + ", 3.4 m", 3.4), (typed + " -2 m", -2.0)):
        point = position_typed(text)
        assert (point.latitude, point.longitude) == pytest.approx(THERE, abs=1e-7)
        assert point.altitude_m == height


WRONG = [
    ("", "two angles"), ("46.1", "two angles"), ("46.1 S 67.3", "one letter for each"), ("46.1 S 67.3 N", "E or W"),
    ("91 S 67 W", "at most 90"), ("4607.038 S 6718.4 W", "packed"), ("46 61 S 67 18 W", "61 minutes"),
    ("-46.1 S 67.3 W", "sign and the letter"), ("46.5 7 S 67 18 W", "only the last"), ("here it is", "belongs to no"),
    ("46 7 2 9 S 67 W", "4 numbers"), ("46 S W 67", "before both"),
    ("63,4 10,4", "63.4 10.4 or 63 4 10 4"), ("46,1 S 67,3 W", "46.1 S 67.3 W or"),
]  # fmt: skip


@pytest.mark.parametrize(("typed", "words"), WRONG)
def test_what_is_no_position_is_told_why(typed: str, words: str) -> None:
    with pytest.raises(ValueError, match=words):
        position_typed(typed)


@given(st.floats(-90, 90), st.floats(-180, 180))
def test_what_we_show_can_be_typed_back(latitude: float, longitude: float) -> None:
    shown = (
        f"{degrees.decimal(latitude)} {degrees.decimal(longitude)}",
        f"{degrees.degrees_minutes(latitude, 'NS')} {degrees.degrees_minutes(longitude, 'EW')}",
        f"{degrees.degrees_minutes_seconds(latitude, 'NS', 2)} {degrees.degrees_minutes_seconds(longitude, 'EW', 2)}",
    )
    for text in shown:
        point = position_typed(text)
        assert point.latitude == pytest.approx(latitude, abs=2e-6)
        assert point.longitude == pytest.approx(longitude, abs=2e-6)


@given(st.text(max_size=30))
def test_anything_typed_is_a_position_or_told_why(text: str) -> None:
    point = None
    with contextlib.suppress(ValueError):
        point = position_typed(text)
    assert point is None or (abs(point.latitude) <= 90 and abs(point.longitude) <= 180)


def test_packed_minutes_taken_for_decimals_are_noticed() -> None:
    meant = misread(Point(-46.07038, -67.184), *THERE)
    assert meant is not None
    assert (meant.latitude, meant.longitude) == pytest.approx(THERE, abs=1e-6)
    assert misread(Point(*THERE), *THERE) is None
    assert misread(Point(10.0, 20.0), *THERE) is None


def test_words_for_dilution_have_limits() -> None:
    words = [graded(value, DILUTION).word for value in (0.8, 1.0, 3.1, 99.9)]
    assert words == ["ideal", "excellent", "good", "of no use"]
