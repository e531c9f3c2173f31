"""Trials on open lanes over the simulated cable: they count what it did, and a record of them says the same again."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Final

import pytest
from tests.waiting import LIMIT_S, until

from pale_heron.bench.live.session import Session
from pale_heron.bench.operations.answering import Answering
from pale_heron.bench.operations.trial import Trial
from pale_heron.bench.replay.replay import Replay
from pale_heron.bench.sources import Source
from pale_heron.core.line.diagnosis.stages import LaneOpening
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.fates import DELIVERED, DeliverySnapshot
from pale_heron.core.link.json_object import trial_object
from pale_heron.core.link.rules import parse_rule
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.link.verdict import verdict
from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.sender import SendJob
from pale_heron.sim.cable import CableFaults
from pale_heron.sim.run import CablePost, run_stages

RATE: Final = 115200
LANES: Final = ("hide", "buoy")
PATIENCE_S: Final = 10.0
"""What is lost is waited for so long: a machine that stalls must not make anything late."""


@pytest.fixture(autouse=True)
def rated(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The simulated devices of a folder of their own keep to their rate; other pseudo-terminals have none."""
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))


def sim(folder: Path) -> Path:
    """Where they are found."""
    return folder / "pale-heron" / "sim"


@contextmanager
def cable(folder: Path, faults: CableFaults = CableFaults(), seed: int = 5) -> Iterator[CablePost]:  # noqa: B008
    places = [sim(folder) / name for name in LANES]
    post = CablePost(RATE, places, faults, seed, over_tcp=False)
    ended = threading.Event()
    thread = threading.Thread(target=run_stages, args=([post], ended.is_set))
    thread.start()
    yield post
    ended.set()
    thread.join()


@contextmanager
def session(folder: Path, *names: str, capture: Path | None = None, **settings: object) -> Iterator[Session]:
    line = LineSettings(RATE, **settings)
    made = Session("", [LaneSpec(name, str(sim(folder) / name), line) for name in names], capture)
    made.start()
    try:
        until(lambda: all((seen := made.snapshot_of(name)) and seen.opening is LaneOpening.OPEN for name in names))
        yield made
    finally:
        made.stop()


def run(bench: Session, described: TrialDescription, **more: object) -> TrialSnapshot:
    trial = Trial(bench, described, before=dict.fromkeys(described.lanes, 0), **more)
    bench.operations.do(trial)
    assert trial.result is not None, trial.failure
    return trial.result


def came(trial: Trial) -> int:
    """How many came so far each way; those that came of late count only once their limit is over."""
    found = trial.result
    return (
        min(each.strip.count(DELIVERED) for each in found.directions) if found is not None and found.directions else 0
    )


def delivery(**more: object) -> TrialDescription:
    return TrialDescription("delivery", 0, LANES, probes=40, every_s=0.01, limit_s=PATIENCE_S)._replace(**more)


FAULTS = {
    "none": CableFaults(),
    "all at once": CableFaults(lost=0.1, changed=0.08, added=0.05, missing=0.05, doubled=0.1, delay_s=0.02),
}


@pytest.mark.parametrize("name", FAULTS)
def test_a_trial_counts_what_the_cable_did(name: str, tmp_path: Path) -> None:
    capture = tmp_path / "out.pcapng"
    with cable(tmp_path, FAULTS[name]) as post, session(tmp_path, *LANES, capture=capture) as bench:
        found = run(bench, delivery())
    for direction, way in zip(found.directions, post.ways, strict=True):
        done = way.counts
        damaged = done["changed"] + done["added"] + done["missing"]
        assert (direction.sent, done["lines"]) == (40, 40)
        assert (direction.lost, direction.damaged, direction.twice) == (done["lost"], damaged, done["doubled"])
        assert direction.delivered == 40 - done["lost"] - damaged
        assert direction.foreign_bytes == 0
    assert verdict(found).result == ("holds" if name == "none" else "fails")
    # The record tells it again, whole and played.
    source = Source(capture)
    source.lanes()
    assert [trial_object(each) for each in source.trials] == [trial_object(found)]
    replay = Replay(capture, speed=1000.0)
    replay.start()
    try:
        until(lambda: replay.snapshot().trials and replay.snapshot().trials[-1].end is not None)
        assert trial_object(replay.snapshot().trials[-1]) == trial_object(found)
    finally:
        replay.stop()


def test_what_was_left_over_is_taken_out_first(tmp_path: Path) -> None:
    with cable(tmp_path) as post, session(tmp_path, *LANES) as bench:
        post.terminals[0].send(b"17 bytes left ov\n")
        until(lambda: (seen := bench.snapshot_of("hide")) and seen.line.bytes_in == 17)
        found = run(bench, delivery(probes=3))
    assert found.described.left_before == {"hide": 17, "buoy": 0}
    assert [each.foreign_bytes for each in found.directions] == [0, 0]


def test_a_way_that_is_cut_and_comes_back_is_told_while_it_lasts_and_after(tmp_path: Path) -> None:
    with cable(tmp_path) as post, session(tmp_path, *LANES) as bench:
        trial = Trial(bench, delivery(probes=0, every_s=0.05, one_way=True, limit_s=0.5))
        bench.operations.begin(trial)

        def seen() -> DeliverySnapshot | None:
            return trial.result.directions[0] if trial.result else None

        until(lambda: (now := seen()) and now.delivered > 3)
        post.ways[0].cut = True
        until(lambda: (now := seen()) and now.outages and now.outages[-1].end is None)
        post.ways[0].cut = False
        until(lambda: (now := seen()) and now.outages[-1].end is not None)
        trial.stop()
        assert trial.wait(LIMIT_S) and trial.result is not None
        found = trial.result.directions[0]
    assert found.lost >= post.ways[0].counts["cut"] > 1
    assert any(each.lost >= 2 and each.end is not None and each.end > each.begin for each in found.outages)


def test_a_beacon_goes_on_until_it_is_stopped(tmp_path: Path) -> None:
    with cable(tmp_path), session(tmp_path, *LANES) as bench:
        trial = Trial(bench, delivery(probes=0, every_s=0.02))
        bench.operations.begin(trial)
        until(lambda: came(trial) > 5)
        trial.stop()
        assert trial.wait(LIMIT_S)
        assert trial.result is not None and trial.result.ended == "given up" and trial.result.end is not None
        assert not bench.operations.on("hide")


def test_a_far_end_answers_probes_and_counts_them(tmp_path: Path) -> None:
    with cable(tmp_path, CableFaults(lost=0.15), seed=9) as post:
        with session(tmp_path, "hide") as here, session(tmp_path, "buoy") as there:
            answering = Answering(there, "buoy")
            there.operations.begin(answering)
            found = run(here, delivery(lanes=("hide",), far="answer", every_s=0.03))
            answering.stop()
        out, back = found.directions
        assert answering.got == 40 - post.ways[0].counts["lost"]
        assert out.delivered + out.lost + found.unanswered == 40
        assert out.delivered <= answering.got and back.delivered <= answering.answered
        assert found.trip is not None and found.trip.delivered


@pytest.mark.parametrize("ending", ["crlf", "none"])
def test_an_exchange_by_a_rule(ending: str, tmp_path: Path) -> None:
    rule = parse_rule("plus 100")
    with cable(tmp_path), session(tmp_path, "hide", ending_out=ending) as here, session(tmp_path, "buoy") as there:
        answering = Answering(there, "buoy", rule)
        there.operations.begin(answering)
        described = TrialDescription("exchange", 0, ("hide",), far="answer", probes=4, every_s=0.0, rule=rule)
        found = run(here, described, messages=("7", "8", "seven"))
        answering.stop()
    assert found.exchange is not None
    assert (found.exchange.rounds, found.exchange.right, found.exchange.unanswered) == (4, 4, 0)
    assert answering.not_understood == 1


def test_nobody_answers(tmp_path: Path) -> None:
    with cable(tmp_path), session(tmp_path, "hide") as bench:
        rule = parse_rule("echo")
        described = TrialDescription(
            "exchange", 0, ("hide",), far="answer", probes=2, every_s=0.0, limit_s=0.2, rule=rule
        )
        found = run(bench, described)
    assert found.exchange is not None and found.exchange.unanswered == 2
    assert "no-reply" in [each.id for each in verdict(found).findings]


def test_who_only_listens_is_not_tried(tmp_path: Path) -> None:
    with cable(tmp_path), session(tmp_path, "hide", listen_only=True) as bench:
        trial = Trial(bench, delivery(lanes=("hide",), far="echo"))
        bench.operations.do(trial)
        assert trial.succeeded is False and "only listens" in trial.failure
        assert trial.result is None


def test_who_only_listens_does_not_answer(tmp_path: Path) -> None:
    with cable(tmp_path), session(tmp_path, "hide", listen_only=True) as bench:
        answering = Answering(bench, "hide")
        bench.operations.do(answering)
        assert answering.succeeded is False and "only listens" in answering.failure


def test_a_module_in_command_mode_gets_no_probes_unasked(tmp_path: Path) -> None:
    with cable(tmp_path) as post, session(tmp_path, "hide") as bench:
        bench.note("hide", "dialect", {"name": "plover"})
        bench.send("hide", SendJob(b"AT\r"))
        # An OK that is there before its command is the answer to nothing.
        until(lambda: (seen := bench.snapshot_of("hide")) and seen.line.bytes_out)
        post.terminals[0].send(b"\r\nOK\r\n")
        until(lambda: (module := bench.module_of("hide")) and module.mode == "command")
        for anyway in (False, True):
            trial = Trial(bench, delivery(lanes=("hide",), far="echo", probes=2, limit_s=0.1), anyway=anyway)
            bench.operations.do(trial)
            assert (trial.result is not None) is anyway
            assert ("command mode" in trial.failure) is not anyway


def test_one_thing_at_a_time_on_a_lane(tmp_path: Path) -> None:
    with cable(tmp_path), session(tmp_path, *LANES) as bench:
        trial = Trial(bench, delivery(probes=0))
        bench.operations.begin(trial)
        with pytest.raises(Trouble, match="under way on hide"):
            bench.operations.begin(Trial(bench, delivery()))
        trial.stop()
        assert trial.wait(LIMIT_S)


def throughput(**more: object) -> TrialDescription:
    return TrialDescription("throughput", 0, LANES, probes=60, size=256, limit_s=PATIENCE_S)._replace(**more)


SINGLE_BYTES = {
    "none": CableFaults(),
    "changed": CableFaults(changed=0.05),
    "missing": CableFaults(missing=0.05),
    "added": CableFaults(added=0.05, delay_s=0.02),
}


@pytest.mark.parametrize("name", SINGLE_BYTES)
@pytest.mark.parametrize("content", ["random", "text"])
def test_every_byte_of_a_throughput_is_accounted_for(name: str, content: str, tmp_path: Path) -> None:
    capture = tmp_path / "out.pcapng"
    with cable(tmp_path, SINGLE_BYTES[name]) as post, session(tmp_path, *LANES, capture=capture) as bench:
        found = run(bench, throughput(content=content))
        until(lambda: (seen := bench.snapshot_of("buoy")) and seen.line.bytes_in)
        assert (seen := bench.snapshot_of("buoy")) is not None
    # Blocks are no lines, no sentences and no garbage.
    assert (seen.line.frames, seen.line.framed_bytes) == (0, 0)
    for blocks, bulk, way in zip(found.directions, found.bulk, post.ways, strict=True):
        assert (blocks.sent, blocks.settled) == (60, 60)
        assert (bulk.changed, bulk.missing, bulk.added) == tuple(
            way.bytes[each] for each in ("changed", "missing", "added")
        )
        assert bulk.payload_bytes == 256 * blocks.delivered
    assert verdict(found).result == ("holds" if name == "none" else "fails")
    source = Source(capture)
    source.lanes()
    assert [trial_object(each) for each in source.trials] == [trial_object(found)]


def test_a_throughput_for_a_time_over_a_bad_cable(tmp_path: Path) -> None:
    """Lines lost and doubled: the sums hold, and a claim beyond the line is called what it is."""
    faults = CableFaults(lost=0.02, doubled=0.02)
    with cable(tmp_path, faults) as post, session(tmp_path, *LANES) as bench:
        found = run(bench, throughput(probes=0, for_s=4.0, one_way=True, at_least=1e6))
    (blocks,), (bulk,), way = found.directions, found.bulk, post.ways[0]
    assert blocks.sent == blocks.settled > 100
    assert bulk.added - bulk.missing == way.bytes["added"] - way.bytes["missing"]
    assert bulk.steady is not None
    said = verdict(found)
    assert said.result == "fails" and "not reached" in said.why
    assert "claim-impossible" in [each.id for each in said.findings]


def test_a_line_that_is_held_is_a_stall(tmp_path: Path) -> None:
    with cable(tmp_path) as post, session(tmp_path, *LANES) as bench:
        trial = Trial(bench, throughput(probes=0, for_s=60.0, one_way=True))
        bench.operations.begin(trial)

        def stalls() -> int:
            return len(trial.result.bulk[0].stalls) if trial.result else 0

        until(lambda: trial.result and trial.result.directions[0].delivered > 3)
        post.ways[0].held = True
        until(lambda: post.terminals[0].queued == 0 and stalls() >= 1)
        post.ways[0].held = False
        until(lambda: trial.result and trial.result.bulk[0].steady)
        trial.stop()
        assert trial.wait(LIMIT_S) and trial.result is not None
        found = trial.result
    assert found.bulk[0].stalls[0].seconds >= 0.5
    assert found.bulk[0].missing == found.bulk[0].added == 0
    assert "stall" in [each.id for each in verdict(found).findings]
