"""Epochs, starts, outages and the strip: sentences in any order, at any rate, at the edges of the world."""

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.streams import BEGIN, HERE, chunk, fed, gga, said, sentences, track

from pale_heron.core import utc
from pale_heron.core.frames import SECOND, Event
from pale_heron.core.gnss.course import Start, starts_by_mode
from pale_heron.core.gnss.epochs.log import Epochs
from pale_heron.core.gnss.epochs.strip import SILENT, StripLog
from pale_heron.core.gnss.snapshot import FixSnapshot
from pale_heron.core.gnss.starting import start_mode
from pale_heron.core.gnss.states import LEVELS, witnesses
from pale_heron.core.lane import Lane
from pale_heron.sim.curlew import Curlew
from pale_heron.sim.scenes import SCENES, Scene

MODES = "A"


def rmc(second: float, where: str = HERE, status: str = "A", date: str = "040531") -> str:
    time = gga(second).split(",")[1]
    return f"GNRMC,{time},{status},{where},0.4,212.0,{date},,,{MODES if status == 'A' else 'N'},V"


def gsa(dimension: int = 3) -> str:
    return f"GNGSA,A,{dimension},07,09,,,,,,,,,,,1.6,0.8,1.5,1"


def gst(second: float) -> str:
    return f"GNGST,{gga(second).split(',')[1]},3.1,,,,0.6,0.8,1.2"


def fix_of(epochs: list[bytes], every: float = 1.0, wait_s: float = 0.0) -> FixSnapshot:
    """The fix after these epochs, `every` seconds one, and a wait."""
    lane = Lane("curlew")
    for place, data in enumerate(epochs):
        lane.feed(chunk(data, BEGIN + round(place * every * SECOND)))
    now = BEGIN + round(((len(epochs) - 1) * every + wait_s) * SECOND)
    lane.finish()
    return lane.snapshot(now).fix


@pytest.mark.parametrize("size", [300, 400, 700, 1000])
def test_a_log_that_is_played_as_fast_as_it_goes_has_the_epochs_that_it_had(size: int) -> None:
    """A time of arrival says nothing of epochs that come faster than any receiver computes."""
    curlew = Curlew(Scene("", start="hot"))
    told = [curlew.epoch(float(second)) for second in range(100)]
    data, lane = b"".join(told), Lane("curlew")
    for at in range(0, len(data), size):
        lane.feed(chunk(data[at : at + size], BEGIN + at * SECOND // 1_200_000))
    lane.finish()
    played, lived = lane.snapshot(None).fix.track, fix_of(told).track
    for name in ("of_day", "latitude", "altitude_m", "speed_knots", "error_m", "used", "seen", "cn0"):
        assert list(played.column(name)) == list(lived.column(name)), name


@given(st.randoms(use_true_random=False), st.integers(2, 12))
def test_sentences_of_an_epoch_may_come_in_any_order(chance: random.Random, count: int) -> None:
    def burst(second: int, shuffled: bool) -> bytes:
        told = [gga(second, f"4607.038{second:02d},S,06718.40000,W"), gst(second), gsa()]
        told.append(rmc(second, f"4607.038{second:02d},S,06718.40000,W"))
        if shuffled:
            chance.shuffle(told)
        return sentences(*told)

    plain = fix_of([burst(second, False) for second in range(count)])
    mixed = fix_of([burst(second, True) for second in range(count)])
    for name in ("latitude", "longitude", "altitude_m", "separation_m", "used", "utc", "error_m", "speed_knots"):
        assert list(mixed.track.column(name)) == list(plain.track.column(name)), name
    assert (mixed.epochs, mixed.epochs_with_fix, len(mixed.track)) == (count, count, count)
    assert not mixed.remarks


ALONE = {
    "GGA": gga,
    "RMC": rmc,
    "GNS": lambda second: f"GNGNS,{gga(second).split(',')[1]},{HERE},AAN,11,0.8,3.4,11.2,,,V",
    "GLL": lambda second: f"GNGLL,{HERE},{gga(second).split(',')[1]},A,A",
}


@pytest.mark.parametrize("formatter", ALONE)
def test_one_position_sentence_is_enough_for_epochs(formatter: str) -> None:
    found = fix_of([sentences(ALONE[formatter](second)) for second in range(5)])
    assert [round(epoch.latitude or 0, 4) for epoch in found.track] == [-46.1173] * 5
    assert found.epochs_with_fix == 5


def test_the_combined_talker_speaks_for_all_systems() -> None:
    """NMEA 0183 4.11: a receiver may tell GN for the solution, and GP, GL of what each system gives to it."""
    told = [sentences(gga(second), gga(second, ",,,", 0, "00,,,M,,M,,").replace("GN", "GL", 1)) for second in range(5)]
    found = fix_of(told)
    assert (found.state.state, found.epochs_with_fix, found.history.outages) == ("fix", 5, ())
    single = fix_of([data.replace(b"$GN", b"$GP") for data in (sentences(gga(0)),)])
    assert single.epochs_with_fix == 0, "a changed talker spoils the checksum"
    assert fix_of([sentences(gga(0).replace("GN", "GP", 1))]).epochs_with_fix == 1


@given(st.permutations(["ZDA", "RMC", "GGA"]))
def test_a_date_of_eight_digits_is_the_same_day_as_one_of_six(order: list[str]) -> None:
    spoken = [
        {
            "ZDA": f"GNZDA,{utc.clock(BEGIN + second * SECOND, 2).replace(':', '')},04,05,2031,00,00",
            "RMC": rmc(second),
            "GGA": gga(second),
        }
        for second in range(5)
    ]
    fix = fix_of([sentences(*(each[name] for name in order)) for each in spoken])
    assert (fix.epochs, fix.epochs_with_fix, len(fix.history.outages)) == (5, 5, 0)


@pytest.mark.parametrize("hertz", [1, 5, 10, 20])
def test_epochs_at_any_rate(hertz: int) -> None:
    told = [sentences(gga(place / hertz), rmc(place / hertz)) for place in range(6 * hertz)]
    found = fix_of(told, 1 / hertz, 0.3 / hertz)
    assert found.epochs == found.epochs_with_fix == len(found.track) == 6 * hertz
    steps = {after.utc - before.utc for before, after in zip(found.track, list(found.track)[1:], strict=False)}
    assert steps == {SECOND // hertz}
    assert found.facts["latitude"].condition == "good"
    assert fix_of(told, 1 / hertz, 4 / hertz + 0.6).facts["latitude"].condition == "stale"


EDGES = {
    "midnight": ["235959.00,040531", "000000.00,050531", "000001.00,050531"],
    "leap second": ["235959.00,311231", "235960.00,311231", "000000.00,010132"],
    "end of a century of weeks": ["235959.00,061138", "000000.00,071138", "000001.00,071138"],
}


@pytest.mark.parametrize("edge", EDGES)
def test_time_passes_edges(edge: str) -> None:
    said_so = [told.split(",") for told in EDGES[edge]]
    found = fix_of([sentences(f"GNRMC,{time},A,{HERE},0.4,212.0,{date},,,A,V") for time, date in said_so])
    times = [epoch.utc or 0 for epoch in found.track]
    assert times == sorted(times)
    assert times[-1] - times[0] == (SECOND if edge == "leap second" else 2 * SECOND)
    assert not [remark.id for remark in found.remarks if remark.id.startswith("time")]


PLACES = {
    "date line": (["1700.00000,S,17959.99990,E", "1700.00000,S,17959.99990,W"], 0.4),
    "south pole": (["8959.99990,S,00000.00000,E", "8959.99990,S,18000.00000,E"], 0.5),
    "decimals of RTK": (["4607.038000000,S,06718.400000000,W", "4607.038000001,S,06718.400000000,W"], 1e-5),
}


@pytest.mark.parametrize("place", PLACES)
def test_places_at_the_edges_of_the_world_are_no_jump(place: str) -> None:
    from pale_heron.core.gnss.scatter import scatter

    wheres, apart_m = PLACES[place]
    found = fix_of([sentences(gga(second, wheres[second % 2], 4)) for second in range(10)])
    assert not [remark for remark in found.remarks if remark.id == "position-jump"]
    result = scatter(found.track)
    assert result is not None
    assert 0 < result.cep95_m <= apart_m
    assert found.state.kind == "RTK fixed"


def test_no_satellite_and_sixty() -> None:
    none = fix_of([sentences("GPGSV,1,1,00,1", "GLGSV,1,1,00,1", gga(0, ",,,", 0, "00,99.9,,M,,M,,"))])
    assert (none.sky.satellites, none.sky.by_system, none.sky.incomplete_now) == ((), {}, ())
    many = [
        f"{talker}GSV,5,{part + 1},20"
        + "".join(f",{part * 4 + each:02d},40,{each * 80:03d},44" for each in range(1, 5))
        for talker in ("GP", "GA", "GB")
        for part in range(5)
    ]
    full = fix_of([sentences(*(f"{body},1" for body in many), gga(0)), sentences(gga(1))])
    assert len(full.sky.satellites) == 60
    assert (full.track[0].seen, full.track[0].cn0) == (60, 44.0)


def test_the_strongest_of_two_signals_counts_and_both_are_shown() -> None:
    body = "GPGSV,1,1,01,07,45,100,{},{}"
    found = fix_of([sentences(body.format(40, 1), body.format(46, 6), gga(0)), sentences(gga(1))])
    (satellite,) = found.sky.satellites
    assert (satellite.cn0_dbhz, satellite.signals) == (46, (("1", 40), ("6", 46)))
    assert (found.track[0].seen, found.track[0].cn0) == (1, 46.0)


def test_trails_keep_a_place_a_minute_for_an_hour() -> None:
    told = [sentences(f"GPGSV,1,1,01,07,{45 + minute % 30},100,40,1") for minute in range(90)]
    ((_, trail),) = fix_of(told, 60.0).sky.trails.items()
    assert len(trail) == 60
    assert trail[-1].elevation_deg == 45 + 89 % 30


def test_which_sentence_decides_and_what_the_others_say() -> None:
    told = witnesses({"GGA": ("1", ""), "RMC": ("V", "N", ""), "GSA": ("3",)})
    assert [(each.formatter, each.decides) for each in told] == [("GGA", True), ("RMC", False), ("GSA", True)]
    assert "quality 1, single" in told[0].words and "warning" in told[1].words
    assert witnesses({}) == ()


@given(st.lists(st.tuples(st.integers(0, 400), st.integers(0, 9)), min_size=1, max_size=80), st.integers(2, 16))
def test_the_strip_shows_the_worst_of_every_stretch(steps: list[tuple[int, int]], most: int) -> None:
    log, told, moment = StripLog(most), [], BEGIN
    for step, level in steps:
        moment += step * SECOND
        told.append((moment, level))
        log.add(moment, level, level, float(level), after_gap=True)
    strip = log.strip()
    assert len(strip.levels) <= most
    assert strip.begin <= told[0][0] < strip.begin + strip.width
    for place, level in enumerate(strip.levels):
        inside = [each for time, each in told if strip.column(time) == place]
        assert level == SILENT or level == min(inside)
        assert strip.used[place] == (min(inside) if inside else None)
    if strip.width == SECOND:
        assert sum(level != SILENT for level in strip.levels) == len({time for time, _ in told})


def test_rare_epochs_are_no_silence() -> None:
    strip = fix_of([sentences(gga(10 * place)) for place in range(12)], 10.0).strip
    assert SILENT not in strip.levels
    assert set(strip.levels) == {LEVELS.index("single")}


STARTS = [
    (b"$GNTXT,01,01,02,start cold*00", "cold"), (b"Warm start", "warm"), (b"hotstart done", "hot"),
    (b"reed node 7, firmware 0.9: boot", "unknown"), (b"rebooting: hot", "hot"), (b"power-up", "unknown"),
    (b"the shot was cold", ""), (b"$GNTXT,01,01,02,antenna ok*00", ""), (b"started the engine", ""),
]  # fmt: skip


@pytest.mark.parametrize(("line", "mode"), STARTS)
def test_words_of_a_start(line: bytes, mode: str) -> None:
    assert start_mode(line) == mode


def nothing(second: int) -> bytes:
    return sentences(gga(second, ",,,", 0, "03,99.9,,M,,M,,"), gsa(1))


def whole(second: int, quality: int = 1) -> bytes:
    return sentences(gga(second, HERE, quality), gsa())


def test_an_action_starts_the_stopwatch_and_old_sentences_do_not_stop_it() -> None:
    lane = fed([whole(second) for second in range(5)])
    lane.event(Event(BEGIN + 5 * SECOND, "curlew", "start", {"mode": "cold"}))
    for second in range(5, 30):
        old = second < 7
        lane.feed(chunk(whole(second) if old or second >= 20 else nothing(second), BEGIN + second * SECOND))
    (start,) = lane.snapshot(BEGIN + 30 * SECOND).fix.history.starts
    assert (start.mode, start.cause, start.seconds_to_first_fix) == ("cold", "action", 15.0)
    assert start.waiting_for == "date", "this receiver never tells one"


def test_a_banner_tells_the_mode_of_the_start_that_was_asked_for_and_begins_one_of_its_own() -> None:
    banner = sentences("GNTXT,01,01,02,start warm")
    lane = fed([whole(second) for second in range(5)])
    lane.event(Event(BEGIN + 5 * SECOND, "curlew", "start", {"mode": "warm"}))
    for second in range(6, 60):
        data = whole(second) if second < 40 or second > 50 else nothing(second)
        lane.feed(chunk((banner if second in (6, 40) else b"") + data, BEGIN + second * SECOND))
    starts = lane.snapshot(BEGIN + 60 * SECOND).fix.history.starts
    assert [(each.cause, each.mode, each.seconds_to_first_fix) for each in starts] == [
        ("action", "warm", 1.0),
        ("banner", "warm", 11.0),
    ]


def test_what_was_said_before_a_banner_does_not_stop_the_watch() -> None:
    lane = fed([whole(second) + sentences(rmc(second)) for second in range(5)])
    banner = sentences("GNTXT,01,01,02,start cold")
    for second in range(5, 40):
        fixed = second >= 25
        told = sentences(rmc(second) if fixed else rmc(second, ",,,", "V")) + (whole if fixed else nothing)(second)
        lane.feed(chunk((banner if second == 5 else b"") + told, BEGIN + second * SECOND))
    (start,) = lane.snapshot(BEGIN + 40 * SECOND).fix.history.starts
    assert (start.mode, start.cause, start.seconds_to_first_fix) == ("cold", "banner", 20.0)


def test_strength_is_unknown_once_no_list_comes_any_more() -> None:
    told = [
        sentences("GPGSV,1,1,01,07,45,100,44,1" if second < 5 else gga(second), gga(second)) for second in range(30)
    ]
    strip = fix_of(told).strip
    assert strip.cn0[4] == 44.0 and strip.cn0[25] is None


def test_starts_by_mode_have_median_and_spread() -> None:
    told = [("cold", 30), ("cold", 40), ("hot", 2), ("cold", None), ("unknown", None)]
    starts = [Start(0, mode, "action", {}, None if seconds is None else seconds * SECOND) for mode, seconds in told]
    found = {row.mode: row for row in starts_by_mode(starts)}
    assert list(found) == ["cold", "hot", "unknown"]
    assert found["cold"][1:6] == (3, 2, 35.0, 30.0, 40.0)
    assert found["cold"].deviation_s == pytest.approx(7.07, abs=0.01)
    assert (found["hot"].deviation_s, found["unknown"].median_s) == (None, None)


def test_a_lane_forgets_old_epochs_and_its_counts_go_on() -> None:
    lane = Lane("curlew", epochs_kept=50)
    for second in range(400):
        lane.feed(chunk(sentences(gga(second)), BEGIN + second * SECOND))
    fix = lane.snapshot(BEGIN + 400 * SECOND).fix
    assert (fix.epochs, len(fix.track)) == (400, 50)
    assert fix.track[-1].arrived == BEGIN + 398 * SECOND, "the last one is still open"


def test_the_simulated_cold_start_in_the_strip() -> None:
    strip = fed(said(40)).snapshot(BEGIN + 40 * SECOND).fix.strip
    names = [LEVELS[level] for level in strip.levels]
    assert list(dict.fromkeys(names)) == ["no fix", "time only", "2D", "single"]
    assert len(names) in (39, 40)


def test_equal_views_are_equal() -> None:
    one, other = track([(1.0, 2.0)] * 3), track([(1.0, 2.0)] * 3)
    assert one == other
    assert one != track([(1.0, 2.5)] * 3)
    assert isinstance(one, Epochs) and one != "epochs"
    with pytest.raises(IndexError):
        one[3]
    assert utc.iso(one[0].utc or 0).startswith("2031-05-04T09:40:00")


@pytest.mark.parametrize("scene", ["at-rest", "open-sky"])
def test_on_a_slow_line_every_position_has_the_state_of_its_own_epoch(scene: str) -> None:
    """At 9600 baud the sentences of an epoch take two thirds of a second, the first burst with its banner more."""
    lane, free = Lane("curlew"), BEGIN
    for second, data in enumerate(said(60, SCENES[scene])):
        free = max(free, BEGIN + second * SECOND)
        for line in data.splitlines(keepends=True):
            lane.feed(chunk(line, free))
            free += len(line) * SECOND // 960
    lane.finish()
    fix = lane.snapshot(free).fix
    assert {epoch.state for epoch in fix.track if epoch.has_position} <= {"2D", "single"}
    assert fix.epochs_with_fix == sum(epoch.has_position for epoch in fix.track) > 30
    assert fix.history.outages == ()


WORDS = st.text("0123456789.+-_eE nafiANDVRX", max_size=9)


@given(st.sampled_from(["altitude_m", "hdop", "satellites_used", "time"]), WORDS)
def test_a_figure_that_is_shown_is_the_one_that_is_counted(key: str, word: str) -> None:
    """Whatever stands in a field: the newest epoch holds what the fact says, and nothing where that is nothing."""
    figures = {"time": "094101.00", "satellites_used": "11", "hdop": "0.8", "altitude_m": "3.4"} | {key: word}
    time, used, hdop, high = figures.values()
    lane = Lane("curlew")
    for at, told in enumerate((time, "094102.00")):
        body = f"GNGGA,{told},{HERE},1,{used},{hdop},{high},M,11.2,M,,"
        lane.feed(chunk(sentences(body), BEGIN + at * SECOND))
        if at == 0:
            shown = lane.snapshot(BEGIN + at * SECOND).fix.value(key)
    fix = lane.snapshot(BEGIN + 2 * SECOND).fix
    assert shown is not None
    if key == "time":
        assert (len(fix.track) == 1) == (shown.value is not None)
        assert fix.epochs == 1 + (shown.value is not None and not word.startswith("094102"))
        return
    column = {"satellites_used": "used"}.get(key, key)
    assert getattr(fix.track[0], column) == pytest.approx(shown.value) if shown.value is not None else True
    assert (getattr(fix.track[0], column) is None) == (shown.value is None)


@given(WORDS, WORDS, st.sampled_from(["GGA", "GNS", "RMC", "GLL"]))
def test_one_sentence_claims_a_fix_in_the_same_breath_everywhere(word: str, mode: str, formatter: str) -> None:
    """State, fact, epoch and count agree on whether a sentence alone says that there is a position."""
    bodies = {
        "GGA": f"GNGGA,094101.00,{HERE},{word},11,0.8,3.4,M,11.2,M,,",
        "GNS": f"GNGNS,094101.00,{HERE},{word},11,0.8,3.4,11.2,,",
        "RMC": f"GNRMC,094101.00,{word},{HERE},0.4,212.0,040531,,,{mode}",
        "GLL": f"GNGLL,{HERE},094101.00,{word},{mode}",
    }
    lane = Lane("curlew")
    lane.feed(chunk(sentences(bodies[formatter]), BEGIN))
    fix = lane.snapshot(BEGIN).fix
    latitude = fix.value("latitude")
    assert latitude is not None
    claimed = fix.state.has_position
    assert (latitude.condition == "good") == claimed
    assert fix.positions == claimed and fix.epochs_with_fix == fix.state.is_fix
