"""Teal, a simulated Wi-Fi bridge: joins a network, and opens a TCP connection whose bytes go over the line.

Its own commands: `+JOIN="network","pass phrase"`, `+NET?`, `+OPEN="address",port` (data mode; loopback addresses
alone), `+KEEP`, `+RENEW`. Its line rate and flow control change at once, with the OK still sent as before.
"""

import contextlib
import socket
from typing import Final

from pale_heron.sim.calls import Answer, Call, Knob, short
from pale_heron.sim.modem import Modem

NETWORK: Final = "saltmarsh"
PASS_PHRASE: Final = "reeds and water"
JOINING_S: Final = 1.8
CONNECT_WITHIN_S: Final = 1.0
CALLING_S: Final = 0.5
LOOK_S: Final = 0.01
MOST_WAITING: Final = 4096
LOOPBACK: Final = ("127.0.0.1", "localhost")
KNOBS: Final = {
    "+NETWORK": Knob("network", short(32), '"1 to 32 characters"', "", quoted=True),
    "+PHRASE": Knob("phrase", short(63, 8), '"8 to 63 characters"', "", quoted=True),
}


class Teal(Modem):
    """One bridge."""

    TITLE = "Teal"
    VERSION = "3.1"

    def __init__(self, seed: int = 7, far_port: int = 0) -> None:
        """With a `far_port` it joins by itself and connects to that port of this machine, however often it takes."""
        handlers = {
            "+JOIN": self._join,
            "+NET": self._net,
            "+OPEN": self._open,
            "O": self._online,
            "H": self._hang_up,
        }
        super().__init__(KNOBS, handlers)
        self._strength = -55 - seed % 11
        self._joined = False
        self._far_port = far_port
        self._socket: socket.socket | None = None
        self._waiting_out = b""
        """From the line, and not yet taken by the far end."""

    def powered(self, seconds: float) -> None:
        super().powered(seconds)
        if self._far_port:
            self.running |= {"network": NETWORK, "phrase": PASS_PHRASE}
            self.later(seconds, JOINING_S + CALLING_S, self._call)
        if self.running["network"]:
            self.later(seconds, JOINING_S, self._try_to_join)

    def restart(self, seconds: float, why: str) -> None:
        super().restart(seconds, why)
        self._joined = False
        self._close()

    def _join(self, call: Call) -> Answer:
        network, phrase = [*call.values, "", ""][:2]
        if call.form != "=" or not network or not 8 <= len(phrase) <= 63:
            return self.refused(50)
        self.running |= {"network": network, "phrase": phrase}
        return Answer(then=lambda at: self.later(at, JOINING_S, self._try_to_join))

    def _try_to_join(self, seconds: float) -> None:
        self._joined = (self.running["network"], self.running["phrase"]) == (NETWORK, PASS_PHRASE)
        self.line(self._net_line(), seconds)

    def _net_line(self) -> str:
        if not self._joined:
            return "+NET: 0"
        return f'+NET: 1,"{NETWORK}",{self._strength},"192.0.2.17"'

    def _net(self, _call: Call) -> Answer:
        return Answer((self._net_line(),))

    def _open(self, call: Call) -> Answer:
        host, port = [*call.values, "", ""][:2]
        if not self._joined or host not in LOOPBACK or not port.isdecimal() or not 0 < int(port) < 65536:
            return Answer(result="NO CARRIER", after_s=0.3)
        if not self._connect(host, int(port)):
            return Answer(result="NO CARRIER", after_s=0.3)
        return Answer(result="CONNECT", then=self._enter)

    def _connect(self, host: str, port: int) -> bool:
        try:
            self._socket = socket.create_connection((host, port), CONNECT_WITHIN_S)
        except OSError:
            return False
        self._socket.setblocking(False)
        return True

    def _call(self, seconds: float) -> None:
        """Connect by itself, where nothing is connected and nobody was faster."""
        if self._socket is None and not self.data_mode and self._connect(LOOPBACK[0], self._far_port):
            self.result("CONNECT", seconds)
            self._enter(seconds)
        else:
            self.later(seconds, CALLING_S, self._call)

    def _enter(self, seconds: float) -> None:
        self.data_mode = True
        self._listen(seconds)

    def _listen(self, seconds: float) -> None:
        """Take from the far end what the line has room for; the rest waits in the window of its TCP, and loses nothing.

        In command mode nothing is taken, but that the far end has gone is still seen.
        """
        far = self._socket
        if far is None:
            return
        self._send_on(far)
        wanted = self.room if self.data_mode else 0
        try:
            data = far.recv(wanted) if wanted > 0 else far.recv(1, socket.MSG_PEEK)
        except BlockingIOError:
            self.later(seconds, LOOK_S, self._listen)
            return
        except OSError:
            data = b""
        if not data:
            self._close()
            self.data_mode = False
            self.result("NO CARRIER", seconds)
            return
        if wanted > 0:
            self.put(data, seconds)
            self.room -= len(data)
        self.later(seconds, LOOK_S, self._listen)

    @property
    def takes_more(self) -> bool:
        """What the far end does not take yet holds the line."""
        return len(self._waiting_out) < MOST_WAITING

    def to_far_end(self, data: bytes, _seconds: float) -> None:
        if self._socket is not None:
            self._waiting_out += data
            self._send_on(self._socket)

    def _send_on(self, far: socket.socket) -> None:
        """Hand over what the far end takes now."""
        if self._waiting_out:
            # That it has gone is seen when it is read from.
            with contextlib.suppress(OSError):
                self._waiting_out = self._waiting_out[far.send(self._waiting_out) :]

    def _online(self, _call: Call) -> Answer:
        if self._socket is None:
            return Answer(result="NO CARRIER")

        def enter(_: float) -> None:
            self.data_mode = True

        return Answer(result="CONNECT", then=enter)

    def _hang_up(self, _call: Call) -> Answer:
        self._close()
        return Answer(after_s=0.1)

    def _close(self) -> None:
        if self._socket is not None:
            self._socket.close()
            self._socket, self._waiting_out = None, b""
