"""What Clock says: held against lags that are known."""

import pytest
from tests.core.test_lag import MS, said
from tests.painted import opened, snapshot
from tests.streams import BEGIN, fed
from tests.streams import said as epochs
from tests.tui.test_painters import WIDTHS, width_of

from pale_heron.answers.clock import clock_answer
from pale_heron.core.clock.clock_object import ClockPicture, clock_object, span_of
from pale_heron.core.clock.clock_words import clock_lines
from pale_heron.core.clock.host import HostClock
from pale_heron.core.clock.lag import EMPTY, LagSnapshot, LagTracker
from pale_heron.core.clock.ntp import NetworkServer, NetworkTime
from pale_heron.core.frames import SECOND
from pale_heron.core.lane import Lane
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


def pictured(found: LagSnapshot, host: HostClock | None = RIGHT) -> ClockPicture:
    lanes = (("curlew", found),)
    return ClockPicture(*span_of(lanes), lanes, SERVERS, host, "UTC")


@pytest.mark.parametrize(
    ("found", "host", "role", "words"),
    [
        (lags(126), RIGHT, "reed", "comes 126 ms after its second"),
        (lags(126), HostClock(False, 16.0, 16.0, 0.0), "amber", "holds the error of this computer"),
        (lags(126), None, "amber", "holds the error of this computer"),
        (lags(126, 12), RIGHT, "amber", "Too few sentences to say how late they come: 12"),
        (lags(18_126), RIGHT, "coral", "18 s ahead of what is told: 18 s are the leap seconds"),
        (lags(-7_199_874), RIGHT, "coral", "7200 s behind what is told: whole quarters of an hour"),
        (lags(-300), RIGHT, "coral", "GNRMC comes 300 ms before the time that it tells"),
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
    assert offset == {"sentence": "GNRMC", "lane": "curlew", "seconds": 0.126, "spread_ms": 0.0, "samples": 60}
    text = "\n".join(clock_lines(pictured(lags(126))))
    assert text.startswith("Give 0.1260 s: GNRMC of curlew") and "agrees with this computer, to within 1.2 ms" in text
    assert clock_object(ClockPicture(None, None, (("x", EMPTY),)))["lanes"] == []


def test_a_lane_without_a_receiver_is_left_out() -> None:
    shown = snapshot(Lane("hide"), now=BEGIN)
    assert "hide" not in plain(clock.paint(shown, ClockPicture(None, None, (("hide", EMPTY),)), "time", 114))
