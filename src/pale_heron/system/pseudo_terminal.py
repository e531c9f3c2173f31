"""A pseudo-terminal as the far end of a serial line: raw, and reporting what the program on it has set. POSIX alone."""

import contextlib
import fcntl
import os
import struct
import termios
import tty
from pathlib import Path

_TCGETS2 = 0x802C542A
_TERMIOS2 = struct.Struct("4IB19B2I")
"""`struct termios2` of Linux: it alone has rates that have no name."""

READ_BYTES = 4096


class PseudoTerminal:
    """`path` is what another program opens."""

    def __init__(self, rate: int) -> None:
        """`rate` in baud is that of the device: a program which sets none reads sense."""
        self._own, self._other = os.openpty()
        os.set_blocking(self._own, False)
        tty.setraw(self._other)
        speed = getattr(termios, f"B{rate}", None)
        if speed is not None:
            attributes = termios.tcgetattr(self._other)
            attributes[4] = attributes[5] = speed
            termios.tcsetattr(self._other, termios.TCSANOW, attributes)
        self.path = os.ttyname(self._other)

    @property
    def other_rate(self) -> int:
        """The rate that the other side has set, in baud; 0 where that is unknown."""
        with contextlib.suppress(OSError):
            return int(_TERMIOS2.unpack(fcntl.ioctl(self._other, _TCGETS2, bytes(_TERMIOS2.size)))[-1])
        return 0

    @property
    def taken(self) -> bool:
        """Whether a program has opened it and set the line to its liking: serial programs read without waiting."""
        return int(termios.tcgetattr(self._other)[6][termios.VMIN]) == 0

    def read(self) -> bytes:
        """What has come, without waiting."""
        with contextlib.suppress(OSError):
            return os.read(self._own, READ_BYTES)
        return b""

    def write(self, data: bytes) -> int:
        """How many bytes there was room for."""
        with contextlib.suppress(BlockingIOError):
            return os.write(self._own, data)
        return 0

    def lock(self) -> None:
        """Hold it as a program does that wants it for itself."""
        fcntl.flock(self._other, fcntl.LOCK_EX)

    def forbid(self) -> None:
        """Take away the right to open it."""
        Path(self.path).chmod(0)

    def close(self) -> None:
        """Whoever has it open sees it hang up."""
        os.close(self._own)
        os.close(self._other)
