"""Other ends of lanes, on loopback: what sends its bytes and goes at once, as devices behind a network do."""

import contextlib
import socket
import threading
import time
from typing import Any

import serial
import serial.rfc2217


class Answers:
    """What a PortManager writes its answers to."""

    def __init__(self, connection: socket.socket) -> None:
        self._connection = connection

    def write(self, data: bytes) -> None:
        self._connection.sendall(data)


class RemotePort:
    """A serial port of another machine (RFC 2217): negotiates, sends what it is told, hangs up."""

    def __init__(self, data: bytes, stays_s: float = 0.5) -> None:
        """It stays so long after its last byte."""
        self._server = socket.create_server(("127.0.0.1", 0))
        self.address = f"rfc2217://127.0.0.1:{self._server.getsockname()[1]}"
        self._stays_s = stays_s
        self.rate = 0
        self._data = data
        self._thread = threading.Thread(target=self._serve, daemon=True)
        self._thread.start()

    def _serve(self) -> None:
        port: Any = serial.serial_for_url("loop://", timeout=0)
        connection, _ = self._server.accept()
        answers: Any = Answers(connection)
        manager = serial.rfc2217.PortManager(port, answers)
        connection.settimeout(0.5)
        # The other side asks for its settings and waits for each answer; when it is quiet, all is agreed.
        with contextlib.suppress(TimeoutError):
            while received := connection.recv(1024):
                b"".join(manager.filter(received))
        self.rate = port.baudrate
        connection.sendall(b"".join(manager.escape(self._data)))
        time.sleep(self._stays_s)
        connection.close()
        self._server.close()


class PlainServer:
    """Sends to whoever connects, and closes at once."""

    def __init__(self, data: bytes) -> None:
        self._server = socket.create_server(("127.0.0.1", 0))
        self.address = f"socket://127.0.0.1:{self._server.getsockname()[1]}"
        self._data = data
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        connection, _ = self._server.accept()
        with connection:
            connection.sendall(self._data)
        self._server.close()


def send_each(port: int, messages: list[bytes]) -> None:
    """A client that connects anew for each message, as modules do, and closes behind it."""
    for message in messages:
        with socket.create_connection(("127.0.0.1", port), 5) as connection:
            connection.sendall(message)
