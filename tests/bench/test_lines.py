"""Lines by number: from memory and read back from the capture; selected, searched, and found by their time."""

import random
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from tests.core.test_order import some_run
from tests.streams import BEGIN, GGA, HOSTILE, RTCM, chunk, sentences
from tests.waiting import until

from pale_heron.bench.model import Model
from pale_heron.bench.replay.replay import Replay
from pale_heron.bench.scrollback.checkpoints import CheckpointPlacer
from pale_heron.bench.scrollback.lines import Lines, SelectedLines
from pale_heron.bench.scrollback.read_back import ReadBack
from pale_heron.bench.scrollback.search import Search
from pale_heron.bench.scrollback.selection import Selection, is_mark, is_trouble, text_matcher
from pale_heron.bench.traffic_log import TrafficLog
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import SECOND, Chunk, Direction, Event, Frame
from pale_heron.core.line.settings import LineSettings, settings_details
from pale_heron.core.runs import Entries, Entry

LANES = ("curlew", "bittern", "late")


class Recorded:
    """A capture of several lanes with all that may happen, the model fed with it, and every line in order.

    A clock runs beside the records now and then, as it does live.
    """

    def __init__(self, path: Path, records: list[Chunk | Event], log_lines: int = 300) -> None:
        self.path = path
        writer = CaptureWriter(path)
        for name in LANES[:2]:
            writer.add_lane(name, f"/dev/{name}", LineSettings())
        self.model = Model(log_lines=log_lines)
        self.history = ReadBack(lambda: path, lambda: writer.described)
        self.lines = Lines(self.model.log, self.history)
        self.entries: list[Entry] = []
        placer, taken, chance = CheckpointPlacer(self.model, 500, 4000), 0, random.Random(8)
        for record in records:
            if isinstance(record, Event) and record.name == "added":
                writer.add_lane(record.lane, "/dev/late", LineSettings())
            index = placer.before(writer.size, record.time or 0)
            if index is not None:
                self.history.note(index)
            writer.event(record) if isinstance(record, Event) else writer.chunk(record)
            if chance.random() < 0.4:
                self.model.tick(record.time or 0)
            self.model.feed(record)
            taken = self._take(taken)
        self.model.finish()
        self._take(taken)
        writer.close()

    def _take(self, taken: int) -> int:
        log = self.model.log
        for number in range(taken, log.settled):
            entry = log.get(number)
            assert entry is not None
            self.entries.append(entry)
        return log.settled


def happenings(seed: int, count: int) -> list[Chunk | Event]:
    """Sentences, answers without line end, messages, garbage, cut pieces, losses, new settings, a lane added late."""
    chance = random.Random(seed)
    now = BEGIN
    out: list[Chunk | Event] = []
    for at in range(count):
        now += chance.choice([1, 20, 20, 400, 900]) * 1_000_000
        lane = chance.choice(LANES[:2] if at < count // 2 else LANES)
        if at == count // 2:
            out.append(Event(now, "late", "added", {"address": "/dev/late", **settings_details(LineSettings())}))
        kind = chance.random()
        if kind < 0.02:
            out.append(Event(now, "", "mark", {"text": f"mark {at}"}))
        elif kind < 0.03:
            out.append(Event(now, lane, chance.choice(["lost", "returned"]), {"rate": 9600}))
        elif kind < 0.05:
            settings = LineSettings(ending_in=chance.choice(["auto", "lf"]), gap_ms=chance.choice([50, 300]))
            out.append(Event(now, lane, "settings", settings_details(settings)))
        else:
            damaged = GGA.replace(b"4607", b"4608")
            whole = chance.choice([GGA, GGA, GGA, damaged, b"> ", b"OK\r\n", b"ready\n", RTCM, HOSTILE, b"\xff" * 40])
            cut = chance.randrange(len(whole)) if chance.random() < 0.1 else len(whole)
            direction = Direction.OUT if chance.random() < 0.1 else Direction.IN
            out.append(chunk(whole[:cut] or b"x", now, lane, direction))
    return out


@pytest.fixture(scope="module")
def recorded(tmp_path_factory: pytest.TempPathFactory) -> Recorded:
    return Recorded(tmp_path_factory.mktemp("lines") / "a.pcapng", happenings(3, 4000))


OF_RUNS = (
    Selection(),
    Selection(trouble_only=True),
    Selection(direction=Direction.IN),
    Selection(direction=Direction.OUT),
    Selection(hidden_lanes=frozenset("b")),
    Selection(hidden_types=frozenset({"GNRMC"})),
    Selection(only_types=frozenset({"GNRMC", "event"})),
    Selection(text="gngga,10"),
    Selection(text="00"),
    Selection(text="$GN"),
    Selection(text="0\r\n$"),
    Selection(text="1", hidden_types=frozenset({"GNGGA"})),
    Selection(text="/^.GN.*1[0-4]/"),
)


@settings(max_examples=30, deadline=None, phases=[Phase.generate])
@given(st.integers(0, 1 << 32).map(random.Random))
def test_a_selection_shows_of_a_run_what_it_shows_of_its_frames(chance: random.Random) -> None:
    log = TrafficLog(capacity=90)
    selected = [SelectedLines(Lines(log), selection) for selection in OF_RUNS]
    for _ in range(chance.randrange(1, 30)):
        event = Event(BEGIN, "", "mark", {"text": chance.choice(["100", "x"])})
        log.extend(Entries([some_run(chance, 1000), event] if chance.random() < 0.5 else [some_run(chance, 1000)]))
        log.show_latest(Entries([event, some_run(chance, 2000)]) if chance.random() < 0.5 else ())
        for each in selected if chance.random() < 0.7 else ():
            each.update()
    for each in selected:
        each.update()
        listed = [each.number(index) for index in range(each.begin, each.end)]
        there = range(log.begin, log.end)
        wanted = [number for number in there if (entry := log.get(number)) and each.selection.matches(entry)]
        assert [number for number in listed if number in there] == wanted


def is_seeking(replay: Replay) -> bool:
    state = replay.snapshot().replay
    return state is not None and state.seeking


def test_every_line_is_read_back_as_it_was(recorded: Recorded) -> None:
    lines = recorded.lines
    assert lines.begin == 0
    assert lines.end == len(recorded.entries) > 10 * 300
    got: list[Entry | None] = []
    number = 0
    while number < lines.end:
        block = lines.block(number)
        assert block is not None
        got += block.entries[number - block.first :]
        number = block.first + len(block.entries)
    assert got == recorded.entries


def test_lines_behind_the_last_place_are_read_back_too(recorded: Recorded) -> None:
    """Under load the last place may lie far before what memory holds: what is between them is in the file."""
    history = ReadBack(lambda: recorded.path, lambda: recorded.history._described())
    history.note(recorded.history._checkpoints[0])
    lines = Lines(recorded.model.log, history)
    assert lines.begin == 0 and recorded.model.log.begin > 3000
    for number in (0, 1, 2500, recorded.model.log.begin - 1, 7):
        until(lambda number=number: lines.get(number) is not None)  # type: ignore[misc]
        assert lines.get(number) == recorded.entries[number]
    assert lines.number_at(recorded.entries[2000].time or 0) > 0


def test_a_line_that_left_memory_comes_a_little_later(recorded: Recorded) -> None:
    lines = Lines(recorded.model.log, ReadBack(lambda: recorded.path, lambda: recorded.history._described()))
    lines._history = recorded.history
    recorded.history._cache.clear()
    assert lines.get(0) is None
    until(lambda: lines.get(0) is not None)
    assert lines.get(0) == recorded.entries[0]
    assert lines.get(lines.end - 1) == recorded.entries[-1]
    assert lines.get(lines.end) is None


def test_without_a_record_only_memory_can_be_shown(recorded: Recorded) -> None:
    lines = Lines(recorded.model.log)
    assert lines.begin == recorded.model.log.begin > 0
    assert lines.get(0) is None
    assert lines.block(0) is None


@given(st.integers(0, 10_000))
def test_lines_are_found_by_their_time(recorded: Recorded, index: int) -> None:
    entry = recorded.entries[index % len(recorded.entries)]
    number = recorded.lines.number_at(entry.time or 0)
    found = recorded.entries[number]
    assert abs((found.time or 0) - (entry.time or 0)) <= 3 * SECOND


@pytest.mark.parametrize("step", [1, -1])
@pytest.mark.parametrize("matches", [is_trouble, is_mark, text_matcher("ready"), text_matcher("/^> $/")])
def test_searching_finds_what_a_walk_through_all_lines_finds(
    recorded: Recorded, step: int, matches: Callable[[Entry], bool]
) -> None:
    entries = recorded.entries
    start = len(entries) // 2
    walked = range(start, len(entries)) if step > 0 else range(start, -1, -1)
    expected = [number for number in walked if matches(entries[number])]
    search = Search(recorded.lines, start, step, matches, most=10**6)
    assert search.wait(20)
    assert search.found == expected
    assert len(expected) > 3


SELECTIONS = [
    Selection(trouble_only=True),
    Selection(hidden_lanes=frozenset({"curlew"})),
    Selection(hidden_types=frozenset({"GNGGA", "event"}), direction=Direction.IN),
    Selection(text="/READY|mark 1/"),
]


@pytest.mark.parametrize("selection", SELECTIONS)
def test_a_selection_lists_all_that_it_lets_through(recorded: Recorded, selection: Selection) -> None:
    listed = SelectedLines(recorded.lines, selection)
    while listed._oldest_seen > 0:
        listed.look_back()
        until(lambda: listed.searching is None or listed.searching.over)
        listed.update()
    expected = [entry for entry in recorded.entries if selection.matches(entry)]
    numbers = [listed.number(index) for index in range(listed.begin, listed.end)]
    assert numbers == sorted(numbers)
    shown = [recorded.lines.block(number) for number in numbers]
    got = [block.entries[number - block.first] for block, number in zip(shown, numbers, strict=True) if block]
    assert got == expected
    assert all(listed.index(listed.number(index)) == index for index in range(listed.begin, listed.end, 7))


def test_new_lines_join_a_selection_and_places_stay() -> None:
    log = TrafficLog(100)
    lines = Lines(log)
    listed = SelectedLines(lines, Selection(text="keep"))
    for count in range(250):
        log.extend([Event(count, "", "mark", {"text": "keep" if count % 5 == 0 else "leave"})])
        if count % 20 == 0:
            listed.update()
    listed.update()
    assert listed.end == 50
    assert [listed.number(index) for index in range(48, 50)] == [240, 245]
    lines.cleared = 200
    assert SelectedLines(lines, Selection(text="keep")).end == 10


def test_a_broken_expression_is_told() -> None:
    with pytest.raises(ValueError, match="is broken"):
        Selection(text="/(/")


def test_a_replay_can_show_its_first_line_after_a_jump_to_its_end(recorded: Recorded) -> None:
    replay = Replay(recorded.path, playing=False, at=BEGIN + 10**6 * SECOND)
    replay.start()
    try:
        until(lambda: replay.snapshot().replay is not None and replay.snapshot().replay.ended)
        until(lambda: (state := replay.snapshot().replay) is not None and state.surveyed)
        lines = replay.lines
        assert lines.begin == 0
        until(lambda: lines.get(0) is not None)
        first = lines.get(0)
        assert isinstance(first, Frame | Event)
        assert [mark.text for mark in replay.snapshot().marks] == [
            entry.details["text"] for entry in recorded.entries if isinstance(entry, Event) and entry.name == "mark"
        ]
        state = replay.snapshot().replay
        assert state is not None and len(state.troubles) > 10
    finally:
        replay.stop()


def test_a_jump_into_a_capture_with_a_lane_added_late_knows_that_lane(tmp_path: Path) -> None:
    spread = [record._replace(time=BEGIN + at * SECOND) for at, record in enumerate(happenings(5, 3000))]
    made = Recorded(
        tmp_path / "a.pcapng", [*spread, chunk(sentences("GNTXT,1,1,02,end"), BEGIN + 3001 * SECOND, "late")]
    )
    replay = Replay(made.path, playing=False)
    replay.start()
    try:
        until(lambda: replay.surveyed)
        replay.seek(BEGIN + 2900 * SECOND)
        until(lambda: replay.snapshot().now >= BEGIN + 2890 * SECOND and not is_seeking(replay))
        snapshot = replay.snapshot()
        assert snapshot.replay is not None
        assert snapshot.replay.torn == ""
        assert [lane.name for lane in snapshot.lanes] == list(LANES)
    finally:
        replay.stop()
