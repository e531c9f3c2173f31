"""Bringing up modules on a terminal, as a user goes the way: the demo of the marsh, driven by its keys."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from tests.terminal.screen import Screen

pytestmark = pytest.mark.terminal


@pytest.fixture
def screen(tmp_path: Path) -> Iterator[Screen]:
    opened = Screen(tmp_path)
    opened.start("demo", "--scene", "modules")
    opened.until("Does the module obey", "teal", "It is ready, as node 7")
    yield opened
    opened.close()


def tell(screen: Screen, text: str) -> None:
    screen.type(text)
    screen.press("Enter")


def open_entry(screen: Screen) -> None:
    """Give the keys to the entry line."""
    screen.press(":")
    screen.until("escape leaves the line")


def leave(screen: Screen) -> None:
    """Give the keys back to the view."""
    screen.press("Escape")
    screen.until(": opens the entry line")


def test_two_bitterns_are_met_compared_and_mended(screen: Screen) -> None:
    open_entry(screen)
    tell(screen, "AT")
    screen.until("Nothing: whether it", "OK", "1 of 1 command done")
    screen.type("AT+CPIN=1414")
    screen.until("AT+CPIN=****", lambda text: "1414" not in text)
    screen.press(*["BSpace"] * len("AT+CPIN=1414"))
    screen.type("AT+NODE=300")
    screen.until("1 to 250")
    screen.press("Enter")
    screen.until("enter again sends it all the same")
    leave(screen)
    screen.press("R")
    screen.until("read line-rate: 9600")
    screen.press("Tab", "R")
    screen.until("read line-rate: 9600", "bittern buoy", "4 9370 bit/s")
    screen.press("v")
    screen.until("both have node 7: neither will hear the other", "the paces differ")
    screen.press("V")
    screen.until("enter says what is intended")
    for downs, value, seen in ((0, "8", "1 of 1 intended"), (3, "3", "2 of 2 intended settings differ: node, pace")):
        screen.press(*["Down"] * downs, "Enter")
        screen.until("empty forgets it")
        # What is proposed is selected: typing replaces it.
        tell(screen, value)
        screen.until(seen, lambda text: "empty forgets it" not in text)
    screen.press("W")
    screen.until("Send it?")
    screen.press("y")
    screen.until("pace from the next restart on")
    screen.press("K")
    screen.until("and restarts")
    screen.press("y")
    screen.until("STORE, RESTART, VERIFY  done", "running, stored")
    screen.press("v")
    screen.until("all 7 rules hold")
    screen.press("2", "5", "v", "v")
    screen.press("Tab", "Tab", "Tab", "Tab")
    screen.until("bytes from node 8, received with", "beacon")


def test_a_guarded_change_fails_and_comes_back_and_one_is_asked_about(screen: Screen) -> None:
    screen.press("L")
    screen.until("new rate, flow control")
    tell(screen, "fast")
    screen.until("neither a rate")
    screen.press("Escape")
    screen.until(lambda text: "neither a rate" not in text)
    open_entry(screen)
    tell(screen, "AT+IPR=19200")
    screen.until("changes the line", "change the line guarded")
    screen.press("g")
    screen.until("new rate, flow control")
    tell(screen, "230400")
    screen.until(lambda text: "new rate, flow control" not in text)
    screen.until("go back to 9600 8N1: it answers at 9600 8N1 as before", "CHANGE THE LINE TO 230400 BAUD  failed")
    screen.press("L")
    screen.until("new rate, flow control")
    tell(screen, "19200")
    screen.until("CHANGE THE LINE TO 19200 BAUD  done", "19200 8N1")


def test_a_text_message_goes_through_the_prompt_and_a_link_is_left(screen: Screen) -> None:
    screen.press("Tab", "Tab")
    open_entry(screen)
    tell(screen, "AT+CMGF=1")
    screen.until("Messages as text or packed", "OK")
    tell(screen, "AT+CREG=1")
    tell(screen, "AT+CREG?")
    screen.until(lambda text: "Its standing in the network has changed" in text or "registered at home" in text)
    tell(screen, 'AT+CMGS="+99905550142"')
    screen.until("may cost money")
    screen.press("y")
    screen.until("the module waits for text")
    tell(screen, "Ebb at 10:40")
    screen.until("reference 1")
    leave(screen)
    screen.press("Tab")
    open_entry(screen)
    tell(screen, "AT+LINK")
    screen.until("leaves command mode")
    screen.press("y")
    screen.until("data mode", "VANE,")
    tell(screen, "AT")
    screen.until("the far end would get this line")
    screen.press("e")
    screen.until("It obeys", "+++")


def test_a_routine_runs_to_its_end_one_fails_and_one_goes_step_by_step(screen: Screen) -> None:
    screen.press("T")
    screen.until("Which routine for bittern hide?")
    screen.press("2")
    screen.until("Does it answer, and what is it?", "0 of 7 steps")
    screen.press("Space")
    screen.until("1 of 7 steps", "held: space does the next step")
    screen.press("Enter")
    screen.until("7 of 7 steps", "passed")
    screen.press("Tab", "Tab", "Tab", "Tab", "T")
    screen.until("Which routine for teal?", "teal-join")
    screen.press("2")
    screen.until("network of teal-join")
    screen.press("Enter")
    screen.until("Pass phrase of the network")
    tell(screen, "not the right one")
    screen.until("0 of 7 steps")
    screen.press("Enter")
    text = screen.until("failed", "not within 10 s", "joined is 0, in no network")
    assert "not the right one" not in text
    screen.press("2")
    text = screen.until("Traffic", "AT+JOIN")
    assert "not the right one" not in text
    screen.press("q")
    screen.until("Recorded")
    (capture,) = (screen.folder / "captures").glob("*.pcapng")
    screen.type("clear")
    screen.press("Enter")
    screen.start("open", capture, "--speed", "100")
    screen.until("at the end")
    screen.press("5", "Tab", "Tab", "Tab", "Tab")
    text = screen.until("AT+NET?", "in no network", "commands done")
    assert "not the right one" not in text
    assert "opens the entry line" not in text
