"""Whole trials as a record holds them: counted, judged, told as an object, and hostile ones refused."""

import json
import math
import pickle
from collections import Counter
from typing import Final

import pytest

from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event, Frame, Kind, Status
from pale_heron.core.line.dialogue_stats import DialogueStats
from pale_heron.core.link.description import TrialDescription, description_of
from pale_heron.core.link.json_object import trial_object
from pale_heron.core.link.probe_log import ProbeLog
from pale_heron.core.link.rules import parse_rule
from pale_heron.core.link.speed import line_time_s
from pale_heron.core.link.tracker import BEGUN, ENDED, LinkTracker
from pale_heron.core.link.verdict import verdict
from pale_heron.core.link.words import COLUMNS, counts_of, trial_lines
from pale_heron.core.proof import measures
from pale_heron.core.wire.probe import ANSWER, PROBE, Probe, encode

MS: Final = SECOND // 1000


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
    (found,) = play(described(probes=10), chunks).snapshot()
    there, back = found.directions
    assert (there.sender, there.receiver, there.delivered, there.lost) == ("hide", "buoy", 10, 0)
    assert (back.sender, back.receiver, back.delivered, back.lost) == ("buoy", "hide", 9, 1)
    said = verdict(found)
    assert said.result == "fails"
    assert "hide ▸ buoy: 10 of 10 delivered" in said.why and "9 of 10 delivered, 1 lost" in said.why
    # One of ten lost may be 40 %: a fifth is neither shown nor refuted, and what would decide it is said.
    may_be = verdict(found._replace(described=described(at_most_lost=0.2, probes=10)))
    assert may_be.result == "inconclusive" and "more would decide it" in may_be.why
    assert verdict(found._replace(described=described(at_most_lost=0.5, probes=10))).result == "holds"


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
    (echoed,) = play(described(lanes=("hide",), far="echo", probes=3), chunks).snapshot()
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
    assert found.trip is not None and found.trip.latency is not None
    assert math.isclose(found.trip.latency.median, 0.04) and (found.trip.delivered, found.trip.lost) == (2, 3)


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
    assert said.result == "fails" and "cannot be seen from here" in said.why


def test_an_answer_behind_the_limit_is_late() -> None:
    chunks = [Chunk("hide", OUT, number * SECOND, line("A", number)) for number in (1, 2, 3)]
    chunks.append(Chunk("hide", IN, round(6.5 * SECOND), line("A", 2, order=1, got=1, damaged=0)))
    (found,) = play(described(lanes=("hide",), far="answer"), chunks).snapshot()
    there, back = found.directions
    assert (there.delivered, there.lost, there.unknown) == (1, 1, 1)
    assert (back.delivered, back.lost) == (1, 0)
    assert found.trip is not None and (found.trip.late, found.trip.lost) == (1, 2)
    assert verdict(found).result == "fails"


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
        each.finish(9 * SECOND)
    assert tracker.snapshot() == again.snapshot()
    assert tracker.snapshot()[0].directions[0].delivered == 1


@pytest.mark.parametrize(
    ("lanes", "far", "back", "wanted"),
    [
        (("hide",), "answer", b"", ["nothing-came"]),
        (("hide",), "answer", b"ERROR\r\n", ["command-mode"]),
        (("hide",), "answer", b"+CME ERROR: 3\r\n", ["command-mode"]),
        (("hide",), "answer", b"hello\r\n", ["foreign-bytes"]),
        (("hide",), "answer", line("A", 1, order=1, got=1, damaged=0), ["few-samples"]),
        (("hide", "buoy"), "lane", b"", ["nothing-came"]),
        (("hide", "buoy"), "lane", b"ERROR\r\n", ["command-mode"]),
    ],
)
def test_what_is_said_where_no_probe_comes(lanes: tuple[str, ...], far: str, back: bytes, wanted: list[str]) -> None:
    chunks = [Chunk("hide", OUT, SECOND, line("A", 1))]
    chunks += [Chunk(lanes[-1], IN, SECOND + MS, back)] if back else []
    (found,) = play(described(lanes=lanes, far=far, one_way=True), chunks).snapshot()
    assert [each.id for each in verdict(found).findings] == wanted


def asked(rule: str, **more: object) -> TrialDescription:
    return described(kind="exchange", lanes=("hide",), far="answer", rule=parse_rule(rule), **more)


def test_a_late_answer_does_not_answer_the_next_round() -> None:
    """Each takes 2.5 s, and 2 s are waited: none is right in time, and none makes another one wrong."""
    chunks = []
    for number in range(1, 9):
        at = number * 4 * SECOND
        chunks.append(Chunk("hide", OUT, at, b"%d\r\n" % number))
        chunks.append(Chunk("hide", IN, at + 2500 * MS, b"%d\r\n" % (number + 100)))
    (found,) = play(asked("plus 100", probes=8), chunks, until=40 * SECOND).snapshot()
    assert found.exchange is not None
    assert (found.exchange.right, found.exchange.wrong, found.exchange.late) == (0, 0, 8)
    assert "late-reply" in [each.id for each in verdict(found).findings]
    # Without a rest between them the answer comes when the next round waits: it is still the other one's.
    chunks = [each._replace(time=(each.time or 0) - (number // 2) * 2 * SECOND) for number, each in enumerate(chunks)]
    (found,) = play(
        asked("plus 100", probes=8), sorted(chunks, key=lambda each: each.time or 0), until=40 * SECOND
    ).snapshot()
    assert found.exchange is not None
    assert (found.exchange.right, found.exchange.wrong, found.exchange.late) == (0, 0, 8)


def test_what_a_board_says_by_itself_answers_nothing() -> None:
    """A line that began before the question, and lines that are to be passed over."""
    chunks = []
    for number in range(1, 6):
        at = number * 2 * SECOND
        chunks += [Chunk("hide", IN, at - 30 * MS, b"TEMP 2"), Chunk("hide", OUT, at, b"%d\r\n" % number)]
        chunks += [Chunk("hide", IN, at + 5 * MS, b"1.5\r\n"), Chunk("hide", IN, at + 40 * MS, b"HUM 60\r\n")]
        chunks.append(Chunk("hide", IN, at + 80 * MS, b"%d\r\n" % (number + 100)))
    for ignore, right in (("", 0), ("^HUM ", 5)):
        (found,) = play(asked("plus 100", probes=5, ignore=ignore), chunks, until=20 * SECOND).snapshot()
        exchange = found.exchange
        assert exchange is not None and (exchange.right, exchange.unasked) == (right, 5 if ignore else 10)
    assert exchange.round_trip is not None and math.isclose(exchange.round_trip.least, 0.08)


def test_answers_that_are_no_text_mean_the_rate() -> None:
    chunks = []
    for number in (1, 2, 3):
        chunks += [Chunk("hide", OUT, number * SECOND, b"hi\r\n")]
        chunks += [Chunk("hide", IN, number * SECOND + MS, b"\xf8\x00\x93\xe6\r\n")]
    (found,) = play(asked("text hello", probes=3), chunks).snapshot()
    assert [each.id for each in verdict(found).findings] == ["unreadable-reply"]


def test_an_echo_is_no_proof_where_a_loop_would_answer_alike() -> None:
    chunks = [
        Chunk("hide", way, number * SECOND + (way is IN), b"hi %d\r\n" % number)
        for number in (1, 2)
        for way in (OUT, IN)
    ]
    (found,) = play(asked("echo", probes=2), chunks).snapshot()
    assert found.own_bytes_back and verdict(found).result == "inconclusive"
    assert verdict(found._replace(described=asked("echo", probes=2, wiring="air"))).result == "holds"


def test_latency_ends_with_the_last_byte() -> None:
    """At 9600 baud the 32 bytes of a probe take 33 ms: in one chunk or in many, and behind a prompt."""
    rated = described(one_way=True, probes=3, ceilings={"hide": 960.0, "buoy": 960.0})
    chunks = []
    for number in (1, 2, 3):
        at, data = number * SECOND, line("A", number)
        chunks.append(Chunk("hide", OUT, at, data))
        if number == 1:
            chunks.append(Chunk("buoy", IN, at + 2 * MS, data))
        elif number == 2:
            chunks += [
                Chunk("buoy", IN, at + 2 * MS + index * SECOND // 960, data[index : index + 1]) for index in range(34)
            ]
        else:
            chunks.append(Chunk("buoy", IN, at + 2 * MS - 2 * SECOND // 960, b"> " + data))
    (found,) = play(rated, chunks).snapshot()
    latency = found.directions[0].latency
    assert latency is not None and latency.samples == 3
    assert latency.least == pytest.approx(0.002 + 32 / 960, abs=1e-6) == latency.most
    assert line_time_s(found, found.directions[0]) == pytest.approx(32 / 960)


@pytest.mark.parametrize("dead", [False, True])
def test_an_answered_trial_goes_on_behind_a_lane_that_was_away(dead: bool) -> None:
    """A number that could not go out is a gap, and no reason to count nothing any more."""
    tracker, trial = LinkTracker(), described(lanes=("hide",), far="answer", probes=60)
    tracker.heed(Event(0, "", BEGUN, trial.details()))
    got = 0
    for number in range(1, 64):
        at = number * 100 * MS
        if number == 21:
            tracker.heed(Event(at - MS, "hide", "lost", {}))
        if 21 <= number <= 23:
            continue
        if number == 24:
            tracker.heed(Event(at - MS, "hide", "returned", {}))
        tracker.feed(Chunk("hide", OUT, at, line("A", number)))
        if number < 24 or not dead:
            got += 1
            tracker.feed(Chunk("hide", IN, at + 20 * MS, line("A", number, order=got, got=got, damaged=0)))
    tracker.heed(Event(20 * SECOND, "", ENDED, {"trial": trial.trial, "by": "count", "listened": True}))
    (found,) = tracker.snapshot()
    there, _ = found.directions
    assert (there.sent, there.foreign_bytes, there.lost) == (60, 0, 0)
    # Up to its limit before the lane went it is not known; nor is the first answer behind it.
    assert there.delivered == (20 if dead else 59)
    assert verdict(found).result == ("fails" if dead else "inconclusive")


def test_every_number_that_is_told_is_the_same_everywhere() -> None:
    """Words, JSON, report table and the chosen fate of each probe: one trial, counted once."""
    chunks = []
    for number in range(1, 31):
        at = number * 100 * MS
        chunks.append(Chunk("hide", OUT, at, line("A", number)))
        if number % 7:
            chunks.append(Chunk("buoy", IN, at + (3 * SECOND if number % 5 == 0 else 30 * MS), line("A", number)))
    log = ProbeLog()
    tracker = LinkTracker(log)
    trial = described(one_way=True, probes=40)
    tracker.heed(Event(0, "", BEGUN, trial.details()))
    for chunk in sorted(chunks, key=lambda each: each.time or 0):
        if (chunk.time or 0) < 5 * SECOND:
            tracker.feed(chunk)
    tracker.heed(Event(5 * SECOND, "", ENDED, {"trial": trial.trial, "by": "interrupted", "listened": False}))
    (found,) = tracker.snapshot()
    told = trial_object(found)
    way = told["directions"][0]
    row = dict(zip(COLUMNS, counts_of(found.directions[0]), strict=True))
    assert {name.replace(" ", "_"): count for name, count in row.items()} == {
        name.replace(" ", "_"): way[name.replace(" ", "_")] for name in COLUMNS
    }
    fates = Counter(each.result for each in log.of(found))
    assert fates == {
        "delivered": way["delivered"],
        "lost": way["lost"],
        "late": way["late"],
        "not-known": way["not_known"],
    }
    assert way["loss_share"] == way["not_delivered_share"] == round(found.directions[0].share or 0, 6)
    assert (told["asked"], told["sent"], told["complete"], told["ended"]) == (40, 30, False, "interrupted")
    text = " ".join(trial_lines(found))
    assert f"{way['delivered']} of {way['delivered'] + way['lost'] + way['late']} delivered" in text
    assert "asked 40, sent 30" in text and "ended by hand when 30 of 40 were sent" in text
    assert measures.not_known(found, "").value == 10 + way["not_known"]


@pytest.mark.parametrize(("rest_ms", "told"), [(500, True), (0, False)])
def test_what_a_far_end_rests_is_no_part_of_the_link(rest_ms: int, told: bool) -> None:
    """It answers within 5 ms, and not before it has rested since its last answer."""
    chunks, at, ready = [], SECOND, 0
    for number in range(1, 21):
        at += SECOND if number in (9, 13, 17) else MS
        came = max(at, ready) + 5 * MS
        ready = came + rest_ms * MS
        chunks.append(Chunk("hide", OUT, at, b"%d\r\n" % number))
        chunks.append(Chunk("hide", IN, came, b"%d\r\n" % (number + 100)))
        at = came
    (found,) = play(asked("plus 100", probes=20), chunks, until=40 * SECOND).snapshot()
    texts = [each.text for each in verdict(found).findings if each.id == "far-end-rests"]
    assert texts == (["The link took 5 ms, and the far end 499 ms of its own."] if told else [])
