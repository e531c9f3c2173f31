"""Who else holds a device, and who may open it."""

import grp
import os
import pwd
import stat
from pathlib import Path

CONSOLES = ("agetty", "getty", "mgetty", "mingetty", "login", "sulogin")
"""Programs that ask for a name and a password on a line."""


def holders(device: str) -> list[tuple[int, str]]:
    """Process id and name of the programs that hold a device open, as far as this user may see; ourselves left out."""
    wanted = _device_number(device)
    return [(pid, name) for pid, name in _processes() if pid != os.getpid() and _holds(pid, wanted)] if wanted else []


def held_by_us(device: str) -> bool:
    """Whether this very program has it open."""
    wanted = _device_number(device)
    return bool(wanted) and _holds(os.getpid(), wanted)


def console_on(device: str, held: list[tuple[int, str]]) -> str:
    """What console there is on a device, in words: a log-in program, or the kernel's own; empty where there is none."""
    for pid, name in held:
        if name in CONSOLES:
            return f"a log-in console ({name}, process {pid})"
    try:
        active = Path("/sys/class/tty/console/active").read_text().split()
    except OSError:
        return ""
    serial = Path(device).name in active and not Path(device).name.startswith("tty0")
    return "the kernel's console" if serial else ""


def _device_number(device: str) -> int:
    try:
        return Path(device).stat().st_rdev
    except OSError:
        return 0


def _processes() -> list[tuple[int, str]]:
    # Asked for only when a port refuses, and slow to load.
    import psutil

    return [(process.pid, process.info["name"] or "?") for process in psutil.process_iter(["name"])]


def _holds(pid: int, wanted: int) -> bool:
    try:
        places = list(Path(f"/proc/{pid}/fd").iterdir())
    except OSError:
        return False
    return any(_number(place) == wanted for place in places)


def _number(place: Path) -> int:
    try:
        status = place.stat()
    except OSError:
        return 0
    return status.st_rdev if stat.S_ISCHR(status.st_mode) else 0


def missing_right(device: str) -> str:
    """What to do where this user may not read and write a device; empty where it may."""
    if os.access(device, os.R_OK | os.W_OK):
        return ""
    try:
        group = grp.getgrgid(Path(device).stat().st_gid).gr_name
    except (OSError, KeyError):
        return ""
    user = pwd.getpwuid(os.getuid()).pw_name
    return f"Join its group: sudo usermod -aG {group} {user}, then log out and in again"
