"""Serial ports of other machines (RFC 2217): those that keep to the standard, and those with ways of their own."""

import contextlib
import itertools
import re
import socket
import threading
from collections.abc import Iterator

import pytest
from benchmarks.servers import RemotePort
from hypothesis import given
from hypothesis import strategies as st
from tests.ports.life import Life
from tests.streams import GGA
from tests.waiting import LIMIT_S

from pale_heron.core.frames import Event
from pale_heron.ports.opening import CLOSED
from pale_heron.ports.remote import ENDLESS, LONGEST_OPTION, BoundedOptions


class FarServer:
    """A server of RFC 2217 on loopback that does as its `ways` say: each differs from the standard in one thing."""

    IAC, DONT, DO, WONT, WILL, SB, SE, COM = 255, 254, 253, 252, 251, 250, 240, 44

    def __init__(self, *ways: str) -> None:
        self.ways = ways
        self._server = socket.create_server(("127.0.0.1", 0))
        self.address = f"rfc2217://127.0.0.1:{self._server.getsockname()[1]}"
        self.purged = False
        self.left = threading.Event()
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        link, _ = self._server.accept()
        link.sendall(GGA)
        with contextlib.suppress(OSError):
            while received := link.recv(1024):
                for answer in self._answers(received):
                    link.sendall(answer)
        self.left.set()

    def _answers(self, received: bytes) -> Iterator[bytes]:
        if "silent" in self.ways:
            return
        for match in re.finditer(rb"\xff(?:\xfa\x2c(.)(.*?)\xff\xf0|([\xfb-\xfe])(.))", received, re.DOTALL):
            if match[3] is not None:
                order, option = match[3][0], match[4][0]
                no = "no port" in self.ways and option == self.COM
                yes_to = {self.WILL: self.DO, self.DO: self.WILL}
                no_to = {self.WILL: self.DONT, self.DO: self.WONT}
                if order in yes_to:
                    yield bytes([self.IAC, (no_to if no else yes_to)[order], option])
                continue
            command, value = match[1][0], match[2]
            self.purged = self.purged or command == 12
            if command == 1 and "another rate" in self.ways:
                value = (1200).to_bytes(4, "big")
            if command == 5 and "no control" in self.ways:
                continue
            if command == 5 and "odd control" in self.ways:
                value = b"\x00"
            if "no port" in self.ways or (command != 1 and "settings unheard" in self.ways):
                continue
            yield bytes([self.IAC, self.SB, self.COM, command + 100]) + value + bytes([self.IAC, self.SE])
            # The order for RTS, the last one at opening.
            if "endless option" in self.ways and (command, value) == (5, b"\x0b"):
                yield bytes([self.IAC, self.SB, self.COM])
                yield from itertools.repeat(b"\x55" * 4096)


@pytest.mark.parametrize("way", ["", "no control", "odd control"])
def test_a_remote_server_with_ways_of_its_own_is_read(way: str) -> None:
    server = FarServer(way)
    life = Life(server.address)
    life.until(lambda life: GGA in life.data)
    life.end()
    assert life.events[0] == "opened"
    assert not server.purged


@pytest.mark.parametrize(
    ("way", "words"),
    [
        ("silent", "speaks no RFC 2217"),
        ("no port", "does not confirm the settings"),
        ("another rate", "refuses the rate of 9600"),
        ("settings unheard", "does not confirm the settings"),
    ],
)
def test_what_a_remote_server_refused_is_told(way: str, words: str) -> None:
    life = Life(FarServer(way).address)
    life.until(lambda life: "refused" in life.events)
    life.end()
    told = next(record for record in life.records if isinstance(record, Event) and record.name == "refused")
    assert words in str(told.details["reason"]) and "silence" not in str(told.details)


def test_what_came_before_a_remote_server_closed_is_all_recorded() -> None:
    """It sends much and closes at once: pyserial's reader has ended before the half of it was handed out."""
    data = bytes(range(256)) * 500
    life = Life(RemotePort(data, 0.0).address)
    life.until(lambda life: "lost" in life.events)
    life.end()
    assert life.data == data
    assert life.lost == CLOSED


def test_a_remote_serial_lane_is_set_read_and_lost() -> None:
    data = GGA * 20 + bytes(range(256)) * 2
    remote = RemotePort(data)
    life = Life(remote.address)
    life.until(lambda life: len(life.data) == len(data))
    life.until(lambda life: "lost" in life.events)
    life.end()
    assert life.data == data
    assert remote.rate == 9600
    assert life.events[:2] == ["opened", "lost"]


def test_a_server_whose_option_has_no_end_is_left_and_what_it_said_before_is_kept() -> None:
    """pyserial keeps an option until its end comes: 40 MB of it were kept."""
    server = FarServer("endless option")
    life = Life(server.address)
    life.until(lambda life: "lost" in life.events)
    life.end()
    assert GGA in life.data and b"\x55" not in life.data
    assert life.lost == ENDLESS
    assert server.left.wait(LIMIT_S)


READ = 1024
"""pyserial reads at most so many bytes at once: an option that ends within as many has an end."""


@given(
    st.lists(
        st.one_of(
            st.binary(max_size=40).map(lambda data: (False, data)),
            st.integers(0, 2 * LONGEST_OPTION).map(lambda length: (True, bytes(length))),
        ),
        max_size=6,
    ),
    st.lists(st.integers(1, READ), min_size=1, max_size=20),
)
def test_only_an_option_beyond_the_bound_ends_a_connection(parts: list[tuple[bool, bytes]], cuts: list[int]) -> None:
    said = b"".join(
        b"\xff\xfa" + data + b"\xff\xf0" if option else data.replace(b"\xff", b"\xff\xff") for option, data in parts
    )
    ours, theirs = socket.socketpair()
    bounded, got = BoundedOptions(ours), b""
    at, sizes = 0, itertools.cycle(cuts)
    while at < len(said):
        size = next(sizes)
        theirs.sendall(said[at : at + size])
        got += bounded.recv(size)
        at += size
    theirs.close()
    ours.close()
    longest = max((len(data) for option, data in parts if option), default=0)
    if longest <= LONGEST_OPTION - 2:
        assert got == said
    if longest > LONGEST_OPTION + READ:
        assert bounded.endless and said.startswith(got) and len(got) < len(said)
