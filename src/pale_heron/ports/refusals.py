"""Why a lane cannot be opened, in words, with the way out."""

import errno
import os
import re
import socket
from pathlib import Path
from typing import Final

from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.holders import DeviceHolders, console_on, missing_right
from pale_heron.ports.simulated import read_label
from pale_heron.system import error_number

OWN_CONSOLES: Final = re.compile(r"/dev/(console|tty\d*)")
OWN_LIMITS: Final = {errno.EMFILE, errno.ENFILE, errno.ENOMEM}
"""What is lacking here: whoever else has the port has nothing to do with it."""

OTHERS_HINDER: Final = {errno.EBUSY, errno.EAGAIN, errno.EWOULDBLOCK, errno.EACCES, errno.EPERM}
"""Other numbers than these do not say that somebody holds it, or that a right is missing."""

UNUSUAL: Final = "Is it a serial device, and does it take the rate?"
RADIO_PORT: Final = re.compile(r"/dev/rfcomm(\d+)")
NOT_SERIAL: Final = "List what is: pale-heron ports"


def reason_words(problem: Exception) -> str:
    """What the system says of a problem."""
    number = error_number(problem)
    if number == errno.EIO:
        return "the device hung up"
    return os.strerror(number) if number else str(problem) or type(problem).__name__


NETWORK_REASONS: Final = {
    errno.ECONNREFUSED: "{host} refuses: nothing listens on that port",
    errno.EHOSTUNREACH: "There is no way to {host}",
    errno.ENETUNREACH: "There is no network to {host}",
    errno.ETIMEDOUT: "{host} does not answer",
}


REMOTE_SETTINGS: Final = {
    "baudrate": "the rate of {settings}",
    "datasize": "the data bits of {framing}",
    "parity": "the parity of {framing}",
    "stopsize": "the stop bits of {framing}",
}
"""What pyserial calls a setting that a server refused, and what it is."""


def _network_reason(spec: LaneSpec, problem: Exception) -> str:
    """Why the other side is not reached, said once."""
    host = spec.address.partition("://")[2].partition("/")[0]
    # pyserial wraps what the system said into a text of its own.
    cause = next((each for each in (problem, problem.__context__) if isinstance(each, OSError) and each.errno), problem)
    if isinstance(cause, socket.gaierror):
        return f"The name in {host} is not known"
    if isinstance(cause, TimeoutError) or isinstance(problem.__context__, TimeoutError):
        return NETWORK_REASONS[errno.ETIMEDOUT].format(host=host)
    number = error_number(cause) if isinstance(cause, Exception) else None
    if number in NETWORK_REASONS:
        return NETWORK_REASONS[number].format(host=host)
    return f"{host} cannot be reached: {reason_words(problem)}"


def _remote_trouble(spec: LaneSpec, told: str) -> Trouble | None:
    """What a server of a remote serial port would not do (RFC 2217); None where it was not even reached."""
    host = spec.address.partition("://")[2].partition("/")[0]
    if "does not seem to support" in told:
        way_out = f"Where it passes the bytes alone, open it as such: socket://{host}"
        return Trouble(f"{host} speaks no RFC 2217: it does not agree to pass a port's settings", way_out, "no-answer")
    if "does not accept parameter change" in told:
        return Trouble(f"{host} does not confirm the settings of its port", f"Try socket://{host}", "no-answer")
    refused = next(
        (words for name, words in REMOTE_SETTINGS.items() if f"rejected value for option '{name}'" in told), ""
    )
    if refused:
        words = refused.format(settings=spec.settings, framing=spec.settings.framing)
        return Trouble(f"{host} refuses {words}", "Try another one, or what its port is set to there", "no-answer")
    return None


def _unbound(address: str, number: str) -> Trouble:
    """A serial port over Bluetooth is not there before it was bound to an address."""
    bound = ", ".join(str(each) for each in sorted(Path("/dev").glob("rfcomm*")))
    there = f"; {bound} is bound already" if bound else ""
    way_out = f"bluetoothctl pair ADDRESS, then sudo rfcomm bind {number} ADDRESS: once after each start"
    return Trouble(f"{address} is not there: a radio serial port is bound first{there}", way_out, "absent")


def _is_serial(address: str, problem: Exception) -> bool:
    """Whether it is a device on which a line can be set at all."""
    return errno.ENOTTY not in _numbers(problem) and not _is_file(address)


def _numbers(problem: Exception) -> set[int]:
    """The system's numbers of a problem, and of what led to it."""
    found = (error_number(each) for each in (problem, problem.__context__) if isinstance(each, Exception))
    return {each for each in found if each is not None}


def _is_file(address: str) -> bool:
    """Whether a file or a folder stands there, and no device."""
    return Path(address).is_file() or Path(address).is_dir()


def console_hint(device: str) -> str:
    """How a log-in console is ended where systemd runs it."""
    return f"sudo systemctl stop serial-getty@{Path(device).name}"


def why_not(spec: LaneSpec, problem: Exception) -> Trouble:
    """The reason why a lane cannot be opened, in words, with the way out."""
    address = spec.address
    if spec.networked:
        remote = _remote_trouble(spec, str(problem))
        if remote is not None:
            return remote
        words = _network_reason(spec, problem)
        return Trouble(words, "Is the other side running, and are host and port right?", "no-answer")
    if not Path(address).exists():
        if radio := RADIO_PORT.fullmatch(address):
            return _unbound(address, radio[1])
        return Trouble(f"{address} is not there", "List what is: pale-heron ports", "absent")
    if not _is_serial(address, problem):
        return Trouble(f"{address} is no serial port", NOT_SERIAL)
    if _numbers(problem) & OWN_LIMITS:
        words = f"{address} cannot be opened: {reason_words(problem)}"
        return Trouble(words, "This program has too much open: close lanes, or raise its limit (ulimit -n)")
    if _numbers(problem) - OTHERS_HINDER:
        return Trouble(f"{address} cannot be opened: {reason_words(problem)}", UNUSUAL)
    walked = DeviceHolders([address])
    # The far end of a simulated device is held by the process that plays it.
    held = [each for each in walked.by_others(address) if str(each.pid) != read_label(Path(address)).get("process")]
    console = console_on(address, held)
    if console and held:
        return Trouble(f"{address} is held by {console}", f"End it: {console_hint(address)}", "held")
    if held:
        names = ", ".join(f"{name} (process {pid})" for pid, name in held)
        return Trouble(f"{address} is held by {names}", "End that program, or take its port away from it", "held")
    right = missing_right(address)
    if right:
        return Trouble(f"This user may not open {address}", right, "no-permission")
    if walked.by_us(address):
        return Trouble(f"{address} is open in this program already", "One lane is enough for one port", "busy")
    return Trouble(f"{address} cannot be opened: {reason_words(problem)}", UNUSUAL)
