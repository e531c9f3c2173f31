"""The program without POSIX: its modules are refused to us, and what os and signal have of it is taken away.

The packages that we use keep theirs: they have ways of their own there.
"""

import json
import os
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Final

import pytest

from pale_heron.sim.curlew import Curlew
from pale_heron.sim.launch import Device
from pale_heron.sim.loopback import LoopbackServer
from pale_heron.sim.scenes import SCENES
from pale_heron.sim.troubles import TROUBLES
from tests.waiting import LIMIT_S

ELSEWHERE: Final = """
import builtins, os, signal, subprocess, sys
import regex, serial.tools.list_ports, textual.app  # they may have what we may not
real = builtins.__import__
def refuse(name, globals=None, *rest, **more):
    ours = str((globals or {}).get("__name__", "")).startswith("pale_heron")
    if ours and name.partition(".")[0] in {"fcntl", "grp", "pty", "pwd", "resource", "termios", "tty"}:
        raise ModuleNotFoundError(name)
    return real(name, globals, *rest, **more)
builtins.__import__ = refuse
del os.getuid, os.nice, os.pwrite, os.openpty, signal.SIGHUP
"""
COMMAND: Final = ELSEWHERE + "from pale_heron.cli.program import main\nmain()\n"


def run(*words: str, folder: Path) -> subprocess.CompletedProcess[str]:
    environ = os.environ | {"PALE_HERON_CAPTURES": str(folder), "XDG_RUNTIME_DIR": str(folder)}
    return subprocess.run(
        [sys.executable, "-c", COMMAND, *words],
        capture_output=True,
        text=True,
        timeout=LIMIT_S,
        env=environ,
        check=False,
    )


@pytest.fixture(scope="module")
def raw(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("raw") / "raw.nmea"
    curlew = Curlew(replace(SCENES["open-sky"], start="hot", quick=100.0), seed=7)
    path.write_bytes(b"".join(curlew.epoch(float(second)) for second in range(60)))
    return path


@pytest.fixture(scope="module")
def device() -> Iterator[str]:
    made = Device("curlew", "--tcp", "--start", "hot", "--quick", "100")
    yield made.path
    made.stop()


def test_files_are_read_and_drawn(raw: Path, tmp_path: Path) -> None:
    lines = raw.read_bytes().count(b"\n")
    assert len(run("decode", str(raw), "--json", folder=tmp_path).stdout.splitlines()) == lines
    assert json.loads(run("summary", str(raw), "--json", folder=tmp_path).stdout)["lanes"][0]["fix"]
    for words in (("chart", "sky", str(raw), "-o", "sky.svg"), ("export", str(raw), "--to", "gpx", "-o", "track.gpx")):
        *most, name = words
        found = run(*most, str(tmp_path / name), folder=tmp_path)
        assert (found.returncode, (tmp_path / name).exists()) == (0, True), found.stderr


def test_ports_are_listed(tmp_path: Path) -> None:
    found = run("ports", "--json", folder=tmp_path)
    assert (found.returncode, found.stderr) == (0, "")


def test_a_lane_over_tcp_is_recorded(device: str, tmp_path: Path) -> None:
    target = tmp_path / "out.pcapng"
    found = run("record", f"curlew={device}", "-o", str(target), "--for", "2s", folder=tmp_path)
    assert found.returncode in (0, 1), found.stderr
    lanes = json.loads(run("summary", str(target), "--json", folder=tmp_path).stdout)["lanes"]
    assert lanes[0]["bytes_in"] > 0


SCREEN: Final = (
    ELSEWHERE
    + """
import asyncio, pathlib
from textual.app import App
from pale_heron.cli import open_capture, watch  # they load
from pale_heron.bench.live.session import Session
from pale_heron.bench.replay.replay import Replay
from pale_heron.ports.address import parse_lane
from pale_heron.tui.app import PaleHeron
from pale_heron.tui.widgets.canvas import Canvas
async def shown(bench, words):
    app = PaleHeron(bench)
    async with app.run_test(size=(120, 40)) as pilot:
        for _ in range(600):
            await pilot.pause(0.1)
            if words in "".join(str(line) for each in app.query(Canvas) for line in each.rows):
                return print("shown", flush=True)
    raise SystemExit("never shown: " + words)
bench = Replay(pathlib.Path(sys.argv[1])) if len(sys.argv) == 2 else Session("x", [parse_lane(sys.argv[2])], None)
bench.start()
try:
    asyncio.run(shown(bench, "curlew" if len(sys.argv) > 2 else "raw"))
finally:
    bench.stop()
"""
)


def test_the_screen_opens_on_a_file_and_on_a_lane(raw: Path, device: str) -> None:
    for words in ([str(raw)], ["live", f"curlew={device}"]):
        found = subprocess.run(
            [sys.executable, "-c", SCREEN, *words], capture_output=True, text=True, timeout=LIMIT_S, check=False
        )
        assert found.stdout == "shown\n", found.stderr


def test_the_other_side_may_come_go_and_come_again() -> None:
    import socket

    server = LoopbackServer()
    assert server.write(b"into the air") == 12
    host, port = server.path.removeprefix("socket://").split(":")
    for word in (b"first", b"second"):
        with socket.create_connection((host, int(port))) as client:
            client.sendall(word)
            heard = b""
            while heard != word:
                heard += server.read()
            assert server.write(b"answer") == 6
            assert client.recv(6) == b"answer"
        while server.taken:
            server.read()
    server.close()


def test_who_is_locked_out_is_not_let_in() -> None:
    server = LoopbackServer()
    server.lock()
    assert (server.taken, server.read(), server.write(b"x")) == (False, b"", 1)
    server.close()


def test_all_troubles_play_over_tcp() -> None:
    device = Device("trouble", "all", "--tcp", count=len(TROUBLES))
    assert all(path.startswith("socket://127.0.0.1:") for path in device.paths)
    device.stop()
