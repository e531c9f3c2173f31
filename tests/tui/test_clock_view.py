"""What Clock says: held against lags that are known."""

from dataclasses import replace

import pytest
from tests.bench.test_line_habits import ORDER, each_second, shown
from tests.core.test_lag import MS, said
from tests.painted import opened, snapshot
from tests.played_clocks import clocks
from tests.streams import BEGIN, fed
from tests.streams import said as epochs
from tests.tui.test_painters import WIDTHS, width_of

from pale_heron.answers.clock import clock_answer
from pale_heron.core.clock.agreement import agreements, corrected, lag_drift
from pale_heron.core.clock.clock_object import ClockPicture, clock_object, span_of
from pale_heron.core.clock.clock_words import clock_lines
from pale_heron.core.clock.host import HostClock
from pale_heron.core.clock.lag import EMPTY, LagSnapshot
from pale_heron.core.clock.lag_tracker import LagTracker
from pale_heron.core.clock.ntp import NetworkServer, NetworkTime
from pale_heron.core.clock.offset import without
from pale_heron.core.clock.pulse import PulseSnapshot
from pale_heron.core.clock.pulse_words import drift_words, no_finer, pulse_findings, pulse_state, with_error
from pale_heron.core.clock.straight_line import Drift
from pale_heron.core.clock.tracker import ServerAnswer, ServerHistory
from pale_heron.core.clock_of_lanes import clock_of
from pale_heron.core.frames import SECOND, Event
from pale_heron.core.lane import Lane
from pale_heron.sim.clock_play import BEGIN_NS
from pale_heron.sim.pulses import PulseFaults
from pale_heron.tui.painting.paint import plain
from pale_heron.tui.views.clock import clock

RIGHT = HostClock(True, 0.0004, 0.02, -3.2)
SERVERS = (
    NetworkServer("192.0.2.1:123", 4, NetworkTime(1, "PPS", 0, 0.0, 0.001, -800_000, 400_000), ""),
    NetworkServer("silent:123", 0, None, "no answer within 2 s"),
)


def lags(lag_ms: int, rounds: int = 60) -> LagSnapshot:
    tracker = LagTracker()
    for second in range(rounds):
        said(tracker, 32_400 * SECOND + second * SECOND, {"GNRMC": lag_ms * MS, "GNGGA": (lag_ms + 80) * MS})
    return tracker.snapshot()


def early_and_late() -> LagSnapshot:
    """One type comes before its second, the others behind it: what comes late is late by a clock that is wrong."""
    tracker = LagTracker()
    for second in range(60):
        said(tracker, 32_400 * SECOND + second * SECOND, {"GNRMC": -200 * MS, "GNGLL": 270 * MS})
    return tracker.snapshot()


def pictured(found: LagSnapshot, host: HostClock | None = RIGHT) -> ClockPicture:
    lanes = (("curlew", found),)
    return ClockPicture(*span_of(lanes), lanes, SERVERS, host, "UTC")


@pytest.mark.parametrize(
    ("found", "host", "role", "words"),
    [
        (lags(126), RIGHT, "reed", "comes 126.0 ms after its second"),
        (lags(126), HostClock(False, 16.0, 16.0, 0.0), "amber", "holds the error of this computer"),
        (lags(126), None, "amber", "holds the error of this computer"),
        (lags(126, 12), RIGHT, "amber", "Too few sentences to say how late they come, 12"),
        (lags(18_126), RIGHT, "coral", "18 s ahead of what is told: 18 s are the leap seconds"),
        (lags(-7_199_874), RIGHT, "coral", "7200 s behind what is told: whole quarters of an hour"),
        (lags(-300), RIGHT, "coral", "GNRMC comes 300 ms before the time that it tells"),
        (early_and_late(), RIGHT, "coral", "GNRMC comes 200 ms before the time that it tells"),
        (EMPTY, RIGHT, "amber", "Nobody has told a time yet"),
    ],
)
def test_the_answer(found: LagSnapshot, host: HostClock | None, role: str, words: str) -> None:
    answer = clock_answer(pictured(found, host))
    assert (answer.role, words in answer.text) == (role, True), answer


@pytest.mark.parametrize("width", WIDTHS)
@pytest.mark.parametrize("found", [lags(126), lags(18_126), lags(-300), EMPTY], ids=["late", "leap", "early", "none"])
def test_it_fits_its_width_and_leaves_whole_seconds_out(found: LagSnapshot, width: int) -> None:
    lane = opened(fed(epochs(20)))
    shown = snapshot(lane, now=BEGIN + 20 * SECOND)
    rows = clock.paint(shown, pictured(found), "time", width)
    assert all(width_of(row) <= width for row in rows)
    text = plain(rows)
    assert "host" in text and "local" in text and "stratum 1 (PPS)" in text and "no answer within 2 s" in text
    if found.types and found.types[0].lag.median > 0:
        assert "126.0 ms" in text and "206.0 ms" in text


def test_figures_for_programs_are_as_they_were_measured() -> None:
    found = clock_object(pictured(lags(18_126)))
    (lane,) = found["lanes"]
    assert (lane["lane"], lane["second_named"], found["pulses"], found["offset_to_give"]) == ("curlew", None, [], None)
    (rmc, _) = lane["sentences"]
    assert (rmc["type"], rmc["samples"]) == ("GNRMC", 60)
    assert rmc["lag_ms"] == dict.fromkeys(("min", "p5", "median", "p95", "max"), 18126.0)
    assert found["host"] == {"synchronised": True, "estimated_error_ms": 0.4, "zone": "UTC"}
    right, silent = found["network"]
    assert (right["offset_ms"], right["delay_ms"], right["dispersion_ms"]) == (-0.8, 0.4, 1.0)
    assert silent == {"server": "silent:123", "error": "no answer within 2 s"}
    offset = clock_object(pictured(lags(126)))["offset_to_give"]
    assert offset == {
        **{"sentence": "GNRMC", "lane": "curlew", "seconds": 0.126, "spread_ms": 0.0, "samples": 60},
        **{"holds": True, "measured_s": 0.126, "corrected_by": None, "ahead_ms": None},
    }
    assert found["no_offset_because"].startswith("curlew: this computer is 18 s ahead")
    text = "\n".join(clock_lines(pictured(lags(126))))
    assert (
        text.startswith("Offset to give: +0.1260 s. GNRMC of curlew comes 126.0 ms")
        and "to copy: GNRMC +0.1260" in text
        and "agrees with this computer, to within 1.2 ms" in text
    )
    assert clock_object(ClockPicture(None, None, (("x", EMPTY),)))["lanes"] == []


def test_a_lane_without_a_receiver_is_left_out() -> None:
    shown = snapshot(Lane("hide"), now=BEGIN)
    assert "hide" not in plain(clock.paint(shown, ClockPicture(None, None, (("hide", EMPTY),)), "time", 114))


@pytest.mark.parametrize(("dialect", "asked"), [("standard", "AT+CCLK? in Module (5)"), ("v250", "")])
def test_a_module_is_asked_for_its_clock_as_its_dialect_asks_and_a_receiver_is_not(dialect: str, asked: str) -> None:
    speaks = Event(BEGIN, "curlew", "dialect", {"name": dialect, "by": "chosen"})
    page = plain(clock.paint(shown(ORDER, speaks), ClockPicture(None, None, ()), "time", 114))
    assert (asked in page) if asked else "was not asked" not in page
    ticking = shown([*each_second(*range(10)), *ORDER], speaks)
    assert "was not asked" not in plain(clock.paint(ticking, ClockPicture(None, None, ()), "time", 114))


SILENT = PulseSnapshot("pps:/dev/pps0", trouble="/dev/pps0 is not there: the kernel has no PPS device")
LINE = PulseSnapshot("line:curlew:dcd", lane="curlew")
PAGES_SAY = {
    "time": ("A sentence of curlew names the pulse of sim:curlew before it", "curlew: WHEN SENTENCES COME"),
    "pulses": (
        "89 pulses, none missed, none doubled",
        "ppm fast against it",
        "the kernel has no PPS device",
    ),
    "host": ("AGAINST PULSES", "steady to, over 1 s", "192.0.2.1:123 agree", "no answer within 2 s"),
}


def left(picture: ClockPicture) -> ClockPicture:
    """Its source was let go: nothing is wrong with that."""
    gone = tuple(replace(each, left=True) for each in picture.pulses)
    assert pulse_state(gone[0], BEGIN_NS + 500 * SECOND) == ("quiet", "sim:curlew: let go, after 89 pulses")
    return picture._replace(pulses=gone, host=RIGHT)


def with_sources(picture: ClockPicture) -> ClockPicture:
    return picture._replace(pulses=(*picture.pulses, SILENT, LINE), network=SERVERS, host=RIGHT)


@pytest.mark.parametrize("width", WIDTHS)
@pytest.mark.parametrize("page", clock.PAGES)
def test_each_page_fits_its_width_and_says_what_it_must(page: str, width: int) -> None:
    shown = snapshot(opened(fed(epochs(60))), now=BEGIN_NS + 90 * SECOND)
    rows = clock.paint(shown, with_sources(clocks(ppm=40.0)), page, width)
    assert max(width_of(row) for row in rows) <= width
    if width >= 114:
        text = " ".join(plain(rows).split())
        assert all(each in text for each in PAGES_SAY[page]), text
        assert "v time pulses host" in text


@pytest.mark.parametrize(
    ("picture", "later_s", "role", "words"),
    [
        (clocks(), 0, "reed", "Pulses of sim:curlew: 89, none missed, none doubled."),
        (clocks(), 40, "coral", "sim:curlew: no pulse for 41 s, after 89 pulses."),
        (clocks(faults=PulseFaults(missed=0.05)), 0, "amber", "missed, 0 doubled."),
        (clocks(seconds=6), 0, "amber", "too few to judge"),
        (clocks(ppm=40.0), 0, "amber", "ppm fast."),
        (clocks(late_s=0.1, ppm=0.0), 0, "reed", "give a time daemon +0.1001 s."),
        (with_sources(clocks()), 0, "coral", "the kernel has no PPS device"),
        (left(clocks()), 40, "reed", "comes 100.1 ms after its second"),
        (ClockPicture(None, None, (), pulses=(LINE,)), 0, "amber", "line:curlew:dcd: no pulse has come."),
    ],
)
def test_what_is_said_of_pulses(picture: ClockPicture, later_s: int, role: str, words: str) -> None:
    end = max((each.last or 0 for each in picture.pulses), default=0)
    answer = clock_answer(picture, end + SECOND + later_s * SECOND)
    assert words in answer.text, answer.text
    assert answer.role == role or (role == "amber" and answer.role == "reed"), answer


def test_a_lag_is_corrected_by_pulses_that_can_be_trusted() -> None:
    early = clocks(late_s=0.1, faults=PulseFaults(early_s=-0.005))
    said = clock_answer(early, early.end).text
    assert "which by sim:curlew was 5 ms ahead meanwhile: give a time daemon +0.0951 s" in said, said


@pytest.mark.parametrize(
    ("each", "fixed", "words"),
    [
        (LINE, None, "may be on another one"),
        (LINE, False, "No receiver here has a fix"),
        (PulseSnapshot("printed:board"), None, "No line came that is a pulse"),
        (PulseSnapshot("pps:/dev/pps0"), True, "nothing moves its pin"),
        (PulseSnapshot("sim:curlew"), True, "Its device gives no pulse"),
        (PulseSnapshot("line:curlew:dcd", pulses=9, last=BEGIN, resolution_ns=1_000_000), True, "known to 1 ms only"),
        (PulseSnapshot("printed:board", pulses=9, last=BEGIN), True, "printing and the line add to it"),
    ],
)
def test_why_there_may_be_none_and_what_they_are_worth(each: PulseSnapshot, fixed: bool | None, words: str) -> None:
    assert any(words in found.text + found.next for found in pulse_findings(each, BEGIN, fixed=fixed))


def test_nothing_is_finer_than_its_source() -> None:
    coarse = PulseSnapshot("line:curlew:dcd", resolution_ns=1_000_000)
    assert [no_finer(value, coarse) for value in (0.0000004, 0.002)] == ["below 1 ms", "2 ms"]
    assert with_error(39.97512, 0.0119) == "39.975 ± 0.012" and with_error(-3.0, 0.0) == "-3.000 ± 0.000"
    assert drift_words(Drift(0.9, 0.5), "it") == "it keeps pace with it, to within 2 ppm"


@pytest.mark.parametrize(
    ("offset_ns", "agree"), [(0, True), (800_000, True), (-800_000, True), (40_000_000, False), (-40_000_000, False)]
)
def test_servers_and_pulses_agree_within_the_uncertainty_of_both(offset_ns: int, agree: bool) -> None:
    server = NetworkServer("192.0.2.9:123", 4, NetworkTime(1, "PPS", 0, 0.0, 0.001, offset_ns, 400_000), "")
    (found,) = agreements(clocks().pulses, [server])
    assert found.agree is agree and found.apart_s == pytest.approx(offset_ns / SECOND, abs=1e-5)
    assert ("do not agree" in found.words) is not agree
    server, lag, _ = corrected(clocks().lanes[0][1], [server]) or ("", 0.0, 0.0)
    assert lag == pytest.approx(0.1001 + offset_ns / SECOND, abs=1e-4)


def test_the_answers_of_a_server_have_their_history() -> None:
    answers = tuple(ServerAnswer(BEGIN + number * 64 * SECOND, -number * 1_000_000) for number in range(5))
    picture = clocks()._replace(asked=(ServerHistory("192.0.2.1:123", answers), ServerHistory("new", answers[:1])))
    shown = snapshot(now=BEGIN_NS + 90 * SECOND)
    text = plain(clock.paint(shown, picture, "host", 114))
    assert "this computer's offset by 5 answers in 256 s: 0 ns to +4 ms" in text, text
    assert "new" not in text, "one answer is no history"


def test_programs_get_how_steady_it_is() -> None:
    (found,) = clock_object(clocks(ppm=40.0))["pulses"]
    assert [each["span_s"] for each in found["allan"]] == [1, 4, 16] and found["trouble"] is None
    assert found["allan"][0]["deviation"] > found["allan"][2]["deviation"] > 0
    assert found["drift_ppm"] == pytest.approx(40, abs=0.1)


def test_a_clock_that_runs_off_shows_in_the_lags_too() -> None:
    found = lag_drift(clocks(ppm=40.0, seconds=300).lanes[0][1])
    assert found is not None and found[1].ppm == pytest.approx(40, abs=5 * found[1].error_ppm + 0.1)
    assert lag_drift(EMPTY) is None


def test_with_fewer_sentences_the_last_byte_comes_earlier() -> None:
    found = clocks(seconds=90).lanes[0][1]
    assert found.burst is not None
    sizes = {"GNGSA": found.burst.bytes / 2, "GNTXT": found.burst.bytes / 100}
    ((kind, size, end),) = without(found.burst, sizes)
    assert (kind, size) == ("GNGSA", pytest.approx(found.burst.bytes / 2))
    half = (found.burst.begin.median + found.burst.end.median) / 2
    assert end == pytest.approx(half)


def test_the_page_has_the_history_of_the_steadiest_sentence_and_what_fewer_would_do() -> None:
    lane = opened(fed(epochs(90)))
    shown = snapshot(lane, now=BEGIN + 90 * SECOND)
    picture = clock_of(shown.lanes, shown.clock)
    text = plain(clock.paint(shown, picture, "time", 114))
    assert "over the last 1 min" in text or "over the last 2 min" in text, text
    assert "no GNGSA" in text and "bytes less: the last byte at" in text
    assert "no GNTXT" not in text, "it came at the start alone"
