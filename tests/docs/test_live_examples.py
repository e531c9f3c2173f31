"""The examples that talk to devices run as they are pasted, on simulated devices in place of the user's."""

import os
import re
import subprocess
import sys
from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

import pytest

from pale_heron.bench.config.bench_file import load_bench
from pale_heron.sim.launch import Device
from tests.docs.examples import Example, command_lines, shown, worth_running
from tests.waiting import LIMIT_S

PROGRAM = (sys.executable, "-m", "pale_heron")
ON_SCREEN = {"demo", "watch", "open"}
AT_ONCE = 5
"""They wait for devices most of the time."""

DEVICES = {
    "record": [("curlew", "--start", "hot", "--host-time")],
    "send": [("plover",)],
    "settings": [("bittern",)],
    "routine plover-message": [("plover",)],
    "routine bittern-pair": [("bittern",)],
    "trial delivery": [("cable",)],
    "trial throughput": [("cable", "--rate", "115200")],
    "trial plan": [("cable",)],
    "trial exchange": [("vane",)],
    "trial sentences": [("range-walk", "--when-opened")],
    "answer": [("vane",)],
    "clock curlew": [("curlew", "--start", "hot", "--host-time")],
    "clock board": [("dunlin",)],
    "clock --ntp": [("snipe",), ("snipe",)],
}
"""What stands at the other end of whose ports; the longest beginning counts."""

PATHS = {"bittern": 2, "cable": 2, "range-walk": 3}
"""How many a device has, where it has several."""

QUICK = {"--for": "3s", "--count": "3", "--rounds": "3"}
"""Nobody waits for ten minutes here."""

LINES = [each for each in command_lines() if each.pasted and each.words and "pps:/dev" not in each.text]
"""All but those for hardware that nothing stands in for."""

LIVE = worth_running(
    [
        each
        for each in LINES
        if each.words[1:2] != ("morning.pcapng",) and any(each.text[11:].startswith(begin) for begin in DEVICES)
    ]
)
IDS = [each.text[11:80] for each in LIVE]


def _bench(path: str) -> str:
    return f'[[lane]]\nnickname = "hide"\naddress = "{path}"\nintended = {{ node = "8" }}\n'


def _here(words: Sequence[str], paths: Sequence[str]) -> list[str]:
    """The words with what is the user's own replaced: where devices are, and how long it takes."""

    def place(found: re.Match[str]) -> str:
        return paths[min(int(found[1]), len(paths) - 1)]

    placed = [re.sub(r"/dev/ttyUSB([0-9])", place, word) for word in words]
    for option, value in QUICK.items():
        if option in placed:
            placed[placed.index(option) + 1] = value
    if placed[0] == "answer" and "--for" not in placed:
        placed += ["--for", QUICK["--for"]]
    servers = iter(paths)
    for at, word in enumerate(placed):
        if word == "--ntp":
            placed[at + 1] = next(servers)
    return placed


def _run(words: Sequence[str], folder: Path) -> subprocess.CompletedProcess[str]:
    environ = os.environ | {"PALE_HERON_CONFIG": str(folder / "config")}
    return subprocess.run(
        [*PROGRAM, *words],
        stdin=subprocess.DEVNULL,
        capture_output=True,
        text=True,
        timeout=LIMIT_S,
        check=False,
        cwd=folder,
        env=environ,
    )


def _played(example: Example, folder: Path) -> tuple[subprocess.CompletedProcess[str], Path | None]:
    """One line, run with its devices in a folder of its own; what it said, and the file it was to write."""
    begin = max((each for each in DEVICES if example.text[11:].startswith(each)), key=len)
    devices = []
    try:
        for number, (kind, *options) in enumerate(DEVICES[begin]):
            link = None if kind == "snipe" else folder / f"port{number}"
            devices.append(Device(kind, *options, link=link, count=PATHS.get(kind, 1)))
        paths = [path for each in devices for path in each.paths]
        (folder / "buoy7.toml").write_text(shown("expectations.md", "title"), "utf-8")
        plan = shown("proving-a-link.md", "title").replace("count = 100", "count = 2")
        (folder / "two-paces.toml").write_text(plan, "utf-8")
        (folder / "saltmarsh.toml").write_text(_bench(paths[0]), "utf-8")
        words = _here(example.words, paths)
        return _run(words, folder), folder / words[words.index("-o") + 1] if "-o" in words else None
    finally:
        for each in devices:
            each.stop()


@pytest.fixture(scope="module")
def played(tmp_path_factory: pytest.TempPathFactory) -> Iterator[dict[str, Future[object]]]:
    with ThreadPoolExecutor(AT_ONCE) as pool:
        yield {each.text: pool.submit(_played, each, tmp_path_factory.mktemp("played")) for each in LIVE}


@pytest.mark.parametrize("example", LIVE, ids=IDS)
def test_a_pasted_line_does_what_it_says(
    example: Example, played: dict[str, Future[tuple[subprocess.CompletedProcess[str], Path | None]]]
) -> None:
    done, wanted = played[example.text].result()
    # 1 is no failure of the command: what was asked of a link or a device does not hold.
    assert done.returncode in (0, 1), done.stderr
    assert done.stdout.strip() or done.stderr.strip()
    assert wanted is None or wanted.stat().st_size > 500


@pytest.mark.parametrize(
    "example", [each for each in LINES if each.words[0] == "sim"], ids=lambda each: each.text[11:80]
)
def test_a_simulated_device_is_there_until_it_is_told(example: Example, tmp_path: Path) -> None:
    words = [word.replace("/tmp/", f"{tmp_path}/") for word in example.words]
    environ = os.environ | {"XDG_RUNTIME_DIR": str(tmp_path)}
    running = subprocess.Popen(
        [*PROGRAM, *words], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=environ
    )
    assert running.stdout is not None
    assert Path(running.stdout.readline().strip()).exists()
    # Not SIGINT: whoever runs this in the background may have it ignored.
    running.terminate()
    _, problem = running.communicate(timeout=LIMIT_S)
    assert running.returncode in (0, 130), problem


@pytest.mark.parametrize(
    "example", [each for each in LINES if each.words[0] in ON_SCREEN], ids=lambda each: each.text[11:80]
)
def test_a_full_screen_is_all_that_a_line_without_terminal_lacks(example: Example, tmp_path: Path) -> None:
    (tmp_path / "morning.pcapng").write_bytes(b"$GPTXT,01,01,02,hello*5E\r\n")
    (tmp_path / "saltmarsh.toml").write_text(_bench("/dev/ttyUSB0"), "utf-8")
    done = _run(example.words, tmp_path)
    assert done.returncode == 2
    assert "full screen" in done.stderr


def test_the_routine_that_is_shown_runs_on_what_it_is_shown_for(tmp_path: Path) -> None:
    (tmp_path / "register.toml").write_text(shown("bringing-up-a-module.md", 'name = "register"'), "utf-8")
    plover = Device("plover", "--locked", "--tcp")
    try:
        done = _run(["routine", "register.toml", plover.path, "--set", "pin=2718"], tmp_path)
    finally:
        plover.stop()
    assert done.returncode == 0, done.stdout + done.stderr


def test_the_bench_file_that_is_shown_is_read(tmp_path: Path) -> None:
    (tmp_path / "shown.toml").write_text(shown("bench-files.md", "#"), "utf-8")
    assert {spec.name for spec in load_bench(tmp_path / "shown.toml")} == {"curlew", "hide"}
