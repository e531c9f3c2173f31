"""The simulated receiver and its world."""

import itertools
import os
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
import serial
from hypothesis import given
from hypothesis import strategies as st
from tests.streams import BEGIN, GGA, fed, said
from tests.waiting import until

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.earth.geodesy import offset_m
from pale_heron.core.nmea.sentence import checksums, parse, sealed, values
from pale_heron.sim import marsh
from pale_heron.sim.constellations import Constellations
from pale_heron.sim.curlew import CHANNELS, Curlew
from pale_heron.sim.curlew_setup import FULL_LINE, WAIT, fitting
from pale_heron.sim.modules import ModulePost, placed
from pale_heron.sim.run import run_curlew, run_stages
from pale_heron.sim.scenes import SCENES, START_TIMES, Scene
from pale_heron.sim.solution import dilution
from pale_heron.sim.terminal import MOST_QUEUED, Terminal
from pale_heron.sim.wire import resampled


def test_the_same_seed_gives_the_same_run() -> None:
    assert said(60, SCENES["saltmarsh"], 3) == said(60, SCENES["saltmarsh"], 3)
    assert said(60, SCENES["saltmarsh"], 3) != said(60, SCENES["saltmarsh"], 4)


@pytest.mark.parametrize("mode", START_TIMES)
def test_time_to_first_fix_is_that_of_the_start_mode(mode: str) -> None:
    lane = fed(said(40, Scene("", start=mode, quick=1.0)))
    (start,) = lane.snapshot(BEGIN + 39 * SECOND).fix.history.starts
    # The reader knows the fix with the first epoch after it.
    assert start.seconds_to_first_fix == pytest.approx(START_TIMES[mode].two_d, abs=1.0)


def test_found_positions_lie_about_the_truth_as_the_dilution_says() -> None:
    lane = fed(said(400, Scene("", start="hot", quick=1.0)))
    positions = list(lane.snapshot(BEGIN + 399 * SECOND).fix.track)
    errors = []
    for position in positions[20:]:
        truth = marsh.buoy((position.arrived - BEGIN) / SECOND)
        errors.append(offset_m(position.latitude, position.longitude, truth.latitude, truth.longitude))
    rms = (sum(east**2 + north**2 for east, north in errors) / len(errors)) ** 0.5
    assert 0.2 < rms < 3.0


def obeyed(receiver: Curlew, text: str) -> None:
    assert receiver.obey(sealed(f"PCURLEW,{text}"), 0.0) == sealed(f"PCURLEW,DONE,{text}")


def test_an_older_version_says_what_that_version_has() -> None:
    """NMEA 0183 2.30: no system in GSA, no signal in GSV, no navigational status, RTK is D, and two systems."""
    receiver = Curlew(replace(SCENES["rtk"], quick=9.0))
    last: dict[tuple[str, str], list[dict[str, Any]]] = {}
    for nmea in ("4.11", "2.30"):
        obeyed(receiver, f"NMEA,{nmea}")
        for line in receiver.epoch(60.0 if nmea == "4.11" else 60.1).splitlines(keepends=True):
            sentence = parse(line)
            last.setdefault((nmea, sentence.formatter), []).append({"talker": sentence.talker, **values(sentence)})
    assert [last[nmea, "RMC"][0]["mode"] for nmea in ("4.11", "2.30")] == ["R", "D"]
    assert [last[nmea, "RMC"][0]["navigational_status"] for nmea in ("4.11", "2.30")] == ["V", None]
    assert [each["system_id"] for each in last["4.11", "GSA"]] == [1, 2, 3, 4]
    assert [each["system_id"] for each in last["2.30", "GSA"]] == [None, None]
    assert (
        {each["signal_id"] for each in last["4.11", "GSV"]}
        != {None}
        == {each["signal_id"] for each in last.get(("2.30", "GSV"), [{"signal_id": None}])}
    )
    assert last["2.30", "GGA"][0]["satellites_used"] <= last["4.11", "GGA"][0]["satellites_used"]


@given(st.lists(st.integers(6, 90), max_size=30), st.integers(0, 600))
def test_a_sentence_goes_out_whole_or_not_at_all(lengths: list[int], room: int) -> None:
    said = [b"$" + b"x" * (length - 3) + b"\r\n" for length in lengths]
    taken = fitting(b"".join(said), room)
    rest = iter(said)
    assert all(line in rest for line in taken.splitlines(keepends=True)), "their order stays"
    assert len(taken) <= room
    left = [line for line in said if line not in taken.splitlines(keepends=True)]
    assert not left or min(map(len, left)) > room - len(taken)


@pytest.mark.parametrize("what", FULL_LINE)
def test_a_full_line_cuts_no_sentence(what: str, tmp_path: Path) -> None:
    scene = SCENES["full-line"]
    receiver = Curlew(scene)
    obeyed(receiver, f"FULL,{what}")
    receiver.configure(rate=38400, every_ms=100)
    terminal = Terminal(38400, tmp_path / "curlew")
    heard = bytearray()
    with serial.Serial(terminal.name, 38400, timeout=0) as port:

        def enough() -> bool:
            heard.extend(port.read(4096))
            return len(heard) > 14_000

        run_curlew(receiver, terminal, enough, scene)
    terminal.close()
    lines = bytes(heard).splitlines(keepends=True)[:-1]
    assert all(checksums(line).found == checksums(line).expected for line in lines)
    begins = [at for at, line in enumerate(lines) if b"RMC" in line]
    whole = [lines[end - 1][3:6] == b"GST" for end in begins[2:]]
    assert len(whole) > 3 and all(whole) == (what == WAIT)


def test_satellites_move_across_the_sky_rise_and_set() -> None:
    orbits = Constellations(7)
    first = {(each.system, each.number): each for each in orbits.above(*marsh.HUT, 0.0)}
    hour = {(each.system, each.number): each for each in orbits.above(*marsh.HUT, 3600.0)}
    assert first.keys() - hour.keys()
    assert hour.keys() - first.keys()
    for name in first.keys() & hour.keys():
        assert abs(first[name].elevation - hour[name].elevation) + abs(first[name].azimuth - hour[name].azimuth) > 1.0
    minute = {(each.system, each.number): each for each in orbits.above(*marsh.HUT, 60.0)}
    assert all(abs(minute[name].elevation - first[name].elevation) < 1.0 for name in first.keys() & minute.keys())
    assert {system for system, _ in first} == set("GREC")
    assert all(0 <= each.azimuth < 360 and 3 <= each.elevation <= 90 for each in first.values())


def test_dilution_is_best_under_a_full_sky() -> None:
    wide = [(90, 0), (10, 0), (10, 120), (10, 240), (45, 60)]
    narrow = [(80, 0), (70, 0), (70, 120), (70, 240), (75, 60)]
    assert dilution(wide) < dilution(narrow)
    assert dilution(wide[:2]) is None
    assert dilution([(10, 0)] * 5) is None or max(dilution([(10, 0)] * 5)) > 50


def test_all_its_sentences_are_right_and_complete() -> None:
    stream = b"".join(said(70))
    lane = fed(said(70))
    line = lane.snapshot(BEGIN + 69 * SECOND).line
    assert (line.damaged, line.unreadable_bytes) == (0, 0)
    assert {each.type[2:] for each in line.types} == {"RMC", "GGA", "GSA", "GSV", "GLL", "VTG", "ZDA", "GST", "TXT"}
    assert stream.count(b"\r\n") == line.frames
    assert max(len(lane.snapshot(BEGIN + 69 * SECOND).fix.sky.satellites), 1) <= CHANNELS


COMMANDS = [
    ("WHO", "IAM,Curlew,1.4,7"),
    ("START,HOT", "DONE,START,HOT"),
    ("SEND,GSV,0", "DONE,SEND,GSV,0"),
    ("EVERY,200", "DONE,EVERY,200"),
    ("LINE,38400", "DONE,LINE,38400"),
    ("STORE", "DONE,STORE"),
    ("RESTART", "DONE,RESTART"),
    ("START,LUKEWARM", "REFUSED,START with these values"),
    ("SEND,XYZ,1", "REFUSED,SEND with these values"),
    ("SEND,GGA,-1", "REFUSED,SEND with these values"),
    ("EVERY,99", "REFUSED,EVERY with these values"),
    ("LINE,12345", "REFUSED,LINE with these values"),
    ("FLY", "REFUSED,FLY with these values"),
]


@pytest.mark.parametrize(("command", "answer"), COMMANDS)
def test_it_answers(command: str, answer: str) -> None:
    assert Curlew(SCENES["open-sky"]).obey(sealed(f"PCURLEW,{command}"), 1.0) == sealed(f"PCURLEW,{answer}")


@given(st.binary(max_size=60))
def test_it_is_silent_about_what_is_none_of_its_own(line: bytes) -> None:
    assert Curlew(SCENES["open-sky"]).obey(line, 1.0) == b""


def test_it_obeys_stores_and_restarts() -> None:
    curlew = Curlew(Scene("", start="hot"))
    curlew.epoch(0.0)
    for body in ("SEND,GSV,0", "STORE", "SEND,GGA,0", "LINE,38400"):
        curlew.obey(sealed(f"PCURLEW,{body}"), 9.0)
    told = curlew.epoch(10.0)
    assert b"GSV" not in told
    assert b"GGA" not in told
    curlew.obey(sealed("PCURLEW,RESTART"), 10.5)
    told = curlew.epoch(11.0)
    assert b"GSV" not in told, "stored"
    assert b"GGA" in told, "not stored"
    assert curlew.setup.rate == 9600
    assert values(parse(told[told.index(b"$GNRMC") :].partition(b"\r")[0]))["status"] == "V"


def test_a_wrong_rate_reads_as_garbage_and_the_right_one_as_sent() -> None:
    assert resampled(GGA, 9600, 9600) == GGA
    assert resampled(GGA, 9600, 9700) == GGA, "one percent is within what a UART bears"
    for sent, read in itertools.permutations((4800, 9600, 38400, 115200), 2):
        heard = resampled(GGA * 5, sent, read)
        assert GGA[:20] not in heard
        assert heard, "something is heard at every rate"


@pytest.fixture
def terminal() -> Iterator[Terminal]:
    made = Terminal(9600)
    yield made
    made.close()


def test_a_program_that_sets_another_rate_gets_garbage(terminal: Terminal) -> None:
    with serial.Serial(terminal.path, 4800, timeout=0.2) as port:
        assert terminal.other_rate == 4800
        terminal.send(GGA)
        terminal.work(1.0)
        assert GGA[:20] not in port.read(200)
        port.baudrate = 9600
        terminal.send(GGA)
        for _ in range(20):
            terminal.work(0.1)
        assert port.read(400).endswith(GGA)
        port.write(b"$PCURLEW,WHO*2A\r\n")
        time.sleep(0.05)
        # As long as the line takes for it: 18 ms.
        assert [line for _ in range(4) for line in terminal.work(0.01)] == [b"$PCURLEW,WHO*2A"]


def test_input_keeps_to_the_line_rate_too() -> None:
    terminal = Terminal(9600, whole_lines=False)
    with serial.Serial(terminal.path, 9600, timeout=0) as port:
        port.write(b"x" * 3000)
        heard = sum(len(data) for _ in range(100) for data in terminal.work(0.01))
        assert heard == pytest.approx(960, abs=25)
        assert sum(len(data) for _ in range(20) for data in terminal.work(0.01, reading=False)) == 0
        heard += sum(len(data) for _ in range(300) for data in terminal.work(0.01))
        assert heard == 3000
    terminal.close()


def test_output_keeps_to_the_line_rate_and_too_much_is_lost(terminal: Terminal) -> None:
    with serial.Serial(terminal.path, 9600, timeout=0) as port:
        terminal.send(b"x" * 9000)
        assert terminal.lost == 9000 - MOST_QUEUED
        heard = 0
        for _ in range(100):
            terminal.work(0.01)
            heard += len(port.read(10_000))
        assert heard == pytest.approx(960, abs=15)


def test_nobody_listening_blocks_nothing(terminal: Terminal) -> None:
    for _ in range(60):
        terminal.send(b"x" * 900)
        terminal.work(1.0)
    assert terminal.lost > 0


def test_a_patient_one_loses_nothing_however_late_it_is_listened_to() -> None:
    terminal = Terminal(1_000_000, patient=True)
    said = b"".join(b"line %d\r\n" % number for number in range(20_000))
    terminal.send(said)
    for _ in range(50):
        terminal.work(1.0)
    assert terminal.queued, "there is not room for all of it"
    heard = bytearray()
    with serial.Serial() as port:
        # Opening empties the input of what nobody was there for.
        port.port, port.timeout = terminal.path, 0
        port._reset_input_buffer = lambda: None
        port.open()
        while terminal.queued:
            terminal.work(1.0)
            heard.extend(port.read(100_000))
        until(lambda: heard.extend(port.read(100_000)) or len(heard) >= len(said))
    assert (bytes(heard), terminal.lost) == (said, 0)
    terminal.close()


def test_power_comes_when_all_lines_are_opened(tmp_path: Path) -> None:
    posts = [ModulePost(module, 9600, tmp_path / module.name) for module in placed("bittern", 7)]
    opened: list[serial.Serial] = []
    looks = itertools.count()

    def ready() -> bool:
        """Some looks pass between opening one line and the other."""
        taken = [post.terminal.taken for post in posts]
        assert taken == [place < len(opened) for place in range(2)]
        if len(opened) < 2 and next(looks) % 3 == 2:
            opened.append(serial.Serial(posts[len(opened)].terminal.path, 9600, timeout=0))
        return all(taken)

    heard = [b"", b""]

    def ended() -> bool:
        for place, port in enumerate(opened):
            heard[place] += port.read(1000)
        return all(b"+READY: node 7" in each for each in heard)

    run_stages(posts, ended, 0.0, ready)
    assert all(each.lstrip().startswith(b"+UP: Bittern") for each in heard), "from its first word on"
    for port in opened:
        port.close()


def test_the_link_goes_with_its_device_but_never_with_anothers(tmp_path: object) -> None:
    link = __import__("pathlib").Path(str(tmp_path)) / "curlew"
    first = Terminal(9600, link)
    second = Terminal(9600, link)
    first.close()
    assert os.path.realpath(link) == second.path
    second.close()
    assert not link.is_symlink()


@pytest.mark.parametrize("name", SCENES)
def test_no_sentence_is_longer_than_the_standard_has_it(name: str) -> None:
    """NMEA 0183, 5.3: 82 characters from the dollar to the line feed; stations have four digits (8.3.45)."""
    curlew = Curlew(SCENES[name], 7)
    said = [line for second in range(0, 900, 3) for line in curlew.epoch(float(second)).split(b"\r\n") if line]
    assert max(len(line) + 2 for line in said) <= 82, max(said, key=len)
    stations = {line.split(b",")[14].partition(b"*")[0] for line in said if line[3:6] == b"GGA"}
    assert all(len(each) in (0, 4) for each in stations), stations


@pytest.mark.parametrize("name", ["open-sky", "rtk"])
def test_satellites_have_one_number_in_all_sentences(name: str) -> None:
    """NMEA 0183 4.11, 8.3.47 and table 20: those of GSA are among those of GSV, and signals are of their system."""
    curlew = Curlew(SCENES[name], 7)
    talkers, signals = {1: "GP", 2: "GL", 3: "GA", 4: "GB"}, {"GP": 1, "GL": 1, "GA": 7, "GB": 1}
    listed: dict[str, set[int]] = {}
    for second in range(60, 120):
        for line in curlew.epoch(float(second)).split(b"\r\n"):
            if line[3:6] not in (b"GSA", b"GSV"):
                continue
            sentence = parse(line)
            said = values(sentence)
            if sentence.formatter == "GSV":
                listed.setdefault(sentence.talker, set()).update(each["id"] for each in said["satellites"])
                assert said["signal_id"] == signals[sentence.talker]
            elif second > 70:
                assert set(said["satellites"]) <= listed[talkers[said["system_id"]]]
