"""Sentences on one lane by their own times, and followed live from lane to lane: what the way did, no more, no less."""

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.test_link_sentences import over, spoken

from pale_heron.core.frames import IN, SECOND, Chunk, Event, Frame
from pale_heron.core.framing import Framing
from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.fates import DeliverySnapshot
from pale_heron.core.link.own_times import OwnTimesTracker
from pale_heron.core.link.tracker import BEGUN, ENDED, LinkTracker
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.link.verdict import verdict
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.utc import DAY
from pale_heron.sim.cable import CableFaults, CableWay

BEGIN = 1_935_654_000 * SECOND


def said(of_day_s: float) -> bytes:
    tenths = round(of_day_s * 10) % 864_000
    hours, minutes, seconds = tenths // 36_000, tenths // 600 % 60, tenths / 10 % 60
    return sealed(f"GNRMC,{hours:02d}{minutes:02d}{seconds:06.3f},A,4607.02,S,06718.36,W,0.1,0.0,040531,,,A")


def frames(*times: tuple[float, float], lane: str = "hide") -> list[Frame]:
    """Of (time told, arrival) in seconds of the day."""
    framing = Framing(lane)
    found = []
    for told, arrived in times:
        found += framing.feed(Chunk(lane, IN, BEGIN // DAY * DAY + round(arrived * SECOND), said(told)))
    return found


def counted(*times: tuple[float, float], limit_s: float = 5.0, silent_s: float = 0.001) -> DeliverySnapshot:
    tracker = OwnTimesTracker("hide", round(limit_s * SECOND))
    last = 0
    for frame in frames(*times):
        tracker.feed(frame)
        last = frame.time or 0
        tracker.advance(last)
    tracker.finish(last + round(silent_s * SECOND), listened=False)
    (found,) = tracker.snapshots()
    return found


def steady(begin: float, end: float, every: float = 1.0, lag: float = 0.2, without: tuple[float, ...] = ()) -> list:
    count = round((end - begin) / every)
    moments = [begin + index * every for index in range(count)]
    return [(at, at + lag) for at in moments if round(at, 3) not in without]


CASES = {
    "all came": (steady(100, 160), (60, 60, 0, 0, 0)),
    "three missing": (steady(100, 160, without=(110, 120, 121)), (60, 57, 3, 0, 0)),
    "ten a second": (steady(100, 110, 0.1, without=(104.3,)), (100, 99, 1, 0, 0)),
    "over midnight": (steady(DAY / SECOND - 20, DAY / SECOND + 20, without=(DAY / SECOND,)), (40, 39, 1, 0, 0)),
    "said twice": (sorted([*steady(100, 130), (115, 115.9)], key=lambda each: each[1]), (30, 30, 0, 1, 0)),
    "out of order": (
        sorted([*steady(100, 130, without=(115,)), (115, 117.5)], key=lambda each: each[1]),
        (30, 30, 0, 0, 1),
    ),
    "held back beyond the limit, then all at once": (
        [*steady(100, 120), *((at, 140 + at / 1000) for at in range(120, 140)), *steady(141, 150)],
        (50, 34, 16, 0, 0),
    ),
    "a battery that was empty for half an hour": ([*steady(100, 130), *steady(1930, 1960)], (1860, 60, 1800, 0, 0)),
    "the clock is set at the first fix": (
        [*((at, at + 20.2) for at in range(80, 110)), *steady(130, 160)],
        (60, 60, 0, 0, 0),
    ),
    "the clock is set back": ([*steady(130, 160), *((at, at + 50.2) for at in range(110, 140))], (60, 60, 0, 0, 0)),
    "the clock begins at midnight": (
        [*((at, at + 34867.2) for at in range(30)), *steady(34897, 34927)],
        (60, 60, 0, 0, 0),
    ),
    "made to speak five times as often": ([*steady(100, 130), *steady(130, 140, 0.2)], (80, 80, 0, 0, 0)),
}


@pytest.mark.parametrize(("times", "wanted"), CASES.values(), ids=CASES)
def test_gaps_are_losses_and_clocks_are_not(times: list, wanted: tuple[int, ...]) -> None:
    found = counted(*times)
    # The first few at a new pace come out of step with the one before.
    assert (found.sent, found.delivered, found.lost + found.late, found.twice, found.out_of_order) == wanted


def test_a_gap_of_half_a_day_is_counted_at_once() -> None:
    found = counted(*steady(100, 101, 0.01, 0.0), *steady(40_000, 40_000.5, 0.1))
    assert found.sent <= 4_000_200 and found.settled + found.unknown == found.sent


def test_damaged_ones_stand_for_missing_ones() -> None:
    tracker = OwnTimesTracker("hide", 5 * SECOND)
    for at, frame in enumerate(frames(*steady(100, 130))):
        spoilt = frame._replace(status="bad-checksum")
        tracker.feed(spoilt if at in (12, 20) else frame)
        last = frame.time or 0
    tracker.finish(last, listened=False)
    (found,) = tracker.snapshots()
    assert (found.sent, found.delivered, found.lost, found.damaged) == (30, 28, 0, 2)


@given(st.integers(0, 10**6), st.floats(0, 0.5), st.sampled_from([0.1, 0.2, 1.0]))
def test_whatever_is_left_out_is_missed(seed: int, share: float, every: float) -> None:
    chance = random.Random(seed)
    times = steady(3600, 3600 + 200 * every, every)
    # What is missing before the first or behind the last that came was perhaps never said.
    kept = [each for each in times[8:-1] if chance.random() >= share]
    found = counted(*times[:8], *kept, times[-1])
    assert (found.sent, found.lost) == (200, 200 - len(kept) - 9)


@pytest.mark.parametrize(
    ("silent_s", "limit_s", "wanted"),
    [
        # Said, came, lost, not known: silence counts once the limit is over, as in an outage that ends.
        (540.0, 10.0, (600, 60, 530, 10)),
        (12.0, 10.0, (72, 60, 2, 10)),
        (4.0, 10.0, (64, 60, 0, 4)),
        (0.001, 10.0, (60, 60, 0, 0)),
    ],
)
def test_silence_to_the_end_is_an_outage(silent_s: float, limit_s: float, wanted: tuple[int, ...]) -> None:
    found = counted(*steady(100, 160), limit_s=limit_s, silent_s=silent_s)
    assert (found.sent, found.delivered, found.lost, found.unknown) == wanted
    assert (found.outages[-1:] != ()) == (wanted[2] > 1)


def test_a_gap_that_a_later_one_proves_counts_at_once() -> None:
    """Lost just before the end: the limit is not over, and it is known all the same."""
    found = counted(*steady(100, 160, without=(155, 156)), limit_s=10.0)
    assert (found.sent, found.delivered, found.lost, found.unknown) == (60, 58, 2, 0)


def test_while_the_lane_is_gone_it_is_not_known_what_was_said() -> None:
    tracker = OwnTimesTracker("hide", 5 * SECOND)
    before, after = frames(*steady(100, 130)), frames(*steady(150, 180))
    for frame in before:
        tracker.feed(frame)
    tracker.leave((before[-1].time or 0) + SECOND // 2)
    for frame in after:
        tracker.feed(frame)
    tracker.finish((after[-1].time or 0) + 1, listened=False)
    (found,) = tracker.snapshots()
    assert (found.sent, found.delivered, found.lost) == (80, 60, 0)
    assert dict(found.not_known) == {"lane away": 20}


def test_what_is_said_after_the_end_only_shows_what_was_before() -> None:
    """The trial is over and listens: what is said now counts for nothing, and proves a gap before it."""
    tracker = OwnTimesTracker("hide", 5 * SECOND)
    heard = frames(*steady(100, 130, without=(127, 128, 129)), *steady(130, 133))
    for frame in heard:
        if (frame.time or 0) > BEGIN // DAY * DAY + 130 * SECOND:
            tracker.stop(BEGIN // DAY * DAY + 130 * SECOND)
        tracker.feed(frame)
    tracker.finish((heard[-1].time or 0) + 1, listened=True)
    (found,) = tracker.snapshots()
    assert (found.sent, found.delivered, found.lost, found.unknown) == (30, 27, 3, 0)


# Followed live, from lane to lane


def played(
    entries: list[Frame | Event], *, lanes: tuple[str, ...] = ("curlew", "hide"), limit_s: float = 2.0
) -> TrialSnapshot:
    tracker = LinkTracker()
    described = TrialDescription("sentences", 7, lanes, limit_s=limit_s)
    begin = Event(0, "", BEGUN, described.details())
    tracker.heed(begin)
    assert tracker.follows_lines
    tracker.hear([begin])
    for entry in entries:
        tracker.hear([entry])
        tracker.settled(entry.time or 0)
    end = Event(10**12, "", ENDED, {"trial": 7, "why": "done"})
    tracker.heed(end)
    tracker.hear([end])
    assert not tracker.follows_lines
    (found,) = tracker.snapshot()
    return found


@given(st.integers(0, 10**6))
def test_live_it_counts_what_the_way_did(seed: int) -> None:
    way = CableWay(CableFaults(lost=0.1, changed=0.1, doubled=0.1, delay_s=0.1), seed)
    snapshot = played(over(way, 12))
    (found,) = snapshot.directions
    done = way.counts
    assert found.sent == found.delivered + found.lost + found.damaged
    left_out = sum(count for _, count in snapshot.left_out)
    assert abs(found.lost - done["lost"]) <= left_out + 3
    assert abs(found.damaged - done["changed"]) <= left_out + 3
    assert found.twice <= done["doubled"]
    assert found.foreign_bytes == 0


def test_while_the_other_lane_is_gone_nothing_is_said_of_the_way() -> None:
    every = over(CableWay(CableFaults(), 1), 20)
    gone = [each for each in every if not (each.lane == "hide" and 5 <= (each.time or 0) / SECOND < 12)]
    times = (Event(5 * SECOND, "hide", "lost", {"reason": "pulled"}), Event(12 * SECOND, "hide", "returned", {}))
    entries = sorted([*gone, *times], key=lambda each: each.time or 0)
    (found,) = played(entries).directions
    assert (found.lost, found.damaged) == (0, 0) and found.delivered > 50
    (without,) = played(gone).directions
    assert without.lost > 30


def test_one_lane_in_words() -> None:
    entries = over(CableWay(CableFaults(), 1), 20)
    found = played(
        [each for each in entries if each.lane == "curlew" and not 5 <= (each.time or 0) / SECOND < 7],
        lanes=("curlew",),
    )
    assert {each.receiver for each in found.directions} == {"curlew"}
    said = verdict(found)
    assert said.result == "fails" and "by their own times" in said.why
    assert {each.id for each in said.findings} >= {"own-times", "outage"}


def test_a_lane_that_says_nothing_shows_nothing() -> None:
    assert verdict(played([])).result == "inconclusive"
    assert verdict(played([], lanes=("curlew",))).result == "inconclusive"
    assert list(spoken(1))
