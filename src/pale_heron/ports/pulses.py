"""Where pulses come from: the kernel's PPS devices, control lines of open lanes, and simulated devices.

Each reader gives the moments of pulses by the clock that stamps everything. It waits and does not poll, where whoever
brings the pulses allows that.
"""

import contextlib
import errno
import os
import time
from pathlib import Path
from typing import Final, NamedTuple, Protocol

from pale_heron.core.clock.sources import PULSE_FILE
from pale_heron.ports.clock import StampClock
from pale_heron.ports.simulated import simulated_folder
from pale_heron.system import (
    control_line,
    control_line_changes,
    kernel_pulse,
    wait_for_control_line,
    way_to_open,
)

WAIT_S: Final = 0.5
LOOK_S: Final = 0.02
"""How often a simulated source is looked at: its pulses carry their own stamps."""

POLL_S: Final = 0.002
"""How often a control line is looked at whose driver cannot be waited for."""

USB_NS: Final = 1_000_000
"""A USB adapter tells of its control lines once a frame (USB 2.0, 5.3.3: 1 ms)."""

KERNEL_FOLDER: Final = Path("/sys/class/pps")


class ReadPulse(NamedTuple):
    """When it came by the stamping clock, nanoseconds; its number where the source counts."""

    moment: int
    sequence: int | None


class NoPulses(Exception):
    """Nothing can come from this source as things are; says why."""


class PulseReader(Protocol):
    """One source that is listened to."""

    resolution_ns: int
    """How exactly a moment is known; 0 where the source sets no such limit."""

    def next(self) -> ReadPulse | None:
        """Wait a while for the next pulse; None where none came. NoPulses where none can."""
        ...

    def close(self) -> None: ...


class KernelPulses:
    """A PPS device of the kernel (RFC 2783)."""

    resolution_ns = 0

    def __init__(self, path: Path, clock: StampClock) -> None:
        self._clock = clock
        self._path = path
        self._last: int | None = None
        try:
            self._file = os.open(path, os.O_RDWR)
        except OSError as problem:
            raise NoPulses(_why_no_device(path, problem)) from None

    def next(self) -> ReadPulse | None:
        try:
            found = kernel_pulse(self._file, WAIT_S)
        except OSError as problem:
            raise NoPulses(f"{self._path} gives no pulses: {problem.strerror or problem}") from None
        if found is None or found[0] == self._last:
            return None
        self._last, host_ns = found
        return ReadPulse(stamp_of(host_ns, self._clock), found[0])

    def close(self) -> None:
        os.close(self._file)


class ControlLinePulses:
    """A control line of an open lane: each time it goes on is a pulse. It owns the file number that it is given."""

    def __init__(self, file: int, line: str, clock: StampClock, *, usb: bool) -> None:
        self._file, self._line, self._clock = file, line, clock
        self.resolution_ns = USB_NS if usb else 0
        self._waits = True
        self._on = self._read()
        self._changes = control_line_changes(file, line)

    def _read(self) -> bool:
        try:
            return control_line(self._file, self._line)
        except OSError as problem:
            raise NoPulses(f"this port has no control line {self._line.upper()} ({problem.strerror})") from None

    def next(self) -> ReadPulse | None:
        end = time.monotonic() + WAIT_S
        while self._waits or time.monotonic() < end:
            if self._waits:
                self._wait()
            else:
                time.sleep(POLL_S)
            now, on = self._clock.now(), self._read()
            changes = control_line_changes(self._file, self._line)
            # On and off again between two looks: the driver has counted it.
            short = not on and None not in (changes, self._changes) and (changes or 0) - (self._changes or 0) >= 2
            rose = (on and not self._on) or short
            self._on, self._changes = on, changes
            if rose:
                return ReadPulse(now, None)
        return None

    def _wait(self) -> None:
        try:
            wait_for_control_line(self._file, self._line)
        except OSError as problem:
            if problem.errno in (errno.EIO, errno.EBADF, errno.ENXIO, errno.ENODEV):
                raise NoPulses("the port is gone") from None
            self._waits = False
            self.resolution_ns = max(self.resolution_ns, round(POLL_S * 1e9))

    def close(self) -> None:
        with contextlib.suppress(OSError):
            os.close(self._file)


class SimulatedPulses:
    """The pulses that a simulated device leaves beside its link."""

    resolution_ns = 0

    def __init__(self, name: str, clock: StampClock) -> None:
        # A name, or the path that its device was given with --link.
        link = Path(name) if "/" in name else simulated_folder() / name
        self._path = link.with_name(link.name + PULSE_FILE)
        self._clock = clock
        self._name = name
        self._last = self._read()

    def _read(self) -> tuple[int, int]:
        try:
            return read_pulse(self._path.read_text("ascii"))
        except (OSError, ValueError):
            raise NoPulses(
                f"no simulated device {self._name!r} gives pulses: pale-heron sim curlew --scene pulse"
            ) from None

    def next(self) -> ReadPulse | None:
        end = time.monotonic() + WAIT_S
        while time.monotonic() < end:
            time.sleep(LOOK_S)
            found = self._read()
            if found != self._last:
                self._last = found
                return ReadPulse(stamp_of(found[1], self._clock), found[0])
        return None

    def close(self) -> None:
        """There is nothing to let go."""


def read_pulse(text: str) -> tuple[int, int]:
    """Sequence and nanoseconds of `seconds.nanoseconds#sequence`; ValueError for anything else."""
    moment, _, sequence = text.strip().partition("#")
    seconds, _, part = moment.partition(".")
    return int(sequence), int(seconds) * 10**9 + int(part.ljust(9, "0"))


def stamp_of(host_ns: int, clock: StampClock) -> int:
    """A moment of the host's clock by the clock that stamps."""
    return host_ns - clock.host_ahead_ns()


def _why_no_device(path: Path, problem: OSError) -> str:
    """Why a PPS device cannot be opened, with the way out."""
    if problem.errno in (errno.EACCES, errno.EPERM):
        return f"this user may not read {path}: {way_to_open(str(path)) or 'ask whoever runs this computer'}"
    if problem.errno == errno.ENOENT:
        there = sorted(each.name for each in KERNEL_FOLDER.iterdir()) if KERNEL_FOLDER.is_dir() else []
        if there:
            return f"{path} is not there; there are {', '.join(f'/dev/{name}' for name in there)}"
        return (
            f"{path} is not there: the kernel has no PPS device. One comes with a device tree entry for a pin, or "
            "with `ldattach PPS` on a serial port (module pps-ldisc)"
        )
    return f"{path} cannot be opened: {problem.strerror}"
