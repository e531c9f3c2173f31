"""Stopped and going on, narrow and small: the real program in a terminal that others use too."""

import subprocess
from collections.abc import Callable

import pytest
from tests.terminal.screen import Screen

pytestmark = pytest.mark.terminal

TABS = "1 Line   2 Traffic   3 Fix"


def sane(screen: Screen) -> None:
    """The terminal is as it was: lines are edited, and what is typed is seen."""
    screen.until(lambda text: text.rstrip().endswith("\n$"))
    screen.type("stty -a | tr ' ' '\\n' | grep -x -e -*icanon -e -*echo")
    screen.press("Enter")
    screen.until("\nicanon", "\necho")


def test_ctrl_z_gives_the_shell_and_fg_the_screen_again(open_screen: Callable[..., Screen]) -> None:
    screen = open_screen()
    screen.start("demo", "--no-capture")
    screen.until("No fix yet", TABS)
    screen.press("C-z")
    screen.until("Stopped", lambda text: TABS not in text)
    screen.type("fg")
    screen.press("Enter")
    # All of it, also what has not changed meanwhile.
    screen.until(TABS, "q quit", "curlew")
    screen.press("q")
    screen.until(lambda text: TABS not in text)
    sane(screen)


def test_after_a_stop_that_nobody_can_catch_q_ends_at_once_and_leaves_the_terminal_sane(
    open_screen: Callable[..., Screen],
) -> None:
    screen = open_screen()
    # Without jobs of its own the shell leaves the terminal to the program.
    screen.type("set +m")
    screen.press("Enter")
    screen.start("demo", "--no-capture")
    screen.until("No fix yet", TABS)
    for signal in ("STOP", "CONT"):
        subprocess.run(["pkill", f"-{signal}", "-P", screen.shell(), "-f", "pale_heron demo"], check=True)
    # At once, while the terminal is being taken up again: what is typed then counts too.
    screen.press("q")
    screen.until(lambda text: TABS not in text)
    sane(screen)


@pytest.mark.parametrize(("columns", "rail"), [(80, False), (99, False), (100, True)])
def test_the_lanes_fold_away_where_it_is_narrow_and_by_a_key(
    open_screen: Callable[..., Screen], columns: int, rail: bool
) -> None:
    screen = open_screen(columns, 24)
    screen.start("demo", "--no-capture")
    screen.until("Where are we", lambda text: ("+ lane" in text) == rail)
    screen.press("0")
    screen.until(lambda text: ("+ lane" in text) != rail)


def test_a_window_too_small_says_so_and_the_header_follows(open_screen: Callable[..., Screen]) -> None:
    screen = open_screen(120, 30)
    screen.start("demo", "--no-capture")
    screen.until("Where are we")
    screen.resize(58, 15)
    screen.until("This window has 58 columns and 15 rows", lambda text: "are needed" in " ".join(text.split()))
    screen.resize(100, 30)
    screen.until("Where are we", lambda text: "local" in text.splitlines()[0][-8:])


@pytest.mark.parametrize("view", ["1", "2", "3", "4", "5", "6", "7"])
def test_every_view_can_be_read_to_its_end_at_80_columns(open_screen: Callable[..., Screen], view: str) -> None:
    screen = open_screen(80, 24)
    screen.start("demo", "--no-capture")
    screen.until("Where are we")
    screen.press(view)
    screen.until("? help")
    if view == "1":
        screen.until("Is anything arriving", lambda text: "THE PORT" not in text)
        screen.press("PageDown")

        def at_its_end(text: str) -> bool:
            # It grows while types come that were not heard before.
            screen.press("End")
            return "driver" in text

        screen.until(at_its_end)
        screen.press("Home")
        screen.until("Is anything arriving")
    screen.press("?")
    screen.until("escape closes this page")
    screen.press("End")
    screen.until("End; the record is completed")
