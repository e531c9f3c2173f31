"""`expect`, and `record --expect`, as a test rack runs them: processes of their own, judged by their exit status."""

import json
import os
import subprocess
import sys
from pathlib import Path
from xml.etree import ElementTree

import pytest
from tests.bench.test_bench import recorded
from tests.streams import said
from tests.waiting import LIMIT_S

from pale_heron.core.proof.names import NAMES
from pale_heron.ports.simulated import simulated_folder
from pale_heron.sim.launch import Device


def run(*words: str | Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "pale_heron", *map(str, words)],
        capture_output=True,
        text=True,
        timeout=LIMIT_S,
        env=os.environ,
        check=False,
    )


def test_a_capture_is_held_against_a_file(tmp_path: Path) -> None:
    capture = recorded(tmp_path / "c.pcapng", said(40))
    made = run("expect", "--draft", capture)
    assert made.returncode == 0 and made.stdout.startswith('title = "as good as'), made.stderr
    file, results = tmp_path / "good.toml", tmp_path / "results.xml"
    file.write_text(made.stdout)
    good = run("expect", file, capture, "--junit", results)
    assert good.returncode == 0 and " 0 failed, 0 not shown" in good.stdout, good.stdout
    assert all(each.find("failure") is None for each in ElementTree.parse(results).iter("testcase"))
    file.write_text('[[expect]]\nthat = "line.bytes_in"\nat_most = 3\n[[expect]]\nthat = "link.lost"\nequals = 0\n')
    results.unlink()
    lane = run("expect", _lane_that_is_not_there(tmp_path), capture, "--junit", results)
    assert lane.returncode == 1 and "there is no lane 'curlw'; did you mean 'curlew'?" in lane.stdout
    (failure,) = ElementTree.parse(results).iter("failure")
    assert failure.get("type") == "not shown" and "curlw" in (failure.text or "")
    bad = run("expect", file, capture, "--json")
    found = json.loads(bad.stdout)
    assert (bad.returncode, found["passed"], found["failed"], found["not_shown"]) == (1, 0, 1, 1)
    assert [each["outcome"] for each in found["expectations"]] == ["failed", "not-shown"]
    assert run("expect", "--names").stdout.count("\n") == len(NAMES)


def _lane_that_is_not_there(folder: Path) -> Path:
    file = folder / "lane.toml"
    file.write_text('[[expect]]\nlane = "curlw"\nthat = "fix.level"\nequals = "3D"')
    return file


@pytest.mark.parametrize(
    ("words", "text", "told"),
    [
        (["x.toml"], "", "A file of expectations and a capture are wanted"),
        (["--draft"], "", "A draft is made of one capture"),
        (["x.toml", "c"], '[[expect]]\nthat = "fix.levl"\nequals = 1', "did you mean 'fix.level'"),
        (["x.toml", "c"], '[[expect]]\nthat = "fix.level"\nequals = 1', "never 1"),
        (["x.toml", "c", "--junit", "x.toml"], "", "x.toml is there already"),
    ],
)
def test_wrong_usage_ends_with_two(words: list[str], text: str, told: str, tmp_path: Path) -> None:
    (tmp_path / "x.toml").write_text(text)
    places = {"x.toml": tmp_path / "x.toml", "c": recorded(tmp_path / "c.pcapng", said(5))}
    done = run("expect", *(places.get(word, word) for word in words))
    assert done.returncode == 2 and told in done.stderr, done.stderr


def test_what_is_recorded_is_judged_at_its_end(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Five lines of a rack's script: a good receiver passes, a bad one fails."""
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    file = tmp_path / "x.toml"
    file.write_text(
        '[[expect]]\nwhat = "a fix"\nlane = "curlew"\nthat = "fix.level"\none_of = ["2D", "3D"]\n'
        '[[expect]]\nwhat = "whole"\nlane = "curlew"\nthat = "line.bad_share"\nat_most = 0.0\nsamples = 10\n'
    )
    outcomes = []
    for name, words in (("good", ("--scene", "at-rest")), ("bad", ("--start", "cold", "--quick", "1"))):
        device = Device("curlew", *words, "--rate", "38400", "--host-time", link=simulated_folder() / name)
        try:
            lane = f"curlew={device.path}@38400"
            done = run("record", lane, "-o", tmp_path / f"{name}.pcapng", "--for", "9s", "--expect", file)
        finally:
            device.stop()
        outcomes.append((done.returncode, "FAILED" in done.stdout))
    assert outcomes == [(0, False), (1, True)]
    again = run("expect", file, tmp_path / "good.pcapng")
    assert again.returncode == 0, again.stdout
    refused = run("record", "curlew=/dev/null", "-o", tmp_path / "n.pcapng", "--junit", tmp_path / "r.xml")
    assert refused.returncode == 2 and "--junit needs expectations" in refused.stderr
