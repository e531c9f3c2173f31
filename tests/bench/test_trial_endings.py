"""How trials end: early, at once, without a lane, or begun before their far end is there."""

from pathlib import Path

import pytest
from tests.bench.test_trial import LANES, PATIENCE_S, cable, came, delivery, session
from tests.bench.test_trial_kinds import session_of_later
from tests.waiting import LIMIT_S, until

from pale_heron.bench.operations import trial as trial_operation
from pale_heron.bench.operations.answering import Answering
from pale_heron.bench.operations.trial import Trial
from pale_heron.bench.sources import Source
from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.judging import completeness
from pale_heron.core.link.rules import parse_rule
from pale_heron.core.link.verdict import verdict
from pale_heron.sim.cable import CableFaults


@pytest.fixture(autouse=True)
def rated(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))


def test_a_lane_that_is_gone_for_good_ends_it_and_nothing_holds(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(trial_operation, "AWAY_AT_MOST_S", 0.3)
    with session_of_later(tmp_path) as (bench, plug):
        trial = Trial(bench, delivery(probes=1000, every_s=0.02, limit_s=0.3))
        bench.operations.begin(trial)
        until(lambda: came(trial) > 5)
        plug(False)
        until(lambda: trial.over)
        found = trial.result
    assert found is not None and found.ended_by == "lane-lost" and "was gone for" in trial.failure
    known, said = completeness(found), verdict(found)
    assert said.result == "inconclusive" and not known.complete and known.never_sent > 900
    assert "a lane was gone for too long" in said.why and "(lane away)" in said.why


def test_an_exchange_waits_for_its_lane(tmp_path: Path) -> None:
    """A round that the lane was lost over is not known; as many as were asked for are made."""
    rule = parse_rule("echo")
    with session_of_later(tmp_path) as (bench, plug):
        answering = Answering(bench, "buoy", rule)
        bench.operations.begin(answering)
        asked = TrialDescription(
            "exchange", 0, ("hide",), far="answer", rule=rule, every_s=0.02, probes=40, limit_s=5.0, wiring="direct"
        )
        trial = Trial(bench, asked)
        bench.operations.begin(trial)

        def right() -> int:
            return trial.result.exchange.right if trial.result and trial.result.exchange else 0

        until(lambda: right() > 5)
        plug(False)
        until(lambda: trial.state.startswith("waiting for"))
        plug(True)
        until(lambda: trial.over)
        answering.stop()
        found = trial.result
    assert found is not None and found.exchange is not None and trial.succeeded, trial.failure
    assert found.exchange.sent >= 40 and found.exchange.wrong == 0
    assert found.exchange.right >= 38 and {each.lane for each in found.away} == {"hide"}


def test_whoever_ends_it_hears_what_is_under_way(tmp_path: Path) -> None:
    """Once: the sending ends, and what is under way is listened for. Twice: at once, and that is not known."""
    faults = CableFaults(delay_s=0.5)
    for twice in (False, True):
        with cable(tmp_path, faults), session(tmp_path, *LANES) as bench:
            trial = Trial(bench, delivery(probes=1000, every_s=0.02, limit_s=PATIENCE_S))
            bench.operations.begin(trial)
            until(lambda trial=trial: trial.result is not None and trial.result.directions[0].sent > 20)
            trial.stop()
            if twice:
                until(lambda trial=trial: trial.state.startswith("waiting"))
                assert "under way; once more ends at once" in trial.state
                trial.stop()
            assert trial.wait(LIMIT_S) and trial.result is not None
            found = trial.result
        unknown = [each.unknown for each in found.directions]
        assert found.ended_by == "interrupted" and verdict(found).result == "inconclusive"
        assert all(each > 0 for each in unknown) if twice else unknown == [0, 0]
        assert all(each.settled + each.unknown == each.sent for each in found.directions)


def test_whoever_quits_has_a_whole_trial_in_the_record(tmp_path: Path) -> None:
    """q, or a signal: the lanes are closed when what is under way has come."""
    capture = tmp_path / "out.pcapng"
    with cable(tmp_path, CableFaults(delay_s=0.3)), session(tmp_path, *LANES, capture=capture) as bench:
        trial = Trial(bench, delivery(probes=0, every_s=0.02))
        bench.operations.begin(trial)
        until(lambda: trial.result is not None and trial.result.directions[0].sent > 20)
        bench.stop()
    source = Source(capture)
    source.lanes()
    (found,) = source.trials
    assert found.ended_by == "interrupted" and completeness(found).complete
    assert [each.unknown for each in found.directions] == [0, 0] and verdict(found).result == "holds"


def test_a_far_end_that_comes_up_later_is_waited_for(tmp_path: Path) -> None:
    with cable(tmp_path), session(tmp_path, "hide") as here, session(tmp_path, "buoy") as there:
        for kind in ("delivery", "throughput", "exchange"):
            answering = Answering(there, "buoy", parse_rule("plus 100") if kind == "exchange" else None)
            wanted = delivery(lanes=("hide",), far="answer", every_s=0.03, probes=8, wait_s=LIMIT_S, kind=kind)
            wanted = wanted._replace(size=256 if kind == "throughput" else 32, rule=parse_rule("plus 100"))
            trial = Trial(here, wanted)
            here.operations.begin(trial)
            until(lambda trial=trial: trial.state.startswith("waiting for the first sign"))
            there.operations.begin(answering)
            assert trial.wait(LIMIT_S)
            answering.stop()
            assert answering.wait(LIMIT_S)
            found = trial.result
            assert found is not None and found.waited_s is not None, trial.failure
            assert verdict(found).result == "holds", verdict(found).why
            assert completeness(found).sent == 8
