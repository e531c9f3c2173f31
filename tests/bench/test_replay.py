"""A replay obeys its commands in their order, from wherever they come and however fast; its indexer may fail."""

import os
import signal
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.bench.test_bench import recorded
from tests.streams import BEGIN, said
from tests.waiting import until

from pale_heron.bench.model import Model
from pale_heron.bench.replay import indexer
from pale_heron.bench.replay.indexer import LARGE_BYTES, Found, survey
from pale_heron.bench.replay.replay import Replay
from pale_heron.bench.snapshot import BenchSnapshot, ReplayState
from pale_heron.core.frames import SECOND, Chunk, Event
from pale_heron.core.trouble import Trouble
from pale_heron.sim.scenes import SCENES

SECONDS = 1700


@pytest.fixture(scope="module")
def path(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Half an hour, large enough for an indexer of its own process."""
    return recorded(tmp_path_factory.mktemp("replay") / "a.pcapng", said(SECONDS, SCENES["saltmarsh"]))


@pytest.fixture(scope="module")
def straight(path: Path) -> dict[int, int]:
    """How many frames there are at each second, seen by one replay that only goes forward."""
    replay = Replay(path, playing=False)
    replay.start()
    found = {}
    for second in range(0, SECONDS, 10):
        replay.seek(BEGIN + second * SECOND)
        found[second] = settled(replay).lanes[0].line.frames
    replay.stop()
    return found


def state_of(snapshot: BenchSnapshot) -> ReplayState:
    assert snapshot.replay is not None
    return snapshot.replay


def settled(replay: Replay) -> BenchSnapshot:
    """What it shows when it has obeyed."""
    until(lambda: not state_of(replay.snapshot()).seeking)
    return replay.snapshot()


@pytest.fixture
def paused(path: Path) -> Iterator[Replay]:
    replay = Replay(path, playing=False)
    replay.start()
    until(lambda: replay.snapshot().now == BEGIN)
    yield replay
    replay.stop()


def test_presses_that_come_fast_add_up(paused: Replay) -> None:
    for _ in range(30):
        paused.skip(10)
    assert settled(paused).now == BEGIN + 300 * SECOND
    for _ in range(20):
        paused.skip(-10)
    for _ in range(5):
        paused.skip(10)
    assert settled(paused).now == BEGIN + 150 * SECOND


def test_two_jumps_in_a_row_leave_true_figures(paused: Replay, straight: dict[int, int]) -> None:
    paused.seek(BEGIN + 1100 * SECOND)
    paused.seek(BEGIN + 700 * SECOND)
    shown = settled(paused)
    assert (shown.now, shown.lanes[0].line.frames) == (BEGIN + 700 * SECOND, straight[700])


def test_a_long_way_is_gone_in_a_hurry_and_leads_to_the_same(
    path: Path, straight: dict[int, int], monkeypatch: pytest.MonkeyPatch
) -> None:
    def arrived(second: int, *, surveyed: bool) -> tuple[int, int, list[object]]:
        """Frames, the number behind the last line, and the last lines; states were kept, or there are none."""
        replay = Replay(path, playing=False)
        replay.start()
        if surveyed:
            until(lambda: replay.surveyed)
            assert replay._indexer is not None
            assert second < 1000 or replay._indexer.nearest(BEGIN + second * SECOND)
        replay.seek(BEGIN + second * SECOND)
        frames, lines = settled(replay).lanes[0].line.frames, replay.lines
        found = frames, lines.end, [lines.log.get(number) for number in range(lines.end - 20, lines.end)]
        replay.stop()
        return found

    plain = {second: arrived(second, surveyed=False) for second in (300, 1690)}
    hurried, hurry = [], Model.hurry
    monkeypatch.setattr(Model, "hurry", lambda model, *records: hurried.append(records) or hurry(model, *records))
    for name, value in (("SHOWN_BYTES", 20_000), ("HURRIED", 100)):
        monkeypatch.setattr(f"pale_heron.bench.replay.replay.{name}", value)
    for second, wanted in plain.items():
        assert wanted[0] == straight[second]
        for surveyed in (False, True):
            hurried.clear()
            assert arrived(second, surveyed=surveyed) == wanted
            assert hurried


@given(st.lists(st.sampled_from(["skip", "back", "seek", "step", "toggle", "faster"]), max_size=12), st.randoms())
@settings(max_examples=8)
def test_whatever_was_asked_in_between_a_moment_shows_the_same(
    path: Path, straight: dict[int, int], asked: list[str], chance: object
) -> None:
    """From several threads at once."""
    replay = Replay(path, playing=False, speed=1000.0)
    replay.start()
    moments = sorted(straight)
    commands = {
        "skip": lambda: replay.skip(10),
        "back": lambda: replay.skip(-10),
        "seek": lambda: replay.seek(BEGIN + chance.choice(moments) * SECOND),  # type: ignore[attr-defined]
        "step": replay.step,
        "toggle": replay.toggle,
        "faster": lambda: replay.faster(1),
    }
    half = len(asked) // 2
    other = threading.Thread(target=lambda: [commands[each]() for each in asked[:half]])
    other.start()
    for each in asked[half:]:
        commands[each]()
    other.join()
    replay.step()
    settled(replay)
    replay.seek(BEGIN)
    replay.step()
    replay.seek(BEGIN + 650 * SECOND)
    shown = settled(replay)
    replay.stop()
    assert (shown.now, shown.lanes[0].line.frames) == (BEGIN + 650 * SECOND, straight[650])


def test_a_scout_whose_process_is_killed_does_not_count_as_done(path: Path, straight: dict[int, int]) -> None:
    assert path.stat().st_size > LARGE_BYTES
    replay = Replay(path, playing=False)
    indexer = replay._indexer
    assert indexer is not None
    real = indexer._take

    def take(found: Found) -> None:
        real(found)
        if indexer._process is not None and indexer._process.pid is not None and indexer._process.is_alive():
            os.kill(indexer._process.pid, signal.SIGKILL)

    indexer._take = take  # type: ignore[method-assign]  # the moment at which it is killed
    replay.start()
    try:
        until(lambda: replay.snapshot().fault)
        assert "ended before its end" in replay.snapshot().fault
        assert not replay.surveyed and not state_of(replay.snapshot()).surveyed
        replay.seek(BEGIN + 1100 * SECOND)
        assert settled(replay).lanes[0].line.frames == straight[1100], "it is slower, and right"
    finally:
        replay.stop()


@pytest.mark.parametrize("fault", [ValueError("an owl in the works"), Trouble("the disk is gone"), OSError(5, "no")])
def test_a_scout_that_fails_says_so(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, fault: Exception) -> None:
    def failing(path: Path) -> Iterator[Found]:
        yield next(survey(path))
        raise fault

    monkeypatch.setattr(indexer, "survey", failing)
    replay = Replay(recorded(tmp_path / "a.pcapng", said(5)), playing=False)
    replay.start()
    until(lambda: replay.snapshot().fault)
    assert not state_of(replay.snapshot()).surveyed
    replay.stop()


def test_a_file_that_cannot_be_read_on_is_told_and_can_be_left(paused: Replay, straight: dict[int, int]) -> None:
    """It stands where it is and says why, instead of seeking for ever; another jump begins anew."""
    settled(paused)
    paused._records = failing_disk()
    paused.seek(BEGIN + 900 * SECOND)
    until(lambda: "Input/output error" in state_of(paused.snapshot()).torn)
    assert not state_of(paused.snapshot()).seeking and not state_of(paused.snapshot()).playing
    paused.seek(BEGIN + 100 * SECOND)
    until(lambda: not state_of(paused.snapshot()).torn)
    assert settled(paused).lanes[0].line.frames == straight[100]


def failing_disk() -> Iterator[Chunk | Event]:
    """It gives nothing, and never will."""
    raise OSError(5, "Input/output error")
    yield
