"""From the start of the process to the first picture, against an empty application of the same toolkit."""

import statistics
import subprocess
import sys
import tempfile
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
ROUNDS = 7


def to_picture(words: list[str], wanted: bytes, environ: dict[str, str]) -> float:
    terminal = Terminal(words, environ=environ)
    taken = terminal.wait(wanted)
    terminal.end()
    assert taken is not None, f"{words} never showed {wanted!r}"
    return taken


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
    yield f"empty application {low:.2f} s, watch {high:.2f} s: {high / low:.2f} × (to hold: 2 ×), medians of {ROUNDS}"
