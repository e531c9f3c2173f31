"""Links: probes in any stream, delivery and exchanges counted exactly, figures with their intervals."""

import bisect
import math
import pickle
import random
from array import array
from functools import partial
from itertools import pairwise
from pathlib import Path
from typing import Final

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.core.frames import SECOND
from pale_heron.core.link.delivery import DeliveryCounter
from pale_heron.core.link.exchange import ExchangeCounter
from pale_heron.core.link.fates import DAMAGED, DELIVERED, LATE, LOST
from pale_heron.core.link.figures import clusters, probes_for, wilson
from pale_heron.core.link.rules import parse_rule
from pale_heron.core.link.verdict import certainty
from pale_heron.core.samples import Sample, quantile
from pale_heron.core.wire.probe import ANSWER, PROBE, Probe, ProbeFinder, decode, encode, probe_of

MS: Final = SECOND // 1000
PROBES = st.builds(
    Probe,
    st.just(PROBE),
    st.integers(0, 0xFFFF),
    st.sampled_from("AB"),
    st.integers(1, 10**6),
    *(st.just(0) for _ in range(3)),
) | st.builds(
    Probe,
    st.just(ANSWER),
    st.integers(0, 0xFFFF),
    st.sampled_from("AB"),
    *(st.integers(1, 10**6) for _ in range(4)),
)


@given(PROBES, st.integers(0, 200))
def test_a_probe_is_read_as_it_was_written(probe: Probe, size: int) -> None:
    data = encode(probe, size)
    assert decode(data) == probe
    assert len(data) == max(size, len(encode(probe)))
    assert data.isascii() and data.decode().isprintable() and data[:1] not in b"$!"


@given(PROBES, st.data())
def test_no_changed_byte_goes_unseen(probe: Probe, draw: st.DataObject) -> None:
    data = bytearray(encode(probe, 48))
    at = draw.draw(st.integers(0, len(data) - 1))
    data[at] ^= draw.draw(st.integers(1, 255))
    assert decode(bytes(data)) is None


@given(
    st.lists(st.tuples(PROBES, st.sampled_from([b"", b"\r\n", b"\n", b"\r"]), st.binary(max_size=12)), max_size=8),
    st.data(),
)
def test_probes_are_found_however_the_stream_is_cut(
    parts: list[tuple[Probe, bytes, bytes]], draw: st.DataObject
) -> None:
    """Between foreign bytes and merged; the foreign bytes hold no mark of a probe."""
    stream = b"".join(encode(probe, 40) + end + foreign.translate(None, b"#") for probe, end, foreign in parts)
    cuts = sorted(draw.draw(st.lists(st.integers(0, len(stream)), max_size=6)))
    finder, found = ProbeFinder(), []
    for begin, end in pairwise([0, *cuts, len(stream)]):
        found += finder.feed(begin, stream[begin:end])
    found += finder.flush()
    assert [each.probe for each in found if each.probe] == [probe for probe, _, _ in parts]
    told = b"".join(each.data for each in found)
    assert told.translate(None, b"\r\n") == stream.translate(None, b"\r\n"), "no byte is lost or told twice"


def test_a_piece_has_the_times_of_its_first_and_its_last_byte() -> None:
    data = encode(Probe(PROBE, 7, "A", 1), 32)
    finder = ProbeFinder()
    assert [each.data for each in finder.feed(10, b"x\n" + data[:5])] == [b"x"]
    (found,) = finder.feed(20, data[5:])
    assert (found.time, found.end, found.data) == (10, 20, data)


class Cable:
    """Probes one way through faults that are drawn: what should be counted follows from the draw itself."""

    def __init__(self, seed: int, count: int) -> None:
        self.chance = random.Random(seed)
        self.counter = DeliveryCounter("hide", "buoy", partial(probe_of, 7, "A", 40), 500 * MS)
        self.finder = ProbeFinder()
        self.wanted = dict.fromkeys((DELIVERED, LOST, DAMAGED, LATE, "twice"), 0)
        arrivals: list[tuple[int, bytes]] = []
        sends = []
        for number in range(1, count + 1):
            time = number * 100 * MS
            data = encode(Probe(PROBE, 7, "A", number), 40)
            sends.append((time, number))
            fate = self.chance.choice([DELIVERED] * 6 + [LOST, DAMAGED, LATE, "twice", "missing", "added"])
            at, other = self.chance.randrange(len(data)), self.chance.choice(b"abcxyz~")
            if fate == DAMAGED:
                data = data[:at] + bytes([other]) + data[at + 1 :]
            elif fate == "missing":
                data = data[:at] + data[at + 1 :]
            elif fate == "added":
                # Within it: one before or behind leaves the probe whole.
                at = max(1, at)
                data = data[:at] + bytes([other]) + data[at:]
            delay = 700 * MS if fate == LATE else 20 * MS
            if fate != LOST:
                arrivals.append((time + delay, data + b"\r\n"))
            if fate == "twice":
                arrivals.append((time + delay + MS, data + b"\r\n"))
            key = DAMAGED if fate in ("missing", "added") else fate
            self.wanted[key] += 1
            self.wanted[DELIVERED] += fate == "twice"
        happened = sorted([(time, 0, number, b"") for time, number in sends] + [(t, 1, 0, d) for t, d in arrivals])
        for time, kind, number, data in happened:
            self.counter.advance(time)
            if kind == 0:
                self.counter.send(number, time)
                continue
            for found in self.finder.feed(time, data):
                if found.probe:
                    self.counter.take(found.probe.number, time)
                else:
                    self.counter.take_piece(found.data)
        self.counter.finish(happened[-1][0] + 2 * SECOND, listened=True)
        self.snapshot = self.counter.snapshot()


@given(st.integers(0, 10**9), st.integers(1, 80))
def test_what_a_cable_does_is_counted_exactly(seed: int, count: int) -> None:
    cable = Cable(seed, count)
    got, wanted = cable.snapshot, cable.wanted
    counted = {DELIVERED: got.delivered, LOST: got.lost, DAMAGED: got.damaged, LATE: got.late, "twice": got.twice}
    assert counted == wanted
    assert (got.sent, got.foreign_bytes) == (count, 0)
    assert got.sent == got.settled == got.delivered + got.not_delivered
    assert got.latency is None or math.isclose(got.latency.median, 0.02)
    assert len(got.strip) == count


def counted(fates: str, limit_ms: int = 150) -> DeliveryCounter:
    """One probe every 100 ms: o delivered at once, x lost."""
    counter = DeliveryCounter("a", "b", partial(probe_of, 1, "A", 32), limit_ms * MS)
    for number, fate in enumerate(fates, 1):
        counter.advance(number * 100 * MS)
        counter.send(number, number * 100 * MS)
        if fate == "o":
            counter.take(number, number * 100 * MS + MS)
    counter.finish(len(fates) * 100 * MS + SECOND, listened=True)
    return counter


@pytest.mark.parametrize(
    ("fates", "outages"),
    [
        ("ooo", []),
        ("oxo", []),
        # Two of a few in a row may be chance; among many it is none.
        ("oxxo", []),
        (10 * "o" + "xx" + 10 * "o", [(1.1, 1.3, 2)]),
        (10 * "o" + "xx" + 10 * "o" + "xxxx" + "o", [(2.3, 2.7, 4)]),
        (10 * "o" + "xxxx" + 10 * "o" + "xxxx", [(1.1, 1.5, 4), (2.5, None, 4)]),
        (10 * "x", [(0.1, None, 10)]),
        # One in ten by itself makes runs of two, and they are no outages.
        (20 * "oooooxoooo" + "xx" + 20 * "oooooxoooo", []),
    ],
)
def test_outages_have_a_begin_an_end_and_a_count(fates: str, outages: list[tuple[float, float | None, int]]) -> None:
    found = counted(fates).snapshot().outages
    assert [(each.begin / SECOND, each.end and each.end / SECOND, each.lost) for each in found] == outages


def test_a_far_end_that_is_switched_off_is_seen_within_two_intervals_of_the_limit() -> None:
    counter = counted(20 * "o")
    for number in (21, 22):
        counter.send(number, number * 100 * MS)
    counter.advance(22 * 100 * MS + 151 * MS)
    assert counter.snapshot().outages[-1] == (2100 * MS, None, 2)


def test_what_arrives_before_it_is_known_to_be_sent_counts() -> None:
    counter = DeliveryCounter("a", "b", partial(probe_of, 1, "A", 32), SECOND)
    counter.take(1, 5)
    counter.take_piece(counter.expected(2)[:-1] + b"?")
    counter.send(1, 3)
    counter.send(2, 4)
    counter.take(77, 9)
    counter.finish(2 * SECOND, listened=True)
    found = counter.snapshot()
    assert (found.delivered, found.damaged, found.foreign_bytes) == (1, 1, 32)


def test_a_gap_in_the_record_of_what_was_sent_stops_nothing() -> None:
    """The disk was full for a while: numbers 3 and 4 were sent, and nobody wrote that down."""
    counter = DeliveryCounter("a", "b", partial(probe_of, 1, "A", 32), 150 * MS)
    for number in (1, 2, 5, 6, 5, 7):
        counter.advance(number * 100 * MS)
        counter.send(number, number * 100 * MS)
        if number != 6:
            counter.take(number, number * 100 * MS + MS)
    counter.finish(9 * SECOND, listened=True)
    found = counter.snapshot()
    assert (found.sent, found.delivered, found.lost) == (5, 4, 1)
    assert found.strip == (DELIVERED, DELIVERED, DELIVERED, LOST, DELIVERED)


@pytest.mark.parametrize("data", [b"\n" * 1_000_000, b"#p3F7A," * 150_000, b"x\n" * 300_000, b"y" * 1_000_000])
def test_no_stream_takes_for_ever(data: bytes) -> None:
    finder = ProbeFinder()
    found = [*finder.feed(1, data), *finder.flush()]
    assert b"".join(each.data for each in found) == data.replace(b"\n", b"")


def test_memory_is_bounded_however_long_it_runs() -> None:
    counter = DeliveryCounter("a", "b", partial(probe_of, 1, "A", 32), 150 * MS)
    for number in range(1, 30_001):
        counter.advance(number * 100 * MS)
        counter.send(number, number * 100 * MS)
        if number % 3:
            counter.take(number, number * 100 * MS + MS)
    assert len(pickle.dumps(counter)) < 900_000
    assert counter.snapshot().sent == 30_000


@pytest.mark.parametrize(
    ("count", "of", "low", "high"),
    [(0, 120, 0.0, 0.0310), (2, 120, 0.0046, 0.0587), (0, 1, 0.0, 0.7935), (5, 10, 0.2366, 0.7634), (7, 7, 0.6457, 1)],
)
def test_wilson(count: int, of: int, low: float, high: float) -> None:
    found = wilson(count, of)
    assert found is not None
    assert found == pytest.approx((low, high), abs=5e-5)


def test_intervals_hold_what_they_promise() -> None:
    """Of many trials with a known share, about 95 in 100 intervals hold it."""
    chance = random.Random(3)
    for share in (0.01, 0.05, 0.3):
        held = 0
        for _ in range(1000):
            low, high = wilson(sum(chance.random() < share for _ in range(200)), 200) or (0, 0)
            held += low <= share <= high
        assert held > 920


@given(st.floats(0.0005, 0.9))
def test_so_many_probes_show_a_share(share: float) -> None:
    needed = probes_for(share)
    assert (wilson(0, needed) or (0, 1))[1] <= share + 1e-12
    assert needed == 1 or (wilson(0, needed - 1) or (0, 1))[1] > share - 1e-12


def test_words_of_certainty() -> None:
    assert certainty(0, 120) == "below 3.1 % at 95 % certainty"
    assert certainty(2, 120) == "between 0.46 and 5.9 % at 95 % certainty"
    assert certainty(4, 4).startswith("above 51.0 %")
    # Two ends that differ are never told alike, and what is not all is not told as all.
    assert certainty(999_990, 1_000_000) == "between 99.998 and 99.999 % at 95 % certainty"
    assert certainty(50_000_000, 100_000_000) == "between 49.99 and 50.01 % at 95 % certainty"
    assert certainty(0, 0) == "nothing is known of the share"


@given(st.lists(st.floats(0, 10), min_size=1, max_size=400))
def test_a_thinned_sample_keeps_its_ends(values: list[float]) -> None:
    sample = Sample(most=64)
    for value in values:
        sample.add(value)
    times = sample.times()
    assert times is not None
    assert (times.samples, times.least, times.most) == (len(values), min(values), max(values))
    assert min(values) <= times.median <= times.p95 + 1e-12 <= max(values) + 1e-9
    if len(values) < 64:
        assert times.median == quantile(sorted(values), 0.5)


@pytest.mark.parametrize("period", [1, 2, 3, 4, 5, 8, 16])
@pytest.mark.parametrize("phase", [0, 1])
@pytest.mark.parametrize("most", [4096, 8192])
def test_no_rhythm_falls_in_step_with_a_sample(period: int, phase: int, most: int) -> None:
    """Numbers that come by turns, ten times as many as are kept: told percentiles are those of all of them."""
    chance = random.Random(period)
    turns = [0.15 + 0.3 * chance.random() for _ in range(period)]
    values = [turns[(each + phase) % period] + chance.gauss(0, 0.004) for each in range(10 * most + 17)]
    one, many = Sample(most), Sample(most)
    for value in values:
        one.add(value)
    cuts = sorted(chance.sample(range(len(values)), 9))
    for begin, end in pairwise([0, *cuts, len(values)]):
        many.extend(array("d", values[begin:end]))
    assert one.values == many.values and one.times() == many.times()
    ordered, times = sorted(values), one.times()
    assert times is not None and (times.samples, times.least, times.most) == (len(values), ordered[0], ordered[-1])
    assert most / 2 * 0.9 <= len(one.values) < most
    for share, told in ((0.05, times.p5), (0.5, times.median), (0.95, times.p95)):
        assert abs(bisect.bisect(ordered, told) / len(ordered) - share) < 0.043


@pytest.mark.parametrize(
    ("seconds", "at"),
    [
        ([1.002, 1.004, 1.011, 1.003, 0.3], 1.0),
        ([0.507] * 6, 0.5),
        ([0.101, 0.102, 0.103], 0.1),
        ([0.08, 0.12, 0.3, 0.9, 1.3, 0.01], None),
        ([0.96] * 9, None),
        ([0.25], None),
        # A few that wait for a time-out among many that do not.
        ([0.03 + 0.0006 * each for each in range(42)] + [0.503, 0.504, 0.501, 0.505, 0.502, 0.504], 0.5),
        # As many just below and just above: that is how long it takes.
        ([0.35 + 0.004 * each for each in range(100)], None),
        ([0.0843 + 0.004 * each for each in range(30)], None),
    ],
)
def test_a_time_out_that_answers_is_seen(seconds: list[float], at: float | None) -> None:
    found = clusters(seconds)
    assert (found[0].at_s if found else None) == at


RULES = [
    ("echo", "hi", "hi", True),
    ("echo", "hi", "ho", False),
    ("plus 100", "7", " 107 ", True),
    ("plus 100", "7", "7", False),
    ("plus -1", "0", "-1", True),
    ("plus 100", "seven", "not understood: seven", True),
    ("text hello", "hi", "hello", True),
    ("text got {message}", "hi", "got hi", True),
    ("matches [0-9]+ V", "?", "12 V", True),
    ("matches [0-9]+ V", "?", "12 V!", False),
]


@pytest.mark.parametrize(("text", "message", "reply", "right"), RULES)
def test_rules(text: str, message: str, reply: str, right: bool) -> None:
    rule = parse_rule(text)
    assert rule.right(message, reply, 1) is right
    assert str(rule) == text


@pytest.mark.parametrize("text", ["", "guess 3", "plus", "plus x", "text", "matches", "matches (", "echo 3", "table x"])
def test_rules_that_say_nothing_are_refused(text: str) -> None:
    with pytest.raises(ValueError, match=r"."):
        parse_rule(text)


def test_rounds_end_right_wrong_or_unanswered() -> None:
    exchange = ExchangeCounter(parse_rule("plus 100"), SECOND)
    exchange.send(1, "1", 0)
    exchange.take("101", 60 * MS, 80 * MS)
    exchange.send(2, "2", SECOND)
    exchange.take("2", SECOND + MS, SECOND + MS)
    exchange.take("103", SECOND + 50 * MS, SECOND + 50 * MS)
    exchange.send(3, "3", 2 * SECOND)
    exchange.advance(4 * SECOND)
    assert exchange.snapshot().unanswered == 1
    exchange.take("103", 4 * SECOND, 4 * SECOND)
    found = exchange.snapshot()
    assert (found.rounds, found.right, found.wrong, found.unanswered) == (3, 1, 1, 0)
    assert (found.late, found.own_back) == (1, 1)
    assert found.wrongs == ((2, "2", "102", "103", False), (3, "3", "103", "103", True))
    assert found.round_trip is not None and found.round_trip.samples == 2


def test_the_vectors_of_the_documentation_hold() -> None:
    text = (Path(__file__).parents[2] / "docs" / "probe-format.md").read_text("utf-8")
    rows = [[cell.strip() for cell in row.split("|")[1:-1]] for row in text.splitlines() if row.endswith("` |")]
    vectors = [row for row in rows if len(row) == 8]
    assert len(vectors) == 5
    for trial, sender, number, order, got, damaged, size, written in vectors:
        more = (int(order), int(got), int(damaged)) if order else ()
        probe = Probe(ANSWER if order else PROBE, int(trial, 16), sender, int(number), *more)
        assert encode(probe, int(size)).decode() == written.strip("`")
        assert decode(written.strip("`").encode()) == probe
