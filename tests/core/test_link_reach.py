"""How far a link reaches: each probe at the place where it went out, and what nobody knows is said to be unknown."""

import math
from array import array
from dataclasses import dataclass

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.core.device.dialogue.reading_log import KEPT, ReadingLog
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.earth.geodesy import moved
from pale_heron.core.gnss.epochs.log import Epoch, EpochLog, Epochs
from pale_heron.core.link.fates import DAMAGED, DELIVERED, LOST
from pale_heron.core.link.reach import MOST_CELLS, PlaceSource, RangeCounter

HIDE = (-46.117, -67.306)


@dataclass
class History:
    """A receiver that goes away at one metre a second, and a module that says how strong."""

    log: EpochLog
    strengths: ReadingLog

    @property
    def epochs(self) -> Epochs:
        return self.log.view()

    def reading(self, name: str) -> ReadingLog | None:
        return self.strengths if name == "signal" else None


def epoch(arrived: int, where: tuple[float, float] | None) -> Epoch:
    latitude, longitude = where or (None, None)
    return Epoch(arrived, None, None, 3 if where else 0, 0, latitude, longitude, *[None] * 9)


def walk(seconds: int, fix_until: int = 10**9, metres: float = 1.0) -> History:
    history = History(EpochLog(), ReadingLog())
    for second in range(seconds):
        where = moved(*HIDE, metres * (second + 0.01), 0.0) if second < fix_until else None
        history.log.append(epoch(second * SECOND, where))
        history.strengths.add(second * SECOND + SECOND // 2, -60.0 - second / 10)
    return history


def counted(history: History, results: list[tuple[float, str]], **more: object) -> RangeCounter:
    source = PlaceSource("curlew", HIDE, strength=("hide", "signal"))._replace(**more)
    counter = RangeCounter("hide ▸ buoy", source, 2 * SECOND)
    for at, result in results:
        counter.settle(round(at * SECOND), result)
    counter.locate(None, {"curlew": history, "hide": history}.get)
    return counter


def test_each_in_its_bin() -> None:
    results = [(at + 0.2, LOST if 60 <= at < 70 else DELIVERED) for at in range(100)]
    found = counted(walk(100), results).snapshot()
    assert [(each.low_m, each.high_m, each.settled, each.delivered) for each in found.bins] == [
        (10 * at, 10 * at + 10, 10, 0 if at == 6 else 10) for at in range(10)
    ]
    strengths = [each.strength for each in found.bins]
    assert strengths[6] is None and strengths[0] is not None and strengths[9] is not None
    assert strengths[0].mean == pytest.approx(-60.45) and strengths[9].most == pytest.approx(-69.0)
    assert found.farthest_m == pytest.approx(99, abs=0.1) and found.first_outage_m == pytest.approx(60.2, abs=0.1)
    assert len(found.points) == 100


@pytest.mark.parametrize(
    ("fix_until", "at", "known"),
    [(50, 49.5, True), (50, 50.5, False), (100, 99.9, True), (100, 100.5, False), (100, -1.0, False)],
    ids=["fix", "no fix", "fresh", "old", "before the first"],
)
def test_without_a_position_the_distance_is_unknown_and_never_nought(fix_until: int, at: float, known: bool) -> None:
    found = counted(walk(100, fix_until), [(at, DELIVERED)]).snapshot()
    (row,) = found.bins
    assert (row.low_m is not None) is known
    assert (found.farthest_m is not None) is known


def test_between_two_fixes_a_probe_has_its_own_place() -> None:
    """A receiver that speaks every five seconds, at 10 m/s: each probe lies in the bin in which it was sent."""
    history = History(EpochLog(), ReadingLog())
    for second in range(0, 101, 5):
        history.log.append(epoch(second * SECOND, moved(*HIDE, 10.0 * second, 0.0)))
    found = counted(history, [(at / 2 - 0.25, DELIVERED) for at in range(1, 201)], strength=()).snapshot()
    assert [(each.low_m, each.settled) for each in found.bins] == [(low, 20) for low in range(0, 1000, 100)]
    for point, at in zip(found.points, range(1, 201), strict=True):
        assert point.distance_m == pytest.approx(5.0 * at - 2.5, abs=0.1)
    # Over 180 degrees the short way round.
    history = History(EpochLog(), ReadingLog())
    for second, longitude in ((0, 179.999), (1, -179.999)):
        history.log.append(epoch(second * SECOND, (0.0, longitude)))
    (row,) = counted(history, [(0.5, DELIVERED)], place=(0.0, 180.0), strength=()).snapshot().bins
    assert row.low_m == 0


def test_two_receivers_say_how_far_they_are_apart() -> None:
    near, far = walk(50), walk(50, metres=3.0)
    counter = RangeCounter("a ▸ b", PlaceSource("far", (), "near"), SECOND)
    counter.settle(40 * SECOND, DELIVERED)
    counter.locate(None, {"near": near, "far": far}.get)
    assert counter.snapshot().farthest_m == pytest.approx(80, abs=0.1)
    counter.settle(41 * SECOND, DELIVERED)
    counter.locate(None, {"far": far}.get)
    assert counter.snapshot().bins[-1].low_m is None


def test_nothing_is_placed_before_the_receiver_has_said_where_it_was() -> None:
    """However the record is cut into batches, the same place is found."""
    whole = walk(60)
    counter = RangeCounter("a ▸ b", PlaceSource("curlew", HIDE), SECOND)
    partial = History(EpochLog(), ReadingLog())
    for second in range(60):
        partial.log.append(whole.epochs[second])
        counter.settle(second * SECOND + SECOND // 3, DELIVERED)
        counter.locate((second + 1) * SECOND, {"curlew": partial}.get)
    counter.locate(None, {"curlew": whole}.get)
    assert counter.snapshot() == counted(
        whole, [(at + 1 / 3, DELIVERED) for at in range(60)], strength=()
    ).snapshot()._replace(way="a ▸ b")


@given(st.lists(st.tuples(st.floats(0, 5e6), st.sampled_from([DELIVERED, LOST, DAMAGED])), max_size=60))
def test_whatever_comes_is_counted_once(results: list[tuple[float, str]]) -> None:
    history = walk(1)
    for at, _ in sorted(results):
        history.log.append(epoch(round(at * SECOND), moved(*HIDE, at % 9e3, 0.0)))
    found = counted(history, results).snapshot()
    assert sum(each.settled for each in found.bins) == len(results)
    assert sum(each.delivered for each in found.bins) == sum(result == DELIVERED for _, result in results)
    edges = [each.low_m for each in found.bins if each.low_m is not None]
    assert edges == sorted(edges)
    assert sum(point.settled for point in found.points) <= len(results)


def test_a_long_way_costs_no_memory() -> None:
    history = walk(3 * MOST_CELLS)
    found = counted(history, [(float(at), DELIVERED) for at in range(3 * MOST_CELLS)])
    shown = found.snapshot()
    assert sum(each.settled for each in shown.bins) == 3 * MOST_CELLS and len(shown.bins) <= 11
    assert all(each.low_m is not None and each.low_m % 1000 == 0 for each in shown.bins)
    assert len(shown.points) <= 2000
    assert sum(point.settled for point in shown.points) == 3 * MOST_CELLS
    assert math.isclose(max(point.distance_m for point in shown.points), 3 * MOST_CELLS, rel_tol=0.01)


def test_a_log_of_readings_keeps_the_newest() -> None:
    log = ReadingLog()
    for at in range(5 * KEPT):
        log.add(at, float(at))
    assert log.first_since(5 * KEPT - 3, 10**9) == 5 * KEPT - 3
    assert log.first_since(10, 20) is None and log.first_since(5 * KEPT, 10**9) is None
    assert len(array("q", log._times)) <= 2 * KEPT
