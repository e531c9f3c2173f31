"""Snipe, a simulated time server on loopback: right, wrong by a set time, not set itself, refusing, or silent."""

import socket
import time
from collections.abc import Callable
from typing import Final, NamedTuple

from pale_heron.core.clock.ntp import LENGTH, UNSYNCHRONISED, answer_to
from pale_heron.core.frames import SECOND

WAIT_S: Final = 0.1


class SnipeFaults(NamedTuple):
    """How far its clock is ahead, seconds; shares of questions that it does not answer, or refuses; 1 where not set."""

    ahead_s: float = 0.0
    silent: float = 0.0
    refused: float = 0.0
    unset: float = 0.0


class Snipe:
    """A server on a free port of this machine."""

    def __init__(self, faults: SnipeFaults, host_ppm: float = 0.0) -> None:
        """The clock of this computer seems to run so many parts in a million fast against it."""
        self._faults = faults
        self._host_ppm = host_ppm
        self._begun = time.time_ns()
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._socket.bind(("127.0.0.1", 0))
        self._socket.settimeout(WAIT_S)
        self._asked = 0

    @property
    def address(self) -> str:
        """Host and port."""
        host, port = self._socket.getsockname()
        return f"{host}:{port}"

    def run(self, ended: Callable[[], bool]) -> None:
        """Answer until `ended` says so."""
        with self._socket:
            while not ended():
                try:
                    asked, whom = self._socket.recvfrom(1024)
                except TimeoutError:
                    continue
                came = self._now()
                if len(asked) >= LENGTH:
                    self._answer(asked, whom, came)

    def _now(self) -> int:
        now = time.time_ns()
        return now - round((now - self._begun) * self._host_ppm / 1e6)

    def _answer(self, asked: bytes, whom: tuple[str, int], came: int) -> None:
        faults = self._faults
        self._asked += 1
        # Shares are kept to exactly, one question after the other.
        if _falls(self._asked, faults.silent):
            return
        ahead = round(faults.ahead_s * SECOND)
        stratum, reference, leap = 1, b"PPS", 0
        if _falls(self._asked, faults.refused):
            stratum, reference = 0, b"RATE"
        elif faults.unset:
            stratum, reference, leap = 16, b"INIT", UNSYNCHRONISED
        answer = answer_to(asked, came + ahead, self._now() + ahead, stratum, reference, leap)
        self._socket.sendto(answer, whom)


def _falls(count: int, share: float) -> bool:
    """Whether the one of this count is among such a share of all."""
    return int(count * share) > int((count - 1) * share)
