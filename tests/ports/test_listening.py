"""Lanes that wait for a TCP client, as a bench has them: one at a time, gone and back, of both kinds of addresses."""

import socket
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from tests.waiting import until

from pale_heron.bench.live.session import Session
from pale_heron.bench.sources import Source
from pale_heron.core.frames import OUT, Event
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec, parse_lane
from pale_heron.ports.listening import ListeningStream, own_addresses
from pale_heron.ports.sender import SendJob


def free_port(host: str = "127.0.0.1") -> int:
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    with socket.socket(family) as probe:
        probe.bind((host, 0))
        port: int = probe.getsockname()[1]
        return port


@contextmanager
def waiting(address: str, capture: Path | None = None) -> Iterator[Session]:
    session = Session("", [LaneSpec("teal", address)], capture)
    session.start()
    try:
        until(lambda: (seen := session.snapshot_of("teal")) and seen.listening)
        yield session
    finally:
        session.stop()


def lane(session: Session) -> LaneSnapshot:
    seen = session.snapshot_of("teal")
    assert seen is not None
    return seen


def test_a_client_comes_goes_and_comes_again(tmp_path: Path) -> None:
    port, capture = free_port(), tmp_path / "out.pcapng"
    with waiting(f"listen://127.0.0.1:{port}", capture) as session:
        assert lane(session).listening == (f"127.0.0.1:{port}",)
        until(lambda: [each.id for each in lane(session).findings] == ["no-client"])
        assert f"127.0.0.1:{port}" in lane(session).findings[0].next
        with socket.create_connection(("127.0.0.1", port)) as first:
            first.sendall(b"hello\r\npart of a li")
            until(lambda: lane(session).client and lane(session).line.bytes_in == 19)
            assert not lane(session).findings or lane(session).findings[0].id != "no-client"
            # A second one is turned away, and the first one stays.
            with socket.create_connection(("127.0.0.1", port)) as second:
                assert second.recv(1) == b""
            job = SendJob(b"and you\r\n")
            session.send("teal", job)
            assert first.recv(100) == b"and you\r\n"
        until(lambda: not lane(session).client)
        # What is sent to nobody is refused, and said so.
        job = SendJob(b"nobody hears it")
        session.send("teal", job)
        until(lambda: job.over)
        assert job.failure == "nobody has connected"
        with socket.create_connection(("127.0.0.1", port)) as third:
            third.sendall(b"here again\r\n")
            until(lambda: lane(session).line.bytes_in == 31)
    source = Source(capture)
    events = [record.name for record in source.records() if isinstance(record, Event)]
    assert [name for name in events if name.startswith(("client", "listening"))] == [
        "listening", "client", "client-refused", "client-gone", "client", "client-gone",
    ]  # fmt: skip
    frames = [frame.data for frame in Source(capture).frames() if frame.direction is not OUT]
    # What the first one had begun does not run into what the next one says.
    assert frames == [b"hello\r\n", b"part of a li", b"here again\r\n"]


def test_both_kinds_of_addresses() -> None:
    if not socket.has_dualstack_ipv6():
        pytest.skip("this system has no IPv6")
    port = free_port("::1")
    with waiting(f"listen://*:{port}") as session:
        places = lane(session).listening
        assert f"127.0.0.1:{port}" in places and f"[::1]:{port}" in places
        for number, host in enumerate(("::1", "127.0.0.1"), 1):
            with socket.create_connection((host, port)) as client:
                client.sendall(b"hello\r\n")
                until(lambda wanted=7 * number: lane(session).line.bytes_in == wanted)
                assert lane(session).client.startswith("[::1]:" if ":" in host else "127.0.0.1:")
            until(lambda: not lane(session).client)


def test_who_names_no_address_is_reached_from_this_computer_alone() -> None:
    port = free_port()
    with waiting(f"listen://:{port}") as session:
        assert lane(session).listening == (f"127.0.0.1:{port}",)
        others = [each.rpartition(":")[0] for each in own_addresses("*", port) if not each.startswith(("127.", "["))]
        for host in others:
            with pytest.raises(OSError, match="refused"):
                socket.create_connection((host, port))


def test_who_closes_and_connects_again_at_once_is_no_second_one(tmp_path: Path) -> None:
    """As modules do for each message: a hundred times, with nothing between the end and the beginning."""
    port, capture = free_port(), tmp_path / "out.pcapng"
    with waiting(f"listen://127.0.0.1:{port}", capture) as session:
        for number in range(100):
            with socket.create_connection(("127.0.0.1", port)) as client:
                client.sendall(b"message %03d\r\n" % number)
        until(lambda: lane(session).line.bytes_in == 1300 and not lane(session).client)
    records = list(Source(capture).records())
    events = [record.name for record in records if isinstance(record, Event)]
    assert (events.count("client"), events.count("client-gone"), events.count("client-refused")) == (100, 100, 0)
    frames = [frame.data for frame in Source(capture).frames()]
    assert frames == [b"message %03d\r\n" % number for number in range(100)]


def test_a_port_that_is_taken_is_said_and_tried_again() -> None:
    with socket.create_server(("127.0.0.1", 0)) as other:
        port = other.getsockname()[1]
        with pytest.raises(Trouble, match="cannot be waited at"):
            ListeningStream(LaneSpec("teal", f"listen://127.0.0.1:{port}"))
        session = Session("", [LaneSpec("teal", f"listen://127.0.0.1:{port}")], None)
        session.start()
        try:
            until(lambda: (seen := session.snapshot_of("teal")) and seen.open_error)
            other.close()
            until(lambda: lane(session).listening)
        finally:
            session.stop()


def test_addresses_that_mean_something_to_the_far_side() -> None:
    assert own_addresses("::1", 5) == ["[::1]:5"]
    places = own_addresses("*", 4444)
    assert places and all(place.endswith(":4444") and "%" not in place for place in places)
    loopback = [place.startswith(("127.", "[::1]")) for place in places]
    assert loopback == sorted(loopback), "what only this computer reaches stands last"


ADDRESSES = {
    "listen://:4444": "4444",
    "listen://127.0.0.1:4444": "127.0.0.1-4444",
    "listen://*:4444": "4444",
    "teal=listen://[::1]:4444": "teal",
}


@pytest.mark.parametrize("text", ADDRESSES)
def test_how_it_is_written(text: str) -> None:
    spec = parse_lane(text)
    assert (spec.name, spec.listens, spec.networked) == (ADDRESSES[text], True, True)


@pytest.mark.parametrize("text", ["listen://", "listen://4444", "listen://:0", "listen://:70000", "listen://:x"])
def test_how_it_is_not_written(text: str) -> None:
    with pytest.raises(Trouble, match="has no port") as caught:
        parse_lane(text)
    assert "listen://:4444" in caught.value.hint
    with pytest.raises(Trouble, match="has no host and port"):
        parse_lane("socket://:4444")
