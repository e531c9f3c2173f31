"""Expectations: judged by value and sample, read from files with every mistake told, drafted from what there is."""

import json
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.test_link_trials import described, line, play
from tests.painted import opened
from tests.played_clocks import clocks
from tests.streams import BEGIN, fed
from tests.streams import said as epochs

from pale_heron.bench.config.expectation_file import drafted, read_expectations
from pale_heron.core.clock.clock_object import ClockPicture
from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event
from pale_heron.core.lane import Lane
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.proof.draft import draft
from pale_heron.core.proof.expectation import Expectation, expectations_object, judge
from pale_heron.core.proof.measured import Evident, RecordFacts
from pale_heron.core.proof.names import NAMES, measured, named
from pale_heron.core.trouble import Trouble
from pale_heron.core.utc import iso
from pale_heron.report.junit import JudgedRecord, write_junit
from pale_heron.sim.scenes import Scene

MS = SECOND // 1000


def evident(seconds: int = 60) -> Evident:
    """A receiver that started cold, a trial that lost two of ten, pulses."""
    lane = opened(fed(epochs(seconds, Scene("", start="cold", quick=2.0))))
    silent = Lane("hide", LineSettings(9600))
    now = BEGIN + seconds * SECOND
    chunks = []
    for number in range(1, 11):
        at = number * 100 * MS
        chunks.append(Chunk("hide", OUT, at, line("A", number)))
        chunks += [Chunk("buoy", IN, at + 30 * MS, line("A", number))] if number not in (4, 7) else []
    trials = play(described(one_way=True, probes=10), chunks).snapshot()
    return Evident((lane.snapshot(now), silent.snapshot(now)), trials, clocks(), RecordFacts(seconds, "", 0, 3))


KNOWN = evident()


@pytest.mark.parametrize(
    ("that", "condition", "bounds", "samples", "outcome"),
    [
        ("fix.level", "equals", ("3D",), 1, "passed"),
        ("fix.level", "one_of", ("2D", "3D"), 1, "passed"),
        ("fix.level", "equals", ("2D",), 1, "failed"),
        ("fix.level", "equals", ("3D",), 1000, "not-shown"),
        ("fix.seconds_to_first_fix", "at_most", (60,), 1, "passed"),
        ("fix.seconds_to_first_fix", "at_most", (5,), 1, "failed"),
        ("fix.seconds_to_first_fix", "at_most", (5,), 2, "not-shown"),
        ("fix.seconds_to.time", "between", (1, 10), 1, "passed"),
        ("fix.share", "at_least", (0.1,), 30, "passed"),
        ("fix.share", "at_least", (0.99,), 30, "failed"),
        ("line.bad_checksums", "equals", (0,), 1, "passed"),
        ("line.count.GNGGA", "at_least", (60,), 1, "passed"),
        ("line.count.GPXXX", "at_least", (1,), 1, "failed"),
        ("line.rate_hz.GPXXX", "at_least", (1,), 1, "not-shown"),
        ("module.commands", "at_least", (1,), 1, "not-shown"),
        ("module.mode", "equals", ("command",), 1, "not-shown"),
        ("link.verdict", "equals", ("holds",), 1, "failed"),
        ("link.not_delivered_share", "at_most", (0.25,), 10, "not-shown"),
        ("link.not_delivered_share", "at_most", (0.6,), 10, "passed"),
        ("link.not_delivered_share", "at_most", (0.05,), 10, "failed"),
        ("link.not_delivered_share", "at_most", (0,), 10, "failed"),
        ("line.bad_share", "at_most", (0.001,), 1, "not-shown"),
        ("line.bad_share", "at_most", (0.1,), 1, "passed"),
        ("line.bad_share", "at_most", (0,), 1, "passed"),
        ("link.not_delivered_share", "at_most", (0.25,), 11, "not-shown"),
        ("link.lost_at_most_share", "at_most", (0.6,), 10, "passed"),
        ("link.lost_at_most_share", "at_most", (0.25,), 10, "not-shown"),
        ("link.lost_at_most_share", "at_most", (0.05,), 10, "failed"),
        ("link.lost", "equals", (2,), 1, "passed"),
        ("link.latency_p95_ms", "at_most", (31,), 8, "not-shown"),
        ("link.latency_median_ms", "at_most", (31,), 8, "passed"),
        ("clock.pulses_missed", "equals", (0,), 80, "passed"),
        ("clock.lag_ms.GNRMC", "between", (99, 102), 80, "passed"),
        ("clock.second_named", "equals", ("this",), 80, "passed"),
        ("clock.synchronised", "equals", (True,), 1, "not-shown"),
        ("record.duration_s", "at_least", (60,), 1, "passed"),
        ("record.whole", "equals", (True,), 1, "passed"),
        ("record.whole", "equals", (1,), 1, "failed"),
        ("record.marks", "at_most", (2,), 1, "failed"),
    ],
)
def test_what_is_expected_is_judged(
    that: str, condition: str, bounds: tuple[Any, ...], samples: int, outcome: str
) -> None:
    found = judge(Expectation("x", that, condition, bounds, samples=samples), KNOWN)
    assert found.outcome == outcome, found
    point = judge(found.expectation._replace(certainty="point"), KNOWN)
    assert point.interval is None and (found.value is None or "taken as it is" in point.words)
    # What all of an interval fulfils, its figure does; what no interval can say is said by the figure.
    assert point.outcome == outcome or (outcome == "not-shown" and found.interval is not None), (found, point)


def test_a_name_of_a_lane_is_of_that_lane_and_a_trial_of_that_number() -> None:
    assert judge(Expectation("x", "line.bytes_in", "at_least", (1,), lane="hide"), KNOWN).outcome == "failed"
    assert judge(Expectation("x", "line.bytes_in", "at_least", (1,)), KNOWN).outcome == "passed"
    assert judge(Expectation("x", "link.lost", "equals", (2,), trial=1), KNOWN).outcome == "passed"
    assert judge(Expectation("x", "link.lost", "equals", (2,), trial=2), KNOWN).outcome == "not-shown"


@pytest.mark.parametrize(
    ("wanted", "why"),
    [
        (Expectation("x", "clock.lag_ms.RMC", "at_most", (3,)), "there is no 'RMC'; did you mean 'GNRMC'?"),
        (Expectation("x", "fix.level", "equals", ("3D",), "curlw"), "there is no lane 'curlw'; did you mean 'curlew'?"),
        (Expectation("x", "link.lost", "equals", (0,), trial=2), "there is no trial 2; there are 1"),
        (
            Expectation("x", "fix.level", "equals", ("3D",), part="towin"),
            "no measured part is called 'towin'; did you mean 'towing'?",
        ),
        (Expectation("x", "module.reached.nosuch", "equals", (False,)), "there is no 'nosuch'; there are none"),
        (Expectation("x", "module.mode", "equals", ("command",)), ""),
    ],
)
def test_what_was_not_there_is_not_known(wanted: Expectation, why: str) -> None:
    """An expectation of something that does not exist neither passes nor waits for ever without a word."""
    known = KNOWN._replace(record=KNOWN.record._replace(parts=("towing",)))
    found = judge(wanted, known)
    assert (found.outcome, found.value, found.why) == ("not-shown", None, why)
    assert (why in found.words) if why else found.words == "nothing to say yet"


def test_every_name_can_be_asked_of_everything_and_of_nothing() -> None:
    nothing = Evident((), (), ClockPicture(None, None, ()), RecordFacts(None))
    assert len({each.name for each in NAMES}) == len(NAMES)
    for each in NAMES:
        found = named(each.name.replace("*", "GNGGA"))
        assert found is not None and found[0] is each
        for known in (KNOWN, nothing):
            value, samples, *_ = measured(*found, known, "", 0)
            assert samples >= 0 and (value is None or samples > 0 or isinstance(value, int | float | str)), each
    assert named("fix.levels") is None and named("line.count.") is None


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "written as"),
        ("expect = 4", "written as"),
        ("[[expect", "not TOML"),
        ("titel = 'x'\n[[expect]]", "did you mean 'title'"),
        ("[[expect]]\nat_most = 4", "that = NAME is missing"),
        ("[[expect]]\nthat = 'fix.levle'\nequals = 1", "did you mean 'fix.level'"),
        ("[[expect]]\nthat = 'fix.level'", "none is given"),
        ("[[expect]]\nthat = 'fix.level'\nequals = '3D'\nat_most = 3", "at_most and equals is given"),
        ("[[expect]]\nthat = 'fix.level'\nequal = '3D'", "did you mean 'equals'"),
        ("[[expect]]\nthat = 'fix.share'\nat_least = 'much'", "numbers are wanted"),
        ("[[expect]]\nthat = 'fix.share'\nat_least = [1]", "is not a number"),
        ("[[expect]]\nthat = 'fix.share'\nbetween = [3, 1]", "the smaller one first"),
        ("[[expect]]\nthat = 'fix.share'\nbetween = 3", r"is not \[a, b\]"),
        ("[[expect]]\nthat = 'fix.level'\none_of = []", "one_of is empty"),
        ("[[expect]]\nthat = 'fix.level'\nequals = '3D'\nsamples = -1", "no whole number"),
        ("[[expect]]\nthat = 'fix.level'\nequals = '3D'\nlane = 4", "are text"),
        ("[[expect]]\nthat = 'fix.level'\nequals = '3d'", "never '3d'; did you mean '3D'"),
        ("[[expect]]\nthat = 'fix.level'\nat_most = 3", "is no number"),
        ("[[expect]]\nthat = 'fix.seconds_to.3d'\nat_most = 3", "no '3d'; did you mean '3D'"),
        ("[[expect]]\nthat = 'link.verdict'\nequals = 'passes'", "never 'passes'; there are holds"),
        ("[[expect]]\nthat = 'record.whole'\nequals = 1", "true or false"),
        ("[[expect]]\nthat = 'link.lost'\nequals = 'none'", "is a number"),
        ("[[expect]]\nthat = 'link.lost'\nat_most = 1\ncertainty = 'sure'", "is not known: interval or point"),
    ],
)
def test_what_is_wrong_in_a_file_is_told(text: str, words: str, tmp_path: Path) -> None:
    path = tmp_path / "x.toml"
    path.write_text(text)
    with pytest.raises(Trouble, match=words):
        read_expectations(path)


def test_what_is_bad_or_was_never_tried_is_nothing_to_be_as_good_as() -> None:
    lane = Lane("plover", LineSettings(9600))
    lane.event(Event(BEGIN, "plover", "dialect", {"name": "plover"}))
    torn = RecordFacts(60, "torn at byte 9")
    known = KNOWN._replace(lanes=(*KNOWN.lanes, lane.snapshot(BEGIN + SECOND)), record=torn)
    names = {each.that for each in draft(known)}
    assert not names & {"link.verdict", "module.unanswered", "record.whole"}
    assert {judge(each, known).outcome for each in draft(known)} == {"passed"}


def test_a_draft_is_as_good_as_today_and_is_read_back(tmp_path: Path) -> None:
    made = draft(KNOWN)
    path = tmp_path / "x.toml"
    path.write_text(drafted('as good as "x"\x1b', made))
    again = read_expectations(path)
    assert (again.title, again.expectations) == ('as good as "x"·', made)
    assert {judge(each, KNOWN).outcome for each in made} == {"passed"}
    assert {each.that.partition(".")[0] for each in made} == {"line", "fix", "link", "record", "clock"}
    worse = evident(8)
    assert {judge(each, worse).outcome for each in made} >= {"passed", "not-shown"}


@given(
    st.lists(st.sampled_from(NAMES), min_size=1, max_size=6), st.floats(allow_nan=False, width=32), st.integers(0, 99)
)
def test_outcomes_are_counted_once(names: list[Any], bound: float, samples: int) -> None:
    judged = [
        judge(Expectation("x", each.name.replace("*", "a"), "at_most", (bound,), samples=samples), KNOWN)
        for each in names
    ]
    found = expectations_object("t", judged)
    assert found["passed"] + found["failed"] + found["not_shown"] == len(names) == len(found["expectations"])
    json.dumps(found)


def test_results_for_whoever_collects_tests(tmp_path: Path) -> None:
    wanted = [
        Expectation("<fix>", "fix.level", "equals", ("3D",), "curlew"),
        Expectation("lost", "link.lost", "equals", (0,)),
        Expectation("module", "module.commands", "at_least", (1,)),
    ]
    path = tmp_path / "results.xml"
    record = JudgedRecord("walk.pcapng", BEGIN, 60.25, "hut")
    write_junit("before launch", [judge(each, KNOWN) for each in wanted], record, path)
    root = ElementTree.parse(path).getroot()
    (suite,) = root
    assert root.get("name") == "before launch" and root.get("failures") == "2"
    assert dict(suite.attrib) == {
        **{"name": "walk.pcapng", "hostname": "hut", "tests": "3", "failures": "2", "errors": "0", "skipped": "0"},
        **{"time": "60.250", "timestamp": iso(BEGIN)[:19]},
    }
    assert suite[0].get("classname") == "walk.fix.level" and suite[0].get("name") == "<fix> (curlew)"
    told = {each.get("name"): each.get("value") for each in suite[0].iter("property")}
    assert (told["value"], told["samples"], told["certainty"]) == ("3D", "57", "interval") and "interval_95" not in told
    cases = {(each.get("name") or "").split(" (")[0]: each.find("failure") for each in suite}
    assert cases["<fix>"] is None and cases["lost"] is not None and cases["module"] is not None
    assert cases["module"].get("type") == "not shown" and "link.lost: equals 0; 2" in (
        cases["lost"].get("message") or ""
    )


def test_the_docs_list_every_name_as_the_table_has_it() -> None:
    text = (Path(__file__).parents[2] / "docs" / "expectations.md").read_text("utf-8")
    listed = [row for row in text.partition("## Names")[2].splitlines() if row.startswith("| `")]
    wanted = [f"| `{each.name}` | {each.unit or '–'} | {each.meaning or 'as counted'} |" for each in NAMES]
    assert listed == wanted
