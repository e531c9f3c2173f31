"""Chunks that are taken together give the same lines, in the same order, and the same lanes."""

import random
from collections.abc import Sequence
from itertools import pairwise

import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from tests.core.test_batches import differences, state
from tests.receivers import LIVELY, QUIET, SAID, WILD, cut, little_is_enough, receiver
from tests.streams import BEGIN, chunk, sentences

from pale_heron.bench.lane_pipeline import LanePipeline
from pale_heron.bench.model import Model
from pale_heron.bench.pipeline import Record
from pale_heron.core.clock.events import PULSE_SOURCE
from pale_heron.core.frames import OUT, SECOND, Chunk, Event, Frame
from pale_heron.core.lane import Lane
from pale_heron.core.runs import Entry

__all__ = ["little_is_enough"]

seeds = st.integers(0, 1 << 32).map(random.Random)


def records_of(chance: random.Random, epochs: int) -> list[Record]:
    """A capture of some receivers, now and then with a module beside them."""
    records: list[Record] = []
    for place in range(chance.randrange(1, 4)):
        name, hertz = f"lane{place}", chance.choice((1, 5))
        odd = chance.choice((QUIET, QUIET, LIVELY, WILD))
        said = receiver(chance, epochs=epochs, kinds=SAID[chance.choice(list(SAID))], hertz=hertz, **odd)
        records += cut(chance, list(said), hertz, name)
        records.append(Event(BEGIN - 1, name, "opened", {"rate": 9600}))
    if chance.random() < 0.5:
        for second in range(0, 20, 3):
            records.append(chunk(b"AT+CSQ\r\n", BEGIN + second * SECOND, "module", OUT))
            records.append(chunk(b"\r\n+CSQ: 11,99\r\n\r\nOK\r\n", BEGIN + second * SECOND + 30_000_000, "module"))
    for _ in range(chance.randrange(3)):
        records.append(Event(BEGIN + chance.randrange(20) * SECOND, "", "mark", {"text": "here"}))
    if chance.random() < 0.3:
        records.append(Event(BEGIN + 7 * SECOND, "lane0", "lost", {"reason": "gone"}))
        records.append(Event(BEGIN + 8 * SECOND, "lane0", "returned", {"rate": 9600}))
    records.sort(key=lambda record: record.time or 0)
    return records


def fed(records: Sequence[Record], at_a_time: int, lines: bool = True) -> tuple[Model, list[Entry]]:
    model, entries = Model(lines=lines), []
    for at in range(0, len(records), at_a_time):
        entries += model.feed(*records[at : at + at_a_time])
    return model, [*entries, *model.finish()]


@settings(max_examples=8, deadline=None, phases=[Phase.generate])
@given(seeds, st.sampled_from([50, 300, 2000]))
def test_lines_and_lanes_are_the_same_however_many_records_are_fed(chance: random.Random, at_a_time: int) -> None:
    records = records_of(chance, 150)
    one, wanted = fed(records, 1)
    many, found = fed(records, at_a_time)
    assert found == wanted
    end = records[-1].time
    assert not list(differences(state(one.snapshots(end)), state(many.snapshots(end))))
    assert not list(differences(state(one._pipeline.lanes), state(many._pipeline.lanes)))


@settings(max_examples=12, deadline=None, phases=[Phase.generate])
@given(seeds, st.sampled_from([4_000, 20_000, 1 << 20]))
def test_lanes_are_the_same_where_nobody_wants_lines(chance: random.Random, gathered: int) -> None:
    records = records_of(chance, 150)
    one, _ = fed(records, 1)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("pale_heron.bench.lane_pipeline.GATHERED_BYTES", gathered)
        many, _ = fed(records, 1000, lines=False)
    end = records[-1].time
    assert not list(differences(state(one.snapshots(end)), state(many.snapshots(end))))
    assert not list(differences(state(one.published), state(many.published)))


@settings(max_examples=8, deadline=None, phases=[Phase.generate])
@given(seeds, st.sampled_from([4_000, 20_000, 1 << 20]))
def test_lines_behind_a_hurry_have_the_numbers_that_they_always_had(chance: random.Random, gathered: int) -> None:
    records = records_of(chance, 150)
    plain, _ = fed(records, 300)
    model = Model()
    ends = sorted(chance.randrange(len(records)) for _ in range(chance.choice((2, 2, 4))))
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("pale_heron.bench.lane_pipeline.GATHERED_BYTES", gathered)
        for place, (begin, end) in enumerate(pairwise([0, *ends, len(records)])):
            # Slowly at first, then in a hurry, and slowly again.
            take, most = (model.hurry, 1000) if place % 2 else (model.feed, 300)
            for at in range(begin, end, most):
                take(*records[at : min(end, at + most)])
        model.finish()
    assert model.log.end == plain.log.end
    lines = [(model.log.get(number), plain.log.get(number)) for number in range(model.log.begin, model.log.end)]
    assert all(line == wanted for line, wanted in lines)
    moment, hurried_to = records[-1].time or 0, max((record.time or 0) for record in records[: ends[-1] + 1])
    assert lines or moment - hurried_to < 4 * SECOND, "they are there again soon"
    assert not list(differences(state(plain.snapshots(moment)), state(model.snapshots(moment))))
    assert not list(differences(state(plain.published), state(model.published)))


def test_what_a_pause_has_ended_before_a_source_of_pulses_begins_is_not_heard() -> None:
    said = list(receiver(random.Random(3), epochs=60, kinds=SAID["all of it"]))
    records: list[Record] = [chunk(each, BEGIN + place * SECOND) for place, each in enumerate(said)]
    records += [
        chunk(sentences("GNZDA,094207.00,04,05,2031,00,00")[:-2], BEGIN + 60 * SECOND),
        Event(BEGIN + 70 * SECOND, "", PULSE_SOURCE, {"source": "printed:module"}),
        chunk(b"here\r\n", BEGIN + 71 * SECOND, "module"),
    ]
    one, many = fed(records, 1)[0], fed(records, 1000, lines=False)[0]
    for model in (one, many):
        model.publish(records[-1].time)
    assert one.published.clock.named == many.published.clock.named == ()


def test_chunks_are_taken_together(monkeypatch: pytest.MonkeyPatch) -> None:
    said = list(receiver(random.Random(3), epochs=300, kinds=SAID["all of it"]))
    records = [chunk(each, BEGIN + place * SECOND) for place, each in enumerate(said)]
    model = Model()
    model.feed(*records[:5])
    monkeypatch.setattr("pale_heron.core.lane.Lane.feed", lambda *_: pytest.fail("one by one"))
    assert isinstance(model._pipeline, LanePipeline)
    assert model.feed(*records[5:])


def test_what_lies_between_two_odd_pieces_is_taken_together(monkeypatch: pytest.MonkeyPatch) -> None:
    said = list(receiver(random.Random(3), epochs=600, kinds=SAID["all of it"]))
    records = [chunk(each, BEGIN + place * SECOND) for place, each in enumerate(said)]
    for place in (100, 101, 350):
        records[place] = chunk(b"hello, this is no sentence\r\n", BEGIN + place * SECOND)
    records[500] = records[500]._replace(time=BEGIN)
    model, feed, alone = Model(), Lane.feed, []
    model.feed(*records[:5])

    def counted(self: Lane, record: Chunk) -> list[Frame]:
        alone.append(record)
        return feed(self, record)

    monkeypatch.setattr(Lane, "feed", counted)
    model.feed(*records[5:])
    assert alone == [records[place] for place in (100, 101, 350, 500)]
