"""Who else holds a device, and who may open it."""

import contextlib
import os
import stat
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import Final, NamedTuple

from pale_heron.system import way_to_open

CONSOLES = ("agetty", "getty", "mgetty", "mingetty", "login", "sulogin")
"""Programs that ask for a name and a password on a line."""

SHORT_NAME: Final = 15
KERNEL_CONSOLE: Final = "the kernel's console"


class Holder(NamedTuple):
    """A program that holds a device open."""

    pid: int
    name: str


class DeviceHolders:
    """Who holds which devices open, as far as this user may see: one walk through all processes, for all devices."""

    def __init__(self, devices: Iterable[str]) -> None:
        self._numbers = {device: number for device in devices if (number := _device_number(device))}
        self._pids: dict[int, set[int]] = {number: set() for number in self._numbers.values()}
        for pid in _processes() if self._pids else ():
            for number in _open_devices(pid):
                if number in self._pids:
                    self._pids[number].add(pid)

    def by_others(self, device: str) -> list[Holder]:
        """The programs that hold a device, ourselves left out."""
        return [Holder(pid, _name_of(pid)) for pid in sorted(self._of(device) - {os.getpid()})]

    def by_us(self, device: str) -> bool:
        """Whether this very program has it open."""
        return os.getpid() in self._of(device)

    def _of(self, device: str) -> set[int]:
        return self._pids.get(self._numbers.get(device, 0), set())


def console_on(device: str, held: Sequence[tuple[int, str]]) -> str:
    """What console there is on a device, in words: a log-in program, or the kernel's own; empty where there is none."""
    for pid, name in held:
        if name in CONSOLES:
            return f"a log-in console ({name}, process {pid})"
    try:
        active = Path("/sys/class/tty/console/active").read_text("utf-8").split()
    except OSError:
        return ""
    serial = Path(device).name in active and not Path(device).name.startswith("tty0")
    return KERNEL_CONSOLE if serial else ""


def _device_number(device: str) -> int:
    try:
        return Path(device).stat().st_rdev
    except OSError:
        return 0


def _processes() -> list[int]:
    """The ids of all processes; none where the system has no /proc."""
    with contextlib.suppress(OSError):
        return [int(each.name) for each in Path("/proc").iterdir() if each.name.isdecimal()]
    return []


def _open_devices(pid: int) -> Iterator[int]:
    """The numbers of the character devices that a process has open."""
    with contextlib.suppress(OSError), os.scandir(f"/proc/{pid}/fd") as files:
        for file in files:
            with contextlib.suppress(OSError):
                status = file.stat()
                if stat.S_ISCHR(status.st_mode):
                    yield status.st_rdev


def _name_of(pid: int) -> str:
    """What a process is called. The system keeps 15 letters of it; what it was started as may give the rest."""
    try:
        name = Path(f"/proc/{pid}/comm").read_text("utf-8", errors="replace").rstrip("\n")
        if len(name) < SHORT_NAME:
            return name
        started = Path(f"/proc/{pid}/cmdline").read_bytes().partition(b"\0")[0].decode("utf-8", "replace")
    except OSError:
        return "?"
    whole = started.rpartition("/")[2]
    return whole if whole.startswith(name) else name


def missing_right(device: str) -> str:
    """What to do where this user may not read and write a device; empty where it may."""
    if os.access(device, os.R_OK | os.W_OK):
        return ""
    return way_to_open(device)
