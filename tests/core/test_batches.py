"""Sentences taken many at a time: the same as one by one, whatever comes and however it is cut."""

import random
from array import array
from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from functools import partial
from itertools import product
from typing import Any

import numpy as np
import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from tests.receivers import FULL, LIVELY, QUIET, SAID, WILD, cut, little_is_enough, receiver
from tests.streams import BEGIN, HOSTILE, RTCM, chunk, pieces_of_streams, sentences

from pale_heron.bench.pipeline import Pipeline
from pale_heron.core import utc
from pale_heron.core.clock.own_time import OwnTime
from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event, Frame
from pale_heron.core.gnss.batches import steady
from pale_heron.core.gnss.batches.lists import due
from pale_heron.core.gnss.satellites.signals import SignalLog
from pale_heron.core.lane import Lane
from pale_heron.core.nmea import raw
from pale_heron.core.nmea.columns import NONE, FieldColumn
from pale_heron.core.nmea.degrees import unpack
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.raw_lane import RawLaneFeeder, step_event
from pale_heron.core.wire.batcher import stretches
from pale_heron.core.wire.framer import Framer
from pale_heron.core.wire.sentence_batch import Addresses, SentenceBatch
from pale_heron.sim.curlew import Curlew
from pale_heron.sim.scenes import SCENES

__all__ = ["little_is_enough"]

MS = 1_000_000
seeds = st.integers(0, 1 << 32).map(random.Random)
"""Long streams: chance makes them, and finds a shorter one in vain."""

# Framing


def none_odd(batch: SentenceBatch) -> Any:
    return np.zeros(len(batch), np.bool_)


def cut_in_batches(chunks: Sequence[Chunk], ending: str, at_a_time: int) -> tuple[list[Frame], int]:
    """The frames, and how many of them stood in batches."""
    framer, addresses, frames, many = Framer("curlew", IN, ending=ending), Addresses(), [], 0
    for at in range(0, len(chunks), at_a_time):
        for stretch in stretches(framer, chunks[at : at + at_a_time], addresses, none_odd):
            if stretch.batch is None:
                frames += [frame for each in stretch.chunks for frame in framer.feed(each)]
                continue
            many += len(stretch.batch)
            assert stretch.ended[-1] == len(stretch.batch)
            frames += [*stretch.batch.run(), *stretch.frames]
    return frames + framer.finish(), many


ODD_BYTES = (b"\r", b"\n", b"$", b"!", b"*", b",", b"\xd3\x00", b"\x00", b"A", b"\r\n\r\n", RTCM, HOSTILE, b"> ")


@settings(max_examples=10, phases=[Phase.generate])
@given(
    seeds,
    pieces_of_streams,
    st.integers(0, 12),
    st.sampled_from(["auto", "lf", "crlf", "cr"]),
    st.integers(1, 400),
)
def test_the_frames_are_those_of_the_framer(
    chance: random.Random, pieces: list[bytes], odd: int, ending: str, at_a_time: int
) -> None:
    data = bytearray(b"".join(receiver(chance, epochs=150, kinds=FULL)))
    for piece in (*pieces, *(chance.choice(ODD_BYTES) for _ in range(odd))):
        at = chance.randrange(len(data))
        data[at:at] = piece
    chunks, at, now = [], 0, BEGIN
    while at < len(data):
        size = chance.choice((0, 1, 7, 90, 600, 4096, 20_000))
        chunks.append(chunk(bytes(data[at : at + size]), now))
        now += chance.choice((0, 5 * MS, 90 * MS, 299 * MS, 301 * MS, 4 * SECOND, -SECOND))
        at += size
    framer = Framer("curlew", IN, ending=ending)
    one_by_one = [frame for each in chunks for frame in framer.feed(each)] + framer.finish()
    assert cut_in_batches(chunks, ending, at_a_time)[0] == one_by_one


@pytest.mark.parametrize("ending", ["auto", "lf"])
def test_of_the_shortest_streams_too(ending: str) -> None:
    for size in range(1, 5):
        for letters in product(b"\n\r$*,A", repeat=size):
            cut = [chunk(bytes(letters), BEGIN)]
            framer = Framer("curlew", IN, ending=ending)
            assert cut_in_batches(cut, ending, 1)[0] == [*framer.feed(cut[0]), *framer.finish()], letters


def test_nearly_all_of_a_plain_stream_stands_in_batches() -> None:
    data = b"".join(receiver(random.Random(1), epochs=400, kinds=FULL))
    chunks = [chunk(data[at : at + 1000], BEGIN + at * 1000) for at in range(0, len(data), 1000)]
    frames, many = cut_in_batches(chunks, "auto", 1 << 20)
    assert many == len(frames) == data.count(b"\n")


def test_a_name_without_end_fills_no_memory() -> None:
    addresses = Addresses()
    for first in range(4):
        keys = [int.from_bytes(b"A%07d" % (1000 * first + each), "little") for each in range(1000)]
        addresses.numbers(np.array(keys, np.uint64))
    assert len(addresses.names) <= 100


# Fields


FIELDS = [
    *(
        b"",
        b"0",
        b"-0.0",
        b".5",
        b"5.",
        b".",
        b"-",
        b"+3",
        b"12.5.6",
        b"1e5",
        b"007",
        b"999999999999",
        b"1000000000000",
    ),
    *(b"123456789012345.5", b"0000000000000000001.5", b"094001.00", b"094001", b"094001.", b"240000", b"235960"),
    *(b"235959.999999999", b"235959.9999999999", b"4607.03812", b"06718.40058", b"9000.0001", b"18000.0", b"4660.0"),
]
texts = st.one_of(
    st.sampled_from(FIELDS),
    st.text("0123456789.+-A", max_size=20).map(str.encode),
    st.from_regex(r"\A[0-9]{2,3}[0-5][0-9]\.[0-9]{3,9}\Z").map(str.encode),
    st.from_regex(r"\A[0-2][0-9][0-5][0-9][0-6][0-9](\.[0-9]{1,10})?\Z").map(str.encode),
)


def column(values: Sequence[bytes]) -> FieldColumn:
    ends = np.cumsum([len(each) + 1 for each in values]) - 1
    data = np.frombuffer(b",".join(values) + b",", np.uint8)
    return FieldColumn(data, ends - np.array([len(each) for each in values]), ends)


@settings(max_examples=30)
@given(st.lists(st.tuples(texts, st.sampled_from([b"N", b"S", b"", b"X", b"NS"])), min_size=1, max_size=200))
def test_columns_are_what_is_read_of_each(rows: list[tuple[bytes, bytes]]) -> None:
    field, letters = column([text for text, _ in rows]), column([letter for _, letter in rows])
    for found, read in (
        (field.numbers(), raw.number),
        (field.counts(), raw.count),
        (field.times_of_day(), raw.time_of_day),
    ):
        assert [plain(each) for each in found.tolist()] == [read(text) for text, _ in rows], read
    angles = field.angles(letters, "NS").tolist()
    assert [plain(each) for each in angles] == [unpacked(*each) for each in rows]
    assert [field.text(row) for row in range(len(rows))] == [text for text, _ in rows]


def plain(value: float) -> float | None:
    return None if value != value or (value == NONE and isinstance(value, int)) else value


def unpacked(digits: bytes, letter: bytes) -> float | None:
    try:
        return unpack(digits.decode(), letter.decode(), "NS")
    except ValueError:
        return None


# Whole lanes


CACHES = ("_names", "_routes", "_strengths", "_places", "_addresses", "_reception", "_reception_until", "_scan")
MODULES = ("module", "_dialects", "_book")
LEFT_OUT = (*CACHES, *MODULES)
"""What depends on what was looked up, and never on what was said; what never takes batches."""


def state(thing: Any) -> Any:
    """All that an object holds, so that two can be compared."""
    if isinstance(thing, Frame) or thing is None or isinstance(thing, int | float | str | bytes):
        return repr(thing)
    if isinstance(thing, array):
        return thing.typecode, thing.tobytes()
    if isinstance(thing, list | tuple | deque) and not hasattr(thing, "_fields"):
        return [state(each) for each in thing]
    if isinstance(thing, Mapping):
        return [(state(key), state(value)) for key, value in thing.items()]
    if isinstance(thing, set | frozenset):
        return sorted(repr(state(each)) for each in thing)
    names = [
        *getattr(thing, "_fields", ()),
        *getattr(thing, "__dict__", ()),
        *(each for kind in type(thing).__mro__ for each in getattr(kind, "__slots__", ())),
    ]
    found = {name: getattr(thing, name) for name in names if name not in LEFT_OUT and hasattr(thing, name)}
    return type(thing).__name__, {name: state(value) for name, value in found.items() if not callable(value)}


def compare(chunks: Sequence[Chunk], at_a_time: int, kept: int | None = None) -> None:
    """A lane fed many at a time stands just as one fed chunk by chunk, with time passing beside it."""
    one, many = Lane("curlew", epochs_kept=kept), Lane("curlew", epochs_kept=kept)
    for lane in (one, many):
        lane.event(Event(BEGIN, "curlew", "opened", {"rate": 9600}))
    pipeline: Pipeline[Lane] = Pipeline(lambda _: one)
    for each in chunks:
        pipeline.feed((each,))
    run: list[Chunk] = []
    for each in (*chunks, None):
        if each is not None and each.direction is IN:
            run.append(each)
        if run and (each is None or each.direction is OUT or sum(len(one.data) for one in run) >= at_a_time):
            many.feed_many(run)
            run = []
        if each is not None and each.direction is OUT:
            many.feed(each)
    settle_lags(one, many)
    now = chunks[-1].time
    wanted, found = state((one, one.snapshot(now))), state((many, many.snapshot(now)))
    found_differences = list(differences(wanted, found))
    assert not found_differences, found_differences[:3]


def settle_lags(*lanes: Lane) -> None:
    """Rows of lags that wait to be folded are no state."""
    for lane in lanes:
        lane._believed.lag.settle()


def differences(one: Any, other: Any, where: str = "") -> Iterator[str]:
    """Where two states differ."""
    if one == other:
        return
    names = None
    if isinstance(one, dict) and isinstance(other, dict) and one.keys() == other.keys():
        names = list(one)
    elif isinstance(one, list | tuple) and isinstance(other, list | tuple) and len(one) == len(other):
        names = list(range(len(one)))
    if names is None:
        yield f"{where}: {one!s:.200} is now {other!s:.200}"
        return
    for name in names:
        yield from differences(one[name], other[name], f"{where} {name}")


@settings(max_examples=10, deadline=None, phases=[Phase.generate])
@given(
    seeds,
    st.sampled_from(list(SAID)),
    st.sampled_from([QUIET, LIVELY, LIVELY, WILD]),
    st.sampled_from([1, 1, 5, 10]),
    st.sampled_from([8000, 60_000, 1 << 20]),
    st.sampled_from([None, 40]),
)
def test_a_lane_stands_as_if_it_were_fed_chunk_by_chunk(
    chance: random.Random, said: str, odd: dict[str, float], hertz: int, at_a_time: int, kept: int | None
) -> None:
    data = list(receiver(chance, epochs=300, kinds=SAID[said], hertz=hertz, **odd))
    compare(cut(chance, data, hertz), at_a_time, kept)


@settings(max_examples=8, deadline=None, phases=[Phase.generate])
@given(
    seeds, st.sampled_from(["RMC and the sky", "all of it"]), st.sampled_from([3, 20, 90]), st.sampled_from([3, 160])
)
def test_signals_are_thinned_as_if_lists_were_heard_one_by_one(
    chance: random.Random, said: str, points: int, satellites: int
) -> None:
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("pale_heron.core.gnss.satellites.sky.SignalLog", partial(SignalLog, points))
        for module in ("satellites.signals", "batches.signal_points"):
            patch.setattr(f"pale_heron.core.gnss.{module}.MOST_SATELLITES", satellites)
        data = list(receiver(chance, epochs=300, kinds=SAID[said], **QUIET))
        compare(cut(chance, data, 1), 60_000)


def test_a_log_behind_a_later_one_begins_no_earlier() -> None:
    """Lags are told since the first that told, not since the earliest time."""
    chunks = []
    for begun in (7200, 0):
        for second in range(begun, begun + 150):
            moment = BEGIN + second * SECOND
            said = f"GNZDA,{utc.clock(moment, 2).replace(':', '')},{utc.iso(moment)[8:10]},05,2031,00,00"
            chunks.append(chunk(sentences(said, "GNTXT,01,01,02,so far"), moment))
    compare(chunks, sum(len(each.data) for each in chunks[:151]))


@given(
    times=st.lists(st.integers(0, 300), min_size=1, max_size=40),
    ordered=st.booleans(),
    last=st.none() | st.integers(-20, 100),
    spacing=st.integers(1, 30),
)
def test_which_lists_are_due_is_as_if_each_were_asked(
    times: list[int], ordered: bool, last: int | None, spacing: int
) -> None:
    told, taken, wanted = sorted(times) if ordered else times, last, []
    for place, time in enumerate(told):
        if taken is None or time - taken >= spacing:
            wanted.append(place)
            taken = time
    assert due(np.array(told), last, spacing).tolist() == wanted


@pytest.mark.parametrize("before", [199, 200, 201])
def test_midnight_is_a_time_like_any(before: int) -> None:
    chunks = []
    for second in range(-before, 200):
        moment = BEGIN // utc.DAY * utc.DAY + utc.DAY + second * SECOND
        time, date = utc.clock(moment, 2).replace(":", ""), utc.iso(moment)
        where = f"4607.{38000 + second:05d},S,06718.40000,W"
        said = f"GNRMC,{time},A,{where},0.4,212.0,{date[8:10]}{date[5:7]}{date[2:4]},,,A,V"
        chunks.append(chunk(sentences(said, f"GNGGA,{time},{where},1,11,0.8,3.4,M,11.2,M,,"), moment))
    # The second batch begins where the last time that was told is about midnight.
    compare(chunks, sum(len(each.data) for each in chunks[:201]))


@settings(max_examples=10, deadline=None, phases=[Phase.generate])
@given(
    seeds, st.sampled_from(list(SAID)), st.sampled_from([QUIET, LIVELY, WILD]), st.sampled_from([1, 10]), st.booleans()
)
def test_a_raw_file_is_the_same_as_its_frames_one_by_one(
    chance: random.Random, said: str, odd: dict[str, float], hertz: int, anchored: bool
) -> None:
    data = b"".join(receiver(chance, epochs=400, kinds=SAID[said], hertz=hertz, **odd))
    framer = Framer("curlew", IN)
    frames = [*framer.feed(chunk(data, None)), *framer.finish()]
    one, many = Lane("curlew", raw=True, epochs_kept=None), Lane("curlew", raw=True, epochs_kept=None)
    own, others = OwnTime(), OwnTime()
    for each in (own, others) if anchored else ():
        each.anchor(frames)
    for frame in frames:
        time = own.read(frame)
        if own.step:
            one.event(step_event("curlew", own))
        one.take((frame._replace(time=time),))
    feeder, size = RawLaneFeeder(many, others), chance.choice((7000, 30_000))
    pieces = [data[at : at + size] for at in range(0, len(data), size)]
    for at in range(0, len(pieces), 4):
        feeder.feed(pieces[at : at + 4])
    feeder.finish()
    settle_lags(one, many)
    found_differences = list(
        differences(state((one, own, one.snapshot(None))), state((many, others, many.snapshot(None))))
    )
    assert not found_differences, found_differences[:3]


@pytest.mark.parametrize("scene", SCENES)
def test_every_scene_is_the_same(scene: str) -> None:
    curlew = Curlew(SCENES[scene], 7)
    chunks = [chunk(curlew.epoch(float(second)), BEGIN + second * SECOND) for second in range(400)]
    chunks.insert(200, chunk(sealed("PXYZQ,ask"), BEGIN + 200 * SECOND, direction=OUT))
    compare(chunks, 60_000)


def test_what_can_never_be_taken_many_at_a_time_is_not_tried_again_and_again(monkeypatch: pytest.MonkeyPatch) -> None:
    tried, look = 0, steady.SteadyFeeder._odd

    def counted(self: steady.SteadyFeeder, at: int) -> Any:
        nonlocal tried
        tried += 1
        return look(self, at)

    monkeypatch.setattr(steady.SteadyFeeder, "_odd", counted)
    data = list(receiver(random.Random(2), epochs=2000, kinds=("GNS", "RMC", "GSV")))
    Lane("curlew").feed_many([chunk(each, BEGIN + place * SECOND) for place, each in enumerate(data)])
    assert 0 < tried < 12


def test_many_really_are_taken_at_a_time(monkeypatch: pytest.MonkeyPatch) -> None:
    one_by_one = 0
    feed = steady.SteadyFeeder._one_by_one

    def counted(self: steady.SteadyFeeder, begin: int, end: int) -> int:
        nonlocal one_by_one
        one_by_one += end - begin
        return feed(self, begin, end)

    monkeypatch.setattr(steady.SteadyFeeder, "_one_by_one", counted)
    data = list(receiver(random.Random(2), epochs=2000, kinds=FULL))
    lane = Lane("curlew")
    lane.feed_many([chunk(each, BEGIN + place * SECOND) for place, each in enumerate(data)])
    assert one_by_one < 0.05 * b"".join(data).count(b"\n")
