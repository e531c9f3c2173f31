"""A simulated line over TCP on this machine alone: where there are no pseudo-terminals, or none is wanted."""

import contextlib
import socket

READ_BYTES = 4096


class LoopbackServer:
    """`path` is what another program opens, as a lane over the network. One program at a time; the next one waits."""

    def __init__(self) -> None:
        self._server = socket.create_server(("127.0.0.1", 0), backlog=1)
        self._server.setblocking(False)
        self._client: socket.socket | None = None
        self.path = f"socket://127.0.0.1:{self._server.getsockname()[1]}"

    @property
    def other_rate(self) -> int:
        """A network lane has no rate: 0."""
        return 0

    @property
    def taken(self) -> bool:
        """Whether a program has opened it."""
        if self._client is None:
            # Nobody is there yet, or nobody is let in any more.
            with contextlib.suppress(OSError):
                self._client, _ = self._server.accept()
                self._client.setblocking(False)
        return self._client is not None

    def read(self) -> bytes:
        """What has come, without waiting."""
        if not self.taken:
            return b""
        assert self._client is not None
        try:
            data = self._client.recv(READ_BYTES)
        except BlockingIOError:
            return b""
        except OSError:
            data = b""
        if not data:
            self._hang_up()
        return data

    def write(self, data: bytes) -> int:
        """How many bytes there was room for. With nobody there all of it goes into the air, as from a bare wire."""
        if not self.taken:
            return len(data)
        assert self._client is not None
        try:
            return self._client.send(data) if data else 0
        except BlockingIOError:
            return 0
        except OSError:
            self._hang_up()
            return len(data)

    def lock(self) -> None:
        """Let nobody else in."""
        self._server.close()

    def forbid(self) -> None:
        """Let nobody in."""
        self._server.close()

    def close(self) -> None:
        """Whoever has it open sees it hang up."""
        self._hang_up()
        self._server.close()

    def _hang_up(self) -> None:
        if self._client is not None:
            self._client.close()
            self._client = None
