"""What the kernel of Linux says of its own clock (ntp_adjtime)."""

import ctypes
import sys
from typing import ClassVar, Final

UNSYNCHRONISED: Final = 0x40
"""In the status of the kernel's clock (STA_UNSYNC)."""


class _Timex(ctypes.Structure):
    """What ntp_adjtime fills in (RFC 1589; adjtimex(2) of Linux)."""

    _fields_: ClassVar = [
        ("modes", ctypes.c_uint),
        *((name, ctypes.c_long) for name in ("offset", "freq", "maxerror", "esterror")),
        ("status", ctypes.c_int),
        *((name, ctypes.c_long) for name in ("constant", "precision", "tolerance", "sec", "usec", "tick")),
        ("rest", ctypes.c_long * 24),
    ]


def kernel_clock() -> tuple[bool, float, float, float] | None:
    """Whether the clock is synchronised, its estimated and maximum error in seconds, its correction in ppm.

    None where the kernel does not say.
    """
    state = _Timex()
    try:
        given = ctypes.CDLL(None, use_errno=True).ntp_adjtime(ctypes.byref(state))
    except (OSError, AttributeError):
        return None
    if given < 0 or not sys.platform.startswith("linux"):
        return None
    return not state.status & UNSYNCHRONISED, state.esterror / 1e6, state.maxerror / 1e6, state.freq / 65536
