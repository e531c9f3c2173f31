"""What Line says of lines that are not as they should be: the verdict weighs bytes, and what is whole is called so."""

import random
from collections.abc import Iterable
from typing import Final

import pytest
from tests.core.test_protocols import ppp
from tests.streams import BEGIN, chunk, gga, sentences

from pale_heron.answers.line import line_answer, load_of
from pale_heron.answers.traffic import traffic_answer
from pale_heron.bench.config.dialect_book import DialectBook
from pale_heron.bench.model import Model
from pale_heron.bench.snapshot import BenchSnapshot, CaptureState
from pale_heron.core.frames import BYTES, OUT, SECOND, TEXT, Chunk, Event, Frame
from pale_heron.core.gnss.states import NO_FIX
from pale_heron.core.lane import Lane
from pale_heron.core.line.diagnosis.stages import StageStatus
from pale_heron.core.streams import Recognition
from pale_heron.core.wire.protocols import FramedProtocol, protocol_of

EPOCH: Final = sentences("GNGGA,094101.00,4607.03800,S,06718.40000,W,1,11,0.8,3.4,M,11.2,M,,")
OPENED: Final = Event(BEGIN, "curlew", "opened", {"rate": 9600, "framing": "8N1", "flow": "none", "address": "/dev/c"})


def shown(chunks: Iterable[Chunk], *events: Event, later_s: int = 0) -> BenchSnapshot:
    model = Model(book=DialectBook(Recognition.ON_REPORT))
    model.feed(OPENED, *events)
    now = BEGIN
    for each in chunks:
        now = each.time or now
        model.feed(each)
    now += later_s * SECOND
    model.tick(now)
    model.publish(now)
    return BenchSnapshot("marsh", now, BEGIN, model.published.lanes, CaptureState("/x", 1, ""), None, 0.0)


def steps(snapshot: BenchSnapshot) -> dict[str, StageStatus]:
    return {each.step: each.state for each in snapshot.lanes[0].steps}


def found(snapshot: BenchSnapshot) -> set[str]:
    return {each.id for each in snapshot.lanes[0].findings}


def test_text_that_never_ends_is_text_and_is_shown_as_it_grows() -> None:
    model = Model()
    model.feed(OPENED)
    text = b"123 " * 2000
    for at in range(0, 7500, 15):
        now = BEGIN + at * SECOND // 150
        model.feed(chunk(text[at : at + 15], now))
        model.tick(now)
        if at % 600 == 300:
            model.publish(now)
            last = model.log.get(model.log.end - 1)
            assert isinstance(last, Frame) and last.kind is TEXT and last.data.startswith(b"123 ")
            assert len(last.data) == (at + 15) % 4096, "all of it that has not ended"
    snapshot = BenchSnapshot("marsh", now, BEGIN, model.published.lanes, CaptureState("/x", 1, ""), None, 0.0)
    assert not {"no-rate", "rate-mismatch", "rubbish-between"} & found(snapshot)
    assert steps(snapshot)["readable"] is StageStatus.REACHED
    few = shown(chunk(b"123 ", BEGIN + at * SECOND // 40) for at in range(100))
    for answer in (line_answer(few, few.lanes[0]), traffic_answer(few)):
        assert answer.text.startswith("Bytes arrive, but no line has ended yet: 400 B")


def test_rubbish_without_line_ends_comes_after_a_second_in_the_order_of_time() -> None:
    chance, model = random.Random(3), Model()
    model.feed(OPENED)
    rubbish = bytes(each for each in chance.randbytes(6000) if each not in b"\r\n$!\xd3")
    for at in range(0, 5000, 10):
        now = BEGIN + at * SECOND // 100
        model.feed(chunk(rubbish[at : at + 10], now), chunk(EPOCH if at % 100 == 0 else b"", now, "hide"))
        model.tick(now)
    model.publish(now)
    lines = [model.log.get(number) for number in range(model.log.end)]
    frames = [each for each in lines if isinstance(each, Frame)]
    mine = [each for each in frames if each.lane == "curlew"]
    assert all(each.kind is BYTES for each in mine) and len(mine) > 40
    assert sum(len(each.data) for each in mine) >= 5000 - 200, "no more than a second of it is waited for"
    times = [each.time or 0 for each in frames]
    assert times == sorted(times)


def test_frames_of_ppp_are_named_and_no_rate_is_blamed() -> None:
    chance = random.Random(1)
    said = [ppp(chance, chance.randbytes(chance.randrange(20, 200))) for _ in range(60)]
    snapshot = shown(chunk(each, BEGIN + place * SECOND // 2) for place, each in enumerate(said))
    assert "framed-protocol" in found(snapshot) and not {"no-rate", "rate-mismatch"} & found(snapshot)
    assert steps(snapshot)["readable"] is steps(snapshot)["valid"] is StageStatus.REACHED
    assert "PPP frames (RFC 1662), their checks right" in line_answer(snapshot, snapshot.lanes[0]).text


@pytest.mark.parametrize("damage", [False, True])
def test_whole_sentences_amid_rubbish_are_no_yes(damage: bool) -> None:
    chance = random.Random(2)
    epoch = EPOCH.replace(b"S", b"N") + EPOCH if damage else EPOCH
    said = [epoch + chance.randbytes(11 * len(EPOCH)) for _ in range(30)]
    snapshot = shown(chunk(each, BEGIN + place * SECOND) for place, each in enumerate(said))
    answer = line_answer(snapshot, snapshot.lanes[0])
    assert not answer.text.startswith("Yes") and "of the last bytes are legible" in answer.text
    assert StageStatus.REACHED is not steps(snapshot)["readable"]
    assert "rubbish-between" in found(snapshot) and "binary-beside-text" not in found(snapshot)


def test_a_binary_protocol_whose_frames_check_does_no_harm() -> None:
    chance = random.Random(2)
    said = [EPOCH + b"".join(ppp(chance, chance.randbytes(60)) for _ in range(4)) for _ in range(30)]
    snapshot = shown(chunk(each, BEGIN + place * SECOND) for place, each in enumerate(said))
    assert "binary-beside-text" in found(snapshot) and "rubbish-between" not in found(snapshot)
    assert line_answer(snapshot, snapshot.lanes[0]).text.startswith("Yes: 100.0 % of 30 sentences")
    assert steps(snapshot)["readable"] is StageStatus.REACHED and snapshot.lanes[0].fix.state.state != NO_FIX


@pytest.mark.parametrize(("seconds", "ungoverned"), [(5, False), (40, True)])
def test_what_had_waited_fills_no_line(seconds: int, ungoverned: bool) -> None:
    """More than 960 bytes a second at 9600 baud: a backlog at first, and later a port that no rate governs."""
    data = EPOCH * 70
    snapshot = shown(chunk(data, BEGIN + at * SECOND) for at in range(seconds + 1))
    assert load_of(snapshot.lanes[0]) is None and "full" not in line_answer(snapshot, snapshot.lanes[0]).text
    assert "line-full" not in found(snapshot) and ("ungoverned" in found(snapshot)) is ungoverned
    # Nearly full is what it is.
    full = shown(chunk(EPOCH * 12, BEGIN + at * SECOND) for at in range(20))
    assert "line-full" in found(full)


def test_noise_is_not_looked_through_for_each_picture(monkeypatch: pytest.MonkeyPatch) -> None:
    """A protocol that begins later is found all the same."""
    looks = 0

    def counted(data: bytes) -> FramedProtocol | None:
        nonlocal looks
        looks += 1
        return protocol_of(data)

    monkeypatch.setattr("pale_heron.core.line.tracker.protocol_of", counted)
    chance, lane = random.Random(5), Lane("curlew")
    for place in range(600):
        lane.feed(chunk(chance.randbytes(1000), BEGIN + place * SECOND // 10))
        lane.snapshot(BEGIN + place * SECOND // 10)
    assert looks <= 18
    for place in range(600, 1800):
        lane.feed(chunk(ppp(chance, chance.randbytes(150)), BEGIN + place * SECOND // 10))
    assert lane.snapshot(BEGIN + 180 * SECOND).line.is_framed


def each_second(*seconds: int) -> list[Chunk]:
    """Epochs of a receiver with a fix, at these seconds."""
    return [chunk(sentences(gga(at)), BEGIN + at * SECOND) for at in seconds]


AT_TEN: Final = BEGIN + 10 * SECOND
ORDER: Final = [chunk(b"AT\r\n", AT_TEN, "curlew", OUT), chunk(b"OK\r\n", AT_TEN + SECOND // 20)]


@pytest.mark.parametrize(
    ("before", "behind", "later_s", "last", "silent"),
    [
        pytest.param(range(10), range(11, 20), 0, "fix", False, id="sentences go on behind the order"),
        pytest.param(range(10), range(11, 20), 60, "fix", True, id="then the cable was pulled"),
        pytest.param(range(10), (), 0, "fix", False, id="just after the order"),
        pytest.param(range(10), (), 60, "answering", False, id="the order switched the sentences off"),
        pytest.param((), (), 60, "answering", False, id="a module without sentences"),
    ],
)
def test_a_receiver_that_was_given_one_order_is_still_one(
    before: Iterable[int], behind: Iterable[int], later_s: int, last: str, silent: bool
) -> None:
    speaks = Event(BEGIN, "curlew", "dialect", {"name": "v250", "by": "chosen"})
    snapshot = shown([*each_second(*before), *ORDER, *each_second(*behind)], speaks, later_s=later_s)
    lane = snapshot.lanes[0]
    assert lane.module is not None and lane.module.exchanges == 1
    assert lane.steps[-1].step == last
    assert (steps(snapshot)["bytes"] is StageStatus.BROKEN) == silent
    assert ("silent" in found(snapshot)) == silent
