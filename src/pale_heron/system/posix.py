"""Linux, and macOS as far as it has the same calls."""

import contextlib
import errno
import fcntl
import grp
import os
import pwd
import signal
import struct
import termios
from collections.abc import Mapping
from pathlib import Path
from typing import Any, Final

DRIVER_ERRORS: Final[tuple[type[Exception], ...]] = (termios.error,)
"""What a driver may raise beside OSError."""

END_SIGNALS: Final = (signal.SIGTERM, signal.SIGHUP)
"""A wish that the program ends: asked to, or its terminal is gone."""

FILE_NUMBERS: Final = True
"""Whether every open stream has a file number that can be waited for, read and written."""

TERMINALS: Final = True
"""Whether there are pseudo-terminals, on which simulated devices are found like serial ports."""

OWN_GROUP: Final[Mapping[str, Any]] = {"process_group": 0}
"""Arguments of `subprocess.Popen` for a child that Ctrl-C in our terminal does not reach."""

_TIOCGICOUNT = 0x545D
_COUNTERS = struct.Struct("20i")
"""`struct serial_icounter_struct` of Linux."""


def error_number(problem: Exception) -> int | None:
    """The system's number of an error; None where it has none."""
    number = problem.args[0] if isinstance(problem, termios.error) else getattr(problem, "errno", None)
    return number if isinstance(number, int) else None


def claim(file: int) -> bool:
    """Say that a file is ours to write until its number is closed; False where another program says so already."""
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return False
    except OSError:
        # A file system without locks.
        return True
    return True


def driver_counters(file: int) -> tuple[int, int, int, int, int] | None:
    """Framing errors, overruns, parity errors, breaks and lost buffers of a serial driver; None where it has none."""
    try:
        answer = fcntl.ioctl(file, _TIOCGICOUNT, bytes(_COUNTERS.size))
    except OSError:
        return None
    _, _, _, _, _, _, framing, overrun, parity, breaks, buffer, *_ = _COUNTERS.unpack(answer)
    return framing, overrun, parity, breaks, buffer


def host_clock() -> tuple[bool, float, float, float] | None:
    """Whether the clock is synchronised, its estimated and maximum error in seconds, its correction in ppm.

    None where the kernel does not say.
    """
    # Asked for by those alone who look at clocks: what reaches into the kernel is slow to load.
    from pale_heron.system.kernel_clock import kernel_clock

    return kernel_clock()


def kernel_pulse(file: int, wait_s: float) -> tuple[int, int] | None:
    """The next pulse of a PPS device: its sequence and its moment by the host's clock; None where none came so soon."""
    from pale_heron.system import pulse_calls

    return pulse_calls.kernel_pulse(file, wait_s)


def control_line(file: int, line: str) -> bool:
    """Whether a control line is on; OSError where the port has none."""
    from pale_heron.system import pulse_calls

    return pulse_calls.control_line(file, line)


def wait_for_control_line(file: int, line: str) -> None:
    """Wait until it changes; OSError where the driver cannot do that, or the port is gone."""
    from pale_heron.system import pulse_calls

    pulse_calls.wait_for_control_line(file, line)


def control_line_changes(file: int, line: str) -> int | None:
    """How often the driver saw it change; None where it does not count."""
    from pale_heron.system import pulse_calls

    return pulse_calls.control_line_changes(file, line)


def way_to_open(device: str) -> str:
    """What gives this user the right to read and write a device, by its mode, its group, and who this user is."""
    try:
        found = Path(device).stat()
    except OSError:
        return "Nobody but its owner may look at it: ask whoever runs this computer"
    user, number = _user_name(), found.st_gid
    try:
        group = grp.getgrgid(number)
    except KeyError:
        group = grp.struct_group((str(number), "", number, []))
    opened = f"sudo chmod a+rw {device} opens it until it is plugged in again"
    if found.st_mode & _GROUP_MAY != _GROUP_MAY or number == 0:
        return f"Its mode lets only its owner in, no group: {opened}; a rule of udev keeps it so"
    if not user:
        return f"User {os.getuid()} has no name here, so it can join no group: start it with the group {number}"
    if user in group.gr_mem:
        return f"You were put into the group {group.gr_name} since you logged in: log out and in again"
    return f"Join its group: sudo usermod -aG {group.gr_name} {user}, then log out and in again"


_GROUP_MAY: Final = 0o060
"""The mode in which a group may read and write."""


def _user_name() -> str:
    try:
        return pwd.getpwuid(os.getuid()).pw_name
    except KeyError:
        return ""


def is_running(process: int) -> bool:
    """Whether a process of that number is there, ours or not."""
    try:
        os.kill(process, 0)
    except OSError as problem:
        return problem.errno == errno.EPERM
    return True


def lower_priority() -> None:
    """Let other processes go first."""
    with contextlib.suppress(OSError):
        os.nice(5)


def processors() -> int:
    """How many this process may run on."""
    # macOS tells of the whole machine alone.
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def user_id() -> str:
    """What keeps this user's files apart from those of others."""
    return str(os.getuid())


def is_ours(path: Path) -> bool:
    """Whether a file, a folder, or a link itself belongs to this user."""
    return path.lstat().st_uid == os.getuid()


def write_at(file: int, data: bytes, offset: int) -> int:
    """Write to a place in a file; how many bytes were taken."""
    return os.pwrite(file, data, offset)
