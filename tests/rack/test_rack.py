"""A rack's own tests: they pass on a good device, fail on a bad one, and say what was missing."""

import re
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from pale_heron.core.trouble import Trouble
from pale_heron.rack import RackFailure, open_rack
from pale_heron.sim.launch import Device

DOCS = Path(__file__).parents[2] / "docs" / "test-rack.md"
EXAMPLE = re.findall(r"```python\n(def test_.*?)```", DOCS.read_text("utf-8"), re.DOTALL)[0]
"""The example of the docs, which is to work as it stands there."""


@pytest.fixture
def device() -> Iterator[Callable[..., Device]]:
    started: list[Device] = []

    def start(*words: str, count: int = 1) -> Device:
        started.append(Device(*words, count=count))
        return started[-1]

    yield start
    for each in started:
        each.stop()


def test_a_good_receiver_passes_and_leaves_its_record(pytester: pytest.Pytester, device: Callable[..., Device]) -> None:
    pytester.makepyfile(test_receiver=EXAMPLE)
    lane = f"curlew={device('curlew', '--start', 'hot', '--host-time').path}@9600"
    result = pytester.runpytest_subprocess("--lane", lane, "--captures", "records")
    result.assert_outcomes(passed=1)
    assert (pytester.path / "records" / "test_a_receiver_finds_its_place.pcapng").stat().st_size > 1000
    again = pytester.runpytest_subprocess("--lane", lane, "--captures", "records")
    again.assert_outcomes(passed=1)
    assert (pytester.path / "records" / "test_a_receiver_finds_its_place-2.pcapng").exists(), "none is overwritten"


def test_a_bad_receiver_fails_and_says_what_was_missing(
    pytester: pytest.Pytester, device: Callable[..., Device]
) -> None:
    pytester.makepyfile(test_receiver=EXAMPLE.replace("within=60", "within=3"))
    cold = device("curlew", "--start", "cold", "--host-time")
    result = pytester.runpytest_subprocess("--lane", f"curlew={cold.path}@9600")
    result.assert_outcomes(failed=1)
    text = result.stdout.str()
    for words in ("fix.level one of 2D, 3D", "within 3 s", "test_a_receiver_finds_its_place.pcapng", "still missing"):
        assert words in text, words
    assert re.search(r"last on curlew:\n(E +)? +[\d:.]+ ◂ \$G", text), "the last lines stand there"


def test_without_lanes_it_says_how_to_name_them_and_nothing_is_loaded(pytester: pytest.Pytester) -> None:
    pytester.makepyfile(
        test_plain="""
        import sys
        def test_nothing_of_the_program_is_loaded():
            heavy = ("pale_heron.bench", "pale_heron.core", "numpy")
            assert not [name for name in sys.modules if name.startswith(heavy)]
        def test_it_needs_lanes(rack):
            pass
        """
    )
    result = pytester.runpytest_subprocess()
    result.assert_outcomes(passed=1, errors=1)
    assert "give --lane LANE or --bench-file FILE" in result.stdout.str()


def test_commands_are_told_and_paired_and_a_trial_is_made(device: Callable[..., Device], tmp_path: Path) -> None:
    cable = device("cable", "--rate", "9600", count=2)
    module = device("plover")
    lanes = [f"hide={cable.paths[0]}@9600", f"buoy={cable.paths[1]}@9600", f"plover={module.path}@9600,out=cr"]
    with open_rack(*lanes, capture=tmp_path / "r.pcapng") as rack:
        with rack.part("first words"):
            reply = rack.command("AT", lane="plover")
            assert (reply.sent, reply.ok, reply.result) == ("AT", True, "OK") and reply.seconds is not None
            refused = rack.command("AT+NONSENSE", lane="plover")
            assert not refused.ok
        rack.send("hello there", lane="hide")
        assert rack.wait_text(r"hel+o \w+", lane="buoy") == "hello there"
        assert rack.wait_for("module.commands", at_least=2, lane="plover", within=5) == 2
        found = rack.trial("delivery", "hide", "buoy", count=5, every="0.05s", limit="1s")
        assert sum(each.delivered for each in found.directions) == 10
        with pytest.raises(RackFailure, match="nobody says this") as told:
            rack.wait_text("nobody says this", lane="buoy", within=0.3)
        assert "last on buoy" in str(told.value) and str(rack.capture) in str(told.value)
        with pytest.raises(RackFailure, match=r"the delivery trial on plover was not made: .*command mode"):
            rack.trial("delivery", "plover", count=2)
        with pytest.raises(Trouble, match="which one is meant"):
            rack.command("AT")
        with pytest.raises(Trouble, match=r"did you mean 'fix\.level'"):
            rack.wait_for("fix.levle", equals="3D", within=1)
        (tmp_path / "e.toml").write_text("[[expect]]\nwhat = 'ten'\nthat = 'module.commands'\nat_least = 10\n")
        with pytest.raises(RackFailure, match="ten: failed, 2, of 2"):
            rack.hold(tmp_path / "e.toml")
        assert rack.missing[-1].startswith("ten: failed")


def test_a_lane_that_is_not_there_is_told_and_the_record_ended(tmp_path: Path) -> None:
    with (
        pytest.raises(RackFailure, match="not all lanes could be opened: gone"),
        open_rack(f"gone={tmp_path}/none@9600", capture=tmp_path / "r.pcapng", name="x"),
    ):
        pass
    assert (tmp_path / "r.pcapng").exists()


def test_the_plugin_is_found_by_its_entry_point() -> None:
    from importlib.metadata import entry_points

    found = [each for each in entry_points(group="pytest11") if each.name == "pale_heron"]
    assert [each.value for each in found] == ["pale_heron.pytest_plugin"] and sys.modules[found[0].value]
