"""Nothing that is planted is found again: in a copy, a report, an export, on the screen, in what `send` prints."""

import json
import re
import subprocess
import sys
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Final

import pytest
from tests.plants import PERSON, PLACE, PLANTS, SECRET, planted

from pale_heron.bench.model import Model
from pale_heron.bench.operations.command_client import exchange_object
from pale_heron.capture.reader import CaptureReader
from pale_heron.core.device.dialogue.exchanges import Exchange
from pale_heron.tui.views.module import page_exchanges

EVERY: Final = (SECRET, PERSON, PLACE)


def run(*words: str | Path) -> str:
    done = subprocess.run([sys.executable, "-m", "pale_heron", *map(str, words)], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    return done.stdout + done.stderr


def _files(folder: Path) -> bytes:
    return b"\n".join(each.read_bytes() for each in sorted(folder.iterdir()) if each.suffix not in (".pdf", ".png"))


def without_drawn(data: bytes) -> bytes:
    """Where lines of a drawing go says nothing, and any two digits stand somewhere in it."""
    return re.sub(rb'\b(d|x|y|points|transform|width|height|viewBox)="[^"]*"', b"", data)


def _redact(capture: Path, folder: Path) -> bytes:
    run("redact", capture, "-o", folder / "copy.pcapng", "--place", "none")
    return (folder / "copy.pcapng").read_bytes()


def _report(capture: Path, folder: Path) -> bytes:
    run("report", capture, "-o", folder / "none.html", "--place", "none")
    return without_drawn((folder / "none.html").read_bytes())


def _export(capture: Path, folder: Path) -> bytes:
    run("export", capture, "--all", folder / "all", "--place", "none")
    return without_drawn(_files(folder / "all"))


def _report_exact(capture: Path, folder: Path) -> bytes:
    run("report", capture, "-o", folder / "exact.html")
    return (folder / "exact.html").read_bytes()


def _export_exact(capture: Path, folder: Path) -> bytes:
    run("export", capture, "--all", folder / "exact")
    return _files(folder / "exact")


def _heard(capture: Path) -> Model:
    model = Model()
    for record in CaptureReader(capture).records():
        model.feed(record)
    model.finish()
    return model


def _detail(capture: Path, _: Path) -> bytes:
    module = _heard(capture).module_of("hide")
    assert module is not None
    painted = [
        span.text
        for item in module.items
        for rows in (
            page_exchanges.detail(module, item, 200, 200),
            page_exchanges.opened(module, item, 0, 200, 200),
            page_exchanges.item_rows(module, item, 200, lit=False),
        )
        for row in rows
        for span in row
    ]
    return "\n".join(painted).encode()


def _send(capture: Path, _: Path) -> bytes:
    module = _heard(capture).module_of("hide")
    assert module is not None
    exchanges = [each for each in module.items if isinstance(each, Exchange)]
    assert len(exchanges) > 20
    return json.dumps([exchange_object(each, module.secrets) for each in exchanges], ensure_ascii=False).encode()


OUTPUTS: Final[dict[str, tuple[Callable[[Path, Path], bytes], Iterable[str]]]] = {
    "redact --place none": (_redact, EVERY),
    "report --place none": (_report, EVERY),
    "export --all --place none": (_export, EVERY),
    "report": (_report_exact, (SECRET,)),
    "export --all": (_export_exact, (SECRET,)),
    "the screen's detail": (_detail, (SECRET,)),
    "send --json": (_send, (SECRET,)),
}


@pytest.fixture(scope="module")
def capture(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return planted(tmp_path_factory.mktemp("planted") / "walk.pcapng")


def test_what_is_planted_is_there(capture: Path) -> None:
    raw = capture.read_bytes()
    streams = b"".join(each.data for each in CaptureReader(capture).records() if hasattr(each, "data"))
    for plant in PLANTS:
        assert all(each in raw or each in streams for each in plant.gone), plant.name
    assert len(PLANTS) >= 70


@pytest.mark.parametrize("output", OUTPUTS)
def test_what_is_planted_is_nowhere(output: str, capture: Path, tmp_path: Path) -> None:
    """Prints a row for each group: planted, found, left."""
    make, groups = OUTPUTS[output]
    made = make(capture, tmp_path)
    assert len(made) > 1000
    left = {}
    for group in groups:
        plants = [each for each in PLANTS if each.group == group]
        leaks = [each.name for each in plants if any(text in made for text in each.gone)]
        print(f"{output:<28} {group:<7} planted {len(plants):>3}  found {len(plants) - len(leaks):>3}  left {leaks}")
        left[group] = leaks
    assert not any(left.values()), left
