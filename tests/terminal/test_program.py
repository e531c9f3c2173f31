"""The whole program on a terminal, as a user meets it."""

import os
import re
import signal
import subprocess
import termios
import time
from collections.abc import Callable
from pathlib import Path

import pytest
from tests.bench.test_bench import recorded
from tests.streams import GGA, HOSTILE, said
from tests.terminal.screen import PROGRAM, Screen
from tests.waiting import LIMIT_S, until

from pale_heron.bench.part import marks_in
from pale_heron.capture.reader import CaptureReader
from pale_heron.core.frames import Event
from pale_heron.sim.terminal import Terminal

pytestmark = pytest.mark.terminal


def captures(tmp_path: Path) -> list[Path]:
    return sorted((tmp_path / "captures").glob("*.pcapng"))


def test_the_demo_goes_from_a_cold_start_to_a_fix_and_ends_clean(
    open_screen: Callable[..., Screen], tmp_path: Path
) -> None:
    screen = open_screen()
    before = screen.title()
    screen.start("demo")
    screen.until("Where are we, and how sure?", "No fix yet", "Waiting for")
    screen.until("Time is known, the position is not yet")
    text = screen.until("3D fix for", "GGA quality 1, single")
    assert re.search(r"[1-9]\d* of \d+ satellites used", text)
    assert re.search(r"4607\.\d{5},S   06718\.\d{5},W", text)
    screen.press("1")
    screen.until("Is anything arriving", "Yes: ", "GNGGA", "at 9600 8N1")
    screen.press("2")
    screen.until("What is being said", "$GNGGA,")
    screen.press("Space")
    held = screen.until("new since")
    newest = [row for row in held.splitlines() if "◂" in row and "$G" in row][-1]
    later = screen.until(lambda text: bool(re.search(r"held: [2-9]\d new", text)))
    assert newest in later, "the list stands still while the counter goes on"
    screen.press("Up", "Up")
    screen.press("Enter")
    screen.until("checksum", "escape closes this page")
    screen.press("Escape")
    screen.until(lambda text: "escape closes" not in text)
    screen.press("End")
    screen.until(lambda text: "new since" not in text)
    screen.press("m")
    screen.until("What happened?")
    screen.type("under the bridge")
    screen.press("Enter")
    screen.until("mark", "under the bridge")
    screen.press("?")
    screen.until("KEYS HERE", "escape closes this page")
    screen.press("Escape")
    screen.until(lambda text: "KEYS HERE" not in text)
    screen.press("C-p")
    screen.until("Hold the list")
    screen.type("next lane")
    screen.until("Choose the next lane")
    screen.press("Escape")
    screen.until(lambda text: "Choose the next lane" not in text)
    screen.press("C-p")
    screen.until("Search for commands")
    screen.type("skyplot")
    screen.until("page  (v)  in Fix")
    screen.press("Enter")
    screen.until("Where are we, and how sure?")
    screen.press("q")
    screen.until("Recorded", "$ ")
    assert screen.title() == before, "cursor, mouse and screen are as they were"
    (capture,) = captures(tmp_path)
    reader = CaptureReader(capture)
    names = [record[2] for record in reader.records() if isinstance(record[2], str)]
    assert (names[-1], reader.torn) == ("closed", "")
    assert "mark" in names
    assert not list(tmp_path.glob("pale-heron/sim/*")), "the simulated device is gone"


@pytest.mark.parametrize(("columns", "rows"), [(100, 30), (200, 60)])
def test_other_sizes_hold_all_views(
    open_screen: Callable[..., Screen], tmp_path: Path, columns: int, rows: int
) -> None:
    screen = open_screen(columns, rows)
    screen.start("open", recorded(tmp_path / "a.pcapng", said(60)), "--speed", "1000")
    screen.until("What is being said", "at the end")
    screen.press("Up", "Enter")
    screen.until("checksum", "24 47", "escape closes this page")
    screen.press("Escape")
    screen.until(lambda text: "escape closes" not in text)
    screen.press("1")
    screen.until("WHAT ARRIVES", "STEPS", "HOW FULL THE LINE IS")
    screen.press("3")
    text = screen.until("3D", "SKY", "SATELLITES", "two receivers", "-46.117")
    assert all(len(row) <= columns for row in text.splitlines())
    for size in ((142, 42), (80, 24), (40, 10), (columns, rows)):
        screen.resize(*size)
    screen.until("SKY", "two receivers")
    screen.press("v", "v", "v")
    text = screen.until("THE LATEST START", "OUTAGES", "cold")
    assert all(len(row) <= columns for row in text.splitlines())
    screen.press("q")
    screen.until("$ ")


def test_a_replay_pauses_steps_and_goes_back(open_screen: Callable[..., Screen], tmp_path: Path) -> None:
    screen = open_screen()
    screen.start("open", recorded(tmp_path / "a.pcapng", said(90)), "--at", "+60s", "--paused")
    screen.until("paused", "09:41:00 UTC")
    screen.press(".")
    screen.until("09:41:01 UTC")
    screen.press("[")
    screen.until("09:40:51 UTC")
    screen.press("Space")
    screen.until("playing × 1")
    screen.press("+", "+", "+", "+")
    screen.until("playing × 30")
    screen.until("at the end")
    screen.press("q")
    screen.until("$ ")


def test_hostile_bytes_do_nothing(open_screen: Callable[..., Screen], tmp_path: Path) -> None:
    screen = open_screen()
    title = screen.title().split()[0]
    terminal = Terminal(9600, tmp_path / "hostile", patient=True)
    markup = b"[b]bold[/b][/][link=file:///]x[/link][@click=app.quit]press[/] \x1b]0;owned\x07\x1b[6n\r\n"
    screen.start("watch", f"hostile={tmp_path / 'hostile'}", "--no-capture")
    screen.until("no record is kept", "◂ ")
    sentence = b"$GPTXT,01,01,02,\x1b[2J\x1b]0;owned\x07[/b]*00\r\n"
    for _ in range(4):
        terminal.send(HOSTILE + sentence + markup + GGA)
        for _ in range(30):
            terminal.work(0.05)
            time.sleep(0.005)
    screen.press("2")
    text = screen.until("[b]bold[/b][/][link=file:///]x[/link]", "␛]0;owned␇␛[", "$GNGGA,094107.00")
    assert "hostile" in text
    screen.press("Up", "Up")
    screen.until("new since")
    # A terminal reads an escape that is at once followed by a key as one key of another meaning.
    for key, shown in (("1", "Is anything arriving"), ("3", "Where are we"), ("?", "KEYS HERE")):
        screen.press(key)
        screen.until(shown)
    screen.press("Escape")
    screen.until(lambda text: "KEYS HERE" not in text)
    assert screen.title().split()[0] == title
    terminal.close()
    screen.press("1")
    screen.until("No: the device hung up", "are kept; it is opened again")
    screen.press("q")
    screen.until("$ ")
    assert captures(tmp_path) == []


def test_a_device_that_comes_back_goes_on(open_screen: Callable[..., Screen], tmp_path: Path) -> None:
    screen = open_screen()
    screen.start("watch", f"curlew={tmp_path / 'curlew'}")
    screen.until("is not there", "List what is: pale-heron ports")
    words = [*PROGRAM, "sim", "curlew", "--link", str(tmp_path / "curlew"), "--start", "hot"]
    for count in range(2):
        process = subprocess.Popen(words, stdout=subprocess.DEVNULL)
        screen.until("Yes: ", f"came back {count} time" if count else "opened ")
        process.terminate()
        process.wait(10)
        screen.until("No: the device hung up")
    screen.press("C-c")
    screen.until("Recorded")


def test_the_port_list_opens_what_is_chosen(open_screen: Callable[..., Screen], tmp_path: Path) -> None:
    screen = open_screen()
    screen.start("watch")
    screen.until("Which port is it?")
    terminal = Terminal(9600, tmp_path / "pale-heron" / "sim" / "curlew", patient=True)
    screen.until("simulated curlew")
    screen.press("Up")
    screen.press("Enter")
    screen.until("Is anything arriving", "Nothing yet")
    screen.press("q")
    screen.until("Recorded")
    terminal.close()


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGHUP])
def test_a_closed_terminal_leaves_a_whole_capture(
    open_screen: Callable[..., Screen], tmp_path: Path, number: int
) -> None:
    screen = open_screen()
    screen.start("demo")
    screen.until("No fix yet")
    if number == signal.SIGHUP:
        screen.close()
    else:
        # The program of this screen alone: others may run at the same time.
        subprocess.run(["pkill", "-TERM", "-P", screen.shell(), "-f", "pale_heron demo"], check=True)
    (capture,) = captures(tmp_path)

    def events() -> list[str]:
        return [record[2] for record in CaptureReader(capture).records() if isinstance(record[2], str)]

    until(lambda: events()[-1:] == ["closed"], events)
    reader = CaptureReader(capture)
    assert list(reader.records())
    assert reader.torn == ""
    until(lambda: not list(tmp_path.glob("pale-heron/sim/*")), lambda: "the simulated device ends too")


def test_a_terminal_that_goes_without_a_signal_ends_the_program_too(tmp_path: Path) -> None:
    """Whoever is not the leader of its terminal's session gets no SIGHUP: under a service, or after `setsid`."""
    own, other = os.openpty()
    termios.tcsetwinsize(other, (42, 142))
    environ = os.environ | {
        "TERM": "xterm-256color",
        "PALE_HERON_CAPTURES": str(tmp_path / "captures"),
        "XDG_RUNTIME_DIR": str(tmp_path),
    }
    words = [*PROGRAM, "demo"]
    process = subprocess.Popen(words, stdin=other, stdout=other, stderr=other, env=environ, start_new_session=True)
    os.close(other)
    seen = b""
    while b"Where are we" not in seen:
        seen = seen[-100:] + os.read(own, 4096)
    os.close(own)
    process.wait(LIMIT_S)
    (capture,) = captures(tmp_path)
    reader = CaptureReader(capture)
    assert [record.name for record in reader.records() if isinstance(record, Event)][-1:] == ["closed"]
    assert reader.torn == ""


def test_clock_listens_to_pulses_that_are_there_and_says_why_others_do_not_come(
    open_screen: Callable[..., Screen],
) -> None:
    screen = open_screen()
    screen.start("demo", "--scene", "pulse")
    screen.until("What time is it, and how late does it reach us?", "curlew: WHEN SENTENCES COME")
    screen.until("names the pulse of sim:curlew", "none missed, none doubled.")
    screen.press("v")
    screen.until("interval", "this computer's clock", "the counter that it prints")
    screen.press("p")
    screen.until("Where do pulses come from?")
    screen.press("k")
    screen.until("Which source?", "pps:/dev/pps0")
    screen.type("pps:/dev/no-such")
    screen.press("Enter")
    screen.until("/dev/no-such is not there")
    screen.press("v")
    screen.until("AGAINST SERVERS", "stratum 1 (PPS), agrees with this computer")
    screen.press("P")
    screen.until("Listen to which source no more?")
    screen.press("3")
    screen.press("q")
    screen.until("Recorded")


def test_proof_drafts_expectations_holds_them_and_makes_a_report(
    open_screen: Callable[..., Screen], tmp_path: Path
) -> None:
    screen = open_screen()
    screen.start("demo", "--scene", "at-rest")
    screen.until("3D fix for")
    screen.press("7")
    screen.until("What can I show for it?", "Nothing is expected of it yet")
    screen.press("E")
    screen.until("All of it passes today")
    screen.type(str(tmp_path / "today.toml"))
    screen.press("Enter")
    screen.until("EXPECTED", "a fix at the end", "It holds: all")
    assert 'that = "fix.level"' in (tmp_path / "today.toml").read_text()
    screen.press("k")
    screen.until("Which file? .html or .pdf")
    screen.type(str(tmp_path / "report.html"))
    screen.press("Enter")
    until(lambda: (tmp_path / "report.html").exists())
    text = (tmp_path / "report.html").read_text("utf-8")
    assert "a fix at the end" in text and "Where are we, and how sure?" in text
    screen.press("q")
    screen.until("Recorded")


def test_a_record_is_marked_afterwards_and_seen_on_one_axis(open_screen: Callable[..., Screen], tmp_path: Path) -> None:
    screen = open_screen()
    path = recorded(tmp_path / "a.pcapng", said(60))
    before = path.read_bytes()
    screen.start("open", path, "--speed", "1000")
    screen.until("What is being said", "at the end")
    screen.press("<")
    screen.until("What is measured from now on?", "of the record")
    screen.type("the far bank")
    screen.press("Enter")
    screen.until(lambda text: "What is measured" not in text)
    screen.press("7")
    screen.until("MEASURED PARTS", "the far bank", "goes on")
    screen.press("M")
    screen.until("WHICH MARK?", "begins: the far bank")
    screen.press("Enter")
    screen.until("reword it")
    screen.press("r")
    screen.until("What is it to say?")
    screen.type("the bridge")
    screen.press("Enter")
    screen.until("the bridge", lambda text: "the far bank" not in text)
    screen.press("v")
    screen.until("the bench", "received", "C/N0", "all of the record")
    screen.press("Left", "Left", "z")
    screen.until("a part: Z shows more", "shows Traffic then")
    screen.press("Enter")
    screen.until("What is being said", "a mark was reworded", "100 % of")
    screen.press("q")
    screen.until("$ ")
    assert path.read_bytes().startswith(before), "nothing that was recorded is changed"
    assert [mark.text for mark in marks_in(path)[0]] == ["the bridge"]


def test_a_lane_is_closed_for_others_and_opened_again(open_screen: Callable[..., Screen]) -> None:
    screen = open_screen()
    screen.start("demo", "--no-capture")
    screen.until("Where are we")
    screen.press("1")
    screen.until("Is anything arriving")
    screen.press("X")
    screen.until("Closed here: its port is free for others")
    screen.press("X")
    screen.until(lambda text: "Closed here" not in text, "B/s")
