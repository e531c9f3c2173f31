"""Habits of real receivers, with the truth beside each log: what Fix says of it, one by one, cut anywhere, in batches.

Each log is written from the standard (NMEA 0183), epoch by epoch: sentences that stop, that come rarely, from other
talkers, with dates that are none; its truth is which epochs had a position.
"""

import random
import re
from collections.abc import Callable, Iterator
from itertools import pairwise
from typing import Final, NamedTuple

import pytest
from tests.receivers import little_is_enough
from tests.streams import BEGIN, chunk, sentences

from pale_heron.answers.fix import is_moving
from pale_heron.core import utc
from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.gnss.fix import FixTracker
from pale_heron.core.gnss.scatter import scatter
from pale_heron.core.gnss.states import is_fix
from pale_heron.core.lane import Lane, LaneSnapshot

__all__ = ["little_is_enough"]

WHERE: Final = "4607.03800,S,06718.40000,W"


class SaidEpoch(NamedTuple):
    """One epoch: what is said of it, whether there was a position in truth, and whether that was estimated alone."""

    bodies: tuple[str, ...]
    fixed: bool


def gga(number: int, quality: int, hertz: int = 1, talker: str = "GN") -> str:
    where = WHERE if quality else ",,,"
    return f"{talker}GGA,{_time(number, hertz)},{where},{quality},{'11' if quality else '00'},0.8,3.4,M,11.2,M,,"


def rmc(number: int, fixed: bool, hertz: int = 1, talker: str = "GN", mode: str = "A") -> str:
    status = f"A,{WHERE},0.4,226.1" if fixed else "V,,,,,,"
    return f"{talker}RMC,{_time(number, hertz)},{status},040531,,,{mode if fixed else 'N'}"


def gll(number: int, fixed: bool) -> str:
    return f"GNGLL,{WHERE if fixed else ',,,'},{_time(number, 1)},{'A,A' if fixed else 'V,N'}"


def gsa(dimension: int) -> str:
    return f"GNGSA,A,{dimension},{'07,09,14,21' if dimension > 1 else ',,,'},,,,,,,,,1.4,0.8,1.1,1"


def _time(number: int, hertz: int) -> str:
    return utc.clock(BEGIN + number * SECOND // hertz, 2).replace(":", "")


def gga_stops() -> Iterator[SaidEpoch]:
    """Somebody switches GGA off; a minute later the sky is lost."""
    for number in range(200):
        fixed = not 100 <= number < 160
        told = [gga(number, 1)] if number < 60 else []
        yield SaidEpoch((rmc(number, fixed), *told, gsa(3 if fixed else 1)), fixed)


def gga_stops_without_a_fix() -> Iterator[SaidEpoch]:
    for number in range(200):
        fixed = number >= 60
        yield SaidEpoch((rmc(number, fixed), *([gga(number, 0)] if number < 50 else [])), fixed)


def gll_after_rmc() -> Iterator[SaidEpoch]:
    for number in range(120):
        fixed = number < 60
        yield SaidEpoch((gll(number, fixed), *([rmc(number, fixed)] if number < 40 else [])), fixed)


def one_system_after_all() -> Iterator[SaidEpoch]:
    """Under trees it sees one system alone, and its talker says so."""
    for number in range(200):
        talker = "GP" if 50 <= number < 130 else "GN"
        yield SaidEpoch((rmc(number, True, talker=talker), gga(number, 1, talker=talker)), True)


def both_talkers() -> Iterator[SaidEpoch]:
    """One system alone has no position, all together have one; both are said, in this order."""
    for number in range(120):
        yield SaidEpoch((gga(number, 0, talker="GP"), gga(number, 1), rmc(number, True)), True)


def rare_dimension(every: int) -> Callable[[], Iterator[SaidEpoch]]:
    def said() -> Iterator[SaidEpoch]:
        for number in range(200):
            fixed = number >= 21 and not 100 <= number < 103
            dimension = [gsa(3 if fixed else 1)] if number % every == 0 else []
            yield SaidEpoch((rmc(number, fixed), gga(number, int(fixed)), *dimension), fixed)

    return said


def dimension_never() -> Iterator[SaidEpoch]:
    for number in range(60):
        yield SaidEpoch((rmc(number, True), gga(number, 1), gsa(1 if number >= 20 else 3)), number < 20)


def rare_quality() -> Iterator[SaidEpoch]:
    """RMC at 10 Hz, GGA once a second."""
    for number in range(600):
        fixed = not 305 <= number < 395
        told = [gga(number, 4 if fixed else 0, 10)] if number % 10 == 0 else []
        yield SaidEpoch((rmc(number, fixed, 10, mode="R"), *told), fixed)


def strange_dates() -> Iterator[SaidEpoch]:
    """Dates that are none, or of other centuries: they say nothing, and end nothing."""
    dates = ("10,01,24", "10,01,1677", "10,01,2262", "10,01,9999", "10,1,2031", "4,5,2031", "00,00,0000", "x,y,z", ",,")
    for number in range(180):
        zda = f"GNZDA,{_time(number, 1)},{dates[number % len(dates)]},00,00"
        yield SaidEpoch((gga(number, 1), zda), True)


def dead_reckoning(status: str) -> Callable[[], Iterator[SaidEpoch]]:
    """It starts in a tunnel, and goes through another: positions are estimated there, which is no fix."""

    def said() -> Iterator[SaidEpoch]:
        for number in range(180):
            fixed = 30 <= number < 100 or number >= 130
            estimated = f"GNRMC,{_time(number, 1)},{status},{WHERE},0.4,226.1,040531,,,E"
            minimum = rmc(number, True) if fixed else estimated
            yield SaidEpoch((minimum, gga(number, 1 if fixed else 6), gsa(3 if fixed else 1)), fixed)

    return said


def without_a_place() -> Iterator[SaidEpoch]:
    """It claims a fix, and leaves out where."""
    for number in range(90):
        fixed = not 30 <= number < 60
        told = gga(number, 1) if fixed else f"GNGGA,{_time(number, 1)},,,,,1,11,0.8,3.4,M,11.2,M,,"
        yield SaidEpoch((told, gsa(3)), fixed)


def early(formatter: str, place: int) -> Callable[[], Iterator[SaidEpoch]]:
    """One sentence tells the next second, before or amid the rest of this one."""

    def said() -> Iterator[SaidEpoch]:
        yield SaidEpoch((gga(0, 1), rmc(0, True)), True) if formatter == "ZDA" else SaidEpoch((rmc(0, True),), True)
        for number in range(1, 120):
            fixed = not 40 <= number < 50
            coming = 40 <= number + 1 < 50
            announced = {
                "ZDA": f"GNZDA,{_time(number + 1, 1)},04,05,2031,00,00",
                "GGA": gga(number + 1, int(not coming)),
            }[formatter]
            rest = [rmc(number, fixed), gga(number, int(fixed)), gll(number, fixed)]
            rest = [each for each in rest if each[2:5] != formatter]
            yield SaidEpoch((*rest[:place], announced, *rest[place:]), fixed)

    return said


def times_written_twice() -> Iterator[SaidEpoch]:
    """One sentence gives decimals, another none: it is the same time."""
    for number in range(120):
        whole = _time(number, 1)[:6]
        yield SaidEpoch((gga(number, 1), f"GNRMC,{whole},A,{WHERE},0.4,226.1,040531,,,A"), True)


LOGS: Final[dict[str, tuple[Callable[[], Iterator[SaidEpoch]], int, int]]] = {
    # The log, how many epochs a second, how many epochs a change may be told late.
    "GGA is switched off": (gga_stops, 1, 0),
    "GGA is switched off before the first fix": (gga_stops_without_a_fix, 1, 0),
    "GLL goes on where RMC stops": (gll_after_rmc, 1, 0),
    "one system after all": (one_system_after_all, 1, 0),
    "one system beside all": (both_talkers, 1, 1),
    "GSA every 5 epochs": (rare_dimension(5), 1, 0),
    "GSA every 10 epochs": (rare_dimension(10), 1, 0),
    "GSA denies it": (dimension_never, 1, 0),
    "GGA every 10 epochs": (rare_quality, 10, 1),
    "dates that are none": (strange_dates, 1, 0),
    "ZDA is early": (early("ZDA", 0), 1, 0),
    "ZDA is early, amid the others": (early("ZDA", 1), 1, 0),
    "GGA is early": (early("GGA", 0), 1, 0),
    "GGA is early, amid the others": (early("GGA", 1), 1, 0),
    "the same time with and without decimals": (times_written_twice, 1, 0),
    "dead reckoning, status A": (dead_reckoning("A"), 1, 0),
    "dead reckoning, status V": (dead_reckoning("V"), 1, 0),
    "a fix without a place": (without_a_place, 1, 0),
}


def heard(log: list[SaidEpoch], hertz: int, how: str) -> LaneSnapshot:
    """One by one as they come, cut anywhere, or many together; then all is asked for."""
    lane, chance, step = Lane("curlew"), random.Random(7), SECOND // hertz
    chunks = []
    for number, each in enumerate(log):
        data = sentences(*each.bodies)
        at = chance.randrange(len(data)) if how == "cut" else len(data)
        chunks += [
            chunk(piece, BEGIN + number * step + place * 1000)
            for place, piece in enumerate((data[:at], data[at:]))
            if piece
        ]
    if how == "many":
        lane.feed_many(chunks)
    else:
        for piece in chunks:
            lane.feed(piece)
    lane.finish()
    return lane.snapshot(BEGIN + len(log) * step)


@pytest.mark.parametrize("how", ["whole", "cut", "many"])
@pytest.mark.parametrize("name", LOGS)
def test_fix_says_what_was_true(name: str, how: str) -> None:
    said, hertz, late = LOGS[name]
    log = list(said())
    fix = heard(log, hertz, how).fix
    assert fix.epochs == len(log), "no epoch is lost, and none is invented"
    if "reckoning" in name:
        assert fix.positions == len(log), "where it was is shown, as an estimate"
    if "time" in name or "early" in name:
        assert [each.id for each in fix.remarks if each.id != "position-held"] == []
    told = [is_fix(epoch.level) for epoch in fix.track]
    wrong = [at for at, (each, truth) in enumerate(zip(told, log, strict=True)) if each != truth.fixed]
    changes = [at for at in range(1, len(log)) if log[at].fixed != log[at - 1].fixed]
    assert fix.epochs_with_fix == sum(told)
    assert all(any(0 <= at - change < late for change in (0, *changes)) for at in wrong), (wrong, changes)
    first = next(at for at, each in enumerate(log) if each.fixed)
    for start in fix.history.starts:
        reached = start.seconds_to_first_fix
        assert reached is not None and abs(reached - first / hertz) <= late / hertz + 0.01
    gaps = sum(each.fixed and not following.fixed for each, following in pairwise(log))
    assert len(fix.history.outages) == gaps
    for outage in fix.history.outages:
        if outage.seconds is not None:
            truth = sum(not each.fixed for each in log[first:]) / hertz
            assert abs(outage.seconds - truth) <= (late + 1) / hertz + 0.01, outage


def two_places(apart_deg: float, first: str, second: str, *, second_fixed: bool = True) -> Iterator[SaidEpoch]:
    """Two receivers say where they are in the same seconds."""
    for number in range(60):
        there = f"46{7.038 + apart_deg * 60:08.5f},S,06718.40000,W" if second_fixed else ",,,"
        other = f"{second}GGA,{_time(number, 1)},{there},{int(second_fixed)},09,0.9,3.4,M,11.2,M,,"
        yield SaidEpoch((gga(number, 1, talker=first), other), True)


@pytest.mark.parametrize(
    ("apart_m", "first", "second", "second_fixed", "found"),
    [
        (0, "GP", "GP", True, False),
        (1, "GP", "GP", True, True),
        (33, "GP", "GP", True, True),
        (2200, "GN", "GN", True, True),
        (0, "GP", "GP", False, True),
        # One receiver may say what one system gives, and behind it what all give together.
        (8, "GN", "GP", True, False),
        (33, "GN", "GP", True, True),
    ],
)
@pytest.mark.parametrize("how", ["whole", "many"])
def test_two_receivers_in_the_same_second_are_noticed(
    how: str, apart_m: int, first: str, second: str, second_fixed: bool, found: bool
) -> None:
    log = list(two_places(apart_m / 111_200, first, second, second_fixed=second_fixed))
    lane = heard(log, 1, how)
    assert ("two-receivers" in [each.id for each in lane.findings]) is found
    assert not any("empty" in each.evidence for each in lane.findings)
    evidence = "".join(each.evidence for each in lane.findings if each.id == "two-receivers")
    told = [float(each) for each in re.findall(r"up to ([\d.]+) m", evidence)]
    assert told == ([pytest.approx(apart_m, rel=0.001)] if found and apart_m else [])


def test_a_vehicle_whose_receiver_says_both_is_one_receiver() -> None:
    """What one system gives comes first, of the same moment: that it has moved since the last one says nothing."""
    moving = []
    for number in range(100):
        where = f"46{7.038 + number / 40:08.5f},S,06718.40000,W"
        told = (f"{talker}GGA,{_time(number, 1)},{where},1,09,0.9,3.4,M,11.2,M,," for talker in ("GP", "GN"))
        moving.append(SaidEpoch(tuple(told), True))
    for how in ("whole", "many"):
        assert "two-receivers" not in [each.id for each in heard(moving, 1, how).findings]


def said(count: int, *bodies: str, hertz: int = 1) -> list[SaidEpoch]:
    """The same in each epoch, with its own time where `@` stands, and the place where `#` does."""
    forms = [body.replace("#", WHERE) for body in bodies]
    return [
        SaidEpoch(tuple(form.replace("@", _time(number, hertz)) for form in forms), True) for number in range(count)
    ]


GGA_RMC: Final = ("GNGGA,@,#,1,09,0.9,3.4,M,11.2,M,,", "GNRMC,@,A,#,8.0,226.1,040531,,,A")


@pytest.mark.parametrize("how", ["whole", "many"])
@pytest.mark.parametrize(
    ("bodies", "found"),
    [
        (GGA_RMC, []),
        ((*GGA_RMC, "GNVTG,226.1,T,,M,8.3,N,15.4,K,A"), []),
        ((*GGA_RMC, "GNVTG,226.1,T,,M,11.0,N,20.4,K,A"), ["disagree-speed"]),
        ((*GGA_RMC, "GNVTG,,T,,M,,N,,K,N"), []),
        # A place of itself has no time: it belongs to the epoch of the others.
        ((*GGA_RMC, "GNGLL,#,,A,A"), []),
        # ZDA says the century, RMC leaves it out.
        (("GNGGA,@,#,1,09,0.9,3.4,M,11.2,M,,", "GNRMC,@,A,#,8.0,226.1,040585,,,A", "GNZDA,@,04,05,2085,00,00"), []),
        (("GNZDA,@,04,05,2085,00,00", "GNRMC,@,A,#,8.0,226.1,040585,,,A"), []),
    ],
)
def test_sentences_of_one_epoch_agree_or_are_told_apart(bodies: tuple[str, ...], found: list[str], how: str) -> None:
    lane = heard(said(60, *bodies), 1, how)
    ids = [each.id for each in lane.findings if each.id not in ("position-held", "date-differs")]
    assert (ids, lane.fix.epochs, lane.fix.epochs_with_fix) == (found, 60, 60)
    years = {utc.iso(each.utc)[:4] for each in lane.fix.track if each.utc is not None}
    assert years <= {"2085" if "2085" in "".join(bodies) else "2031"}


@pytest.mark.parametrize("how", ["whole", "many"])
@pytest.mark.parametrize(
    ("lists", "used", "names"),
    [
        # Of a GSA that names no system its satellites are those of which lists came.
        (("BDGSV,1,1,03,01,40,083,46,03,17,308,41,07,07,344,39",), "01,03,07", {"C01", "C03", "C07"}),
        (("BDGSV,1,1,02,201,40,083,46,203,17,308,41",), "201,203", {"C01", "C03"}),
        (("GPGSV,1,1,02,01,40,083,46,03,17,308,41", "BDGSV,1,1,01,12,40,083,46"), "01,03", {"G01", "G03"}),
        ((), "01,03", {"G01", "G03"}),
    ],
)
def test_used_satellites_are_those_of_their_lists(lists: tuple[str, ...], used: str, names: set[str], how: str) -> None:
    gaps = "," * (11 - used.count(","))
    lane = heard(said(60, GGA_RMC[0], f"GNGSA,A,3,{used}{gaps},1.4,0.8,1.1", *lists), 1, how)
    assert {str(each.name) for each in lane.fix.sky.satellites if each.used} == names


def test_a_position_is_taken_from_the_sentence_that_has_the_newest() -> None:
    """RMC ten times a second, GGA once: as they were at the last moment, whichever is preferred otherwise."""
    log = [
        SaidEpoch((rmc(number, True, 10), *((gga(number, 1, 10),) if number % 10 == 0 else ())), True)
        for number in range(98)
    ]
    for place in ("latitude", "longitude"):
        assert heard(log, 10, "whole").fix.facts[place].source == "GNRMC"
    assert heard(log[:91], 10, "whole").fix.facts["latitude"].source == "GNGGA"
    assert heard(log, 10, "whole").fix.facts["altitude_m"].age_s(BEGIN + 98 * SECOND // 10) == pytest.approx(0.8)


@pytest.mark.parametrize("how", ["whole", "many"])
def test_a_slower_rate_is_no_silence(how: str) -> None:
    """From an epoch a second it is ordered to one in ten seconds; later nothing comes for a minute."""
    moments = [*range(60), *range(69, 300, 10), *range(360, 500, 10)]
    lane = Lane("curlew")
    chunks = [chunk(sentences(gga(each, 1)), BEGIN + each * SECOND) for each in moments]
    if how == "many":
        lane.feed_many(chunks)
    else:
        for each in chunks:
            lane.feed(each)
    outages = lane.snapshot(BEGIN + 490 * SECOND).fix.history.outages
    assert [(each.lost, (each.begin - BEGIN) // SECOND, each.seconds) for each in outages] == [("bytes", 299, 61.0)]


@pytest.mark.parametrize("hertz", [1, 10])
def test_a_heading_is_told(hertz: int) -> None:
    lane = heard(said(20, GGA_RMC[0], "HEHDT,84.3,T", hertz=hertz), hertz, "many")
    heading = lane.fix.value("heading_deg")
    assert heading is not None and (heading.value, heading.source) == (84.3, "HEHDT")


UNTIMED: Final = ("GNGGA,,,,,,0,00,99.9,,M,,M,,", "GNRMC,,V,,,,,,,,,,N,V")


@pytest.mark.parametrize("how", ["whole", "many"])
@pytest.mark.parametrize(
    ("silent_s", "behind", "starts"),
    [
        # It was off: it has lost its time, and takes twenty seconds.
        (30, UNTIMED, [20.0]),
        # The cable was out: it still has its time, and its fix.
        (30, GGA_RMC, []),
        # It has lost its time without a silence: that is an outage.
        (1, UNTIMED, []),
    ],
)
def test_a_receiver_that_comes_back_without_its_time_has_started(
    silent_s: int, behind: tuple[str, ...], starts: list[float], how: str
) -> None:
    lane, chunks = Lane("curlew"), []
    for moment in [*range(60), *range(59 + silent_s, 79 + silent_s), *range(79 + silent_s, 140 + silent_s)]:
        lost = 59 + silent_s <= moment < 79 + silent_s
        (epoch,) = [said(moment + 1, *(behind if lost else GGA_RMC))[moment]]
        chunks.append(chunk(sentences(*epoch.bodies), BEGIN + moment * SECOND))
    if how == "many":
        lane.feed_many(chunks)
    else:
        for each in chunks:
            lane.feed(each)
    found = lane.snapshot(BEGIN + (140 + silent_s) * SECOND).fix.history.starts
    assert [each.seconds_to_first_fix for each in found] == starts


def test_what_is_no_longer_said_is_judged_no_more() -> None:
    """GSA and RMC have stopped; GGA goes on: speed and dilutions of then are none of now."""
    bodies = ("GNRMC,@,A,#,22.4,226.1,040531,,,A", "GNGSA,A,3,01,03,05,07,,,,,,,,,9.9,0.9,9.8", GGA_RMC[0])
    log = said(40, *bodies)
    log = [*log[:20], *(SaidEpoch(each.bodies[2:], True) for each in log[20:])]
    fix = heard(log, 1, "whole").fix
    assert fix.facts["speed_knots"].value == 22.4 and fix.fresh("speed_knots") is None
    assert (fix.fresh("hdop"), fix.fresh("vdop"), fix.fresh("pdop")) == (0.9, None, None)
    assert not is_moving(fix)


def test_a_cold_start_has_no_time() -> None:
    lane = heard([SaidEpoch((*UNTIMED, "GNGSV,1,1,00"), False)] * 30, 1, "whole")
    (words,) = [each.evidence for each in lane.findings if each.id == "no-sky"]
    assert "it does not even have the time" in words and "it has the time" not in words


def test_scatter_is_that_of_one_kind() -> None:
    """Most of the time RTK holds, to a centimetre; for a while it is a single fix, metres off."""
    chance, log = random.Random(4), []
    for number in range(300):
        quality, sigma = (4, 1e-5) if number % 100 < 70 else (1, 1e-3)
        where = f"46{7.038 + chance.gauss(0, sigma):010.7f},S,067{18.4 + chance.gauss(0, sigma):010.7f},W"
        log.append(SaidEpoch((f"GNGGA,{_time(number, 1)},{where},{quality},11,0.8,3.4,M,11.2,M,,",), True))
    found = scatter(heard(log, 1, "many").fix.track)
    assert found is not None and (found.level, found.samples) == ("RTK fixed", 210)
    assert found.cep95_m == pytest.approx(0.04, rel=0.25)
    assert [(each.level, each.samples) for each in found.others] == [("single", 90)]
    assert found.others[0].cep95_m == pytest.approx(4, rel=0.25)


@pytest.mark.parametrize("how", ["whole", "many"])
@pytest.mark.parametrize("broken", ["_gst", "_zda", "_other"])
def test_a_sentence_that_cannot_be_taken_costs_a_moment(how: str, broken: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whatever fault there is in what reads a sentence: what comes behind is read, and the fault is told."""

    def fails(_: FixTracker, frame: Frame) -> None:
        raise ZeroDivisionError(f"of {frame.type}")

    monkeypatch.setattr(FixTracker, broken, fails)
    odd = {"_gst": "GNGST,@,3.1,,,,1.204,0.9,2.642", "_zda": "GNZDA,@,04,05,2031,00,00", "_other": "HEHDT,84.3,T"}
    log = [
        SaidEpoch(each.bodies[: 3 if number % 50 == 20 else 2], True)
        for number, each in enumerate(said(200, *GGA_RMC, odd[broken]))
    ]
    lane = heard(log, 1, how)
    assert 196 <= lane.fix.epochs_with_fix <= 200 and lane.fix.state.state == "fix"
    (told,) = [each for each in lane.findings if each.id == "not-decoded"]
    assert "ZeroDivisionError: of " in told.evidence and lane.line.valid_sentences == sum(
        len(each.bodies) for each in log
    )
