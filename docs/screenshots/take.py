"""Takes the pictures in this folder: the simulated bench in a real terminal window on a virtual display, 1280 by 800.

Needs Xvfb, xterm, ImageMagick's `import`, tmux and the font DejaVu Sans Mono; `make screenshots` installs them.
"""

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

HERE = Path(__file__).parent
PROGRAM = f"{sys.executable} -m pale_heron"
LIMIT_S = 150.0
WRONG_RATE = "(the device at another rate)"
NAMES = ("wrong-rate", "silent", "held", "unplugged", "deaf")

XTERM = ["xterm", "-fa", "DejaVu Sans Mono", "-fs", "11", "-geometry", "142x42+0+0", "-b", "0", "-bw", "0", "+sb"]
XTERM += ["-u8", "-xrm", "XTerm*directColor: true"]


def typed(*lines: str) -> tuple[tuple[str, str], ...]:
    """Each line typed and entered."""
    return tuple(step for text in lines for step in (("type", text), ("key", "Enter"), ("pause", "0.7")))


SCENES: tuple[tuple[str, tuple[tuple[str, str], ...]], ...] = (
    # The program to run, then what to do: wait for a text, press a key, take a picture.
    (
        f"{PROGRAM} demo",
        (
            ("until", "Time is known"),
            ("pause", "4"),
            ("pause", "110"),
            ("picture", "fix"),
            ("key", "v"),
            ("pause", "1"),
            ("picture", "fix-satellites"),
            ("key", "V"),
            ("key", "1"),
            ("picture", "line"),
            ("key", "2"),
            ("until", "GNGGA"),
            ("key", "m"),
            ("until", "What happened"),
            ("type", "under the bridge"),
            ("key", "Enter"),
            ("pause", "2"),
            ("key", "Space"),
            *(("key", "Up"),) * 10,
            ("key", "x"),
            *(("key", "Up"),) * 9,
            ("pause", "1"),
            ("picture", "traffic"),
            ("key", "q"),
        ),
    ),
    (
        f"{PROGRAM} demo --scene at-rest",
        (
            ("until", "3D fix for"),
            ("pause", "140"),
            *(("key", "v"),) * 2,
            ("picture", "fix-scatter"),
            ("key", "o"),
            ("until", ": orders"),
            ("key", "d"),
            ("pause", "1"),
            ("key", "1"),
            ("pause", "1"),
            ("key", "Enter"),
            ("until", "which sentences"),
            *(("key", "Down"),) * 3,
            ("key", "0"),
            ("key", "Up"),
            *(("key", "Right"),) * 4,
            ("pause", "1"),
            ("picture", "orders"),
            ("key", "Escape"),
            ("key", "Escape"),
            ("pause", "1"),
            ("key", "q"),
        ),
    ),
    (
        f"{PROGRAM} demo --scene two-receivers",
        (
            ("pause", "100"),
            *(("key", "v"),) * 4,
            ("pause", "1"),
            ("picture", "fix-two-receivers"),
            ("key", "q"),
        ),
    ),
    (
        f"{PROGRAM} demo --scene late",
        (
            ("until", "none missed"),
            ("pause", "40"),
            ("picture", "clock"),
        ),
    ),
    (
        f"{PROGRAM} demo --scene modules",
        (
            ("until", "It is ready, as node 7"),
            ("key", ":"),
            *typed("AT", "ATI", "AT+NODE?", "AT+GROUP?;+CHANNEL?;+PACE?", "AT+CIPHER?", "AT+SLEEP", "AT+NOISE?"),
            ("type", "AT+PO"),
            ("pause", "1"),
            ("picture", "module-exchanges"),
            ("key", "Escape"),
            ("pause", "1"),
            ("key", "R"),
            ("until", "read line-rate"),
            ("key", "Tab"),
            ("key", "R"),
            ("until", "4 9370 bit/s"),
            ("pause", "2"),
            ("key", "v"),
            ("until", "neither will hear"),
            ("picture", "module-pair"),
            ("key", "V"),
            ("key", "Enter"),
            ("until", "empty forgets it"),
            *typed("8"),
            *(("key", "Down"),) * 3,
            ("key", "Enter"),
            ("until", "empty forgets it"),
            *typed("3"),
            ("key", "W"),
            ("until", "Send it?"),
            ("key", "y"),
            ("until", "from the next restart on"),
            ("key", "K"),
            ("until", "Send it?"),
            ("key", "y"),
            ("until", "VERIFY  done"),
            ("key", "L"),
            ("until", "new rate"),
            *typed("230400"),
            ("until", "as before: nothing answers"),
            ("key", "q"),
        ),
    ),
    (
        f"{PROGRAM} demo --scene modules",
        (
            ("until", "It is ready, as node 7"),
            *(("key", "Tab"),) * 2,
            ("key", ":"),
            *typed("AT+CMGF=1", "AT+CLIP=1;+CREG=1", "AT+CSQ"),
            ("until", "has changed"),
            *typed("AT+CSQ", "AT+COPS?", 'AT+CMGS="+99905550142"'),
            ("until", "may cost money"),
            ("key", "y"),
            ("until", "waits for text"),
            ("type", "Buoy 7: ebb at 10:40, all well"),
            ("key", "Enter"),
            ("until", "reference 1"),
            ("key", "Escape"),
            ("pause", "12"),
            ("key", "v"),
            ("key", "R"),
            ("until", "READINGS  done"),
            ("picture", "module-state"),
            ("key", "q"),
        ),
    ),
    (
        f"{PROGRAM} demo --scene modules",
        (
            ("until", "It is ready, as node 7"),
            ("key", "T"),
            ("until", "Which routine"),
            ("key", "1"),
            ("until", "which lane"),
            ("key", "1"),
            *(("key", "Enter"),) * 3,
            ("until", "0 of 12 steps"),
            ("key", "Enter"),
            ("until", "12 of 12 steps"),
            ("picture", "module-routine"),
            ("key", "q"),
        ),
    ),
    (
        f"{PROGRAM} watch wrong={WRONG_RATE}",
        (
            ("until", "the rate is wrong"),
            ("pause", "8"),
            ("picture", "line-wrong-rate"),
            ("key", "q"),
        ),
    ),
    (
        f"{PROGRAM} demo --scene both-ways",
        (
            ("until", "No trial yet"),
            ("key", "b"),
            ("until", "how?"),
            ("key", "1"),
            ("until", "How many probes"),
            ("key", "Enter"),
            ("until", "How is it wired"),
            ("key", "d"),
            ("until", ", took "),
            ("picture", "link"),
            ("key", "q"),
        ),
    ),
    (
        f"{PROGRAM} demo --scene bad-cable",
        (
            ("until", "No trial yet"),
            ("key", "b"),
            ("until", "how?"),
            ("key", "t"),
            ("until", "where to?"),
            ("key", "1"),
            ("until", "For how long"),
            ("key", "Enter"),
            ("until", "How is it wired"),
            ("key", "d"),
            ("until", ", took "),
            ("picture", "throughput"),
            ("key", "q"),
        ),
    ),
    (
        f"{PROGRAM} demo --scene proof",
        (
            ("until", "EXPECTED"),
            ("pause", "40"),
            ("key", "<"),
            ("until", "What is measured"),
            *typed("towed out"),
            ("pause", "40"),
            ("key", "m"),
            ("until", "What happened"),
            *typed("past the sluice"),
            ("pause", "60"),
            ("key", ">"),
            ("until", "Which measured part"),
            ("key", "Enter"),
            ("pause", "20"),
            ("picture", "proof"),
            ("key", "v"),
            *((("key", "Left"),) * 9),
            ("pause", "1"),
            ("picture", "proof-lanes"),
            ("key", "6"),
            ("pause", "1"),
            ("key", "v"),
            ("pause", "1"),
            ("picture", "link-distance"),
            ("key", "q"),
        ),
    ),
    (
        f"{PROGRAM} demo --scene range-walk",
        (
            ("until", "curlew"),
            ("pause", "4"),
            ("key", "Tab"),
            ("key", "6"),
            ("pause", "20"),
            ("key", "b"),
            ("until", "how?"),
            ("key", "d"),
            ("until", "says where"),
            ("key", "1"),
            ("until", "From which point"),
            *typed("46.117 S 67.306 W"),
            ("until", "by distance: how?"),
            ("key", "w"),
            ("until", "Which line"),
            *typed("^.HEARD 1s"),
            ("until", "How is it wired"),
            ("key", "a"),
            ("pause", "100"),
            ("picture", "link-beacon"),
            ("key", "q"),
        ),
    ),
)
"""What is played for the pictures: a receiver, modules, and devices in trouble."""


@contextmanager
def window(command: str) -> Iterator[tuple[list[str], dict[str, str]]]:
    """A terminal window on a display of its own; gives the words that reach its tmux, and its environment."""
    with tempfile.TemporaryDirectory() as folder:
        read_end, write_end = os.pipe()
        display = subprocess.Popen(
            ["Xvfb", "-displayfd", str(write_end), "-screen", "0", "1280x800x24", "-nolisten", "tcp"],
            pass_fds=[write_end],
            stderr=subprocess.DEVNULL,
        )
        os.close(write_end)
        environ = os.environ | {
            "DISPLAY": ":" + os.read(read_end, 16).decode().strip(),
            "COLORTERM": "truecolor",
            "LANG": "C.UTF-8",
            "TZ": "<-03>3",
            "PALE_HERON_CAPTURES": folder,
            "PALE_HERON_CONFIG": folder,
        }
        environ.pop("TMUX", None)
        settings = Path(folder) / "tmux.conf"
        settings.write_text(
            'set -g status off\nset -g default-terminal "tmux-256color"\nset -as terminal-overrides ",*:Tc"\n'
            "setenv -g COLORTERM truecolor\nset -sg escape-time 10\n"
        )
        tmux = ["tmux", "-S", f"{folder}/socket", "-f", str(settings)]
        terminal = subprocess.Popen(
            [*XTERM, "-e", *tmux, "new-session", command],
            env=environ,
            stderr=subprocess.DEVNULL,
        )
        try:
            yield tmux, environ
        finally:
            subprocess.run([*tmux, "kill-server"], check=False, capture_output=True)
            for process in (terminal, display):
                process.terminate()
                process.wait()


def act(what: str, value: str, tmux: list[str], environ: dict[str, str]) -> None:
    """Carry out one step of a scene."""
    if what == "key":
        subprocess.run([*tmux, "send-keys", value], check=True)
        time.sleep(0.3)
    elif what == "type":
        subprocess.run([*tmux, "send-keys", "-l", value], check=True)
        time.sleep(0.3)
    elif what == "pause":
        time.sleep(float(value))
    elif what == "picture":
        time.sleep(0.6)
        subprocess.run(["import", "-window", "root", str(HERE / f"{value}.png")], env=environ, check=True)
        print(f"{value}.png")
    else:
        limit = time.monotonic() + LIMIT_S
        while value not in subprocess.run([*tmux, "capture-pane", "-p"], capture_output=True, text=True).stdout:
            if time.monotonic() > limit:
                sys.exit(f"{value!r} never stood on the screen")
            time.sleep(0.2)


def main() -> None:
    """Take the pictures that are named, with the others of their scenes; all of them where none is."""
    wanted = set(sys.argv[1:])
    words = [*PROGRAM.split(), "sim", "trouble", *NAMES]
    device = subprocess.Popen(words, stdout=subprocess.PIPE, text=True)
    assert device.stdout is not None
    garbled = device.stdout.readline().strip()
    try:
        for command, steps in SCENES:
            if wanted and not wanted & {value for what, value in steps if what == "picture"}:
                continue
            with window(command.replace(WRONG_RATE, garbled)) as (tmux, environ):
                for what, value in steps:
                    act(what, value, tmux, environ)
    finally:
        device.terminate()
        device.wait()


if __name__ == "__main__":
    main()
