"""What Clock claims of receivers and servers that are not as they should be, with the truth beside each."""

import random
import re
from collections.abc import Iterator

import pytest
from tests.core.test_receiver_habits import WHERE
from tests.streams import BEGIN, chunk, sentences

from pale_heron.core import utc
from pale_heron.core.clock.clock_object import ClockPicture, clock_object
from pale_heron.core.clock.clock_words import apart_lines, clock_lines
from pale_heron.core.clock.ntp import NtpProblem, answer_to, ntp_time, question, read_answer
from pale_heron.core.clock.offset import offset_to_give
from pale_heron.core.frames import SECOND, Chunk
from pale_heron.core.lane import Lane, LaneSnapshot
from pale_heron.core.samples import two_groups

MS = 1_000_000


def epochs(
    begin: int, count: int, *, fixed: bool, lag_ms: float, off_s: float = 0.0, spread_ms: float = 2.0
) -> Iterator[Chunk]:
    """RMC and GGA each second, so late; what they tell is off by so much."""
    chance = random.Random(count)
    for second in range(count):
        moment = begin + second * SECOND
        time = utc.clock(moment + round(off_s * SECOND), 2).replace(":", "")
        where = WHERE if fixed else ",,,"
        bodies = (
            f"GNRMC,{time},{'A' if fixed else 'V'},{where},0.1,,040531,,,{'A' if fixed else 'N'}",
            f"GNGGA,{time},{where},{int(fixed)},08,0.9,3.4,M,11.2,M,,",
        )
        late = lag_ms + chance.gauss(0, spread_ms)
        for place, body in enumerate(bodies):
            yield chunk(sentences(body), moment + round((late + 80 * place) * MS))


def told(*parts: Iterator[Chunk], many: bool = False) -> LaneSnapshot:
    lane, chunks = Lane("curlew"), [each for part in parts for each in part]
    if many:
        lane.feed_many(chunks)
    else:
        for each in chunks:
            lane.feed(each)
    return lane.snapshot(chunks[-1].time)


@pytest.mark.parametrize("many", [False, True])
def test_a_receiver_without_a_fix_vouches_for_no_time(many: bool) -> None:
    """Its own clock is half a second off, and steadier than the one of the receiver that has a fix."""
    without = told(epochs(BEGIN, 120, fixed=False, lag_ms=215, off_s=-0.6, spread_ms=0.1), many=many)
    having = told(epochs(BEGIN, 120, fixed=True, lag_ms=140, spread_ms=6), many=many)
    assert offset_to_give([("curlew", without.lag)]) is None
    assert "has no fix: nobody vouches for its time" in apart_lines("curlew", without.lag)[0]
    best = offset_to_give([("curlew", without.lag), ("hide", having.lag)])
    assert best is not None and best.lane == "hide" and best.seconds == pytest.approx(0.14, abs=0.003)


@pytest.mark.parametrize("many", [False, True])
def test_after_a_cold_start_figures_are_those_since_the_fix(many: bool) -> None:
    """A time of its own, that of a stored clock, then the true one: three clocks, of which one counts."""
    lane = told(
        epochs(BEGIN, 40, fixed=False, lag_ms=150, off_s=-40_000),
        epochs(BEGIN + 40 * SECOND, 40, fixed=False, lag_ms=150, off_s=18),
        epochs(BEGIN + 80 * SECOND, 20, fixed=False, lag_ms=150, off_s=3),
        epochs(BEGIN + 100 * SECOND, 300, fixed=True, lag_ms=150),
        many=many,
    )
    lags = lane.lag
    assert lags.keeps_pace and lags.vouched and apart_lines("curlew", lags) == []
    assert lags.since is not None and abs(lags.since - BEGIN - 100 * SECOND) < SECOND
    best = offset_to_give([("curlew", lags)])
    assert best is not None and best.seconds == pytest.approx(0.15, abs=0.002) and best.holds
    assert best.samples in (299, 300)


def test_what_comes_at_two_times_is_not_given() -> None:
    """By turns 150 and 450 ms late: no sentence comes within 140 ms of the middle."""
    chunks = []
    for number in range(300):
        lag = 150 if number % 2 else 450
        chunks += list(epochs(BEGIN + number * SECOND, 1, fixed=True, lag_ms=lag, spread_ms=3))
    lags = told(iter(chunks)).lag
    assert all(each.holds is False and each.groups is not None for each in lags.types)
    groups = lags.types[0].groups
    assert groups is not None and (groups.first, groups.second) == pytest.approx((0.15, 0.45), abs=0.01)
    assert groups.share == pytest.approx(0.5, abs=0.02)
    picture = ClockPicture(None, None, (("curlew", lags),))
    assert clock_object(picture)["offset_to_give"] is None
    words = re.compile(r"comes at two times, 1[45]\d and 4[45]\d ms, (49|50|51) % of them at the first")
    assert any(words.search(line) for line in clock_lines(picture))


@pytest.mark.parametrize("seed", range(20))
def test_one_place_is_one_group(seed: int) -> None:
    chance = random.Random(seed)
    kinds = (
        [chance.gauss(0.2, 0.05) for _ in range(200)],
        [chance.uniform(0.1, 0.6) for _ in range(60)],
        [chance.expovariate(10) for _ in range(400)],
        [0.2 + 0.001 * chance.randrange(3) for _ in range(100)],
        [0.2] * 95 + [0.9] * 5,
    )
    assert [two_groups(sorted(each)) for each in kinds] == [None] * len(kinds)


@pytest.mark.parametrize(
    ("received", "sent", "delay_s", "dispersion_s", "words"),
    [
        (0, 1, 0.0, 0.0, "leaves out when"),
        (1, 0, 0.0, 0.0, "leaves out when"),
        (1, 1, 0.0, 16.0, "may be 16.0 s off by its own account"),
        (1, 1, 4.0, 0.1, "may be 2.1 s off"),
        # It says that it held the question for longer than the way there and back took, or less than not at all.
        (1, 5, 0.0, 0.0, "held the question for 4.000 s of 0.020 s"),
        (5, 1, 0.0, 0.0, "held the question for -4.000 s of 0.020 s"),
    ],
)
def test_servers_whose_times_cannot_be_are_of_no_use(
    received: int, sent: int, delay_s: float, dispersion_s: float, words: str
) -> None:
    asked = question(BEGIN)
    answer = bytearray(answer_to(asked, BEGIN, BEGIN, 1, b"PPS"))
    answer[4:8] = round(delay_s * 65536).to_bytes(4, "big")
    answer[8:12] = round(dispersion_s * 65536).to_bytes(4, "big")
    for at, seconds in ((32, received), (40, sent)):
        answer[at : at + 8] = (ntp_time(BEGIN + seconds * SECOND) if seconds else 0).to_bytes(8, "big")
    with pytest.raises(NtpProblem, match=words):
        read_answer(bytes(answer), asked, BEGIN, BEGIN + 20 * MS)


def test_a_clock_that_is_years_off_is_no_fault_of_the_server() -> None:
    asked = question(BEGIN)
    there = BEGIN + 86_400 * 400 * SECOND
    found = read_answer(answer_to(asked, there, there + 5 * MS, 1, b"PPS"), asked, BEGIN, BEGIN + 20 * MS)
    assert found.offset_ns == pytest.approx(86_400 * 400 * SECOND, abs=20 * MS) and found.delay_ns == pytest.approx(
        15 * MS, abs=9
    )
