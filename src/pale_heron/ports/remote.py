"""A serial port of another machine (RFC 2217), by pyserial: what it sent is read to the end, and in bounds."""

import queue
import re
import socket
import threading
from typing import Any, Final

import serial.rfc2217

from pale_heron.ports.address import LaneSpec
from pale_heron.ports.opening import CLOSED, PROBLEMS, READ_BYTES, ByteStream, StreamGone
from pale_heron.ports.refusals import reason_words

LENIENT: Final = "?ign_set_control"
"""Servers of RFC 2217 confirm an order for DTR, RTS or flow control (SET-CONTROL) in ways of their own, or never."""

LONGEST_OPTION: Final = 4096
"""Bytes; those of the standard have at most 256 (SIGNATURE, a line of text)."""

ENDLESS: Final = f"it sent an option of more than {LONGEST_OPTION} bytes (RFC 2217), which has no end"
_COMMAND: Final = re.compile(rb"\xff(.)", re.DOTALL)
_BEGIN, _END, _IAC = b"\xfa", b"\xf0", 0xFF


class BoundedOptions:
    """A connection that ends where an option of telnet (RFC 855: IAC SB … IAC SE) does not.

    Who reads it keeps an option whole until its end comes, however long that takes.
    """

    def __init__(self, connection: socket.socket) -> None:
        self._connection = connection
        self._inside = False
        self._length = 0
        self._cut = b""
        """A first half of a command that stands at the end of what was read."""
        self.endless = False

    def __getattr__(self, name: str) -> Any:
        return getattr(self._connection, name)

    def recv(self, count: int) -> bytes:
        data = b"" if self.endless else self._connection.recv(count)
        text = self._cut + data
        begin, end = 0, 0
        for command in _COMMAND.finditer(text):
            end = command.end()
            if command[1] in (_BEGIN, _END):
                self._inside, self._length, begin = command[1] == _BEGIN, 0, end
        self._cut = text[-1:] if text[end:].endswith(b"\xff") else b""
        self._length += len(text) - begin if self._inside else 0
        self.endless = self.endless or self._length > LONGEST_OPTION
        return b"" if self.endless else data


class RemotePort(serial.rfc2217.Serial):
    """As pyserial has it; its own reader ends with the connection, or with an option without an end."""

    _socket: Any
    _thread: threading.Thread | None
    _read_buffer: "queue.Queue[bytes | None]"
    """A byte each; None stands behind the last one of a connection."""

    def _telnet_read_loop(self) -> None:
        self._socket = BoundedOptions(self._socket)
        super()._telnet_read_loop()  # type: ignore[misc]  # the stubs leave it out

    def take(self, wait_s: float) -> bytes:
        """What has arrived, after waiting for the first byte at most `wait_s`. StreamGone behind the last one.

        pyserial's `read` throws away what it has taken when its reader ends meanwhile.
        """
        waiting, data = self._read_buffer, bytearray()
        try:
            piece = waiting.get(timeout=wait_s)
            while piece is not None:
                data += piece
                if len(data) >= READ_BYTES:
                    return bytes(data)
                piece = waiting.get_nowait()
        except queue.Empty:
            reader = self._thread
            if data or not waiting.empty() or (reader is not None and reader.is_alive()):
                return bytes(data)
        if not data:
            raise StreamGone(ENDLESS if self._socket.endless else CLOSED)
        # The end once more, for whoever asks next.
        waiting.put(None)
        return bytes(data)


class RemoteStream(ByteStream):
    """An open port of a server of RFC 2217."""

    _port: RemotePort

    @staticmethod
    def _made(spec: LaneSpec, settings: dict[str, Any]) -> RemotePort:
        port = RemotePort(**settings)
        port.port = spec.address + LENIENT
        return port

    def read(self, wait_s: float) -> bytes:
        try:
            return self._port.take(wait_s)
        except PROBLEMS as problem:
            raise StreamGone(reason_words(problem)) from None
