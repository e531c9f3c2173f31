"""One way from records to lines and lanes: however they are fed, and by whatever way, the result is the same."""

import random
from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.bench.test_lines import happenings
from tests.streams import BEGIN, GGA, chunk
from tests.waiting import until

from pale_heron.bench.config import dialects as dialects_module
from pale_heron.bench.config.dialects import table_of
from pale_heron.bench.model import Model
from pale_heron.bench.pipeline import Pipeline
from pale_heron.bench.replay.replay import Replay
from pale_heron.bench.sources import Source
from pale_heron.bench.summary import lane_object, summary
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import OUT, SECOND, Chunk, Event, Frame
from pale_heron.core.framing import Framing
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.settings import LineSettings, settings_details
from pale_heron.core.order import SLACK_NS, WINDOW_NS, Order
from pale_heron.core.runs import Entry

MS = 1_000_000
LANES = ("curlew", "bittern", "plover")
Record = Chunk | Event


def captured(path: Path, records: Sequence[Record], lanes: Sequence[str] = LANES) -> Path:
    """A capture of these records."""
    writer = CaptureWriter(path)
    for name in lanes:
        writer.add_lane(name, f"/dev/{name}", LineSettings())
    for record in records:
        writer.event(record) if isinstance(record, Event) else writer.chunk(record)
    writer.close()
    assert writer.failure == ""
    return path


def everything(seed: int, count: int = 400) -> list[Record]:
    """All that may happen to three lanes, one of them a module that is spoken to, out of order by a little."""
    chance = random.Random(seed)
    out: list[Record] = [Event(BEGIN, "", "recording", {"dialects": "kept"})] if seed % 2 else []
    names = {"late": "bittern"}
    out += [each._replace(lane=names.get(each.lane, each.lane)) for each in happenings(seed, count)]
    exchanges = [
        (b"AT\r", b"AT\r\r\nOK\r\n"),
        (b"AT+CSQ\r", b"\r\n+CSQ: 17,99\r\n\r\nOK\r\n"),
        (b"ATI\r\n", b"\r\nPlover 4.1\r\n\r\nOK\r\n"),
        (b"+++", b""),
        (b"AT+NONSENSE\r", b"\r\nERROR\r\n"),
    ]
    modules: list[Record] = []
    for _ in range(count // 10):
        moment = BEGIN + chance.randrange(count * 400) * MS
        told, answer = chance.choice(exchanges)
        modules.append(Chunk("plover", OUT, moment, told))
        if answer:
            modules.append(chunk(answer, moment + chance.choice([3, 90, 6000]) * MS, "plover"))
        if chance.random() < 0.2:
            details = {"name": "plover", "by": chance.choice(["chosen", "recognised"]), "table": table_of("plover")}
            modules.append(Event(moment + 5 * MS, "plover", "dialect", details))
        if chance.random() < 0.3:
            name = chance.choice(["dropped", "skipped", "start", "closed", "opened", "refused", "driver-errors"])
            details = {"bytes": 7, "mode": "cold", "reason": "x", "rate": 9600, "framing": 1}
            modules.append(Event(moment + 9 * MS, "plover", name, details))
    return sorted([*out, *modules], key=lambda each: (each.time or 0) + chance.randrange(90) * MS)


def lines_of(model: Model) -> list[Entry]:
    found = [model.log.get(number) for number in range(model.log.end)]
    assert None not in found
    return [each for each in found if each is not None]


def told(lane: LaneSnapshot) -> dict[str, object]:
    """What `summary` says of a lane."""
    return lane_object(lane, None)


def fed(records: Sequence[Record], cuts: random.Random | None = None, *, clock: bool = False) -> Model:
    """A model that has seen them all, one by one or in batches cut at random, with or without a clock beside them."""
    model = Model(log_lines=10**5)
    model.know(LANES)
    at = 0
    while at < len(records):
        size = cuts.randrange(1, 40) if cuts else 1
        if clock:
            soonest = min(each.time or 0 for each in records[at:])
            model.tick(soonest - (cuts.randrange(300) * MS if cuts else 0))
        model.feed(*records[at : at + size])
        at += size
    model.finish()
    return model


@settings(max_examples=15)  # an example takes a third of a second
@given(seed=st.integers(0, 10**6), cuts=st.integers(0, 10**6), clock=st.booleans())
def test_however_many_records_are_fed_at_a_time_the_result_is_the_same(seed: int, cuts: int, clock: bool) -> None:
    records = everything(seed, 120)
    one, many = fed(records), fed(records, random.Random(cuts), clock=clock)
    assert lines_of(one) == lines_of(many)
    end = max(each.time or 0 for each in records) + SECOND
    assert [told(each) for each in one.snapshots(end)] == [told(each) for each in many.snapshots(end)]


@pytest.mark.parametrize("seed", range(6))
def test_decode_traffic_summary_replay_and_reading_back_say_the_same(seed: int, tmp_path: Path) -> None:
    records = everything(seed)
    path = captured(tmp_path / "a.pcapng", records)
    live = fed(records, random.Random(seed), clock=True)
    lines = lines_of(live)
    assert list(Source(path).lines()) == lines
    assert list(Source(path).frames()) == [each for each in lines if isinstance(each, Frame)]
    source = Source(path)
    found = summary(source)
    assert [each["lane"] for each in found["lanes"]] == list(LANES)
    end = max(each.time or 0 for each in records)
    assert found["lanes"] == [told(each) for each in live.snapshots(end)]
    replay = Replay(path, at=2**62)
    replay.start()
    try:
        until(lambda: replay.snapshot().replay.ended and replay.snapshot().replay.surveyed)
        assert lines_of(replay.model) == lines
        assert [told(each) for each in replay.snapshot().lanes] == found["lanes"]
        back: list[Entry] = []
        history = replay._indexer.history if replay._indexer else None
        assert history is not None
        while (segment := history.segment(len(back))) is not None:
            assert segment.first == len(back) and segment.entries
            back += segment.entries
        assert back == lines[: len(back)]
        assert len(lines) - len(back) <= 4
    finally:
        replay.stop()


def test_lines_stand_in_the_order_of_their_times() -> None:
    """All that are whole within the window; what is later than that keeps its own lane's order."""
    for seed in range(8):
        records = everything(seed)
        floor = 0
        before: dict[tuple[str, str], int] = {}
        for entry in lines_of(fed(records)):
            time = entry.time or 0
            assert time > floor - WINDOW_NS - 90 * MS
            floor = max(floor, time)
            if isinstance(entry, Frame):
                stream = entry.lane, str(entry.direction)
                assert entry.offset >= before.get(stream, 0)
                before[stream] = entry.offset + len(entry.data)


OUT_CR = Chunk("plover", OUT, BEGIN, b"AT+CSQ\r")
ORDERS: dict[str, tuple[list[Record], list[tuple[str, bytes]]]] = {
    "a command that ends in CR stands before its answer": (
        [OUT_CR, chunk(b"\r\n+CSQ: 17,99\r\n", BEGIN + 20 * MS, "plover"), chunk(b"OK\r\n", BEGIN + 40 * MS, "plover")],
        [("plover", b"AT+CSQ\r"), ("plover", b"\r\n+CSQ: 17,99\r\n"), ("plover", b"OK\r\n")],
    ),
    "a line of another lane that ends later takes its place by its start": (
        [chunk(GGA[:20], BEGIN), chunk(b"here\r\n", BEGIN + 30 * MS, "bittern"), chunk(GGA[20:], BEGIN + 60 * MS)],
        [("curlew", GGA), ("bittern", b"here\r\n")],
    ),
    "one that ends after the window stands where it ends": (
        [
            chunk(b"slow", BEGIN),
            *(
                chunk(b"." if of == "curlew" else b"tick\r\n", BEGIN + at * 100 * MS, of)
                for at in range(1, 30)
                for of in ("bittern", "curlew")
            ),
        ],
        [],
    ),
    "what is sent without a line end is whole, and the next is another": (
        [Chunk("plover", OUT, BEGIN, b"+++"), Chunk("plover", OUT, BEGIN + 50 * MS, b"ATH\r")],
        [("plover", b"+++"), ("plover", b"ATH\r")],
    ),
    "what is sent in several pieces is one": (
        [Chunk("plover", OUT, BEGIN, b"AT+", True), Chunk("plover", OUT, BEGIN + 90 * MS, b"CSQ\r")],
        [("plover", b"AT+CSQ\r")],
    ),
    "a lane set to LF keeps its CR, and what is sent on it does not": (
        [
            Event(BEGIN - 1, "curlew", "settings", settings_details(LineSettings(ending_in="lf"))),
            chunk(b"one\rtwo\n", BEGIN),
            Chunk("curlew", OUT, BEGIN + MS, b"AT\r"),
            chunk(b"three\n", BEGIN + 2 * MS),
        ],
        [("curlew", b"one\rtwo\n"), ("curlew", b"AT\r"), ("curlew", b"three\n")],
    ),
    "what was cut off by another rate is no begin of what comes then": (
        [
            Event(BEGIN - 1, "curlew", "opened", settings_details(LineSettings(9600))),
            chunk(b"$GPGGA,12", BEGIN),
            Event(BEGIN + 5 * MS, "curlew", "settings", settings_details(LineSettings(4800))),
            chunk(b"hello\r\n", BEGIN + 9 * MS),
        ],
        [("curlew", b"$GPGGA,12"), ("curlew", b"hello\r\n")],
    ),
    "a prompt without line end stands where it came": (
        [
            chunk(b"> ", BEGIN, "plover"),
            *(chunk(GGA, BEGIN + at * 100 * MS) for at in range(1, 12)),
        ],
        [("plover", b"> "), *[("curlew", GGA)] * 11],
    ),
}


@pytest.mark.parametrize("case", ORDERS)
def test_the_order_of_traffic(case: str, tmp_path: Path) -> None:
    records, expected = ORDERS[case]
    lines = [each for each in lines_of(fed(records)) if isinstance(each, Frame)]
    if expected:
        assert [(each.lane, each.data) for each in lines] == expected
        assert all((after.time or 0) >= (before.time or 0) for before, after in pairwise(lines))
    else:
        slow = next(at for at, each in enumerate(lines) if each.data.startswith(b"slow"))
        assert slow > 5, "it came to its end long after others"
    assert list(Source(captured(tmp_path / "a.pcapng", records)).frames()) == lines


def test_what_settled_stays_and_the_latest_may_still_move() -> None:
    order = Order()
    events = [Event(time, "", "mark", {"text": str(time)}) for time in (50, 10, 30)]
    order.add(events)
    assert [each.time for each in order.unsettled()] == [10, 30, 50]
    order.rise(31)
    assert [each.time for each in order.settled()] == [10, 30]
    order.add([Event(5, "", "mark", {})])
    assert [each.time for each in order.unsettled()] == [5, 50], "it is late: behind what has settled, before the rest"
    assert [each.time for each in order.finish()] == [5, 50]


@pytest.mark.parametrize("step", [0, -1])
def test_times_that_do_not_go_on_let_nothing_grow_for_ever(step: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("pale_heron.core.order.MOST_HELD", 100)
    records = [chunk(b"line %d\r\n" % at, BEGIN + at * step, LANES[at % 3]) for at in range(2000)]
    model = Model(log_lines=10**4)
    for record in records:
        model.feed(record)
        model.publish(BEGIN)
        assert model.log.end - model.log.settled <= 101
    model.finish()
    assert len(lines_of(model)) == 2000
    assert lines_of(model) == lines_of(fed(records, random.Random(2)))


def test_a_pause_is_believed_late_and_only_by_the_times_of_records() -> None:
    pipeline = Pipeline(Framing)
    assert pipeline.feed([chunk(b"login: ", BEGIN)]) == []
    pipeline.feed([chunk(GGA, BEGIN + 300 * MS + SLACK_NS, "bittern")])
    assert [each.lane for each in pipeline.unsettled()] == ["bittern"]
    settled = pipeline.feed([chunk(GGA, BEGIN + 301 * MS + SLACK_NS, "bittern")])
    assert [each.data for each in settled if isinstance(each, Frame)] == [b"login: "]


SPOKEN = [
    Chunk("plover", OUT, BEGIN + MS, b"AT+MADEUP?\r"),
    chunk(b"\r\n+MADEUP: 42\r\n\r\nOK\r\n", BEGIN + 9 * MS, "plover"),
]
MADE_UP = {
    "name": "made-up",
    "command": {"made-up": {"meaning": "what is kept", "query": "AT+MADEUP?", "reply": r"\+MADEUP: (?P<kept>\d+)"}},
    "result": {"ok": {"line": "OK", "status": "ok"}},
    "field": {"kept": {"kind": "integer", "reading": "kept"}},
}


def readings(path: Path) -> dict[str, str]:
    (lane,) = Source(path).lanes()
    return {name: each.raw for name, each in lane.module.readings.items()} if lane.module else {}


def test_a_record_is_understood_by_the_dialect_that_it_keeps(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Also by what came before the event that tells it, and where nothing of that name is installed."""
    begun = Event(BEGIN, "", "recording", {"dialects": "kept"})
    kept = Event(BEGIN + 12 * MS, "plover", "dialect", {"name": "made-up", "by": "recognised", "table": MADE_UP})
    path = captured(tmp_path / "a.pcapng", [begun, *SPOKEN, kept], ["plover"])
    assert readings(path) == {"kept": "42"}
    assert "table" not in next(each for each in Source(path).lines() if each[2] == "dialect").details
    monkeypatch.setattr(dialects_module, "_shipped_texts", dict)
    assert readings(path) == {"kept": "42"}, "nothing at all is installed"


def test_a_record_of_before_is_understood_by_what_is_installed(tmp_path: Path) -> None:
    said = chunk(b"\r\nPlover 4.1 ready\r\n", BEGIN, "plover")
    old = captured(tmp_path / "old.pcapng", [said, *SPOKEN, chunk(b"x\r\n", BEGIN + SECOND, "plover")], ["plover"])
    (lane,) = Source(old).lanes()
    assert lane.module is not None and lane.module.exchanges == 1
    begun = Event(BEGIN - 1, "", "recording", {"dialects": "kept"})
    new = captured(tmp_path / "new.pcapng", [begun, said, *SPOKEN], ["plover"])
    (lane,) = Source(new).lanes()
    assert lane.module is None, "a record that keeps its dialects and tells none spoke none"


def test_the_position_of_a_module_is_in_summary_as_on_the_screen(tmp_path: Path) -> None:
    table = MADE_UP | {
        "notice": {"place": {"line": r"\+AT: (?P<clock>[\d.]+),(?P<lat>-?[\d.]+),(?P<lon>-?[\d.]+),(?P<high>[\d.]+)"}},
        "field": MADE_UP["field"]
        | {
            "clock": {"kind": "time"},
            "lat": {"kind": "latitude"},
            "lon": {"kind": "longitude"},
            "high": {"kind": "altitude"},
        },
    }
    records: list[Record] = [Event(BEGIN, "plover", "dialect", {"name": "made-up", "table": table})]
    records += [
        chunk(b"+AT: 0941%02d,-46.1173,-67.3066667,3.4\r\n" % second, BEGIN + second * SECOND, "plover")
        for second in range(1, 8)
    ]
    path = captured(tmp_path / "a.pcapng", records, ["plover"])
    (found,) = summary(Source(path))["lanes"]
    fix = found["fix"]
    assert (fix["latitude"], fix["longitude"], fix["altitude_m"]) == (-46.1173, -67.3066667, 3.4)
    assert (fix["state"], fix["decided_by"], fix["epochs_with_fix"]) == ("fix", ["module"], 7)
    assert found["valid_sentences"] == 0, "no sentence was invented for it"


def test_two_lanes_that_stop_at_once_end_in_the_order_of_their_times() -> None:
    model = Model()
    model.feed(chunk(b"second", BEGIN + 2), chunk(b"first", BEGIN + 1, "bittern"))
    model.finish()
    assert [each.data for each in lines_of(model) if isinstance(each, Frame)] == [b"first", b"second"]
