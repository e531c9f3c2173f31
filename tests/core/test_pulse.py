"""Pulses of known truth: every missed and doubled one is found, and a drift comes out as it was."""

import random
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.core.clock.printed_pulse import PrintedPulse
from pale_heron.core.clock.pulse import PulseTracker
from pale_heron.core.clock.straight_line import FEW
from pale_heron.core.frames import SECOND

BEGIN = 1_935_000_000 * SECOND


@given(
    st.lists(st.sampled_from("...........xx2"), min_size=1, max_size=200),
    st.integers(-400, 400),
    st.integers(0, 2_000_000),
    st.randoms(use_true_random=False),
)
def test_every_missed_and_doubled_pulse_is_found(
    fates: list[str], ppm: int, jitter_ns: int, chance: random.Random
) -> None:
    """. comes, x is missed, 2 comes twice; both ends come."""
    fates = [".", *fates, "."]
    tracker, second = PulseTracker("sim"), SECOND + ppm * 1000
    moments = []
    for number, fate in enumerate(fates):
        moment = BEGIN + 40_000_000 + number * second + chance.randint(-jitter_ns, jitter_ns)
        if fate != "x":
            moments.append(moment)
            tracker.take(moment)
        if fate == "2":
            tracker.take(moment + 150_000_000)
    found = tracker.snapshot()
    assert (found.missed, found.doubled) == (fates.count("x"), fates.count("2"))
    assert found.pulses == len(fates) - fates.count("x") + fates.count("2")
    whole = [later - before for before, later in pairwise(moments)]
    even = [each for each in whole[1:] if each < 1.5 * SECOND]
    assert found.intervals == len(even)
    if even:
        assert found.interval is not None
        assert found.interval.least == pytest.approx(min(even) / SECOND)
        assert found.interval.mean == pytest.approx(sum(even) / len(even) / SECOND, abs=1e-9)
    if len(moments) >= FEW:
        assert found.drift is not None
        # No finer than the jitter allows: five standard errors.
        assert abs(found.drift.ppm - ppm) <= 5 * found.drift.error_ppm + 0.01


def test_ten_minutes_show_a_drift_to_a_tenth_of_a_millionth() -> None:
    tracker, chance = PulseTracker("sim"), random.Random(3)
    for number in range(600):
        at = BEGIN + round(number * (SECOND + 12_300)) + chance.randint(-20_000, 20_000)
        tracker.take(at, own=7_000 + round(number * (SECOND - 55_000)))
    found = tracker.snapshot()
    assert found.drift is not None and found.own is not None and found.host_offset is not None
    assert found.drift.ppm == pytest.approx(12.3, abs=0.1) and found.drift.error_ppm < 0.1
    assert found.own.ppm == pytest.approx(-55.0, abs=0.001)
    assert found.host_offset.least < 0.1e6 and found.host_offset.most > 7e6


def test_nothing_is_told_of_nothing() -> None:
    found = PulseTracker("sim").snapshot()
    assert (found.pulses, found.intervals, found.interval, found.drift, found.last) == (0, 0, None, None, None)
    tracker = PulseTracker("sim")
    for number in range(3):
        tracker.take(BEGIN + number * SECOND)
    found = tracker.snapshot()
    assert (found.intervals, found.drift) == (1, None), "the first interval is left out"


@pytest.mark.parametrize(
    ("pattern", "line", "read"),
    [
        ("", "tick", (True, None)),
        ("", "", (False, None)),
        ("", "pulse 41, 1234567 us", (True, 1_234_567_000)),
        ("", "at 12.5 s", (True, 12_500_000_000)),
        ("", "7ms since", (True, 7_000_000)),
        ("", "level 12.7 m", (True, None)),
        (r"tick (?P<us>\d+)", "tick 250", (True, 250_000)),
        (r"tick (?P<us>\d+)", "gate 4 open", (False, None)),
        (r"tick", "a tick came", (True, None)),
        (r"tick (?P<ns>\w+)", "tick x1", (True, None)),
        (r"tick (?P<ns>\d+)", "tick " + "9" * 40, (True, None)),
    ],
)
def test_which_lines_are_pulses(pattern: str, line: str, read: tuple[bool, int | None]) -> None:
    assert PrintedPulse(pattern).read(line) == read


@given(st.text(max_size=60))
def test_any_line_is_borne(line: str) -> None:
    PrintedPulse().read(line)
    PrintedPulse(r"(?P<us>.*)").read(line)
