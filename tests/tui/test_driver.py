"""The driver on a pseudo-terminal of its own."""

import os
import pty
import select
import signal
import termios
import threading
import tty
from collections.abc import Iterator

import pytest
from textual.app import App

from pale_heron.tui.driver import SteadyDriver


@pytest.fixture
def ends() -> Iterator[tuple[int, int]]:
    """Where keys are typed, and the terminal that the program has."""
    ours, theirs = pty.openpty()
    tty.setraw(theirs)
    handlers = {number: signal.getsignal(number) for number in (signal.SIGTSTP, signal.SIGCONT, signal.SIGWINCH)}
    yield ours, theirs
    for number, handler in handlers.items():
        signal.signal(number, handler)
    os.close(ours)
    os.close(theirs)


class _OnTerminal(SteadyDriver):
    """On a given terminal; what it shows goes nowhere, and taking the terminal up again is only counted."""

    def __init__(self, ends: tuple[int, int]) -> None:
        super().__init__(App())
        self.keyboard, self.fileno = ends
        self.taken_up = 0

    def write(self, data: str) -> None:
        """Nobody looks."""

    def suspend_application_mode(self) -> None:
        os.write(self.keyboard, b"q")
        super().suspend_application_mode()

    def resume_application_mode(self) -> None:
        self.taken_up += 1


async def test_what_is_typed_while_the_terminal_is_taken_up_again_waits_in_it(ends: tuple[int, int]) -> None:
    driver = _OnTerminal(ends)
    driver._key_thread = threading.Thread(target=driver.run_input_thread)
    driver._key_thread.start()
    driver._sigcont_application()
    assert driver.taken_up == 1
    assert not driver.exit_event.is_set()
    assert select.select([ends[1]], [], [], 0)[0], "the key was thrown away"
    assert os.read(ends[1], 10) == b"q"


@pytest.mark.parametrize("told", ["120", "", None])
async def test_the_size_is_the_terminals_own(
    ends: tuple[int, int], told: str | None, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name in ("COLUMNS", "LINES"):
        monkeypatch.delenv(name, raising=False)
        if told is not None:
            monkeypatch.setenv(name, told)
    termios.tcsetwinsize(ends[1], (15, 58))
    assert _OnTerminal(ends)._get_terminal_size() == (58, 15)
