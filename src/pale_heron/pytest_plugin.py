"""For pytest: the fixture `rack`, which opens the lanes of a test rack and records each test in a capture of its own.

Nothing of the program is loaded before a test asks for the fixture.
"""

import re
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest

if TYPE_CHECKING:
    from pale_heron.rack.rack import Rack

_NO_NAME = re.compile(r"[^\w.-]+")
_RACK = pytest.StashKey["Rack"]()


def pytest_addoption(parser: pytest.Parser) -> None:
    """The options of the command line; each can stand in the configuration of pytest too."""
    group = parser.getgroup("pale heron", "lanes of a test rack")
    group.addoption("--lane", action="append", default=[], metavar="LANE", help="[nickname=]ADDRESS[@rate...]")
    group.addoption("--bench-file", metavar="FILE", help="the lanes of a bench file")
    group.addoption("--captures", metavar="FOLDER", help="where each test's record goes; else its own tmp_path")


@pytest.fixture
def rack_lanes(request: pytest.FixtureRequest) -> list[str]:
    """The lanes to open, from `--lane`. Define a fixture of this name to say so in a test file."""
    return list(request.config.getoption("--lane"))


@pytest.fixture
def rack(request: pytest.FixtureRequest, rack_lanes: list[str], tmp_path: Path) -> Iterator["Rack"]:
    """The lanes of the rack, open and recorded for this test."""
    from pale_heron.rack.rack import open_rack

    bench = request.config.getoption("--bench-file")
    if not rack_lanes and not bench:
        raise pytest.UsageError("No lane for the fixture rack: give --lane LANE or --bench-file FILE")
    folder = request.config.getoption("--captures")
    capture = _free(Path(folder) if folder else tmp_path, _NO_NAME.sub("-", request.node.name).strip("-"))
    with open_rack(*rack_lanes, capture=capture, bench=bench, name=request.node.name) as opened:
        request.node.stash[_RACK] = opened
        yield opened


def _free(folder: Path, name: str) -> Path:
    """A name that nobody has: a capture is never overwritten."""
    folder.mkdir(parents=True, exist_ok=True)
    found, number = folder / f"{name}.pcapng", 2
    while found.exists():
        found, number = folder / f"{name}-{number}.pcapng", number + 1
    return found


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item: pytest.Item) -> Any:
    """A test that failed names its capture, the last lines, and what did not come."""
    report = yield
    opened = item.stash.get(_RACK, None)
    if opened is not None and report.when == "call" and report.failed:
        missing = [f"still missing: {each}" for each in opened.missing]
        report.sections.append(("pale heron", "\n".join([*missing, opened.told()])))
    return report
