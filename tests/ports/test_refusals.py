"""Each reason why a lane cannot be opened is told once, with the way out."""

import errno
import os
import socket
from pathlib import Path

import pytest
import serial

from pale_heron.core.trouble import Trouble
from pale_heron.ports import holders
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.opening import ByteStream
from pale_heron.ports.simulated import simulated_folder
from pale_heron.sim.terminal import Terminal


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A place of our own for simulated devices."""
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    return simulated_folder()


REFUSED = {
    "no right": ("missing_right", "Join its group", "no-permission", "This user may not open"),
    "held": ("DeviceHolders.by_others", [holders.Holder(7, "owl")], "held", "held by owl (process 7)"),
    "a console": (
        "DeviceHolders.by_others",
        [holders.Holder(9, "agetty")],
        "held",
        "a log-in console (agetty, process 9)",
    ),
    "ours": ("DeviceHolders.by_us", True, "busy", "open in this program"),
    "gone": ("DeviceHolders.by_others", [], "absent", "is not there"),
}


@pytest.mark.parametrize("name", REFUSED)
def test_each_reason_why_a_port_cannot_be_opened_is_told(
    name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked, answer, cause, words = REFUSED[name]
    path = tmp_path / "port"
    if name != "gone":
        path.touch()
    monkeypatch.setattr(f"pale_heron.ports.refusals.{asked}", lambda *_: answer)
    monkeypatch.setattr("pale_heron.ports.refusals._is_file", lambda _: False)

    def refuse(_: serial.Serial) -> None:
        raise serial.SerialException(errno.EACCES, "Permission denied")

    monkeypatch.setattr(serial.Serial, "open", refuse)
    with pytest.raises(Trouble) as told:
        ByteStream(LaneSpec("x", str(path)))
    assert told.value.cause == cause
    assert words in told.value.what
    assert told.value.hint


@pytest.mark.parametrize(
    ("number", "words", "way_out"),
    [
        (errno.EMFILE, "Too many open files", "ulimit -n"),
        (errno.ENOMEM, "Cannot allocate memory", "too much open"),
        (errno.ENODEV, "No such device", "does it take the rate"),
        (errno.EBUSY, "held by owl (process 7)", "End that program"),
    ],
)
def test_nobody_is_blamed_for_what_is_not_their_doing(
    number: int, words: str, way_out: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Somebody else has the port open too; the system says what was in the way."""
    path = tmp_path / "port"
    path.touch()
    monkeypatch.setattr("pale_heron.ports.refusals.DeviceHolders.by_others", lambda *_: [holders.Holder(7, "owl")])
    monkeypatch.setattr("pale_heron.ports.refusals._is_file", lambda _: False)

    def refuse(_: serial.Serial) -> None:
        raise serial.SerialException(number, os.strerror(number))

    monkeypatch.setattr(serial.Serial, "open", refuse)
    with pytest.raises(Trouble) as told:
        ByteStream(LaneSpec("x", str(path)))
    assert words in told.value.what and way_out in told.value.hint
    assert ("owl" in told.value.what) is (number == errno.EBUSY)


@pytest.mark.parametrize("address", ["/dev/null", "/dev/zero", "FOLDER", "FILE"])
def test_what_is_no_serial_port_is_told_as_such(address: str, tmp_path: Path) -> None:
    (tmp_path / "file").touch()
    device = {"FOLDER": str(tmp_path), "FILE": str(tmp_path / "file")}.get(address, address)
    with pytest.raises(Trouble, match="is no serial port") as told:
        ByteStream(LaneSpec("x", device))
    assert "pale-heron ports" in told.value.hint and told.value.cause == ""


@pytest.mark.parametrize("address", ["/dev/console", "/dev/tty1", "/dev/tty"])
def test_the_consoles_of_this_computer_are_not_opened(address: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(serial.Serial, "open", lambda _: pytest.fail("it was opened"))
    with pytest.raises(Trouble, match="screen and keyboard of this computer"):
        ByteStream(LaneSpec("x", address))


def test_a_port_that_is_open_here_is_told_as_that_and_not_as_held_by_ourselves(folder: Path) -> None:
    terminal = Terminal(9600, folder / "curlew", patient=True)
    first = ByteStream(LaneSpec("a", str(folder / "curlew")))
    try:
        with pytest.raises(Trouble, match="open in this program already") as told:
            ByteStream(LaneSpec("b", str(folder / "curlew")))
        assert told.value.cause == "busy"
    finally:
        first.close()
        terminal.close()


def test_each_reason_of_a_network_is_told_once(monkeypatch: pytest.MonkeyPatch) -> None:
    with socket.create_server(("127.0.0.1", 0)) as server:
        port = server.getsockname()[1]
    with pytest.raises(Trouble) as told:
        ByteStream(LaneSpec("x", f"socket://127.0.0.1:{port}"))
    assert told.value.what == f"127.0.0.1:{port} refuses: nothing listens on that port"
    reasons = {
        socket.gaierror(-2, "Name or service not known"): "The name in marsh.invalid:7 is not known",
        TimeoutError("timed out"): "marsh.invalid:7 does not answer",
        OSError(errno.EHOSTUNREACH, "No route to host"): "There is no way to marsh.invalid:7",
        OSError(errno.ENETUNREACH, "Network is unreachable"): "There is no network to marsh.invalid:7",
    }
    for reason, words in reasons.items():

        def refuse(*_: object, _reason: OSError = reason, **__: object) -> None:
            raise _reason

        monkeypatch.setattr(socket, "create_connection", refuse)
        with pytest.raises(Trouble) as told:
            ByteStream(LaneSpec("x", "socket://marsh.invalid:7"))
        assert (told.value.what, told.value.cause) == (words, "no-answer")


RIGHTS = [
    (0o660, 20, "heron", [], "Join its group: sudo usermod -aG dialers heron"),
    (0o660, 20, "heron", ["heron"], "since you logged in: log out and in again"),
    (0o660, 0, "heron", [], "Its mode lets only its owner in"),
    (0o600, 20, "heron", [], "sudo chmod a+rw"),
    (0o640, 20, "heron", [], "Its mode lets only its owner in"),
    (0o660, 20, "", [], "has no name here"),
]


@pytest.mark.parametrize(("mode", "group", "user", "members", "words"), RIGHTS)
def test_advice_on_rights_fits_the_device_and_the_user(
    mode: int, group: int, user: str, members: list[str], words: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    from pale_heron.system import posix

    found = os.stat_result((mode, 0, 0, 1, 0, group, 0, 0, 0, 0))
    monkeypatch.setattr(posix.Path, "stat", lambda _: found)
    monkeypatch.setattr(posix.grp, "getgrgid", lambda number: posix.grp.struct_group(("dialers", "", number, members)))
    monkeypatch.setattr(posix, "_user_name", lambda: user)
    assert words in posix.way_to_open("/dev/ttyUSB0")
