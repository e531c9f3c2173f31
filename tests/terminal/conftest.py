"""Terminals for the tests of this folder."""

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from tests.terminal.screen import Screen


@pytest.fixture
def open_screen(tmp_path: Path) -> Iterator[Callable[..., Screen]]:
    screens: list[Screen] = []

    def opened(columns: int = 142, rows: int = 42) -> Screen:
        screens.append(Screen(tmp_path, columns, rows))
        return screens[-1]

    yield opened
    for screen in screens:
        screen.close()
