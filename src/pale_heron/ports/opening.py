"""Opens a lane's stream through pyserial, and says plainly why one cannot be opened."""

import contextlib
import errno
import io
import os
import select
import threading
from dataclasses import replace
from pathlib import Path
from typing import Any, Final, Protocol

import serial

from pale_heron.core.line.diagnosis.evidence import DriverErrors
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.refusals import NOT_SERIAL, OWN_CONSOLES, reason_words, why_not
from pale_heron.ports.simulated import read_label, simulated_folder
from pale_heron.system import DRIVER_ERRORS, FILE_NUMBERS, driver_counters

READ_BYTES = 65_536
WRITE_WAIT_S = 0.2
CLOSED: Final = "the other side closed it"
VIRTUAL = ("/dev/pts/", "/dev/ttyACM", "/dev/rfcomm")
PROBLEMS: Final[tuple[type[Exception], ...]] = (
    serial.SerialException,
    OSError,
    ValueError,
    OverflowError,
    *DRIVER_ERRORS,
)
"""Whatever a driver or pyserial may say no with."""

NO_BREAK: Final[tuple[type[Exception], ...]] = (*PROBLEMS, AttributeError)


def _nothing() -> None:
    """In the place of emptying what holds no leftovers."""


class StreamGone(Exception):
    """The other side of an open stream is no longer there."""


class OpenStream(Protocol):
    """What a lane's thread needs of an open stream, whatever carries its bytes."""

    settings: LineSettings
    news: list[tuple[str, dict[str, Any]]]
    """What happened to it besides bytes, as events for the record."""

    @property
    def writes_at_once(self) -> bool: ...

    def read(self, wait_s: float) -> bytes: ...

    def write(self, data: bytes) -> int: ...

    def wait_for_room(self) -> None: ...

    def change(self, spec: LaneSpec) -> LineSettings: ...

    def send_break(self, seconds: float) -> None: ...

    def errors(self) -> DriverErrors | None: ...

    def held_by(self) -> str: ...

    def duplicate(self) -> int | None: ...

    def close(self) -> None: ...


class ByteStream:
    """An open stream of bytes; one thread reads, sets and closes it, another may write."""

    def __init__(self, spec: LaneSpec) -> None:
        """Open it, or raise Trouble with the reason and the way out."""
        settings = spec.settings
        if OWN_CONSOLES.fullmatch(os.path.realpath(spec.address)):
            raise Trouble(f"{spec.address} is the screen and keyboard of this computer", NOT_SERIAL)
        self._guard = threading.Lock()
        """Held while it is written to and closed: the system may give the number of a closed file to another one."""
        self._closed = False
        self.settings = _as_opened(spec)
        self.news: list[tuple[str, dict[str, Any]]] = []
        self._networked = spec.networked
        try:
            self._port = self._made(spec, {"timeout": 0.1, **_as_driver_takes(settings)})
            # Before opening, so that they are right as soon as may be: Linux raises both within open(), whatever is set
            # here, and a board whose reset hangs on one of them may see that.
            self._port.dtr, self._port.rts = settings.dtr, settings.rts
            if not spec.networked:
                self._port.exclusive = True
            # pyserial empties what waits at opening: what came before, or is said at once, is traffic like the rest.
            for emptying in ("reset_input_buffer", "reset_output_buffer", "_reset_input_buffer"):
                setattr(self._port, emptying, _nothing)
            self._port.open()
        except PROBLEMS as problem:
            raise why_not(spec, problem) from None
        try:
            self._file: int | None = self._port.fileno() if FILE_NUMBERS else None
        except (io.UnsupportedOperation, AttributeError):
            self._file = None

    @staticmethod
    def _made(spec: LaneSpec, settings: dict[str, Any]) -> Any:
        """The port by pyserial's class for such an address, not yet open."""
        return serial.serial_for_url(spec.address, do_not_open=True, **settings)

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
        except PROBLEMS as problem:
            raise StreamGone(reason_words(problem)) from None
        if not data:
            raise StreamGone(CLOSED if self._networked else "the device hung up")
        return data

    @property
    def writes_at_once(self) -> bool:
        """Whether writing never waits."""
        return self._file is not None

    def write(self, data: bytes) -> int:
        """Hand over what there is room for; how many bytes that were, perhaps none.

        Raises Gone where the other side is no longer there, or the stream is closed.
        """
        try:
            if self._file is None:
                return self._port.write(data) or 0
            with self._guard:
                if self._closed:
                    raise StreamGone("the lane is not open")
                return os.write(self._file, data)
        except (serial.SerialTimeoutException, BlockingIOError):
            return 0
        except PROBLEMS as problem:
            raise StreamGone(reason_words(problem)) from None

    def duplicate(self) -> int | None:
        """A file number of its own for whoever watches the control lines, to be closed there; None without a port."""
        with self._guard:
            return None if self._closed or self._file is None or self._networked else os.dup(self._file)

    def wait_for_room(self) -> None:
        """Wait a little until more can be written."""
        file = self._file
        if file is None:
            return
        with contextlib.suppress(*PROBLEMS):
            select.select([], [file], [], WRITE_WAIT_S)

    def change(self, spec: LaneSpec) -> LineSettings:
        """Set the open line and give its settings. Trouble where the driver refuses them: it is then as before."""
        before, self.settings = self.settings, _as_opened(spec)
        if self._networked and spec.address.startswith("socket://"):
            return self.settings
        try:
            self._set(spec.settings)
        except PROBLEMS as problem:
            self.settings = before
            with contextlib.suppress(*PROBLEMS):
                self._set(before)
            raise Trouble(
                f"{spec.address} does not take {spec.settings}: {reason_words(problem)}", "Try another"
            ) from None
        return self.settings

    def _set(self, settings: LineSettings) -> None:
        self._port.apply_settings(_as_driver_takes(settings))
        try:
            self._port.dtr = settings.dtr
            if settings.flow != "rtscts":
                self._port.rts = settings.rts
        except OSError as problem:
            # A virtual port has no such lines; pyserial passes over that at opening too.
            if problem.errno not in (errno.ENOTTY, errno.EINVAL):
                raise

    def send_break(self, seconds: float) -> None:
        """Hold the line low for so long."""
        try:
            self._port.send_break(seconds)
        except NO_BREAK as problem:
            raise Trouble(
                f"A break cannot be sent: {reason_words(problem)}", "A network lane has no line to hold"
            ) from None

    def errors(self) -> DriverErrors | None:
        """What the driver counted since the port is there; None where it counts nothing."""
        if self._file is None or self._networked:
            return None
        counted = driver_counters(self._file)
        return None if counted is None else DriverErrors(*counted)

    def held_by(self) -> str:
        """What keeps it from sending: `CTS`, or nothing where the driver does not tell (XOFF it never tells)."""
        if self.settings.flow != "rtscts" or self._networked:
            return ""
        with contextlib.suppress(*PROBLEMS, ValueError):
            return "" if self._port.cts else "CTS"
        return ""

    def close(self) -> None:
        """Let it go; a device that is gone makes no trouble here."""
        with self._guard:
            self._closed = True
            with contextlib.suppress(serial.SerialException, OSError):
                self._port.close()


def _as_opened(spec: LaneSpec) -> LineSettings:
    """The settings, with the rate marked as decorative where nothing keeps to it. Our simulated devices do."""
    place = Path(spec.address)
    simulated = place.parent == simulated_folder() or bool(read_label(place))
    virtual = os.path.realpath(spec.address).startswith(VIRTUAL) and not simulated
    decorative = virtual or spec.address.startswith("socket://")
    return replace(spec.settings, decorative=decorative)


def _as_driver_takes(settings: LineSettings) -> dict[str, Any]:
    """The settings by the names of pyserial."""
    return {
        "baudrate": settings.rate,
        "bytesize": settings.data_bits,
        "parity": settings.parity,
        "stopbits": settings.stop_bits,
        "rtscts": settings.flow == "rtscts",
        "xonxoff": settings.flow == "xonxoff",
    }
