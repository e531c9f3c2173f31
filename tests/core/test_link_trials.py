"""Whole trials as a record holds them: counted, judged, told as an object, and hostile ones refused."""

import json
import math
import pickle
from typing import Final

import pytest

from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event, Frame, Kind, Status
from pale_heron.core.line.dialogue_stats import DialogueStats
from pale_heron.core.link.description import TrialDescription, description_of
from pale_heron.core.link.json_object import trial_object
from pale_heron.core.link.rules import parse_rule
from pale_heron.core.link.tracker import BEGUN, ENDED, LinkTracker
from pale_heron.core.link.verdict import verdict
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
