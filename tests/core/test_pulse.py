"""Pulses of known truth: every missed and doubled one is found, and a drift comes out as it was."""

import random
from fractions import Fraction
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.core.clock.agreement import agreements
from pale_heron.core.clock.events import PULSE_SOURCE
from pale_heron.core.clock.offset import trusted_pulses
from pale_heron.core.clock.printed_pulse import PrintedPulse
from pale_heron.core.clock.pulse import PulseTracker, contradicted, sources_apart
from pale_heron.core.clock.straight_line import FEW
from pale_heron.core.clock.tracker import ClockTracker
from pale_heron.core.frames import IN, SECOND, Event, Frame, Kind, Status

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


@pytest.mark.parametrize(
    ("period_s", "count", "missed", "jitter_s"),
    [
        (0.1, 300, 0.03, 1e-5),
        (0.2, 400, 0.0, 2e-5),
        (1 / 3, 90, 0.05, 1e-4),
        (0.5, 60, 0.1, 1e-3),
        (1.0, 200, 0.2, 2e-3),
        (2.0, 100, 0.02, 2e-5),
        (5.0, 40, 0.0, 1e-2),
        (60.0, 20, 0.05, 1e-3),
    ],
)
def test_the_period_is_found(period_s: float, count: int, missed: float, jitter_s: float) -> None:
    """As often as receivers can be set to: none of them is forced to one a second."""
    for seed in range(10):
        chance = random.Random(seed)
        tracker, fates = PulseTracker("sim"), [chance.random() >= missed for _ in range(count)]
        # Both ends come, and what the period is taken from.
        fates[:8] = [True] * 8
        fates[-1] = True
        for number, comes in enumerate(fates):
            if comes:
                late = chance.gauss(0, jitter_s) + number * period_s * 40e-6
                tracker.take(BEGIN + 40_000_000 + round((number * period_s + late) * SECOND))
        found = tracker.snapshot()
        assert found.period_s == pytest.approx(period_s), seed
        assert (found.missed, found.doubled) == (fates.count(False), 0), (seed, found.missed, found.doubled)
        assert found.interval is not None and found.interval.mean == pytest.approx(period_s * (1 + 40e-6), rel=1e-3)
        assert found.drift is not None and abs(found.drift.ppm - 40) <= 5 * found.drift.error_ppm + 0.1


def test_a_period_that_is_stated_is_not_looked_for() -> None:
    tracker = PulseTracker("sim", period=Fraction(1))
    for number in range(40):
        tracker.take(BEGIN + 2 * number * SECOND)
    found = tracker.snapshot()
    assert (found.period_s, found.missed) == (1.0, 39), "every second one is missing, whatever it looks like"


@pytest.mark.parametrize("before_s", [0.05, 0.2, 0.45, 0.7])
def test_a_glitch_before_a_pulse_takes_nothing_of_its_place(before_s: float) -> None:
    tracker, chance = PulseTracker("sim"), random.Random(2)
    for number in range(60):
        if number in (20, 41):
            tracker.take(BEGIN + round((number - before_s) * SECOND))
        tracker.take(BEGIN + number * SECOND + chance.randint(-20_000, 20_000))
    found = tracker.snapshot()
    assert (found.pulses, found.doubled, found.missed) == (62, 2, 0)
    assert found.interval is not None and found.interval.least > 0.9999 and found.interval.most < 1.0001
    assert found.host_offset is not None and abs(found.host_offset.most) < 30_000


def test_a_stamp_that_comes_late_is_a_pulse_all_the_same() -> None:
    """A computer that is busy reads a line a third of a second late: nothing is missed, and nothing too many."""
    tracker, chance, late = PulseTracker("printed:board"), random.Random(6), 0
    for number in range(120):
        waits = number > 20 and number % 17 == 0
        late += waits
        delay = chance.uniform(0.05, 0.35) if waits else chance.uniform(0, 0.002)
        tracker.take(BEGIN + round((number + delay) * SECOND))
    found = tracker.snapshot()
    assert late > 4 and (found.pulses, found.missed, found.doubled) == (120, 0, 0)


def test_where_the_clock_is_set_the_train_goes_on_from_there() -> None:
    tracker = PulseTracker("sim")
    for number in range(60):
        tracker.take(BEGIN + number * SECOND + (300_000_000 if number >= 30 else 0))
    found = tracker.snapshot()
    assert (found.pulses, found.doubled, found.missed) == (60, 0, 0)
    assert found.interval is not None and found.interval.most == 1.0, "the interval over the step is none"


def test_sources_are_held_against_each_other() -> None:
    """One of two is 400 ms off: no second is named by either, and no lag is corrected by one of them."""
    one, late, printed = PulseTracker("pps:/dev/pps0"), PulseTracker("line:hide:dcd"), PulseTracker("printed:dunlin")
    for number in range(40):
        one.take(BEGIN + number * SECOND)
        late.take(BEGIN + number * SECOND + 400_000_000)
        printed.take(BEGIN + number * SECOND + 90_000_000)
    first, second, third = one.snapshot(), late.snapshot(), printed.snapshot()
    apart = sources_apart(first, second)
    assert apart is not None and apart[0] == pytest.approx(-0.4) and apart[1] < 0.001
    assert contradicted([first, second]) and not contradicted([first, third]), "a line of text comes late"
    assert trusted_pulses([first, third], None) == first and trusted_pulses([first, second], None) is None
    (told,) = [each for each in agreements([first, second], ()) if not each.agree]
    assert "do not agree: 400 ms apart" in told.words


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
        ("", "pulse 41, 1234567 us", (True, (1_234_567_000, 1))),
        ("", "at 12.5 s", (True, (12_500_000_000, 1))),
        ("", "7ms since", (True, (7_000_000, 1))),
        ("", "level 12.7 m", (True, None)),
        ("", "2031-05-04T09:41:07.000123Z", (True, (34_867_000_123_000, 1))),
        ("", "PPS 48000012", (True, (48_000_012, 0))),
        ("", "PPS 48000012 of 99999999", (True, None)),
        ("", "pulse 41", (True, None)),
        (r"tick (?P<us>\d+)", "tick 250", (True, (250_000, 1))),
        (r"tick (?P<us>\d+)", "gate 4 open", (False, None)),
        (r"tick", "a tick came", (True, None)),
        (r"tick (?P<ns>\w+)", "tick x1", (True, None)),
        (r"tick (?P<ns>\d+)", "tick " + "9" * 40, (True, None)),
    ],
)
def test_which_lines_are_pulses(pattern: str, line: str, read: tuple[bool, int | None]) -> None:
    assert PrintedPulse(pattern).read(line) == read


@pytest.mark.parametrize(
    ("form", "own_ppm"),
    [
        ("pulse {number}, {us} us", 25.0),
        ("{us}", 25.0),
        ("dt={interval_us}us", 25.0),
        ("interval {interval_s:.6f} s", 25.0),
        ("PPS {interval_us}", 25.0),
        ("{stamp}", 25.0),
        ("pulse {number}", None),
        ("level {number}.7 m", None),
    ],
)
def test_what_a_board_prints_is_its_clock_without_a_pattern(form: str, own_ppm: float | None) -> None:
    """A counter, an interval or a time of day, over midnight, and through a start of the board."""
    clock, chance, before = ClockTracker(), random.Random(4), 0.0
    clock.heed(Event(BEGIN, "", PULSE_SOURCE, {"source": "printed:board"}))
    for number in range(400):
        own_s = 86_200 + number * (1 + 25e-6)
        words = form.format(
            number=number,
            us=round(own_s * 1e6),
            interval_us=round((own_s - before) * 1e6),
            interval_s=own_s - before,
            stamp=f"{int(own_s) // 3600 % 24:02d}:{int(own_s) // 60 % 60:02d}:{own_s % 60:09.6f}",
        )
        before = own_s
        moment = BEGIN + number * SECOND + chance.randint(0, 3_000_000)
        clock.hear([Frame("board", IN, moment, 0, words.encode() + b"\r\n", Kind.TEXT, Status.OK, None, "text")])
    own = clock.snapshot().pulses[0].own
    assert own is None if own_ppm is None else own is not None and own.ppm == pytest.approx(own_ppm, abs=0.1)


@given(st.text(max_size=60))
def test_any_line_is_borne(line: str) -> None:
    PrintedPulse().read(line)
    PrintedPulse(r"(?P<us>.*)").read(line)
