"""Asks network time servers, several times each; one that is silent is given up after its limit."""

import socket
import time
from collections.abc import Callable
from typing import Final

from pale_heron.core.clock.ntp import (
    PORT,
    NetworkServer,
    NetworkTime,
    NtpProblem,
    OtherQuestion,
    best_of,
    question,
    read_answer,
)
from pale_heron.core.trouble import Trouble
from pale_heron.ports.clock import StampClock

SAMPLES: Final = 4
LIMIT_S: Final = 2.0
PAUSE_S: Final = 0.25
MOST_BYTES: Final = 1024


def server_typed(text: str) -> tuple[str, int]:
    """`HOST`, `HOST:PORT` or `[IPv6]:PORT`. Trouble says what is wrong."""
    host, colon, port = text.rpartition(":")
    if text.count(":") > 1 and not text.startswith("["):
        host, colon, port = text, "", ""
    if not colon or text.endswith("]"):
        host, port = text, str(PORT)
    host = host.removeprefix("[").removesuffix("]")
    if not host or not port.isdecimal() or not 0 < int(port) < 1 << 16:
        raise Trouble(f"--ntp {text!r} is no server", "Write HOST or HOST:PORT, such as 192.0.2.1 or [::1]:1123")
    return host, int(port)


def ask(host: str, port: int, clock: StampClock, stopped: Callable[[], bool] = lambda: False) -> NetworkServer:
    """Ask some times, and take the answer with the least delay."""
    name = f"[{host}]:{port}" if ":" in host else f"{host}:{port}"
    found: list[NetworkTime] = []
    error = ""
    try:
        family, _, _, _, address = socket.getaddrinfo(host, port, type=socket.SOCK_DGRAM)[0]
    except UnicodeError:
        return NetworkServer(name, 0, None, "that cannot be the name of a host")
    except OSError as problem:
        return NetworkServer(name, 0, None, f"the name is not known ({problem.strerror or problem})")
    for number in range(SAMPLES):
        if stopped():
            break
        if number:
            time.sleep(PAUSE_S)
        try:
            found.append(_once(family, address, clock))
        except NtpProblem as problem:
            error = str(problem)
            break
        except TimeoutError:
            error = f"no answer within {LIMIT_S:g} s"
            break
        except OSError as problem:
            error = f"{problem.strerror or problem}".lower()
            break
    return NetworkServer(name, len(found), best_of(found), "" if found else error or "not asked")


def _once(family: int, address: tuple[object, ...], clock: StampClock) -> NetworkTime:
    with socket.socket(family, socket.SOCK_DGRAM) as link:
        link.settimeout(LIMIT_S)
        link.connect(address)
        left = clock.now()
        asked = question(left)
        link.send(asked)
        end = time.monotonic() + LIMIT_S
        passed_over: OtherQuestion | None = None
        while passed_over is None or time.monotonic() < end:
            try:
                answer = link.recv(MOST_BYTES)
            except TimeoutError:
                break
            came = clock.now()
            try:
                return read_answer(answer, asked, left, came)
            except OtherQuestion as other:
                # A late answer to a question of before, or what anybody may send; the answer may come still.
                passed_over = other
        raise passed_over or TimeoutError
