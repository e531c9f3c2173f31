"""Trials that send nothing, go through modules, run in a row, and survive a lane that goes away."""

import threading
import tomllib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Final

import pytest
from tests.bench.test_trial import LANES, PATIENCE_S, cable, came, delivery, run, session, sim
from tests.waiting import until

from pale_heron.bench.config.trial_options import described
from pale_heron.bench.config.trial_plan import read_plan
from pale_heron.bench.live.session import Session
from pale_heron.bench.operations.routine import RoutineRun
from pale_heron.bench.operations.trial import Trial
from pale_heron.bench.operations.trial_plan import TrialSeries
from pale_heron.bench.replay.replay import Replay
from pale_heron.bench.sources import Source
from pale_heron.core.device.schema.routine import read_routine
from pale_heron.core.line.diagnosis.stages import LaneOpening
from pale_heron.core.line.settings import ENDINGS_OUT, LineSettings
from pale_heron.core.link.comparison import compare, matrix, matrix_lines
from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.json_object import trial_object
from pale_heron.core.link.line_ends import line_end_words
from pale_heron.core.link.rules import parse_rule
from pale_heron.core.link.tracker import WIRED
from pale_heron.core.link.verdict import verdict
from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.nicknames import lanes_named
from pale_heron.sim.cable import CableFaults
from pale_heron.sim.label import Label
from pale_heron.sim.marsh import BEGIN_UTC, HUT
from pale_heron.sim.range_walk import RangeWalkPost
from pale_heron.sim.run import ActorPost, CablePost, Powered, run_stages
from pale_heron.sim.vane import Vane

WALK: Final = ("curlew", "hide", "buoy")


@pytest.fixture(autouse=True)
def rated(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))


@contextmanager
def powered(post: Powered) -> Iterator[None]:
    ended = threading.Event()
    thread = threading.Thread(target=run_stages, args=([post], ended.is_set))
    thread.start()
    try:
        yield
    finally:
        ended.set()
        thread.join()


@contextmanager
def walk(folder: Path, capture: Path | None = None) -> Iterator[Session]:
    places = [sim(folder) / name for name in WALK]
    with powered(RangeWalkPost(115200, places, 7, BEGIN_UTC)):
        line = LineSettings(115200, ending_out="cr")
        specs = [LaneSpec(name, str(sim(folder) / name), line, dialect="bittern" * (name != "curlew")) for name in WALK]
        made = Session("", specs, capture)
        made.start()
        try:
            until(lambda: all((seen := made.snapshot_of(each)) and seen.opening is LaneOpening.OPEN for each in WALK))
            yield made
        finally:
            made.stop()


def test_sentences_over_the_air_by_distance(tmp_path: Path) -> None:
    """What the receiver says is looked for in the hide; the capture says the same again, in both ways of reading."""
    capture = tmp_path / "walk.pcapng"
    wanted = TrialDescription(
        "sentences",
        0,
        ("curlew", "hide"),
        limit_s=PATIENCE_S,
        position="curlew",
        place=HUT,
        strength=("hide", "signal"),
    )
    with walk(tmp_path, capture) as bench:
        trial = Trial(bench, wanted)
        bench.operations.begin(trial)
        until(lambda: came(trial) >= 6)
        # It has no lane for itself: whatever else is done goes on.
        assert bench.operations.on("hide") is None
        bench.note("curlew", WIRED, {"trial": trial.described.trial, "wiring": "air"})
        trial.stop()
        until(lambda: trial.over)
        live = trial.result
    assert live is not None
    (way,) = live.directions
    assert (way.lost, way.damaged, way.twice, live.described.wiring) == (0, 0, 0, "air")
    assert [name for name, *_ in live.types] == ["GNRMC"]
    (ranged,) = live.ranges
    assert sum(each.settled for each in ranged.bins) == way.settled
    known = [each for each in ranged.bins if each.low_m is not None]
    assert known and all(each.strength and -110 < each.strength.mean < -70 for each in known)
    assert ranged.farthest_m is not None and 50 < ranged.farthest_m < 400
    source = Source(capture)
    source.lanes()
    assert [trial_object(each) for each in source.trials] == [trial_object(live)]
    replay = Replay(capture, playing=False)
    try:
        replay.start()
        replay.seek(1 << 62)
        until(lambda: bool(found := replay.snapshot().trials) and found[0].end is not None)
        again = replay.snapshot().trials[0]
        assert again.directions == live.directions and again.types == live.types
    finally:
        replay.stop()


def test_probes_through_the_modules(tmp_path: Path) -> None:
    wanted = TrialDescription(
        "delivery", 0, ("hide", "buoy"), probes=5, every_s=0.7, limit_s=PATIENCE_S, through=("hide", "buoy")
    )
    with walk(tmp_path) as bench:
        found = run(bench, wanted)
    assert [(each.sent, each.damaged, each.foreign_bytes) for each in found.directions] == [(5, 0, 0)] * 2
    # They speak in turns, beside the board of the buoy: what collides with that is lost, and nothing else.
    assert all(each.delivered + each.lost == 5 and each.delivered for each in found.directions)
    assert not found.own_bytes_back


def test_what_would_fill_the_air_is_refused(tmp_path: Path) -> None:
    wanted = TrialDescription("delivery", 0, ("hide", "buoy"), one_way=True, probes=20, every_s=0.05, through=("hide",))
    with walk(tmp_path) as bench:
        trial = Trial(bench, wanted)
        bench.operations.do(trial)
    assert "ms in the air" in trial.failure and "send one every" in trial.failure


def test_a_lane_without_a_payload_command_says_so(tmp_path: Path) -> None:
    with cable(tmp_path), session(tmp_path, *LANES) as bench:
        trial = Trial(bench, delivery(through=("hide",)))
        bench.operations.do(trial)
    assert "does not answer" in trial.failure


def test_a_lane_that_is_pulled_and_returns(tmp_path: Path) -> None:
    """The trial goes on where it was; what was under way, and what was not sent meanwhile, is nobody's loss."""
    places = [sim(tmp_path) / name for name in LANES]
    with session_of_later(tmp_path) as (bench, plug):
        trial = Trial(bench, delivery(probes=0, every_s=0.02), before=dict.fromkeys(LANES, 0))
        bench.operations.begin(trial)
        until(lambda: came(trial) > 5)
        plug(False)
        until(lambda: trial.state.startswith("waiting for"))
        gone_at = trial.result
        assert gone_at is not None and gone_at.away and gone_at.away[-1].end is None
        plug(True)
        until(lambda: trial.state == "measuring")
        before = came(trial)
        until(lambda: came(trial) > before + 5)
        trial.stop()
        until(lambda: trial.over)
        found = trial.result
    assert places and found is not None
    assert [(each.lost, each.damaged) for each in found.directions] == [(0, 0)] * 2
    assert {each.lane for each in found.away} == set(LANES) and all(each.end is not None for each in found.away)
    assert "lane-away" in {each.id for each in verdict(found).findings}


@contextmanager
def session_of_later(folder: Path) -> Iterator[tuple[Session, object]]:
    """A session on a cable whose both plugs can be pulled and put back."""
    places = [sim(folder) / name for name in LANES]
    posts: list[CablePost] = []
    stops: list[tuple[threading.Event, threading.Thread]] = []

    def plug(into: bool) -> None:
        if into:
            posts.append(CablePost(115200, places, CableFaults(), 5, over_tcp=False))
            ended = threading.Event()
            thread = threading.Thread(target=run_stages, args=([posts[-1]], ended.is_set))
            thread.start()
            stops.append((ended, thread))
        else:
            ended, thread = stops.pop()
            ended.set()
            thread.join()

    plug(True)
    try:
        with session(folder, *LANES) as bench:
            yield bench, plug
    finally:
        while stops:
            plug(False)


def test_line_ends_in_turn(tmp_path: Path) -> None:
    """The board waits a second where no LF comes: the trials show it, and say which end to send."""
    place = sim(tmp_path) / "vane"
    place.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    with powered(ActorPost(Vane(), 115200, place, Label("board", "MARSH-vane"))), session(tmp_path, "vane") as bench:
        asked = TrialDescription(
            "exchange",
            0,
            ("vane",),
            far="answer",
            rule=parse_rule("plus 100"),
            every_s=0.0,
            probes=3,
            limit_s=PATIENCE_S,
        )
        series = TrialSeries(
            bench, "line ends", [asked._replace(ending=each, cell=("line end", each)) for each in ENDINGS_OUT]
        )
        bench.operations.do(series)
        assert series.succeeded and [each.exchange.right for each in series.results if each.exchange] == [3] * 4
        # Messages of a trial are no commands of a module.
        assert bench.snapshot_of("vane").module is None
    (words,) = line_end_words(series.results)
    assert words.startswith(("Send lf", "Send crlf")) and "with none half takes 1" in words and "with cr half" in words
    columns, rows = matrix(series.results)
    assert columns == tuple(ENDINGS_OUT) and {each.result for each in rows["line end"].values()} == {"holds"}
    slow = next(each for each in series.results if each.described.ending == "none")
    assert "but 3 after 1 s: a time-out answers" in verdict(slow).why


PLAN: Final = """
title = "Two ways"
[usual]
kind = "delivery"
one_way = true
count = 8
every = "10ms"
limit = "10s"
[[trial]]
row = "short"
lanes = [["hide", "buoy"], ["buoy", "hide"]]
size = 32
column = "any"
[[trial]]
row = "sizes"
lanes = ["hide", "buoy"]
size = [32, 64]
"""


def test_a_plan_is_a_matrix(tmp_path: Path) -> None:
    path = tmp_path / "plan.toml"
    path.write_text(PLAN)
    specs = lanes_named([f"{name}={sim(tmp_path) / name}@115200" for name in LANES])
    plan = read_plan(path, specs)
    assert [each.cell for each in plan.trials] == [
        ("short", "any"),
        ("short", "any"),
        ("sizes", "size 32"),
        ("sizes", "size 64"),
    ]
    with cable(tmp_path), session(tmp_path, *LANES) as bench:
        series = TrialSeries(bench, plan.title, plan.trials, plan.messages)
        bench.operations.do(series)
    assert series.succeeded and not series.failures
    columns, rows = matrix(series.results)
    assert columns == ("any", "size 32", "size 64")
    assert {row: {column: tuple(cell) for column, cell in cells.items()} for row, cells in rows.items()} == {
        "short": {"any": ("holds", "8 of 8, 8 of 8")},
        "sizes": {"size 32": ("holds", "8 of 8"), "size 64": ("holds", "8 of 8")},
    }
    assert "holds 8 of 8" in matrix_lines(series.results)[1]
    same = compare(*series.results[-2:])
    assert {row.name: row.difference[:13] for row in same}["hide ▸ buoy: delivered"] == "may be chance"


ROUTINE: Final = """
name = "prove"
lanes = ["near", "far"]
[[step]]
do = "trial"
kind = "delivery"
ends = ["near", "far"]
options = { count = 8, every = "10ms", limit = "10s", one_way = true }
[[step]]
do = "mark"
text = "proven"
"""


def routine(text: str, bench: Session) -> RoutineRun:
    found, problems = read_routine(tomllib.loads(text))
    assert not problems, problems
    return RoutineRun(found, bench, LANES, {})


@pytest.mark.parametrize(
    ("change", "outcomes", "seen"),
    [
        (("", ""), ("passed", "passed"), "8 of 8 delivered"),
        (("limit = ", "through = true, limit = "), ("failed", "left out"), "does not answer"),
    ],
)
def test_a_trial_is_a_step_of_a_routine(
    tmp_path: Path, change: tuple[str, str], outcomes: tuple[str, str], seen: str
) -> None:
    with cable(tmp_path), session(tmp_path, *LANES) as bench:
        run = routine(ROUTINE.replace(*change), bench)
        bench.operations.do(run)
        assert tuple(each.outcome for each in run.statuses) == outcomes
        assert seen in run.statuses[0].seen
        assert [each.described.lanes for each in bench.seen.trials] == [LANES] * run.succeeded


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (("one_way = true", 'rule = "echo"'), "delivery takes no --rule"),
        (("count = 8", "count = 0"), "needs an end"),
        (("count = 8", "count = 8, size = 3"), "--size 3 is not"),
    ],
)
def test_what_is_wrong_with_the_trial_of_a_routine_is_said_first(
    tmp_path: Path, change: tuple[str, str], words: str
) -> None:
    with cable(tmp_path), session(tmp_path, *LANES) as bench, pytest.raises(Trouble, match=words):
        routine(ROUTINE.replace(*change), bench)


def test_a_link_that_loses_fails_the_routine(tmp_path: Path) -> None:
    with cable(tmp_path, CableFaults(lost=1.0)), session(tmp_path, *LANES) as bench:
        run = routine(ROUTINE.replace("10s", "200ms"), bench)
        bench.operations.do(run)
    assert run.statuses[0].outcome == "failed" and "0 of 8 delivered" in run.failure


def test_ends_of_a_trial_are_lanes_of_the_routine() -> None:
    _, problems = read_routine(tomllib.loads(ROUTINE.replace('ends = ["near", "far"]', 'ends = ["near", "fat"]')))
    assert [each.words for each in problems] == ["'fat' is no lane of this routine; did you mean 'far'?"]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("[[trial]]\nkind = 'delivery'\n", "trial 1 needs a kind and its lanes"),
        ("[[trial]]\nkind = 'delivery'\nlanes = ['hide', 'bouy']\n", "no lane 'bouy'; did you mean 'buoy'?"),
        ("[[trial]]\nkind = 'delivery'\nlanes = ['hide', 'buoy']\nsise = 3\n", "no key 'sise'; did you mean 'size'?"),
        ("[[trial]]\nkind = 'delivery'\nlanes = ['hide', 'buoy']\nsize = 3\n", "trial 1: --size 3 is not"),
        ("[[trial]]\nkind = 'exchange'\nlanes = ['hide']\ncount = 3\n", "exchange takes no --count"),
        ("title = 'x'\n", "holds no [[trial]]"),
        ("[[trial]\n", "is not TOML"),
        (
            "[[trial]]\nkind = 'delivery'\nlanes = ['hide', 'buoy']\nsize = [32, 33, 34, 35]\ncount = ["
            + "1," * 60
            + "]",
            "200",
        ),
    ],
)
def test_what_is_wrong_with_a_plan(text: str, words: str, tmp_path: Path) -> None:
    path = tmp_path / "plan.toml"
    path.write_text(text)
    with pytest.raises(Trouble) as found:
        read_plan(path, lanes_named(["hide=/dev/a", "buoy=/dev/b"]))
    assert words in str(found.value)


@pytest.mark.parametrize(
    ("options", "words"),
    [
        ({"position": "curlew"}, "From where is the distance counted"),
        ({"place": "46 S 67 W"}, "Distance needs a lane"),
        ({"position": "kurlew", "place": "46 S 67 W"}, "no lane 'kurlew'; did you mean 'curlew'?"),
        ({"position": "curlew", "place": "nowhere"}, "--place 'nowhere'"),
        ({"position": "curlew", "place": "hide", "strength": "signal"}, "names no reading"),
        ({"wiring": "thread"}, "no wiring 'thread'"),
        ({"ending": "lfcr"}, "no line end 'lfcr'"),
        ({"far": "echo"}, "too many for this"),
    ],
)
def test_what_is_wrong_with_what_is_asked(options: dict[str, str], words: str) -> None:
    specs = lanes_named(["hide=/dev/a", "buoy=/dev/b"])
    with pytest.raises(Trouble) as found:
        described("delivery", specs, options, ("hide", "buoy", "curlew"))
    assert words in str(found.value)


def test_two_shares_that_differ_by_more_than_chance() -> None:
    from pale_heron.core.link.comparison import difference_95

    # Newcombe (1998), table II, example (a): 56/70 and 48/80.
    low, high = difference_95(48, 80, 56, 70) or (0, 0)
    assert (round(low, 4), round(high, 4)) == (0.0524, 0.3339)
    assert difference_95(0, 0, 1, 2) is None
