"""The order of lines: runs of frames stand where each of their frames would."""

import pickle
import random
from array import array
from itertools import accumulate

import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from pale_heron.bench.traffic_log import TrafficLog
from pale_heron.core.frames import IN, NMEA, OK, SECOND, Event, Frame
from pale_heron.core.order import Order
from pale_heron.core.runs import Entries, Entry, FrameRun, SentenceColumns

NAMES = ("GNGGA", "GNRMC")
seeds = st.integers(0, 1 << 32).map(random.Random)


def run_of(lane: str, offset: int, times: list[int], kinds: list[int]) -> FrameRun:
    lines = [b"$%s,%d*00\r\n" % (NAMES[kind].encode(), time) for kind, time in zip(kinds, times, strict=True)]
    ends = array("q", accumulate(map(len, lines)))
    starts = array("q", [0, *ends[:-1]])
    columns = SentenceColumns(lane, b"".join(lines), offset, NAMES, starts, ends, array("q", times), array("q", kinds))
    return FrameRun(columns, 0, len(times))


def some_run(chance: random.Random, now: int) -> FrameRun:
    """Of one of three lanes; mostly its times go on, and they lie about `now`."""
    times = [now + chance.randrange(-40, 40) for _ in range(chance.choice((1, 1, 2, 5, 12)))]
    times = times if chance.random() < 0.2 else sorted(times)
    whole = run_of(chance.choice("abc"), chance.randrange(99), times, [chance.randrange(2) for _ in times])
    return whole[chance.randrange(2) : len(times) - chance.randrange(2)]


@settings(max_examples=120, deadline=None, phases=[Phase.generate])
@given(seeds, st.sampled_from([12, 60, 50_000]))
def test_an_order_of_runs_is_that_of_their_frames(chance: random.Random, most: int) -> None:
    runs, frames, now = Order(), Order(), 1000
    log, plain = TrafficLog(capacity=50), TrafficLog(capacity=50)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("pale_heron.core.order.MOST_HELD", most)
        for _ in range(60):
            now += chance.choice((0, 0, 5, 30, 200))
            run = some_run(chance, now)
            if chance.random() < 0.2:
                events = [Event(now + chance.randrange(-60, 60), "", "mark", {})]
                runs.add(events)
                frames.add(events)
            (runs.add if chance.random() < 0.2 else runs.add_run)(run)
            frames.add(list(run))
            if chance.random() < 0.5:
                floor = now - chance.randrange(100)
                runs.rise(floor)
                frames.rise(floor)
                settled, wanted = runs.settled(), frames.settled()
                assert list(settled) == list(wanted)
                log.extend(settled)
                plain.extend(list(wanted))
            if chance.random() < 0.1:
                runs = pickle.loads(pickle.dumps(runs))
            log.show_latest(runs.unsettled())
            plain.show_latest(list(frames.unsettled()))
            for one, other in ((runs, frames), (runs.bare(), frames.bare())):
                assert (one.settled_count, one.count, one.ceiling, one.floor) == (
                    other.settled_count,
                    other.count,
                    other.ceiling,
                    other.floor,
                )
            assert (log.begin, log.settled, log.end) == (plain.begin, plain.settled, plain.end)
            numbers = range(log.begin - 2, log.end + 2)
            assert [log.get(number) for number in numbers] == [plain.get(number) for number in numbers]
        assert list(runs.finish()) == list(frames.finish())


def test_a_run_is_its_frames() -> None:
    run = run_of("a", 7, [10, 20, 30], [0, 1, 0])
    frames = [
        Frame("a", IN, 10, 7, b"$GNGGA,10*00\r\n", NMEA, OK, None, "GNGGA"),
        Frame("a", IN, 20, 21, b"$GNRMC,20*00\r\n", NMEA, OK, None, "GNRMC"),
        Frame("a", IN, 30, 35, b"$GNGGA,30*00\r\n", NMEA, OK, None, "GNGGA"),
    ]
    assert list(run) == frames
    assert [run[place] for place in range(-3, 3)] == frames + frames
    for begin in range(-4, 5):
        for end in range(-4, 5):
            assert list(run[begin:end]) == frames[begin:end]
            assert list(run[1:][begin:end]) == frames[1:][begin:end]
    for beyond in (3, -4):
        with pytest.raises(IndexError):
            run[beyond]


def test_entries_are_as_many_as_their_frames() -> None:
    event: Entry = Event(SECOND, "", "mark", {})
    run = run_of("a", 0, [10, 20], [0, 0])
    entries = Entries([event, run]) + Entries([event])
    assert len(entries) == 4
    assert entries == [event, *run, event]
    assert entries[2] == run[1]
    assert not Entries()


def test_lines_that_are_held_are_kept_without_the_bytes_around_them() -> None:
    order, times = Order(), list(range(10_000))
    order.add_run(run_of("a", 0, times, [0] * len(times))[-3:])
    assert len(pickle.dumps(order)) < 2000
    assert [frame.time for frame in pickle.loads(pickle.dumps(order)).finish()] == times[-3:]
