"""Lanes that several processes feed: the same as of one."""

import io
import pickle
import random
from pathlib import Path

import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from tests.bench.test_lane_pipeline import records_of
from tests.core.test_batches import differences, state
from tests.receivers import little_is_enough
from tests.streams import BEGIN, chunk, sentences

from pale_heron.bench import apart
from pale_heron.bench.apart import feed_share, shares, until_tied, weights
from pale_heron.bench.model import Model
from pale_heron.bench.pipeline import Record
from pale_heron.bench.sources import Source
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.clock.events import PULSE_SOURCE
from pale_heron.core.frames import SECOND, Chunk, Event

__all__ = ["little_is_enough"]

seeds = st.integers(0, 1 << 32).map(random.Random)
SWAP = "dialect", {"name": "sedge", "by": "the user"}


def capture_of(path: Path, records: list[Record], lanes: set[str]) -> Path:
    writer = CaptureWriter(path)
    for name in sorted(lanes):
        writer.add_lane(name, f"/dev/{name}", None)
    for record in records:
        if isinstance(record, Chunk):
            writer.chunk(record)
        elif isinstance(record, Event):
            writer.event(record)
    writer.close()
    return path


@settings(max_examples=10, deadline=None, phases=[Phase.generate])
@given(seeds, st.booleans())
def test_lanes_that_were_fed_apart_are_the_same(
    tmp_path_factory: pytest.TempPathFactory, chance: random.Random, tied: bool
) -> None:
    records = records_of(chance, 120)
    lanes = {record.lane for record in records if record.lane}
    some = chance.choice(sorted(lanes))
    records.append(Event(BEGIN + chance.randrange(30) * SECOND, some, *SWAP))
    if tied:
        source = {"source": f"printed:{some}"}
        records.append(Event(BEGIN + chance.randrange(60) * SECOND, "", PULSE_SOURCE, source))
    records.sort(key=lambda record: record.time or 0)
    path = capture_of(tmp_path_factory.mktemp("apart") / "a.pcapng", records, lanes)
    far = frozenset(name for name in lanes if chance.random() < 0.6)

    written = io.BytesIO()
    feed_share(path, far, written)
    written.seek(0)
    while not isinstance(handed := pickle.load(written), bytes):
        assert 0 < handed <= 1

    whole, parted = Model(lines=False), Model(lines=False)
    parted.part_with(far)
    for model in (whole, parted):
        model.know(sorted(lanes))
        before, rest = until_tied(records)
        for at in range(0, len(before), 500):
            model.feed(*before[at : at + 500])
        if model is parted:
            model.take_over(handed)
        model.feed(*rest)
        model.finish()
    end = records[-1].time
    assert not list(differences(state(whole.snapshots(end)), state(parted.snapshots(end))))
    assert not list(differences(state(whole.published), state(parted.published)))
    assert tied == bool(rest)


@pytest.mark.parametrize(
    ("weighed", "processes", "taken"),
    [
        ({"a": 10}, 2, []),
        ({}, 2, []),
        ({"a": 10, "b": 10}, 1, []),
        ({"a": 10, "b": 10}, 2, [{"a"}]),
        ({"a": 10, "b": 10, "c": 10}, 2, [{"a", "c"}]),
        ({"a": 10, "b": 10, "c": 10}, 8, [{"a"}, {"b"}]),
        ({"a": 1, "b": 100}, 2, []),
        ({"a": 50, "b": 30, "c": 20}, 2, [{"a"}]),
    ],
)
def test_who_takes_what(weighed: dict[str, int], processes: int, taken: list[set[str]]) -> None:
    assert shares(weighed, processes) == taken


@pytest.fixture
def large(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A capture that is worth several processes."""
    records: list[Record] = [
        chunk(
            sentences(f"GNZDA,{second // 60:04d}{second % 60:02d}.00,04,05,2031,00,00"), BEGIN + second * SECOND, name
        )
        for second in range(400)
        for name in ("bow", "stern")
    ]
    monkeypatch.setattr(apart, "LARGE_BYTES", 1)
    monkeypatch.setattr(apart, "processors", lambda: 2)
    return capture_of(tmp_path / "large.pcapng", records, {"bow", "stern"})


def alone(path: Path, monkeypatch: pytest.MonkeyPatch) -> object:
    with monkeypatch.context() as patch:
        patch.setattr(apart, "processors", lambda: 1)
        return state(Source(path).lanes())


def test_another_process_takes_its_share(large: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    taken, told = [], []
    take_over = Model.take_over
    monkeypatch.setattr(Model, "take_over", lambda model, handed: taken.append(handed) or take_over(model, handed))
    found = Source(large).lanes(told.append)
    assert len(taken) == 1
    assert told == sorted(told) and told[-1] <= 1
    assert not list(differences(state(found), alone(large, monkeypatch)))
    assert weights(large).keys() == {"bow", "stern"}


@pytest.mark.parametrize("what", ["false", "true", "no such program"])
def test_where_the_other_process_fails_this_one_does_it_all(
    large: Path, monkeypatch: pytest.MonkeyPatch, what: str
) -> None:
    monkeypatch.setattr("sys.executable", what)
    source = Source(large)
    assert not list(differences(state(source.lanes()), alone(large, monkeypatch)))
    assert source.duration_s == 399
