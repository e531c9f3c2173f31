"""Simulated time: pulses with faults of a known count, a board that prints them, a time server; and what Clock says."""

import json
import os
import re
import subprocess
import sys
import threading
from pathlib import Path
from typing import Any, Final

import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from tests.waiting import LIMIT_S

from pale_heron.bench.model import Model
from pale_heron.bench.sources import Source
from pale_heron.cli.timing import time_sources
from pale_heron.core.clock.clock_object import clock_object, picture_of
from pale_heron.core.clock_of_lanes import clock_of
from pale_heron.core.frames import SECOND
from pale_heron.core.trouble import Trouble
from pale_heron.ports.clock import StampClock
from pale_heron.ports.network_time import ask, server_typed
from pale_heron.ports.simulated import simulated_folder
from pale_heron.sim.clock_play import BEGIN_NS, LANE, SOURCE, ClockPlay
from pale_heron.sim.dunlin import PPM, Dunlin
from pale_heron.sim.launch import Device
from pale_heron.sim.pulses import PulseFaults, PulsePlay
from pale_heron.sim.snipe import Snipe, SnipeFaults

HOST: Final = 1_935_000_000 * SECOND


@settings(max_examples=8, phases=[Phase.generate])  # a play takes a while: no smaller one is looked for
@given(
    st.floats(0.0, 0.2),
    st.floats(0.0, 0.2),
    st.sampled_from([0.05, 0.4, 0.9, 1.3]),
    st.floats(-60, 60),
    st.integers(0, 1000),
)
def test_clock_says_what_the_simulator_did(missed: float, doubled: float, late_s: float, ppm: float, seed: int) -> None:
    play, model = ClockPlay(late_s, ppm, PulseFaults(missed, doubled, 1e-6), seed), Model()
    model.add(LANE)
    for record in play.records(120):
        model.feed(record)
    model.finish()
    lanes = model.snapshots(BEGIN_NS + 120 * SECOND)
    picture = clock_of(lanes, model.published.clock)
    (found,) = picture.pulses
    assert found.pulses == play.pulses.counts["pulses"] and found.doubled == play.pulses.counts["doubled"]
    # Nobody can see that one is missing before the first, or behind the last.
    assert found.missed <= play.pulses.counts["missed"]
    assert len(found.phases) + found.missed == found.phases[-1].number + 1
    assert found.drift is not None
    assert abs(found.drift.ppm - ppm) <= 6 * found.drift.error_ppm + 0.01
    lag = next(each.lag for each in picture.lanes[0][1].types if each.type == "GNRMC")
    run_off_s = abs(ppm) * 120 / 1e6
    assert abs(lag.median - late_s) <= 0.001 + run_off_s
    named = picture.named_on(LANE)
    assert named is not None and named.second == ("this" if late_s < 1 else "previous")
    assert clock_object(picture)["lanes"][0]["second_named"] == named.second


def test_without_a_fix_there_is_no_pulse_and_early_is_early() -> None:
    play = PulsePlay(HOST, PulseFaults(early_s=0.002), 1)
    assert play.due(20.5, fixed=False) == []
    found = [pulse for step in range(205, 260) for pulse in play.due(step / 10, fixed=True)]
    assert [each.host_ns - HOST for each in found] == [number * SECOND - 2_000_000 for number in range(21, 26)]
    assert [each.sequence for each in found] == [1, 2, 3, 4, 5]


def test_a_board_prints_its_own_time() -> None:
    board = Dunlin(3)
    said = b"".join(board.say(step / 100) for step in range(60_000)).splitlines()
    own = [int(line.split()[2]) for line in said]
    assert len(own) == 600
    assert (own[-1] - own[0]) / 599 - 1e6 == pytest.approx(PPM, abs=0.05)


@pytest.mark.parametrize(
    ("faults", "words"),
    [
        (SnipeFaults(), ""),
        (SnipeFaults(ahead_s=2.5), ""),
        (SnipeFaults(refused=1.0), "asked too often"),
        (SnipeFaults(unset=1.0), "own clock is not set"),
    ],
)
def test_a_time_server_does_as_it_is_set(faults: SnipeFaults, words: str) -> None:
    server, ended = Snipe(faults), threading.Event()
    thread = threading.Thread(target=server.run, args=(ended.is_set,))
    host, port = server_typed(server.address)
    thread.start()
    try:
        found = ask(host, port, StampClock())
    finally:
        ended.set()
        thread.join()
    assert (found.best is None) is bool(words) and words in found.error
    if found.best is not None:
        assert abs(found.best.offset_ns / SECOND - faults.ahead_s) <= found.best.delay_ns / 2 / SECOND + 0.0001


def told(*words: str) -> tuple[int, Any]:
    done = subprocess.run(
        [sys.executable, "-m", "pale_heron", "clock", *words, "--json"],
        capture_output=True,
        text=True,
        timeout=LIMIT_S,
        env=os.environ,
        check=False,
    )
    return done.returncode, json.loads(done.stdout) if done.stdout else done.stderr


def test_live_and_its_record_say_the_same(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    folder, capture = simulated_folder(), tmp_path / "clocks.pcapng"
    words = ("curlew", "--scene", "pulse", "--rate", "115200", "--host-time")
    devices = [Device(*words, link=folder / "curlew"), Device("dunlin", link=folder / "dunlin"), Device("snipe")]
    try:
        lanes = [f"curlew={devices[0].path}@115200", f"dunlin={devices[1].path}"]
        sources = ["--pulse", "sim:curlew", "--pulse", "printed:dunlin", "--pulse", "pps:/dev/no-such"]
        status, live = told(*lanes, *sources, "--ntp", devices[2].path, "--for", "8s", "-o", str(capture))
    finally:
        for each in devices:
            each.stop()
    assert status == 0, live
    counts = {each["source"]: each["count"] for each in live["pulses"]}
    assert counts["sim:curlew"] >= 3 and counts["printed:dunlin"] >= 3 and counts["pps:/dev/no-such"] == 0
    assert [each["stratum"] for each in live["network"]] == [1]
    _, again = told(str(capture))
    for whole in (live, again):
        # What still came while the lanes were closed is in the record alone; the host's clock is asked anew live.
        for name in ("begin", "end", "host", "lanes", "offset_to_give"):
            del whole[name]
        # Why there is none is the same; how many sentences are counted in it is not, for the reason above.
        whole["no_offset_because"] = re.sub(
            r"\d+ of the steadiest", "some of the steadiest", whole["no_offset_because"]
        )
        for each in whole["pulses"]:
            for name in (
                "count",
                "intervals",
                "interval_s",
                "host_offset_ns",
                "drift_ppm",
                "own_drift_ppm",
                "allan",
                "drift_error_ppm",
            ):
                del each[name]
    assert again == live
    source = Source(capture)
    lags = [(each.name, each.lag) for each in source.lanes()]
    troubles = {each.source: each.trouble for each in picture_of(lags, source.clock).pulses}
    assert "is not there" in troubles["pps:/dev/no-such"] and troubles["sim:curlew"] == ""


@pytest.mark.parametrize(
    ("sources", "words"),
    [
        (["gpio:4"], "sources are"),
        (["printed:board:("], "--pulse"),
        (["line:curlew:rng"], "not one of the control lines"),
        (["printed:curlw"], "no lane 'curlw'; did you mean 'curlew'"),
    ],
)
def test_what_is_wrong_with_a_source_is_said(sources: list[str], words: str) -> None:
    with pytest.raises(Trouble, match=words):
        time_sources(sources, ()).check(["curlew"])


def test_the_source_of_the_simulator_is_called_so() -> None:
    assert time_sources([SOURCE], ["192.0.2.1"]).servers == (("192.0.2.1", 123),)
