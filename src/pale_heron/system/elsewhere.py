"""Systems without POSIX, such as Windows: what there is instead, or that there is nothing."""

import errno
import getpass
import os
import signal
import subprocess
from collections.abc import Mapping
from pathlib import Path
from typing import Any, Final

DRIVER_ERRORS: Final[tuple[type[Exception], ...]] = ()
END_SIGNALS: Final = (signal.SIGTERM,)
FILE_NUMBERS: Final = False
TERMINALS: Final = False
OWN_GROUP: Final[Mapping[str, Any]] = {"creationflags": getattr(subprocess, "CREATE_NEW_PROCESS_GROUP", 0)}


def error_number(problem: Exception) -> int | None:
    """The system's number of an error; None where it has none."""
    number = getattr(problem, "errno", None)
    return number if isinstance(number, int) else None


def claim(_file: int) -> bool:
    """Nothing is said here: a file that is open for writing may be opened by others."""
    return True


def driver_counters(_file: int) -> tuple[int, int, int, int, int] | None:
    """Nothing: no driver here counts its errors for us."""
    return None


def host_clock() -> tuple[bool, float, float, float] | None:
    """Nothing: here the system does not say how good its clock is."""
    return None


def kernel_pulse(_file: int, _wait_s: float) -> tuple[int, int] | None:
    """Nothing: the kernel here has no such devices."""
    raise OSError(errno.ENOTSUP, "this system has no PPS devices")


def control_line(_file: int, _line: str) -> bool:
    """Nothing: no file number, no control line."""
    raise OSError(errno.ENOTSUP, "control lines cannot be read on this system")


def wait_for_control_line(_file: int, _line: str) -> None:
    """Nothing: no file number, no control line."""
    raise OSError(errno.ENOTSUP, "control lines cannot be waited for on this system")


def control_line_changes(_file: int, _line: str) -> int | None:
    """Nothing: no driver here counts its changes for us."""
    return None


def way_to_open(_device: str) -> str:
    """Nothing: here no group decides who may open a port."""
    return ""


def is_running(_process: int) -> bool:
    """Nobody can be asked without ending it: whoever left a mark is taken to be there."""
    return True


def lower_priority() -> None:
    """Left to the system."""


def processors() -> int:
    return os.cpu_count() or 1


def user_id() -> str:
    """What keeps this user's files apart from those of others."""
    return getpass.getuser()


def is_ours(_path: Path) -> bool:
    """The folders of a user are the system's business here."""
    return True


def write_at(file: int, data: bytes, offset: int) -> int:
    """Write to a place in a file, which one thread alone writes; how many bytes were taken."""
    os.lseek(file, offset, os.SEEK_SET)
    return os.write(file, data)
