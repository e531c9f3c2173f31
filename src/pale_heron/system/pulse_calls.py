"""Pulses as the kernel of Linux knows them: its PPS devices (RFC 2783), and the control lines of a serial port."""

import array
import errno
import fcntl
import struct
import termios
from typing import Final

_FETCH: Final = 0xC00870A4
"""PPS_FETCH of linux/pps.h: waits for the next pulse, or takes the last one, with the kernel's own stamp."""

_FETCHED: Final = struct.Struct("=II qiI qiI i4x qiI")
"""`struct pps_fdata`: sequences of assert and clear, their times, the mode; how long to wait."""

_WAIT_FOR_LINE: Final = 0x545C
"""TIOCMIWAIT: waits until a control line changes."""

_COUNTERS: Final = 0x545D
_COUNTED: Final = struct.Struct("20i")
LINE_BITS: Final = {"cts": termios.TIOCM_CTS, "dsr": termios.TIOCM_DSR, "ri": termios.TIOCM_RI, "dcd": termios.TIOCM_CD}
COUNTER_PLACES: Final = {"cts": 0, "dsr": 1, "ri": 2, "dcd": 3}


def kernel_pulse(file: int, wait_s: float) -> tuple[int, int] | None:
    """The next pulse of a PPS device: its sequence, and when it was asserted, nanoseconds of the host's clock.

    None where none came within that time; OSError where the device is gone.
    """
    whole, part = divmod(round(wait_s * 1e9), 10**9)
    asked = bytearray(_FETCHED.pack(0, 0, 0, 0, 0, 0, 0, 0, 0, whole, part, 0))
    try:
        fcntl.ioctl(file, _FETCH, asked, True)
    except OSError as problem:
        if problem.errno in (errno.ETIMEDOUT, errno.EAGAIN, errno.EINTR):
            return None
        raise
    sequence, _, seconds, nanoseconds, *_ = _FETCHED.unpack(asked)
    return sequence, seconds * 10**9 + nanoseconds


def control_line(file: int, line: str) -> bool:
    """Whether a control line is on; OSError where the port has none."""
    bits = array.array("i", [0])
    fcntl.ioctl(file, termios.TIOCMGET, bits, True)
    return bool(bits[0] & LINE_BITS[line])


def wait_for_control_line(file: int, line: str) -> None:
    """Wait until it changes, without limit; OSError where the driver cannot do that, or the port is gone."""
    fcntl.ioctl(file, _WAIT_FOR_LINE, LINE_BITS[line])


def control_line_changes(file: int, line: str) -> int | None:
    """How often the driver saw it change; None where it does not count."""
    try:
        answer = fcntl.ioctl(file, _COUNTERS, bytes(_COUNTED.size))
    except OSError:
        return None
    counted: int = _COUNTED.unpack(answer)[COUNTER_PLACES[line]]
    return counted
