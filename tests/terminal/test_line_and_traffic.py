"""From a blank window to legible data, on a terminal, as a user goes the way."""

import shlex
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from tests.terminal.screen import PROGRAM, Screen

from pale_heron.sim.terminal import Terminal

pytestmark = pytest.mark.terminal


@pytest.fixture
def screen(tmp_path: Path) -> Iterator[Screen]:
    opened = Screen(tmp_path)
    yield opened
    opened.close()


def test_a_garbled_device_is_led_to_its_rate_by_the_screen_alone(screen: Screen) -> None:
    """From the list of ports: open it, see garbage, try the rates, switch, see sentences."""
    screen.type(shlex.join([*PROGRAM, "sim", "trouble", "wrong-rate"]) + " &")
    screen.press("Enter")
    screen.until("sim/wrong-rate")
    screen.start("watch")
    screen.until("Which port is it?", "simulated trouble: wrong-rate", "free")
    screen.press("Enter")
    screen.until("the rate is wrong", "(r)")
    screen.press("r")
    screen.until("which rate?", "Take 38400 baud")
    screen.press("Enter")
    screen.until("Yes:", "38400 8N1", "RATES TRIED")
    screen.press("2")
    screen.until("$GNGGA")
    screen.press("q")
    screen.until("Recorded")


def test_all_troubles_are_named_on_the_screen(screen: Screen) -> None:
    screen.start("demo", "--scene", "troubles")
    wanted = {
        "silent": "may have no power",
        "falls-silent": "spoke and has fallen silent",
        "loopback": "0 bytes in",
        "wrong-rate": "the rate is wrong",
        "noise": "no rate would make legible",
        "few-damaged": "Single sentences arrive damaged",
        "many-damaged": "Many sentences arrive damaged",
        "no-line-end": "Text comes without line ends",
        "staircase": "Lines end with one character alone",
        "run-together": "Lines end otherwise than this lane is set to",
        "late-replies": "0 bytes in",
        "deaf": "Legible, but no sentence",
        "no-sky": "no fix yet",
        "line-full": "The line is full",
        "login": "A log-in prompt",
        "brown-out": "restarts by itself",
        "binary-beside-text": "A binary protocol stands beside the text",
        "rubbish-between": "neither text nor frames",
        "framed-protocol": "its frames are whole",
        "held": "Another program holds the port",
    }
    for name, words in wanted.items():
        screen.until(lambda text, name=name: f"▌ {name}" in text, words)
        screen.press("Tab")
    screen.press("q")
    screen.until("Recorded")


def test_sending_to_a_module_that_answers_late_and_to_a_deaf_one_is_led_to_the_cause(screen: Screen) -> None:
    screen.type(shlex.join([*PROGRAM, "sim", "trouble", "late-replies", "deaf", "loopback"]) + " &")
    screen.press("Enter")
    screen.until("sim/loopback")
    folder = screen.folder / "pale-heron" / "sim"
    screen.start("watch", *(f"{name}={folder / name}" for name in ("late-replies", "deaf", "loopback")))
    screen.until("Nothing yet")
    for words in (
        "Answers come only after a pause of a round number",
        "is not answered",
        "Only our own bytes come back",
    ):
        # Delays of a busy machine hide a round number; with enough of them it shows.
        for _ in range(30):
            screen.press(":")
            screen.until("send to")
            screen.type("AT")
            screen.press("Enter", "Escape")
            screen.until(lambda text: "send to" not in text)
            if screen.says(words, within_s=2.0):
                break
        screen.until(words)
        screen.press("Tab")
    screen.press("q")
    screen.until("Recorded")


def test_the_first_line_is_read_back_after_many_more_than_memory_holds(screen: Screen, tmp_path: Path) -> None:
    """A million bytes of short lines through the real program: the ring forgets, the capture does not."""
    link = tmp_path / "fast"
    terminal = Terminal(1_000_000, link, patient=True)
    sent = 0
    try:
        screen.start("watch", f"fast={link}@1000000")
        screen.until("Nothing yet")
        screen.press("2")
        while sent < 30_000:
            if terminal.queued < 2000:
                terminal.send(b"".join(b"line %d\r\n" % number for number in range(sent, sent + 100)))
                sent += 100
            terminal.work(0.005)
            time.sleep(0.001)
        while terminal.queued:
            terminal.work(0.01)
            time.sleep(0.001)
        screen.until("line 29999")
        screen.press("Home")
        screen.until("opened", "line 0 ".rstrip(), "line 5")
        screen.press("/")
        screen.until("Find a text")
        screen.type("line 12345")
        screen.press("Enter")
        # Before the first line there is none: it goes round, and says so.
        screen.until("from the end on: n finds on", "line 12345", "line 12344")
        screen.press("f")
        screen.until("Show only")
        screen.press("Down", "Down", "Enter")
        screen.until("Lines that hold this text")
        screen.type("/line 1?7777$/")
        screen.press("Enter")
        screen.until("now: with")
        screen.press("Escape")
        screen.until("show: with '/line 1?7777$/'")
        screen.press("End", "Home")
        screen.until("line 17777", "line 7777")
        screen.press("q")
        screen.until("Recorded")
    finally:
        terminal.close()
