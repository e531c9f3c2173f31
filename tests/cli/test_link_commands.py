"""`trial`, `answer` and `link` as their users run them: processes of their own, over the simulated cable."""

import json
import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from tests.waiting import LIMIT_S

from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import IN, SECOND, Chunk
from pale_heron.core.nmea.sentence import sealed
from pale_heron.ports.simulated import simulated_folder
from pale_heron.sim.launch import Device

PROGRAM = [sys.executable, "-m", "pale_heron"]


@pytest.fixture
def ends(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[list[str]]:
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    device = Device("cable", "--rate", "115200", link=simulated_folder() / "cable", count=2)
    yield device.paths
    device.stop()


def run(*words: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [*PROGRAM, *words], capture_output=True, text=True, timeout=LIMIT_S, env=os.environ, check=False
    )


def told(*words: str) -> tuple[int, dict[str, Any]]:
    done = run(*words)
    assert done.stdout, done.stderr
    return done.returncode, json.loads(done.stdout)


def test_both_ends_here(ends: list[str], tmp_path: Path) -> None:
    capture = tmp_path / "out.pcapng"
    lanes = [f"hide={ends[0]}@115200", f"buoy={ends[1]}@115200"]
    more = ["--count", "20", "--every", "10ms", "--limit", "30s"]
    status, found = told("trial", "delivery", *lanes, *more, "--json", "-o", str(capture))
    assert (status, found["verdict"]) == (0, "holds")
    ways = [(each["from"], each["to"], each["sent"], each["delivered"]) for each in found["directions"]]
    assert ways == [("hide", "buoy", 20, 20), ("buoy", "hide", 20, 20)]
    status, again = told("link", str(capture), "--json")
    assert (status, again["trials"]) == (0, [found])
    status, once_more = told("trial", "again", str(capture), "--json")
    assert (status, [each["delivered"] for each in once_more["directions"]]) == (0, [20, 20])
    assert "buoy is not given" in run("trial", "again", str(capture), lanes[0]).stderr
    assert "takes no --count" in run("trial", "again", str(capture), "--count", "5").stderr
    words = run("link", str(capture))
    assert words.returncode == 0 and "hide ▸ buoy: 20 of 20 delivered" in words.stdout
    assert run("link", str(Path(__file__))).returncode == 1


def test_two_processes(ends: list[str]) -> None:
    far = subprocess.Popen(
        [*PROGRAM, "answer", f"{ends[1]}@115200"], stderr=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )
    assert far.stderr is not None and "answering" in far.stderr.readline()
    more = ["--count", "15", "--every", "20ms", "--limit", "30s"]
    status, found = told("trial", "delivery", f"hide={ends[0]}@115200", *more, "--json")
    far.terminate()
    words, _ = far.communicate(timeout=LIMIT_S)
    assert (status, found["verdict"]) == (0, "holds"), found["why"]
    assert [each["delivered"] for each in found["directions"]] == [15, 15]
    assert words.startswith("15 probes came, 0 damaged; 15 answers sent")


def test_throughput_to_another_process(ends: list[str], tmp_path: Path) -> None:
    capture = tmp_path / "there.pcapng"
    lane, more = f"hide={ends[0]}@115200", ["--count", "300", "--limit", "30s"]
    status, nobody = told("trial", "throughput", lane, "--count", "5", "--limit", "200ms", "--wait", "0s", "--json")
    assert (status, nobody["verdict"]) == (1, "inconclusive") and nobody["why"].startswith("Nothing answered.")
    far = subprocess.Popen(
        [*PROGRAM, "answer", f"{ends[1]}@115200"], stderr=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )
    assert far.stderr is not None and "answering" in far.stderr.readline()
    status, found = told("trial", "throughput", lane, *more, "--size", "200", "--json", "-o", str(capture))
    far.terminate()
    words, _ = far.communicate(timeout=LIMIT_S)
    assert (status, found["verdict"]) == (0, "holds"), found["why"]
    (way,) = found["directions"]
    assert (way["from"], way["to"], way["sent"], way["delivered"], way["lost"]) == ("hide", "far end", 300, 300, 0)
    assert way["payload_bytes"] == 300 * 200 and 0 < way["payload_bit_s"] <= 1.05 * way["ceiling_bit_s"]
    assert "as the far end counts it" in found["why"] and words.startswith("300 blocks came")
    assert told("link", str(capture), "--json")[1]["trials"] == [found]


def test_an_exchange_and_one_that_gets_no_answer(ends: list[str]) -> None:
    rule = ["--rule", "plus 100"]
    silent = run(
        "trial", "exchange", f"hide={ends[0]}@115200", *rule, "--rounds", "2", "--limit", "200ms", "--wait", "0s"
    )
    assert silent.returncode == 1
    assert "It does not hold. 0 of 2 right, 2 unanswered" in silent.stdout and "Nothing answers." in silent.stdout
    far = subprocess.Popen([*PROGRAM, "answer", f"{ends[1]}@115200", *rule], stderr=subprocess.PIPE, text=True)
    assert far.stderr is not None and "answering" in far.stderr.readline()
    status, found = told(
        "trial", "exchange", f"hide={ends[0]}@115200", *rule, "--rounds", "5", "--limit", "30s", "--json"
    )
    far.terminate()
    far.wait(LIMIT_S)
    assert (status, found["exchange"]["right"], found["exchange"]["rounds"]) == (0, 5, 5)
    assert found["exchange"]["round_trip_ms"]["samples"] == 5


def test_a_module_that_takes_no_notice_is_no_link(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    # Without power: at a wrong rate an echo would come back as garbage, which is something.
    device = Device("plover", "--after", "3600", link=simulated_folder() / "plover")
    try:
        lane, quick = f"plover={device.path}@9600", ("--count", "3", "--every", "10ms", "--wait", "0s")
        status, found = told("trial", "delivery", lane, *quick, "--ending", "cr", "--json")
        assert status == 1
        assert "nothing-came" in [each["id"] for each in found["findings"]], found["findings"]
    finally:
        device.stop()


def test_a_line_again_and_again_in_a_capture(tmp_path: Path) -> None:
    capture = tmp_path / "board.pcapng"
    writer = CaptureWriter(capture)
    writer.add_lane("hide", "/dev/hide", None)
    for second in range(40):
        if second not in (12, 13, 14, 15):
            writer.chunk(Chunk("hide", IN, (100 + second) * SECOND, b"still alive\r\n"))
    writer.close()
    for options in ((), ("--line", "^still", "--every", "1s"), ("--line", "alive")):
        status, found = told("link", str(capture), "--from", "hide", *options, "--json")
        (way,) = found["beacon"]["directions"]
        assert (status, way["delivered"], way["lost"], way["twice"]) == (0, 36, 4, 0)
        assert found["beacon"]["verdict"] == "fails"
    assert run("link", str(capture), "--line", "x").returncode == 2
    assert run("link", str(capture), "--from", "hide", "--line", "never").returncode == 1


def test_sentences_of_one_lane_on_another(tmp_path: Path) -> None:
    capture = tmp_path / "air.pcapng"
    writer = CaptureWriter(capture)
    for name in ("curlew", "hide"):
        writer.add_lane(name, f"/dev/{name}", None)
    for second in range(10):
        data = sealed(f"GNGLL,4607.03800,S,06718.40000,W,09410{second}.00,A,A")
        writer.chunk(Chunk("curlew", IN, second * SECOND, data))
        if second != 4:
            writer.chunk(Chunk("hide", IN, second * SECOND + SECOND // 4, data))
    writer.close()
    status, found = told("link", str(capture), "--from", "curlew", "--to", "hide", "--limit", "2s", "--json")
    sentences = found["sentences"]
    assert (status, sentences["delivered"], sentences["lost"], sentences["latency_ms"]["median"]) == (0, 7, 1, 250)
    # Those of the last limit before the record ends: neither the lost nor the delivered of them count.
    assert sentences["not_known_why"] == [{"reason": "under way when it ended", "count": 2}]
    assert sentences["types"] == [{"type": "GNGLL", "said": 8, "delivered": 7}]
    assert (
        "7 of 8 sentences delivered"
        in run("link", str(capture), "--from", "curlew", "--to", "hide", "--limit", "2s").stdout
    )
    assert run("link", str(capture), "--from", "curlew", "--to", "nobody").returncode == 1
    assert run("link", str(capture), "--to", "curlew").returncode == 2
    status, found = told("link", str(capture), "--from", "hide", "--limit", "2s", "--json")
    (way,) = found["own_times"]["directions"]
    assert (status, way["from"], way["delivered"], way["lost"]) == (0, "GNGLL", 9, 1)
    assert "9 of 10 GNGLL came" in run("link", str(capture), "--from", "hide", "--limit", "2s").stdout
    assert run("link", str(capture), "--from", "nobody").returncode == 1


def test_throughput_with_its_claim(ends: list[str], tmp_path: Path) -> None:
    capture = tmp_path / "out.pcapng"
    lanes = [f"hide={ends[0]}@115200", f"buoy={ends[1]}@115200"]
    more = ["--for", "3s", "--limit", "30s", "--one-way", "--content", "text", "--at-least", "1kB/s"]
    status, found = told("trial", "throughput", *lanes, *more, "--json", "-o", str(capture))
    assert (status, found["verdict"], found["kind"]) == (0, "holds", "throughput")
    (way,) = found["directions"]
    assert way["sent"] == way["delivered"] > 10 and way["payload_bytes"] == 1024 * way["sent"]
    assert way["ceiling_bit_s"] == 92160.0 and 0 < way["ceiling_share"] == pytest.approx(way["payload_bit_s"] / 92160)
    assert (way["bytes_changed"], way["bytes_missing"], way["bytes_added"], way["located"]) == (0, 0, 0, [])
    assert told("link", str(capture), "--json")[1]["trials"] == [found]
    _, side_by_side = told("link", str(capture), "--compare", "1", "1", "--json")
    payload = next(each for each in side_by_side["compared"] if each["name"].endswith("payload"))
    assert payload["one"] == payload["other"] and payload["difference"] == "+0 %"
    assert "no trial 2" in run("link", str(capture), "--compare", "1", "2").stderr
    # Blocks are not cut into lines: there is nothing of them to decode.
    assert "#b" not in run("decode", str(capture)).stdout


WRONG_THROUGHPUT = {
    "a content that is none": (["x", "y", "--content", "al-values"], "did you mean 'all-values'"),
    "a claim that is none": (["x", "y", "--at-least", "fast"], "Write 50kB/s"),
    "two ends of it": (["x", "y", "--count", "3", "--for", "3s"], "both say when it ends"),
    "a block too short": (["x", "y", "--size", "63"], "63 is not 64 to 16384"),
    "rounds": (["x", "y", "--rounds", "3"], "throughput takes no --rounds"),
}


@pytest.mark.parametrize("name", WRONG_THROUGHPUT)
def test_what_a_throughput_cannot_be(name: str) -> None:
    words, wanted = WRONG_THROUGHPUT[name]
    done = run("trial", "throughput", *(f"/dev/{word}" if word in ("x", "y") else word for word in words))
    assert done.returncode == 2 and wanted in done.stderr, done.stderr


def test_what_is_for_throughput_alone_is_refused_elsewhere() -> None:
    done = run("trial", "delivery", "/dev/x", "/dev/y", "--at-least", "3kB/s")
    assert done.returncode == 2 and "It is for throughput" in done.stderr


def test_clock_of_a_capture(tmp_path: Path) -> None:
    """What was told at nine comes 18.25 s later by this clock: the lag as it is, and the leap seconds in words."""
    capture = tmp_path / "clock.pcapng"
    writer = CaptureWriter(capture)
    writer.add_lane("curlew", "/dev/curlew", None)
    for second in range(40):
        data = sealed(f"GNGLL,4607.03800,S,06718.40000,W,0900{second:02d}.00,A,A")
        writer.chunk(Chunk("curlew", IN, (9 * 3600 + second + 18) * SECOND + SECOND // 4, data))
    writer.close()
    status, found = told("clock", str(capture), "--json")
    (lane,) = found["lanes"]
    assert (status, lane["sentences"][0]["lag_ms"]["median"], found["offset_to_give"]) == (0, 18250.0, None)
    assert set(found) >= {"begin", "end", "lanes", "pulses", "network", "host", "offset_to_give"}
    words = run("clock", str(capture)).stdout
    assert (
        "250.0" in words
        and "leap seconds" in words
        and words.startswith("No offset is given: curlew: this computer is 18 s")
    )
    assert run("clock").returncode == 2 and "--ntp" in run("clock").stderr
    assert "is no server" in run("clock", "--ntp", "x:0").stderr
    raw = tmp_path / "log.nmea"
    raw.write_bytes(sealed("GNGLL,4607.03800,S,06718.40000,W,090000.00,A,A"))
    assert "nobody knows when its bytes came" in run("clock", str(raw)).stderr


def test_printed_pulses_of_a_capture(tmp_path: Path) -> None:
    capture = tmp_path / "board.pcapng"
    writer = CaptureWriter(capture)
    writer.add_lane("board", "/dev/board", None)
    for second in range(60):
        if second not in (20, 21):
            own = 1_000_000 * second + 30 * second
            writer.chunk(Chunk("board", IN, second * SECOND + 5_000_000, b"tick %d us\r\n" % own))
    writer.close()
    status, found = told("clock", str(capture), "--pulse", "printed:board", "--json")
    (pulse,) = found["pulses"]
    assert (status, pulse["source"], pulse["count"], pulse["missed"]) == (0, "printed:board", 58, 2)
    assert (pulse["intervals"], pulse["drift_ppm"], pulse["own_drift_ppm"]) == (55, 0.0, 30.0)
    assert pulse["host_offset_ns"]["median"] == 5_000_000
    words = run("clock", str(capture), "--pulse", "printed:board:tick (?P<us>[0-9]+)").stdout
    assert "58 pulses, 2 missed, 0 doubled" in words and "30.000000 ± 0.000000 ppm fast" in words
    assert "did you mean 'board'" in run("clock", str(capture), "--pulse", "printed:bord").stderr
    for wrong in ("pps:/dev/pps0", "printed:", "printed:board:("):
        assert run("clock", str(capture), "--pulse", wrong).returncode == 2


def test_a_lane_that_only_listens_answers_nothing_and_says_so() -> None:
    done = run("answer", "hide=/dev/nowhere@9600,listen-only")
    assert done.returncode == 2
    assert "hide only listens: nothing is ever sent on it" in str(done.stderr)
