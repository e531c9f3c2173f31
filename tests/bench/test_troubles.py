"""Every trouble that a simulated device can play leads to its cause, through ports, record and trackers."""

import os
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from tests.waiting import LIMIT_S

from pale_heron.bench.live.session import Session
from pale_heron.bench.sources import Source
from pale_heron.bench.summary import summary
from pale_heron.core.line.typed import compose
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.sender import SendJob
from pale_heron.sim.launch import Device
from pale_heron.sim.troubles import TROUBLES

SAY_EVERY_S = 2.5
AS_ROOT = ("forbidden",) if os.geteuid() == 0 else ()


@pytest.fixture(scope="module")
def played(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[dict[str, list[str]], Path]]:
    """All troubles at once for as long as they need: what was found first on each lane, and the capture."""
    folder = tmp_path_factory.mktemp("troubles")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("XDG_RUNTIME_DIR", str(folder))
        devices = Device("trouble", "all", count=len(TROUBLES))
        specs = [
            LaneSpec(name, path, play.settings)
            for (name, play), path in zip(TROUBLES.items(), devices.paths, strict=True)
        ]
        session = Session("troubles", specs, folder / "troubles.pcapng")
        session.start()
        first: dict[str, list[str]] = {name: [] for name in TROUBLES}
        limit, due = time.monotonic() + LIMIT_S, time.monotonic() + SAY_EVERY_S
        try:
            while time.monotonic() < limit and not all(
                play.finding in first[name] for name, play in TROUBLES.items() if name not in AS_ROOT
            ):
                if time.monotonic() >= due:
                    due = time.monotonic() + SAY_EVERY_S
                    say(session)
                time.sleep(0.1)
                for lane in session.snapshot().lanes:
                    first[lane.name] += [each.id for each in lane.findings[:1] if each.id not in first[lane.name]]
        finally:
            session.stop()
            devices.stop()
        yield first, folder / "troubles.pcapng"


def say(session: Session) -> None:
    """What somebody would type for the trouble to show."""
    for spec in session.specs():
        words = TROUBLES[spec.name].sends
        if words:
            session.send(spec.name, SendJob(compose(words, spec.settings.line_end).data))


@pytest.mark.parametrize("name", [name for name in TROUBLES if name not in AS_ROOT])
def test_each_trouble_is_led_to_its_cause(name: str, played: tuple[dict[str, list[str]], Path]) -> None:
    first, _ = played
    assert TROUBLES[name].finding in first[name]


ENDING_OTHERWISE = {"falls-silent", "unplugged", "held", "forbidden"}
"""What these were in trouble for is over, or was told while the lane was not open."""


def test_the_summary_of_the_record_says_the_same(played: tuple[dict[str, list[str]], Path]) -> None:
    _, path = played
    found = {lane["lane"]: [each["id"] for each in lane["findings"]] for lane in summary(Source(path))["lanes"]}
    for name, play in TROUBLES.items():
        if name not in ENDING_OTHERWISE:
            assert play.finding in found[name], (name, found[name])
