"""The real program in a real terminal (tmux), driven by keys and read from the screen."""

import os
import shlex
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

from tests.waiting import LIMIT_S

PROGRAM = [sys.executable, "-m", "pale_heron"]


class Screen:
    """A shell in a terminal of its own; `start` runs the program in it."""

    def __init__(self, folder: Path, columns: int = 142, rows: int = 42) -> None:
        self.folder = folder
        self._tmux = ["tmux", "-S", str(folder / "tmux"), "-f", "/dev/null"]
        environ = os.environ | {
            "LANG": "C.UTF-8",
            "PALE_HERON_CAPTURES": str(folder / "captures"),
            "XDG_RUNTIME_DIR": str(folder),
            "PALE_HERON_CONFIG": str(folder / "config"),
            "PS1": "$ ",
            # As a shell leaves them that hands them on: they do not follow a new size.
            "COLUMNS": str(columns),
            "LINES": str(rows),
        }
        environ.pop("TMUX", None)
        size = ["-x", str(columns), "-y", str(rows)]
        subprocess.run([*self._tmux, "new-session", "-d", *size, "bash", "--norc"], check=True, env=environ)

    def start(self, *words: str | Path) -> None:
        self.type(shlex.join([*PROGRAM, *map(str, words)]))
        self.press("Enter")

    def type(self, text: str) -> None:
        subprocess.run([*self._tmux, "send-keys", "-l", text], check=True)

    def press(self, *keys: str) -> None:
        subprocess.run([*self._tmux, "send-keys", *keys], check=True)

    def resize(self, columns: int, rows: int) -> None:
        subprocess.run([*self._tmux, "resize-window", "-x", str(columns), "-y", str(rows)], check=True)

    def text(self) -> str:
        done = subprocess.run([*self._tmux, "capture-pane", "-p"], capture_output=True, text=True, check=False)
        return done.stdout

    def shell(self) -> str:
        """The process id of the shell, the parent of what is started in it."""
        words = [*self._tmux, "display-message", "-p", "#{pane_pid}"]
        return subprocess.run(words, capture_output=True, text=True, check=True).stdout.strip()

    def title(self) -> str:
        words = [*self._tmux, "display-message", "-p", "#{pane_title} #{alternate_on} #{cursor_flag} #{mouse_any_flag}"]
        return subprocess.run(words, capture_output=True, text=True, check=True).stdout.strip()

    def until(self, *wanted: str | Callable[[str], bool]) -> str:
        """Wait until all of these stand on the screen; gives what it says."""
        text = self.says(*wanted, within_s=LIMIT_S)
        assert text, f"{wanted} never stood on the screen; it says:\n{self.text()}"
        return text

    def says(self, *wanted: str | Callable[[str], bool], within_s: float) -> str:
        """What the screen says as soon as all of these stand on it; empty where they do not come in time."""
        limit = time.monotonic() + within_s
        while True:
            text = self.text()
            if all(each in text if isinstance(each, str) else each(text) for each in wanted):
                return text
            if time.monotonic() > limit:
                return ""
            time.sleep(0.1)

    def close(self) -> None:
        subprocess.run([*self._tmux, "kill-server"], check=False, capture_output=True)
