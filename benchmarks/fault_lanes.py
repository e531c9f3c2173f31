"""Other ends that go at once, and what they send: `pale-heron record` holds all of it, and shows nothing of it raw.

To hold: every byte that was sent is in the record, however soon the other side went behind it, and no byte of it stands
on the terminal. What happens to the record itself meanwhile is `faults`; ports that go and come back are `unplug`.
"""

import signal
import socket
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Final, NamedTuple

from benchmarks.faults import recorded, until
from benchmarks.servers import PlainServer, RemotePort, send_each
from benchmarks.traffic import epochs

MESSAGES: Final = 100
BYTES: Final = bytes(range(256)) * 560
ESCAPES: Final = (
    b"\x1b]0;owned\x07\x1b[2J\x1b[6n\x1bP$q\x1b\\\x9b2J\x9d0;c1\x9c"
    + "\u202e\u2066\u200b\ufeff".encode()
    + b"[b]bold[/b][/][link=file:///]x[/link][@click=app.quit]q[/]\r\n"
)


class OtherEnd(NamedTuple):
    """Where a lane is opened, what its other side sends, and what has to be done once it is waited for."""

    address: str
    sent: bytes
    begin: Callable[[], None] = lambda: None


def _free_port() -> int:
    with socket.create_server(("127.0.0.1", 0)) as server:
        port: int = server.getsockname()[1]
    return port


def _new_each_time() -> OtherEnd:
    port, messages = _free_port(), [b"message %03d\r\n" % number for number in range(MESSAGES)]
    return OtherEnd(f"listen://127.0.0.1:{port}", b"".join(messages), lambda: send_each(port, messages))


def _hostile() -> OtherEnd:
    data = b"".join(each + ESCAPES for each in epochs(60))
    return OtherEnd(PlainServer(data).address, data)


ENDS: Final[dict[str, Callable[[], OtherEnd]]] = {
    "a server that closes at once": lambda: OtherEnd(PlainServer(BYTES).address, BYTES),
    "an RFC 2217 server that closes at once": lambda: OtherEnd(RemotePort(BYTES, 0.0).address, BYTES),
    "a client that connects for each message": _new_each_time,
    "lines that would act on the terminal": _hostile,
}


class LaneOutcome(NamedTuple):
    """Bytes that were sent and recorded; what stood on the terminal."""

    sent: int
    recorded: int
    shown: str
    held: bool


def outcome(end: OtherEnd, folder: Path) -> LaneOutcome:
    """Record from it until all is there, or the recording says that the other side has gone."""
    capture = folder / "a.pcapng"
    words = [sys.executable, "-m", "pale_heron", "record", f"m={end.address}", "-o", str(capture)]
    recording = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    until(lambda: capture.exists() and any(name in capture.read_bytes() for name in (b'"opened"', b'"listening"')))
    end.begin()
    until(lambda: len(recorded(folder)) >= len(end.sent) or b'"lost"' in capture.read_bytes())
    recording.send_signal(signal.SIGINT)
    shown = recording.communicate()[0]
    got = recorded(folder)
    plain = all(letter.isprintable() or letter == "\n" for letter in shown)
    return LaneOutcome(len(end.sent), len(got), shown, got == end.sent and plain and recording.returncode == 0)


def run() -> Iterator[str]:
    yield f"{'other side':<42}{'sent':>10}{'recorded':>10}   to hold: all recorded, nothing of it raw on the terminal"
    for name, other in ENDS.items():
        with tempfile.TemporaryDirectory() as folder:
            found = outcome(other(), Path(folder))
        yield f"{name:<42}{found.sent:>10}{found.recorded:>10}   {'held' if found.held else 'NOT HELD'}"
