"""How late sentences come: what was put in comes out, over midnight, steps of a clock, and every rate."""

import pickle
import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.core.clock.clock_words import apart_lines
from pale_heron.core.clock.lag import LagSnapshot
from pale_heron.core.clock.lag_tracker import BUCKETS, KEPT, LagTracker
from pale_heron.core.clock.offset import apart_words, offset_to_give, other_rates, whole_seconds
from pale_heron.core.frames import IN, SECOND, Frame, Kind, Status
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.utc import DAY

MS = SECOND // 1000
MIDNIGHT = 22_600 * DAY
BYTE_NS = SECOND // 960


def at(of_day: int) -> str:
    seconds, rest = divmod(of_day % DAY, SECOND)
    return f"{seconds // 3600:02d}{seconds // 60 % 60:02d}{seconds % 60:02d}.{rest * 100 // SECOND:02d}"


def frame(kind: str, told: int, arrived: int) -> Frame:
    place = {"GNGLL": ",,,,,"}.get(kind, ",")
    time = "" if kind.endswith(("GSV", "GSA")) else at(told)
    data = sealed(f"{kind}{place}{time},A,{'0' * 20}")
    return Frame("curlew", IN, arrived, 0, data, Kind.NMEA, Status.OK, "", kind)


def said(tracker: LagTracker, told: int, lags: dict[str, int], byte_ns: int = BYTE_NS) -> None:
    """One round: each type at its lag."""
    for kind, lag in lags.items():
        tracker.feed(frame(kind, told, MIDNIGHT + told + lag), byte_ns)


def figures(tracker: LagTracker, _now: int) -> LagSnapshot:
    return tracker.snapshot()


@given(
    st.integers(-400, 1500),
    st.integers(0, 30),
    st.sampled_from([1, 2, 5]),
    st.integers(0, DAY // SECOND - 1),
    st.integers(35, 120),
    st.randoms(use_true_random=False),
)
def test_lags_come_out_as_they_were(
    base_ms: int, jitter_ms: int, hertz: int, start: int, rounds: int, chance: random.Random
) -> None:
    tracker = LagTracker()
    put: dict[str, list[int]] = {"GNRMC": [], "GNGGA": []}
    told = start * SECOND
    for number in range(rounds):
        told = start * SECOND + number * SECOND // hertz
        lag = base_ms * MS + chance.randint(0, jitter_ms * MS)
        lags = {"GNRMC": lag, "GNGGA": lag + 60 * MS}
        said(tracker, told, lags)
        for kind, each in lags.items():
            put[kind].append(each)
    found = figures(tracker, told + SECOND)
    assert found.steps == 0 and found.since == MIDNIGHT + start * SECOND + put["GNRMC"][0]
    assert [each.type for each in found.types] == ["GNRMC", "GNGGA"]
    for each in found.types:
        lags = sorted(put[each.type])
        assert each.lag.samples == len(lags)
        assert (each.lag.least, each.lag.most) == (lags[0] / SECOND, lags[-1] / SECOND)
        middle = (lags[(len(lags) - 1) // 2] + lags[len(lags) // 2]) / 2
        assert each.lag.median == pytest.approx(middle / SECOND, abs=1e-9)
        assert each.lag.p5 <= each.lag.median <= each.lag.p95
    best = offset_to_give([("curlew", found)])
    if found.types[0].lag.median >= 0:
        assert best is not None and best.lane == "curlew" and best.samples == rounds
        assert best.spread_s <= jitter_ms / 1000
    assert best is None or best.seconds >= 0, "nothing comes before its second"
    assert found.burst is not None and found.burst.interval_s == pytest.approx(1 / hertz, abs=0.011)
    assert found.burst.begin.median == pytest.approx(found.types[0].lag.median, abs=jitter_ms / 1000 + 1e-9)
    length = len(frame("GNGGA", 0, 0).data)
    ended = [(each + length * BYTE_NS) / SECOND for each in put["GNGGA"][2:-1]]
    assert (found.burst.end.least, found.burst.end.most) == pytest.approx((min(ended), max(ended)))


def test_lists_without_a_time_belong_to_their_round() -> None:
    tracker = LagTracker()
    for second in range(40):
        said(tracker, second * SECOND, {"GPGSV": 100 * MS, "GNRMC": 180 * MS, "GPGSA": 260 * MS})
    burst = figures(tracker, 60 * SECOND).burst
    assert burst is not None
    assert (burst.begin.least, burst.begin.most) == (0.1, 0.1)
    last = frame("GPGSA", 0, 0).data
    assert burst.end.median == pytest.approx(0.26 + len(last) / 960)
    assert burst.bytes == sum(len(frame(kind, 0, 0).data) for kind in ("GPGSV", "GNRMC", "GPGSA"))
    slow, *_, fast = other_rates(burst)
    assert slow[1] == pytest.approx(0.1 + burst.bytes * 10 / 4800) and fast[2] == pytest.approx(burst.bytes / 11520)


def test_a_clock_that_is_set_begins_afresh_and_a_single_stray_does_not() -> None:
    tracker = LagTracker()
    for second in range(40):
        said(tracker, second * SECOND, {"GNRMC": 130 * MS if second != 20 else 900 * MS})
    assert (figures(tracker, 50 * SECOND).steps, figures(tracker, 50 * SECOND).types[0].lag.most) == (0, 0.13)
    for second in range(60, 100):
        said(tracker, second * SECOND, {"GNRMC": 7130 * MS})
    found = figures(tracker, 200 * SECOND)
    assert found.steps == 1 and found.types[0].lag.least == 7.13
    assert found.since is not None and found.since > MIDNIGHT + 60 * SECOND
    assert whole_seconds(found) == 7
    assert offset_to_give([("curlew", found)]) is None, "what is seconds apart is no lag to give"


def test_the_steadiest_sentence_is_given_and_few_samples_give_none() -> None:
    tracker, chance = LagTracker(), random.Random(3)
    for second in range(29):
        said(tracker, second * SECOND, {"GNZDA": 90 * MS + chance.randint(0, 40) * MS, "GNRMC": 180 * MS})
    assert offset_to_give([("curlew", figures(tracker, 30 * SECOND))]) is None
    for second in range(29, 90):
        said(tracker, second * SECOND, {"GNZDA": 90 * MS + chance.randint(0, 40) * MS, "GNRMC": 180 * MS})
    best = offset_to_give([("curlew", figures(tracker, 100 * SECOND))])
    assert best is not None and (best.type, best.seconds, best.spread_s, best.holds) == ("GNRMC", 0.18, 0.0, True)


def test_a_lag_that_wanders_does_not_hold() -> None:
    tracker = LagTracker()
    for second in range(600):
        said(tracker, second * SECOND, {"GNRMC": 100 * MS + second * MS // 4})
    found = figures(tracker, 700 * SECOND)
    best = offset_to_give([("curlew", found)])
    assert best is not None and best.holds is False
    assert best.spread_s == pytest.approx(0.9 * 0.15, abs=0.002)


def test_days_cost_no_more_memory_than_an_hour() -> None:
    tracker = LagTracker()
    for second in range(0, 40 * 3600, 7):
        said(tracker, second * SECOND, {"GNRMC": 130 * MS})
    (found,) = figures(tracker, 41 * 3600 * SECOND).types
    assert len(found.history) == BUCKETS and found.lag.samples == len(range(0, 40 * 3600, 7)) > KEPT
    again: LagTracker = pickle.loads(pickle.dumps(tracker))
    assert figures(again, 0).types == figures(tracker, 0).types and figures(again, 0).burst == figures(tracker, 0).burst


@given(st.binary(max_size=120), st.integers(0, 2**62))
def test_whatever_a_sentence_holds_is_borne(data: bytes, arrived: int) -> None:
    tracker = LagTracker()
    for kind in ("GNRMC", "GNGLL", "GNGSV", "PXYZ", ""):
        tracker.feed(Frame("x", IN, arrived, 0, data, Kind.NMEA, Status.OK, "", kind), 0)
        tracker.feed(Frame("x", IN, None, 0, data, Kind.NMEA, Status.OK, "", kind), 0)
    assert tracker.snapshot().types is not None


@pytest.mark.parametrize(
    ("seconds", "words"),
    [
        (18, "leap seconds"),
        (-18, "leap seconds"),
        (7200, "time zone"),
        (-3599, "time zone"),
        (7, "wrong"),
        (1, "wrong"),
    ],
)
def test_whole_seconds_apart_are_told_with_the_cause_that_fits(seconds: int, words: str) -> None:
    assert words in apart_words(seconds)
    assert ("ahead of" in apart_words(seconds)) is (seconds > 0)


@pytest.mark.parametrize("pace", [0.1, 0.5, 3.0, 20.0])
def test_a_log_that_is_played_is_told_as_one_and_not_as_a_clock_that_was_set(pace: float) -> None:
    tracker = LagTracker()
    for second in range(600):
        tracker.feed(frame("GNZDA", second * SECOND, MIDNIGHT + round(second * SECOND / pace)), BYTE_NS)
    found = tracker.snapshot()
    assert found.steps > 3 and not found.keeps_pace
    (words,) = apart_lines("curlew", found)
    assert "a log that is played" in words


def test_clocks_that_are_set_now_and_then_keep_pace() -> None:
    tracker = LagTracker()
    for second in range(4 * 3600):
        ahead = second // 1800 * 5 * SECOND
        tracker.feed(frame("GNZDA", second * SECOND, MIDNIGHT + second * SECOND + ahead), BYTE_NS)
    found = tracker.snapshot()
    assert found.steps == 7 and found.keeps_pace
    assert "is 35 s ahead" in apart_lines("curlew", found)[0]
