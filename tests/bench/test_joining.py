"""Two captures on one clock: the true difference lies within what is said, and nothing finer is claimed."""

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Final

import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from tests.streams import BEGIN, GGA, chunk, said
from tests.waiting import LIMIT_S

from pale_heron.bench.joining import join_captures, plan_join
from pale_heron.bench.part import marks_in
from pale_heron.bench.sources import Source
from pale_heron.capture.reader import CaptureReader
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.clock.events import HOST_CLOCK, OTHER_CLOCK, PULSE, PULSE_SOURCE, host_details
from pale_heron.core.clock.host import HostClock
from pale_heron.core.figures import bound, bounded
from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event
from pale_heron.core.proof.joining import (
    HOSTS,
    MESSAGES,
    PULSES,
    SENTENCES,
    ahead_by_messages,
)
from pale_heron.core.proof.machine_clock import MachineClock
from pale_heron.core.trouble import Trouble
from pale_heron.sim.launch import Device

MS: Final = SECOND // 1000
SECONDS: Final = 40
EPOCHS: Final = said(SECONDS)


def capture(
    path: Path,
    ahead_ns: int,
    *,
    lag_ms: int = 0,
    drift_ppm: float = 0,
    pulses: bool = False,
    host_s: float | None = None,
    lines: tuple[tuple[float, str, bytes], ...] = (),
    receiver: bool = True,
) -> Path:
    """What a computer whose clock is so far ahead of UTC records: a receiver, pulses, messages at true times."""

    def here(true: float) -> int:
        return BEGIN + round(true * SECOND * (1 + drift_ppm / 1e6)) + ahead_ns

    writer = CaptureWriter(path)
    for name in ("curlew", "radio"):
        writer.add_lane(name, "/dev/ttyUSB0", None)
        writer.event(Event(here(0), name, "opened", {"rate": 9600, "framing": "8N1"}))
    if host_s is not None:
        writer.event(Event(here(0), "", HOST_CLOCK, host_details(HostClock(True, host_s / 10, host_s, 0.0), "UTC")))
    writer.event(Event(here(0), "", PULSE_SOURCE, {"source": "sim:curlew"}))
    records: list[tuple[int, Chunk | Event]] = []
    for second, data in enumerate(EPOCHS):
        if receiver:
            records.append((here(second + lag_ms / 1000), chunk(data)))
        if pulses:
            records.append((here(second), Event(0, "", PULSE, {"source": "sim:curlew"})))
    for at, way, data in lines:
        records.append((here(at), Chunk("radio", OUT if way == "out" else IN, 0, data)))
    records.append((here(20.5), Event(0, "", "mark", {"text": f"half way of {path.stem}"})))
    for when, record in sorted(records, key=lambda each: each[0]):
        if isinstance(record, Chunk):
            writer.chunk(record._replace(time=when))
        else:
            writer.event(record._replace(time=when))
    writer.close()
    return path


def crossed(count: int, there_ms: int, back_ms: int) -> tuple[tuple[tuple[float, str, bytes], ...], ...]:
    """Messages both ways, as the first and the second see them."""
    first: list[tuple[float, str, bytes]] = []
    second: list[tuple[float, str, bytes]] = []
    for number in range(count):
        ping, pong = b"ping %04d\r\n" % number, b"pong %04d\r\n" % number
        first += [(number, "out", ping), (number + 0.5 + back_ms / 1000, "in", pong)]
        second += [(number + there_ms / 1000, "in", ping), (number + 0.5, "out", pong)]
    return tuple(first), tuple(second)


@settings(max_examples=15, deadline=None, phases=[Phase.generate])
@given(
    ahead=st.integers(-20_000, 20_000),
    lags=st.tuples(st.integers(1, 900), st.integers(1, 900)),
    delays=st.tuples(st.integers(1, 400), st.integers(1, 400)),
    drift=st.sampled_from([0.0, 50.0, -50.0]),
    pulses=st.booleans(),
)
def test_the_true_difference_lies_within_what_is_said(
    tmp_path_factory: pytest.TempPathFactory,
    ahead: int,
    lags: tuple[int, int],
    delays: tuple[int, int],
    drift: float,
    pulses: bool,
) -> None:
    folder = tmp_path_factory.mktemp("join")
    mine, theirs = crossed(20, *delays)
    first = capture(folder / "a.pcapng", 0, lag_ms=lags[0], pulses=pulses, lines=mine)
    second = capture(folder / "b.pcapng", ahead * MS, lag_ms=lags[1], pulses=pulses, drift_ppm=drift, lines=theirs)
    plan = plan_join(first, second, ("a", "b"))
    assert {each.method for each in plan.possible.ways} == {SENTENCES, MESSAGES, *([PULSES] if pulses else [])}
    for each in plan.possible.ways:
        for true in (ahead * MS, ahead * MS + round(SECONDS / 2 * drift * 1000)):
            assert each.ahead.low - MS <= true <= each.ahead.high + MS, each
    assert plan.by.ahead.half_width == min(each.ahead.half_width for each in plan.possible.ways)
    assert not plan.possible.contradictions
    if pulses:
        assert plan.by.method == PULSES and plan.unsure_ns <= 2 * MS
        assert plan.shift.rate * 1e6 == pytest.approx(drift, abs=0.1), "the drift is taken out"
    else:
        assert plan.by.ahead.half_width >= sum(delays) * MS // 2 - 2 * MS, "never finer than what was seen"
    unsure = plan.unsure_ns / SECOND
    for way, delay in zip(plan.one_way, delays, strict=True):
        assert abs(way.times.median - delay / 1000) <= unsure + 0.002 and way.uncertainty_s == unsure


def test_a_joined_capture_is_one_on_one_clock(tmp_path: Path) -> None:
    mine, theirs = crossed(20, 30, 40)
    first = capture(tmp_path / "hide.pcapng", 0, lines=mine)
    second = capture(tmp_path / "boat.pcapng", 7 * SECOND, lines=theirs, host_s=0.01)
    plan = plan_join(first, second, ("hide", "boat"))
    done = join_captures(first, second, tmp_path / "both.pcapng", plan)
    records = list(CaptureReader(tmp_path / "both.pcapng").records())
    others = [each for each in records if isinstance(each, Event) and each.name == OTHER_CLOCK]
    assert [(each.details["machine"], each.details["said"]) for each in others] == [("boat", HOST_CLOCK)]
    sources = [each.details["source"] for each in records if isinstance(each, Event) and each.name == PULSE_SOURCE]
    assert sources == ["sim:hide-curlew", "sim:boat-curlew"], "pulses are kept, of their own machine"
    assert list(CaptureReader(tmp_path / "both.pcapng").lanes) == [] and done.records == len(records) - 1
    times = [each.time or 0 for each in records]
    assert times == sorted(times)
    chunks = [each for each in records if isinstance(each, Chunk)]
    for name, path in (("hide-radio", first), ("boat-radio", second)):
        before = [each for each in CaptureReader(path).records() if isinstance(each, Chunk) and each.lane == "radio"]
        assert [each.data for each in chunks if each.lane == name] == [each.data for each in before], "every byte"
    left = {each.data: each.time for each in chunks if each.lane == "hide-radio" and each.direction is OUT}
    for each in chunks:
        if each.lane == "boat-radio" and each.direction is IN:
            took = ((each.time or 0) - (left[each.data] or 0)) / SECOND
            assert abs(took - 0.03) <= plan.by.ahead.half_width / SECOND + 1e-3
    marks = marks_in(tmp_path / "both.pcapng")[0]
    assert abs(marks[0].moment - marks[1].moment) <= plan.by.ahead.half_width + MS
    source = Source(tmp_path / "both.pcapng")
    names = [lane.name for lane in source.lanes()]
    assert names == ["hide-curlew", "hide-radio", "boat-curlew", "boat-radio"]
    assert source.joined is not None and "± " not in source.joined.words and "35 ms" in source.joined.words


def test_where_nothing_tells_of_one_clock_it_is_refused(tmp_path: Path) -> None:
    first = capture(tmp_path / "a.pcapng", 0, receiver=False)
    second = capture(tmp_path / "b.pcapng", 0)
    with pytest.raises(Trouble, match="Nothing in the two captures"):
        plan_join(first, second, ("a", "b"))
    sure = capture(tmp_path / "c.pcapng", 0, receiver=False, host_s=0.05)
    also = capture(tmp_path / "d.pcapng", 0, host_s=0.02)
    plan = plan_join(sure, also, ("c", "d"))
    assert (plan.by.method, plan.by.ahead.half_width) == (HOSTS, 70 * MS)
    with pytest.raises(Trouble, match="messages that crossed") as told:
        plan_join(sure, also, ("c", "d"), MESSAGES)
    assert "Possible is: hosts" in told.value.hint


@pytest.mark.parametrize(
    ("said", "bound_s"),
    [
        (((True, 0.01), (True, 0.4)), 0.4),
        (((True, 0.4), (True, 0.01)), 0.4),
        (((False, 0.01), (True, 0.01)), None),
        (((True, 0.01), (False, 16.0)), None),
    ],
)
def test_a_host_is_as_sure_as_it_was_at_its_worst(said: tuple[tuple[bool, float], ...], bound_s: float | None) -> None:
    """Times of before it was synchronised are not better for it."""
    found = MachineClock()
    for at, (synchronised, worst_s) in enumerate(said):
        details = host_details(HostClock(synchronised, 0.001, worst_s, 0.0), "UTC")
        found.heed(Event(BEGIN + at * SECOND, "", HOST_CLOCK, details))
    assert found.host == (None if bound_s is None else round(bound_s * SECOND))


def test_a_receiver_that_vouches_for_nothing_says_nothing(tmp_path: Path) -> None:
    """Before its first fix its time may be anybody's guess."""
    path = tmp_path / "a.pcapng"
    writer = CaptureWriter(path)
    writer.add_lane("curlew", "/dev/ttyUSB0", None)
    for second in range(20):
        writer.chunk(chunk(GGA, BEGIN + second * SECOND))
    writer.close()
    with pytest.raises(Trouble, match="Nothing in the two"):
        plan_join(path, capture(tmp_path / "b.pcapng", 0), ("a", "b"))


@given(
    st.lists(st.tuples(st.integers(0, 10**6), st.integers(1, 500)), min_size=1, max_size=20),
    st.integers(-(10**6), 10**6),
)
def test_messages_bound_the_difference(sent: list[tuple[int, int]], ahead: int) -> None:
    there = [(at, at + took + ahead) for at, took in sorted(sent)]
    back = [(at + ahead, at + took) for at, took in sorted(sent)]
    found = ahead_by_messages(there, back)
    assert found is not None and found.low <= ahead <= found.high
    assert ahead_by_messages(there, []) is None


@pytest.mark.parametrize(
    ("seconds", "words"),
    [(0.00121, "1.3 ms"), (0.0012, "1.2 ms"), (1.0, "1 s"), (0.0, "0 ns"), (4.2e-7, "420 ns"), (0.0999, "100 ms")],
)
def test_a_bound_is_never_rounded_down(seconds: float, words: str) -> None:
    assert bound(seconds) == words
    assert bounded(7.00123, 0.5) == "7.00 s ± 500 ms"


def test_at_the_prompt(tmp_path: Path) -> None:
    mine, theirs = crossed(20, 30, 40)
    first = capture(tmp_path / "hide.pcapng", 0, lines=mine)
    second = capture(tmp_path / "boat.pcapng", 7 * SECOND, lines=theirs)

    def told(*words: str | Path, status: int = 0) -> str:
        done = subprocess.run(
            [sys.executable, "-m", "pale_heron", *map(str, words)],
            capture_output=True, text=True, check=False, env=os.environ,
        )  # fmt: skip
        assert done.returncode == status, done.stderr
        return done.stdout + done.stderr

    out = tmp_path / "both.pcapng"
    text = told("join", first, second, "-o", out)
    assert (
        "ahead of that of hide by 6.995 s ± 35 ms" in text and "hide to boat: 20 messages" in text and "± 35 ms" in text
    )
    assert "is there already" in told("join", first, second, "-o", out, status=2)
    assert "--names" in told("join", first, second, "-o", tmp_path / "x", "--names", "one", status=2)
    document = json.loads(told("join", first, second, "-o", tmp_path / "c.pcapng", "--by", "sentences", "--json"))
    assert document["by"] == "sentences" and abs(document["ahead_s"] - 7) <= document["uncertainty_s"]


AHEAD_S: Final = 7
CLOCK_AHEAD: Final = f"""
import sys, time
real = time.time_ns
time.time_ns = lambda: real() + {AHEAD_S} * 10**9
from pale_heron.__main__ import main
main()
"""


def test_two_programs_whose_clocks_lie_apart_are_joined_within_what_is_said(tmp_path: Path) -> None:
    """A trial over a cable, recorded at both ends by programs of their own, one of them 7 s ahead."""
    cable = Device("cable", "--rate", "9600", "--fault", "delay=60ms", count=2)
    first, second = tmp_path / "hide.pcapng", tmp_path / "boat.pcapng"
    words = ["answer", f"radio={cable.paths[1]}@9600", "-o", str(second)]
    far = subprocess.Popen([sys.executable, "-c", CLOCK_AHEAD, *words], stderr=subprocess.PIPE, text=True)
    try:
        assert far.stderr is not None and "answering" in far.stderr.readline()
        words = ["trial", "delivery", f"radio={cable.paths[0]}@9600", "--count", "20", "--every", "0.1s"]
        subprocess.run([sys.executable, "-m", "pale_heron", *words, "-o", str(first)], check=True, capture_output=True)
    finally:
        far.terminate()
        far.communicate(timeout=LIMIT_S)
        cable.stop()
    plan = plan_join(first, second, ("hide", "boat"))
    assert plan.by.method == MESSAGES and plan.by.ahead.samples >= 30
    assert plan.by.ahead.low <= AHEAD_S * SECOND <= plan.by.ahead.high
    # The cable takes 60 ms each way: surer than that cannot be known, and much less sure need not be.
    assert 50 * MS <= plan.by.ahead.half_width <= SECOND
    assert {way.sender for way in plan.one_way} == {"hide", "boat"}
