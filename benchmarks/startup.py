"""From the start of the process to the first picture, and small commands from start to end, against empty ones."""

import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from benchmarks.terminal import Terminal

EMPTY = """
from textual.app import App
from textual.widgets import Static
class Empty(App):
    BINDINGS = [("q", "quit")]
    def compose(self):
        yield Static("first picture")
Empty().run()
"""
EMPTY_COMMAND = "import click; click.command()(lambda: None).main([])"
ROUNDS = 7
COMMAND_ROUNDS = 15


def to_picture(words: list[str], wanted: bytes, environ: dict[str, str]) -> float:
    terminal = Terminal(words, environ=environ)
    taken = terminal.wait(wanted)
    terminal.end()
    assert taken is not None, f"{words} never showed {wanted!r}"
    return taken


def to_end(*words: str) -> float:
    begin = time.perf_counter()
    subprocess.run([sys.executable, *words], stdout=subprocess.DEVNULL, check=True)
    return time.perf_counter() - begin


def commands() -> Iterator[str]:
    """Small commands against an empty one of the same argument parser, taken in turn."""
    rounds = [
        (
            to_end("-c", EMPTY_COMMAND),
            to_end("-m", "pale_heron", "--version"),
            to_end("-m", "pale_heron", "ports", "--json"),
        )
        for _ in range(COMMAND_ROUNDS + 1)
    ]
    empty, version, ports = (statistics.median(column[1:]) for column in zip(*rounds, strict=True))
    yield f"empty command {1000 * empty:.0f} ms, --version {1000 * version:.0f} ms: {version / empty:.2f} × (to hold 1)"
    yield f"ports --json {1000 * ports:.0f} ms: {ports / empty:.2f} × (to hold: 3), medians of {COMMAND_ROUNDS}"


def run() -> Iterator[str]:
    with tempfile.TemporaryDirectory() as folder:
        environ = {"PALE_HERON_CAPTURES": folder, "XDG_RUNTIME_DIR": folder}
        link = Path(folder) / "curlew"
        words = [sys.executable, "-m", "pale_heron", "sim", "curlew", "--link", str(link), "--start", "hot"]
        device = subprocess.Popen(words, stdout=subprocess.DEVNULL)
        empty, ours = [], []
        for _ in range(ROUNDS + 1):
            empty.append(to_picture([sys.executable, "-c", EMPTY], b"first picture", environ))
            watch = [sys.executable, "-m", "pale_heron", "watch", str(link)]
            ours.append(to_picture(watch, b"Is anything arriving", environ))
        device.terminate()
        device.wait()
    # The first run of each compiles the modules and is left out.
    low, high = statistics.median(empty[1:]), statistics.median(ours[1:])
    yield f"empty application {low:.2f} s, watch {high:.2f} s: {high / low:.2f} × (to hold: 1.5 ×), medians of {ROUNDS}"
    yield from commands()
