"""Opens a lane's stream through pyserial, and says plainly why one cannot be opened."""

import errno
import io
import os
import select
from pathlib import Path

import serial

from pale_heron.core.line.settings import LineSettings
from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.holders import holders, missing_right
from pale_heron.ports.simulated import simulated_folder

READ_BYTES = 65_536
_VIRTUAL = ("/dev/pts/", "/dev/ttyACM", "/dev/rfcomm")


class Gone(Exception):
    """The other side of an open stream is no longer there."""


class Stream:
    """An open stream of bytes; one thread reads it."""

    def __init__(self, spec: LaneSpec) -> None:
        """Open it, or raise Trouble with the reason and the way out."""
        settings = spec.settings
        self.settings = _as_opened(spec)
        self._networked = spec.networked
        try:
            self._port = serial.serial_for_url(
                spec.address,
                do_not_open=True,
                baudrate=settings.rate,
                bytesize=settings.data_bits,
                parity=settings.parity,
                stopbits=settings.stop_bits,
                rtscts=settings.flow == "rtscts",
                xonxoff=settings.flow == "xonxoff",
                timeout=0.1,
            )
            if not spec.networked:
                self._port.exclusive = True
            self._port.open()
        except (serial.SerialException, OSError, ValueError, OverflowError) as problem:
            raise why_not(spec, problem) from None
        try:
            self._file: int | None = self._port.fileno()
        except (io.UnsupportedOperation, AttributeError):
            self._file = None

    def read(self, wait_s: float) -> bytes:
        """What has arrived, after waiting for the first byte at most `wait_s`; empty where nothing came.

        Raises Gone where the other side is no longer there.
        """
        try:
            if self._file is None:
                first: bytes = self._port.read(1)
                return first + bytes(self._port.read(self._port.in_waiting)) if first else b""
            if not select.select([self._file], [], [], wait_s)[0]:
                return b""
            data = os.read(self._file, READ_BYTES)
        except (serial.SerialException, OSError, ValueError) as problem:
            raise Gone(_reason(problem)) from None
        if not data:
            raise Gone("the other side closed it" if self._networked else "the device hung up")
        return data

    def close(self) -> None:
        """Let it go; a device that is gone makes no trouble here."""
        try:
            self._port.close()
        except (serial.SerialException, OSError):
            return


def _as_opened(spec: LaneSpec) -> LineSettings:
    """The settings, with the rate marked as decorative where nothing keeps to it. Our simulated devices do."""
    virtual = os.path.realpath(spec.address).startswith(_VIRTUAL) and Path(spec.address).parent != simulated_folder()
    decorative = virtual or spec.address.startswith("socket://")
    settings = spec.settings
    return LineSettings(settings.rate, settings.framing, settings.flow, decorative)


def _reason(problem: Exception) -> str:
    number = getattr(problem, "errno", None)
    if number == errno.EIO:
        return "the device hung up"
    return os.strerror(number) if number else str(problem) or type(problem).__name__


def why_not(spec: LaneSpec, problem: Exception) -> Trouble:
    """The reason why a lane cannot be opened, in words, with the way out."""
    address = spec.address
    if spec.networked:
        return Trouble(
            f"{address} does not answer: {_reason(problem)}", "Is the other side running, and are host and port right?"
        )
    if not Path(address).exists():
        return Trouble(f"{address} is not there", "List what is: pale-heron ports")
    held = holders(address)
    if held:
        names = ", ".join(f"{name} (process {pid})" for pid, name in held)
        return Trouble(f"{address} is held by {names}", "End that program, or take its port away from it")
    right = missing_right(address)
    if right:
        return Trouble(f"This user may not open {address}", right)
    reason = _reason(problem)
    return Trouble(f"{address} cannot be opened: {reason}", "Is it a serial device, and does it take the rate?")
