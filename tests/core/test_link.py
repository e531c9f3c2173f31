"""Links: probes in any stream, delivery and exchanges counted exactly, figures with their intervals."""

import json
import math
import pickle
import random
from functools import partial
from itertools import pairwise
from typing import Final

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event, Frame, Kind, Status
from pale_heron.core.line.dialogue_stats import DialogueStats
from pale_heron.core.link.delivery import DAMAGED, DELIVERED, LATE, LOST, DeliveryCounter
from pale_heron.core.link.description import TrialDescription, description_of
from pale_heron.core.link.exchange import ExchangeCounter
from pale_heron.core.link.figures import Sample, clusters, probes_for, quantile, wilson
from pale_heron.core.link.json_object import trial_object
from pale_heron.core.link.probe import ANSWER, PROBE, Probe, ProbeFinder, decode, encode, probe_of
from pale_heron.core.link.rules import parse_rule
from pale_heron.core.link.tracker import BEGUN, ENDED, LinkTracker
from pale_heron.core.link.verdict import certainty, verdict

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
            self.wanted[LOST] += fate == LATE
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
        self.counter.finish(happened[-1][0] + 2 * SECOND)
        self.snapshot = self.counter.snapshot()


@given(st.integers(0, 10**9), st.integers(1, 80))
def test_what_a_cable_does_is_counted_exactly(seed: int, count: int) -> None:
    cable = Cable(seed, count)
    got, wanted = cable.snapshot, cable.wanted
    counted = {DELIVERED: got.delivered, LOST: got.lost, DAMAGED: got.damaged, LATE: got.late, "twice": got.twice}
    assert counted == wanted
    assert (got.sent, got.foreign_bytes) == (count, 0)
    assert got.sent == got.delivered + got.lost + got.damaged
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
    counter.finish(len(fates) * 100 * MS + SECOND)
    return counter


@pytest.mark.parametrize(
    ("fates", "outages"),
    [
        ("ooo", []),
        ("oxo", []),
        ("oxxo", [(0.2, 0.4, 2)]),
        ("xxxoxxx", [(0.1, 0.4, 3), (0.5, None, 3)]),
        ("xx", [(0.1, None, 2)]),
    ],
)
def test_outages_have_a_begin_an_end_and_a_count(fates: str, outages: list[tuple[float, float | None, int]]) -> None:
    found = counted(fates).snapshot().outages
    assert [(each.begin / SECOND, each.end and each.end / SECOND, each.lost) for each in found] == outages


def test_a_far_end_that_is_switched_off_is_seen_within_two_intervals_of_the_limit() -> None:
    counter = counted("ooooo")
    for number in (6, 7):
        counter.send(number, number * 100 * MS)
    counter.advance(7 * 100 * MS + 151 * MS)
    assert counter.snapshot().outages[-1] == (600 * MS, None, 2)


def test_what_arrives_before_it_is_known_to_be_sent_counts() -> None:
    counter = DeliveryCounter("a", "b", partial(probe_of, 1, "A", 32), SECOND)
    counter.take(1, 5)
    counter.take_piece(counter.expected(2)[:-1] + b"?")
    counter.send(1, 3)
    counter.send(2, 4)
    counter.take(77, 9)
    counter.finish(10)
    found = counter.snapshot()
    assert (found.delivered, found.damaged, found.foreign_bytes) == (1, 1, 32)


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


@pytest.mark.parametrize(
    ("seconds", "at"),
    [
        ([1.002, 1.004, 1.011, 1.003, 0.3], 1.0),
        ([0.507] * 6, 0.5),
        ([0.101, 0.102, 0.103], 0.1),
        ([0.08, 0.12, 0.3, 0.9, 1.3, 0.01], None),
        ([0.96] * 9, None),
        ([0.25], None),
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
    exchange.take("101", 80 * MS)
    exchange.send(2, "2", SECOND)
    exchange.take("2", SECOND + MS)
    exchange.take("103", SECOND + 50 * MS)
    exchange.send(3, "3", 2 * SECOND)
    exchange.advance(4 * SECOND)
    exchange.take("103", 4 * SECOND)
    found = exchange.snapshot()
    assert (found.rounds, found.right, found.wrong, found.unanswered) == (3, 1, 1, 1)
    assert (found.late, found.own_back) == (1, 1)
    assert found.wrongs == ((2, "2", "102", "103"),)
    assert found.round_trip is not None and found.round_trip.samples == 2


# Whole trials, from what a record holds


def described(**more: object) -> TrialDescription:
    return TrialDescription(kind="delivery", trial=0x3F7A, lanes=("hide", "buoy"))._replace(**more)


def play(trial: TrialDescription, chunks: list[Chunk], until: int = 10 * SECOND) -> LinkTracker:
    tracker = LinkTracker()
    # As a capture has it: through JSON and back.
    details = json.loads(json.dumps(trial.details()))
    tracker.heed(Event(0, "", BEGUN, details))
    for chunk in chunks:
        tracker.feed(chunk)
        tracker.advance(chunk.time or 0)
    tracker.heed(Event(until, "", ENDED, {"trial": trial.trial, "why": "done"}))
    return tracker


def line(letter: str, number: int, trial: int = 0x3F7A, **more: int) -> bytes:
    return encode(Probe(ANSWER if more else PROBE, trial, letter, number, **more), 32) + b"\r\n"


def test_a_probe_is_no_question_that_nobody_answers() -> None:
    stats = DialogueStats()
    for number in (1, 2, 3):
        data = line("A", number)
        stats.feed(Frame("hide", OUT, number * SECOND, 0, data, Kind.TEXT, Status.OK, None, "text"))
    found = stats.snapshot(60 * SECOND)
    assert (found.sent, found.unanswered) == (0, 0)
    stats.feed(Frame("hide", OUT, 9 * SECOND, 0, b"#p is no probe\r\n", Kind.TEXT, Status.OK, None, "text"))
    assert stats.snapshot(60 * SECOND).unanswered == 1


def test_both_ways_at_once_from_a_record() -> None:
    chunks = []
    for number in range(1, 11):
        at = number * 100 * MS
        chunks += [Chunk("hide", OUT, at, line("A", number)), Chunk("buoy", OUT, at + MS, line("B", number))]
        chunks += [Chunk("buoy", IN, at + 30 * MS, line("A", number))]
        chunks += [Chunk("hide", IN, at + 50 * MS, line("B", number))] if number != 4 else []
    (found,) = play(described(), chunks).snapshot()
    there, back = found.directions
    assert (there.sender, there.receiver, there.delivered, there.lost) == ("hide", "buoy", 10, 0)
    assert (back.sender, back.receiver, back.delivered, back.lost) == ("buoy", "hide", 9, 1)
    said = verdict(found)
    assert said.result == "fails"
    assert "hide ▸ buoy: 10 of 10 delivered" in said.why and "9 of 10 delivered, 1 lost" in said.why
    assert verdict(found._replace(described=described(at_most_lost=0.2))).result == "holds"


def test_a_loop_proves_the_cable_only() -> None:
    chunks = [
        Chunk("hide", way, number * 100 * MS + (way is IN), line("A", number))
        for number in (1, 2, 3)
        for way in (OUT, IN)
    ]
    (found,) = play(described(one_way=True), chunks).snapshot()
    assert found.own_bytes_back
    said = verdict(found)
    assert said.result == "inconclusive" and "proves the cable only" in said.why
    (echoed,) = play(described(lanes=("hide",), far="echo"), chunks).snapshot()
    assert verdict(echoed).result == "holds" and echoed.directions[0].delivered == 3


def test_a_far_end_that_counts_tells_both_directions() -> None:
    """Probe 2 never got there; the answer to 3 was lost on its way back; 4 came damaged there."""
    chunks = []
    answers = {1: (1, 1, 0), 3: (2, 2, 0), 5: (3, 3, 1)}
    for number in range(1, 6):
        at = number * 100 * MS
        chunks.append(Chunk("hide", OUT, at, line("A", number)))
        if number in answers and number != 3:
            order, got, damaged = answers[number]
            chunks.append(Chunk("hide", IN, at + 40 * MS, line("A", number, order=order, got=got, damaged=damaged)))
    (found,) = play(described(lanes=("hide",), far="answer"), chunks).snapshot()
    there, back = found.directions
    assert (there.sent, there.delivered, there.lost, there.damaged) == (5, 3, 1, 1)
    assert (back.sent, back.delivered, back.lost) == (3, 2, 1)
    assert found.round_trip is not None and math.isclose(found.round_trip.median, 0.04)


@pytest.mark.parametrize("answered", [0, 3])
def test_of_what_was_not_answered_nothing_is_said(answered: int) -> None:
    """The far end gets all of it, but from some moment on nothing comes back."""
    chunks = []
    for number in range(1, 11):
        at = number * 100 * MS
        chunks.append(Chunk("hide", OUT, at, line("A", number)))
        if number <= answered:
            chunks.append(Chunk("hide", IN, at + MS, line("A", number, order=number, got=number, damaged=0)))
    (found,) = play(described(lanes=("hide",), far="answer"), chunks).snapshot()
    there, back = found.directions
    assert (there.sent, there.delivered, there.lost, there.settled) == (10, answered, 0, answered)
    assert (back.delivered, back.lost) == (answered, 0)
    assert found.unanswered == 10 - answered
    said = verdict(found)
    assert said.result == "fails" and "cannot be told from here" in said.why


def test_a_far_end_that_boasts_is_not_believed() -> None:
    chunks = [
        Chunk("hide", OUT, 100 * MS, line("A", 1)),
        Chunk("hide", IN, 200 * MS, line("A", 10**9, order=10**9, got=10**9, damaged=10**9)),
    ]
    (found,) = play(described(lanes=("hide",), far="answer"), chunks).snapshot()
    there, back = found.directions
    assert (there.delivered, there.lost, back.sent) == (0, 0, 0) and back.foreign_bytes > 50


def test_an_exchange_from_a_record_without_line_ends() -> None:
    trial = described(kind="exchange", lanes=("hide",), far="answer", rule=parse_rule("plus 100"), probes=3)
    chunks = []
    for number in (1, 2, 3):
        at = number * 2 * SECOND
        chunks += [Chunk("hide", OUT, at, b"%d" % number), Chunk("hide", IN, at + SECOND, b"%d" % (number + 100))]
    tracker = play(trial, chunks, until=9 * SECOND)
    (found,) = tracker.snapshot()
    assert found.exchange is not None and found.exchange.right == 3
    assert [each.id for each in verdict(found).findings] == ["round-time"]


def test_the_object_of_a_trial_holds_what_is_promised() -> None:
    (found,) = play(described(left_before={"hide": 17}), [Chunk("hide", OUT, MS, line("A", 1))]).snapshot()
    told = json.loads(json.dumps(trial_object(found)))
    assert told["left_before"] == {"hide": 17}
    assert told["directions"][0]["lost"] == 1 and told["directions"][1]["loss_share"] is None
    assert told["directions"][0]["loss_95"] == [pytest.approx(0.2065, abs=1e-3), 1.0]


BAD = [
    {"kind": "guess"},
    {"trial": -1},
    {"trial": True},
    {"lanes": ["a"]},
    {"lanes": ["a", "a"]},
    {"lanes": 3},
    {"far": "moon"},
    {"size": 10**9},
    {"limit_s": float("nan")},
    {"rule": "matches ("},
    {"left_before": [1]},
    {"probes": 1.5},
]


@pytest.mark.parametrize("change", BAD)
def test_a_record_may_say_anything_of_a_trial(change: dict[str, object]) -> None:
    details = described().details()
    assert description_of(details) == described()
    assert description_of(details | change) is None
    tracker = LinkTracker()
    tracker.heed(Event(0, "", BEGUN, details | change))
    tracker.heed(Event(0, "", ENDED, {"trial": [1]}))
    assert tracker.snapshot() == ()


def test_a_tracker_can_be_put_aside_and_taken_up() -> None:
    tracker = LinkTracker()
    tracker.heed(Event(0, "", BEGUN, described().details()))
    tracker.feed(Chunk("hide", OUT, MS, line("A", 1)))
    again: LinkTracker = pickle.loads(pickle.dumps(tracker))
    for each in (tracker, again):
        each.feed(Chunk("buoy", IN, 2 * MS, line("A", 1)))
        each.finish(SECOND)
    assert tracker.snapshot() == again.snapshot()
    assert tracker.snapshot()[0].directions[0].delivered == 1
