"""Settings of all tests."""

import os

import pytest
from hypothesis import settings

# The same examples every time, so that a run can be repeated; EXPLORE=1 looks for new ones. Times are not judged:
# the machines are noisy.
settings.register_profile("repeatable", derandomize=True, deadline=None, max_examples=60)
settings.register_profile("explore", deadline=None, max_examples=1000)
settings.load_profile("explore" if os.environ.get("EXPLORE") else "repeatable")


WAITING = ("tests/tui/", "tests/cli/", "tests/strangers/", "tests/rack/")
"""Here tests wait for devices and screens, more than they compute."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What drives the whole program takes longest: it begins first, so that no worker is left alone with it."""
    items.sort(
        key=lambda item: 0 if item.get_closest_marker("terminal") else 1 if item.nodeid.startswith(WAITING) else 2
    )
