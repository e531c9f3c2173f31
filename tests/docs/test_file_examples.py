"""The examples that work on files run as they are pasted; the files that pages show are sound."""

import re
import shutil
from collections.abc import Iterator
from pathlib import Path

import click
import pytest
from click.testing import CliRunner

from pale_heron.cli.program import COMMANDS, program
from pale_heron.core.trouble import Exit
from pale_heron.sim.launch import Device
from tests.docs.examples import Example, command_lines, file_examples, shown, worth_running

LINES = command_lines()
ON_FILES = {"chart", "export", "summary", "decode", "link", "expect", "report", "cut", "mark", "join", "compare"}
ON_FILES |= {"redact", "dialect", "completion"}
CAPTURES = ("morning", "walk", "range", "before", "after", "hide", "boat", "bench-1204")
HERE_AND_NOW = {"+90s": "+3s", "09:52:10": "+4s", "curlew=curlew2": "curlew=curlew"}
"""What depends on whose capture it is: a moment in it, the name of a lane."""

OF_PULSES = {"intervals", "offset", "steadiness"}
"""Charts of what this morning does not have; they say so."""

MORNING = """
title = "A morning"
[usual]
position = "curlew"
place = "46.1173 S 67.3067 W"
[[trial]]
row = "sentences"
kind = "sentences"
lanes = [["curlew", "hide"]]
for = "6s"
[[trial]]
row = "probes"
kind = "delivery"
lanes = [["hide", "buoy"]]
count = 12
every = "0.3s"
"""


def run(*words: str | Path) -> str:
    """What one command says, run in this process; trouble is raised.

    Status 1 is no failure of a command: what was expected, or asked of a link, does not hold.
    """
    done = CliRunner().invoke(program, [str(word) for word in words], standalone_mode=False)
    if done.exception is not None:
        raise done.exception
    assert done.return_value in (None, Exit.DONE, Exit.NO)
    return done.output


@pytest.fixture(scope="module")
def recorded(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with captures as the pages speak of them: receivers, radios, trials and marks."""
    folder = tmp_path_factory.mktemp("recorded")
    devices = [Device("range-walk", "--when-opened", "--tcp", count=3)]
    devices += [Device("dunlin", "--tcp")]
    devices += [Device("curlew", "--start", "hot", "--tcp", "--seed", seed) for seed in ("1", "2")]
    (curlew, hide, buoy), (board,), (bow,), (stern,) = (device.paths for device in devices)
    (folder / "plan.toml").write_text(MORNING, "utf-8")
    morning = folder / "morning.pcapng"
    try:
        lanes = (f"curlew={curlew}", f"hide={hide}", f"buoy={buoy}", f"board={board}@115200")
        # On a machine that stands still for ten seconds, both trials may be over before the radios have started.
        for _ in range(3):
            morning.unlink(missing_ok=True)
            said = run("trial", "plan", folder / "plan.toml", *lanes, "-o", morning)
            run("chart", "latency", morning, "-o", folder / "came.svg")
            if (folder / "came.svg").exists():
                break
        else:
            pytest.fail(f"nothing came over the link three times: {said}")
        run("record", f"bow={bow}", f"stern={stern}", "-o", folder / "buoy.pcapng", "--for", "10s")
    finally:
        for device in devices:
            device.stop()
    for text, at, kind in (("launch", "+1s", "note"), ("to the far bank", "+2s", "begin"), ("back", "+5s", "note")):
        run("mark", morning, text, "--at", at, "--kind", kind)
    run("mark", morning, "to the far bank", "--at", "+6s", "--kind", "end")
    for name in CAPTURES[1:]:
        shutil.copy(morning, folder / f"{name}.pcapng")
    return folder


@pytest.fixture
def folder(recorded: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    """A user's folder, with the captures, the files of the pages, and dialects of their own."""
    shutil.copytree(recorded, tmp_path, dirs_exist_ok=True)
    (tmp_path / "buoy7.toml").write_text(shown("expectations.md", "title"), "utf-8")
    own = tmp_path / "config" / "dialects"
    own.mkdir(parents=True)
    receiver = shown("dialects.md", 'name = "heron-one"').replace("heron-one", "my-receiver")
    modem = shown("dialects.md", 'name = "heron-radio"').replace("heron-radio", "my-modem")
    for place in (own, tmp_path):
        (place / "my-receiver.toml").write_text(receiver, "utf-8")
    (tmp_path / "my-modem.toml").write_text(modem, "utf-8")
    monkeypatch.setenv("PALE_HERON_CONFIG", str(tmp_path / "config"))
    monkeypatch.chdir(tmp_path)
    return tmp_path


def _on_files(example: Example) -> bool:
    words = example.words
    of_capture = words[0] == "clock" and words[1].endswith(".pcapng")
    # Reports, and the export of everything, which makes them too, have tests of their own: they take their time.
    return example.pasted and (of_capture or words[0] in ON_FILES) and words[0] != "report" and "--all" not in words


@pytest.mark.parametrize(
    "example", worth_running([each for each in LINES if _on_files(each)]), ids=lambda each: each.text[11:80]
)
def test_a_pasted_line_does_what_it_says(example: Example, folder: Path) -> None:
    words = [HERE_AND_NOW.get(word, word) for word in example.words]
    if ">" in words:
        words = words[: words.index(">")]
    said = run(*words)
    if words[0] == "chart" and words[1] in OF_PULSES:
        assert re.search("needs pulses: --pulse SOURCE|too few pulses", said)
        return
    assert said.strip() or "-o" in words
    if "-o" in words:
        made = folder / words[words.index("-o") + 1]
        assert made.exists() and made.stat().st_size > 500, said


def test_a_new_dialect_is_sound_where_it_was_made(folder: Path) -> None:
    (folder / "my-modem.toml").unlink()
    for words in (("new", "my-modem"), ("check", "my-modem.toml"), ("show", "my-modem")):
        assert "my-modem" in run("dialect", *words)


@pytest.mark.parametrize("example", LINES, ids=lambda each: each.text[11:80])
def test_every_line_is_one_that_the_program_takes(example: Example) -> None:
    name, *rest = example.words or ("demo",)
    if name == "--help" or (not example.pasted and not rest):
        assert name in COMMANDS
        return
    if not example.pasted and rest[-1].startswith("--"):
        # In a sentence an option may stand for itself.
        command = program.get_command(click.Context(program), name)
        assert command is not None
        assert any(rest[-1] in option.opts for option in command.params)
        return
    rest = rest[: rest.index(">")] if ">" in rest else rest
    command = program.get_command(click.Context(program), name)
    assert command is not None, name
    while isinstance(command, click.Group):
        command = command.get_command(click.Context(command), rest.pop(0))
        assert command is not None, example.text
    try:
        command.make_context(name, rest)
    except click.MissingParameter:
        assert not example.pasted, "a pasted line is whole"


CHECKS = {"dialects.md": (("dialect", "check"), "is sound"), "expectations.md": (("expect",), "fix within")}
"""How a file of a page is held to be sound, and what is said then."""


@pytest.mark.parametrize(
    ("page", "text"),
    [(each.page, each.text) for each in file_examples() if each.page in CHECKS],
    ids=lambda each: each[:30].split("\n")[0],
)
def test_a_file_that_is_shown_is_sound(page: str, text: str, folder: Path) -> None:
    (folder / "shown.toml").write_text(text, "utf-8")
    command, said = CHECKS[page]
    assert said in run(*command, "shown.toml", *(["morning.pcapng"] if command == ("expect",) else []))
