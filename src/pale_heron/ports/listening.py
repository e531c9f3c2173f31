"""A lane that waits for a TCP client: for modules and bridges that connect to somebody.

    waiting ── somebody connects ──▶ connected ── the client goes ──▶ waiting

One client at a time: a second one is turned away, once it is sure that the first is still there: many modules close and
connect again for each message, and the end of the one stands behind its last bytes. `news` is what happened meanwhile,
as events for the record. Nobody but this computer can connect unless an address is written, or `*` for all of them.
"""

import contextlib
import select
import socket
import time
from dataclasses import replace
from typing import Any, Final

import psutil

from pale_heron.core.line.settings import LineSettings
from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec, host_and_port
from pale_heron.ports.opening import READ_BYTES, WRITE_WAIT_S, StreamGone

EVERYWHERE: Final = "*"
LOOPBACK: Final = "127.0.0.1"
JUDGED_AFTER_S: Final = 0.5
"""A newcomer waits so long for the end of the one before."""

NOBODY: Final = "nobody has connected"
KEEP_ALIVE: Final = (("TCP_KEEPIDLE", 10), ("TCP_KEEPINTVL", 5), ("TCP_KEEPCNT", 3))
"""A client whose battery is empty says no good-bye: after so many seconds it is asked, so often, so many times."""


class ListeningStream:
    """An open stream of bytes while a client is connected; an `OpenStream` for whoever reads and writes."""

    def __init__(self, spec: LaneSpec) -> None:
        """Begin to wait. Raises Trouble where the port is taken, or the address is not this computer's."""
        self.settings = replace(spec.settings, decorative=True)
        host, port = host_and_port(spec.address)
        self._client: socket.socket | None = None
        self._from = ""
        self._next: tuple[socket.socket, str, float] | None = None
        """Who has connected while somebody else was there, and since when."""
        host = host or LOOPBACK
        try:
            self._server = _server(host, port)
        except OSError as problem:
            words = f"{spec.address} cannot be waited at: {problem.strerror}"
            raise Trouble(words, "Choose another port or address", "busy") from None
        self._server.setblocking(False)
        self.news: list[tuple[str, dict[str, Any]]] = [("listening", {"at": own_addresses(host, port)})]

    @property
    def writes_at_once(self) -> bool:
        return True

    def read(self, wait_s: float) -> bytes:
        """What has arrived; empty where nothing came, or nobody is connected."""
        # While a newcomer is judged, others wait in the queue of the system.
        server = self._server if self._next is None else None
        waiting = [each for each in (server, self._client) if each is not None]
        ready = select.select(waiting, [], [], wait_s)[0]
        data = self._received() if self._client in ready else b""
        if self._server in ready:
            self._accept()
        self._judge()
        return data

    def _received(self) -> bytes:
        assert self._client is not None, "asked only where somebody is connected"
        try:
            data = self._client.recv(READ_BYTES)
        except BlockingIOError:
            return b""
        except OSError as problem:
            self._let_go(problem.strerror or "the connection broke")
            return b""
        if not data:
            self._let_go("it closed the connection")
        return data

    def _judge(self) -> None:
        """Whether a newcomer takes the place of one that has gone, or is turned away."""
        if self._next is None:
            return
        client, named, since = self._next
        if self._client is None:
            self._next = None
            self._welcome(client, named)
        elif time.monotonic() - since >= JUDGED_AFTER_S:
            self._next = None
            client.close()
            self.news.append(("client-refused", {"from": named, "reason": f"{self._from} is connected"}))

    def write(self, data: bytes) -> int:
        """Hand over what there is room for. Raises StreamGone where nobody is connected."""
        client = self._client
        if client is None:
            raise StreamGone(NOBODY)
        try:
            return client.send(data)
        except BlockingIOError:
            return 0
        except OSError as problem:
            raise StreamGone(problem.strerror or "the connection broke") from None

    def wait_for_room(self) -> None:
        """Wait a little until more can be written."""
        client = self._client
        if client is not None:
            with contextlib.suppress(OSError, ValueError):
                select.select([], [client], [], WRITE_WAIT_S)

    def change(self, spec: LaneSpec) -> LineSettings:
        """A network has no rate: everything else is ours."""
        self.settings = replace(spec.settings, decorative=True)
        return self.settings

    def send_break(self, seconds: float) -> None:  # noqa: ARG002  # as every stream has it
        """Never: Trouble."""
        raise Trouble("A break cannot be sent", "A network lane has no line to hold")

    def errors(self) -> None:
        """Nothing is counted here."""

    def held_by(self) -> str:
        """A network does not tell."""
        return ""

    def duplicate(self) -> None:
        """A network has no control lines."""

    def close(self) -> None:
        """Wait no more."""
        for each in (self._client, self._next and self._next[0], self._server):
            if each is not None:
                each.close()
        self._client = self._next = None

    def _accept(self) -> None:
        try:
            client, address = self._server.accept()
        except OSError:
            return
        self._next = client, _named(*address[:2]), time.monotonic()

    def _welcome(self, client: socket.socket, named: str) -> None:
        client.setblocking(False)
        client.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        client.setsockopt(socket.SOL_SOCKET, socket.SO_KEEPALIVE, 1)
        for option, value in KEEP_ALIVE:
            if hasattr(socket, option):
                client.setsockopt(socket.IPPROTO_TCP, getattr(socket, option), value)
        self._client, self._from = client, named
        self.news.append(("client", {"from": named}))

    def _let_go(self, reason: str) -> None:
        if self._client is not None:
            self._client.close()
            self._client = None
            self.news.append(("client-gone", {"from": self._from, "reason": reason}))


def _server(host: str, port: int) -> socket.socket:
    """At one address, or at all of this computer's, of both kinds where the system has both."""
    if host != EVERYWHERE:
        family = socket.AF_INET6 if ":" in host else socket.AF_INET
        return socket.create_server((host, port), family=family, backlog=4)
    if socket.has_dualstack_ipv6():
        return socket.create_server(("", port), family=socket.AF_INET6, dualstack_ipv6=True, backlog=4)
    return socket.create_server(("", port), backlog=4)


def own_addresses(host: str, port: int) -> list[str]:
    """What the far side can be given: the address that was named, or all that this computer has, loopback last."""
    if host != EVERYWHERE:
        return [_named(host, port)]
    kinds = (socket.AF_INET, socket.AF_INET6)
    found = [each.address for interface in psutil.net_if_addrs().values() for each in interface if each.family in kinds]
    # An address of one link only (fe80::…%eth0) means nothing to the far side.
    usable = sorted((each for each in found if "%" not in each), key=lambda each: (_is_loopback(each), ":" in each))
    return [_named(each, port) for each in usable]


def _is_loopback(address: str) -> bool:
    return address.startswith("127.") or address == "::1"


def _named(host: str, port: int) -> str:
    """Host and port as one writes them; an IPv4 address within IPv6 as what it is."""
    host = host.removeprefix("::ffff:")
    return f"[{host}]:{port}" if ":" in host else f"{host}:{port}"
