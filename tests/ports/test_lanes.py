"""Lanes that are set, sent to and found again: on pseudo-terminals, sockets and a remote serial port."""

import contextlib
import os
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from itertools import pairwise
from pathlib import Path
from types import SimpleNamespace

import pytest
from benchmarks.servers import RemotePort
from tests.ports.life import Life, speak
from tests.streams import GGA
from tests.waiting import LIMIT_S, until

from pale_heron.core.frames import OUT, Chunk, Event
from pale_heron.core.line.diagnosis.evidence import DriverErrors
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.trouble import Trouble
from pale_heron.files.adapters import AdapterNote, adapter_key, adapters_file, known_adapters, remember
from pale_heron.ports import holders, listing
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.listing import Port, ports
from pale_heron.ports.opening import ByteStream
from pale_heron.ports.sender import HELD_S, SendJob, seconds_for
from pale_heron.ports.simulated import read_label, simulated_folder
from pale_heron.ports.watch import PortChange, PortWatch
from pale_heron.sim.label import Label
from pale_heron.sim.run import TroubleStage
from pale_heron.sim.terminal import Terminal
from pale_heron.sim.troubles import TROUBLES
from pale_heron.tui.views.panels.ports import PlugGuide


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A place of our own for simulated devices and for what is remembered."""
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    monkeypatch.setenv("PALE_HERON_CONFIG", str(tmp_path / "config"))
    return simulated_folder()


@pytest.fixture
def life(folder: Path) -> Iterator[tuple[Life, Terminal]]:
    terminal = Terminal(9600, folder / "curlew", whole_lines=False, patient=True)
    found = Life(str(folder / "curlew"))
    found.until(lambda life: "opened" in life.events)
    yield found, terminal
    found.end()
    terminal.close()


def chunks(lane: Life) -> list[Chunk]:
    return [each for each in lane.records if isinstance(each, Chunk)]


def heard(terminal: Terminal, count: int) -> bytes:
    """So many bytes as the device gets them."""
    got, limit = b"", time.monotonic() + LIMIT_S
    while len(got) < count:
        assert time.monotonic() < limit, got
        got += b"".join(terminal.work(0.01))
        time.sleep(0.002)
    return got


def test_what_is_sent_goes_out_in_order_and_into_the_record(life: tuple[Life, Terminal]) -> None:
    lane, terminal = life
    data = bytes(range(256)) * 10
    first, second = SendJob(data), SendJob(b"AT\r\n")
    lane.reader.send(first)
    lane.reader.send(second)
    assert heard(terminal, len(data) + 4) == data + b"AT\r\n"
    lane.until(lambda _: first.over and second.over)
    lane.until(lambda life: len(life.data) == len(data) + 4)
    assert all(each.direction is OUT for each in chunks(lane))
    assert (first.sent, first.failure, second.times) == (len(data), "", 1)


@pytest.mark.parametrize(("settings", "least"), [("char", 0.18), ("line", 0.1)])
def test_delays_are_kept(life: tuple[Life, Terminal], settings: str, least: float) -> None:
    lane, terminal = life
    data = b"a\nbc\ndefg\n"
    wanted = LineSettings(char_delay_ms=20) if settings == "char" else LineSettings(line_delay_ms=50)
    lane.reader.change(wanted)
    lane.until(lambda life: "settings" in life.events)
    began = time.monotonic()
    lane.reader.send(SendJob(data))
    assert heard(terminal, len(data)) == data
    assert time.monotonic() - began >= 0.9 * least
    assert seconds_for(data, wanted) >= least


def test_a_device_that_takes_nothing_stalls_sending_and_not_reading(life: tuple[Life, Terminal]) -> None:
    lane, terminal = life
    job = SendJob(b"x" * 200_000)
    lane.reader.send(job)
    lane.until(lambda _: job.stalled)
    terminal.send(GGA)
    terminal.rate = 0
    terminal._far.write(GGA)
    lane.until(
        lambda life: GGA in b"".join(e.data for e in life.records if isinstance(e, Chunk) and e.direction != OUT)
    )
    lane.until(lambda life: "held" in life.events)
    assert "held-ended" not in lane.events, "it still takes nothing"
    job.stop()
    lane.until(lambda life: job.over and "held-ended" in life.events)
    assert 0 < job.sent < job.total
    (held,) = (each for each in lane.records if isinstance(each, Event) and each.name == "held")
    (ended,) = (each for each in lane.records if isinstance(each, Event) and each.name == "held-ended")
    assert held.details["by"] == "", "a pseudo-terminal does not tell"
    assert ended.details["seconds"] >= HELD_S


@pytest.mark.parametrize(("flow", "cts", "by"), [("rtscts", False, "CTS"), ("rtscts", True, ""), ("none", False, "")])
def test_what_holds_a_line_is_what_its_driver_says(folder: Path, flow: str, cts: bool, by: str) -> None:
    terminal = Terminal(9600, folder / "curlew", patient=True)
    stream = ByteStream(LaneSpec("curlew", str(folder / "curlew")))
    try:
        stream.settings = LineSettings(flow=flow)
        assert stream.held_by() == "", "a pseudo-terminal has no such line"
        stream._port = SimpleNamespace(cts=cts, close=stream._port.close)
        assert stream.held_by() == by
    finally:
        stream.close()
        terminal.close()


def test_a_lane_is_set_while_it_is_open(life: tuple[Life, Terminal]) -> None:
    lane, terminal = life
    lane.reader.change(LineSettings(57600, "8N2", "xonxoff", dtr=False))
    lane.until(lambda life: "settings" in life.events)
    assert terminal.other_rate == 57600
    event = next(each for each in lane.records if isinstance(each, Event) and each.name == "settings")
    assert event.details["settings"] == "57600,8N2,xonxoff,dtr=off"
    assert lane.reader.spec.settings.rate == 57600


def test_settings_that_the_driver_refuses_leave_the_lane_as_it_was(life: tuple[Life, Terminal]) -> None:
    lane, terminal = life
    lane.reader.change(LineSettings(19200, "7E1"))
    lane.until(lambda life: "settings-refused" in life.events)
    event = next(each for each in lane.records if isinstance(each, Event) and each.name == "settings-refused")
    assert "does not take 19200 7E1: Invalid argument" in event.details["reason"], "a pseudo-terminal has eight bits"
    assert (terminal.other_rate, lane.reader.spec.settings.rate) == (9600, 9600)


def test_sending_on_a_lane_that_is_gone_or_only_listens_is_refused(folder: Path) -> None:
    terminal = Terminal(9600, folder / "curlew", patient=True)
    lane = Life(str(folder / "curlew"))
    lane.until(lambda life: "opened" in life.events)
    lane.reader.change(LineSettings(listen_only=True))
    lane.until(lambda life: "settings" in life.events)
    for refused in (lambda: lane.reader.send(SendJob(b"AT")), lane.reader.send_break):
        with pytest.raises(Trouble, match="only listens"):
            refused()
    lane.reader.change(LineSettings())
    lane.until(lambda life: life.events.count("settings") == 2)
    terminal.close()
    lane.until(lambda life: "lost" in life.events)
    with pytest.raises(Trouble, match="is not open"):
        lane.reader.send(SendJob(b"AT"))
    lane.end()


def test_a_lane_comes_back_by_its_adapter_under_another_name(folder: Path) -> None:
    first = Terminal(9600, folder / "one", patient=True, label=Label("a receiver", "M-7"))
    lane = Life(str(folder / "one"))
    lane.until(lambda life: "opened" in life.events)
    speak(first, GGA)
    lane.until(lambda life: life.data.count(GGA) == 1)
    first.close()
    lane.until(lambda life: "lost" in life.events)
    stranger = Terminal(9600, folder / "one", patient=True, label=Label("somebody else", "X-1"))
    time.sleep(0.7)
    lane.until(lambda _: True)
    assert "returned" not in lane.events, "another adapter that took the name is not opened"
    again = Terminal(9600, folder / "two", patient=True, label=Label("a receiver", "M-7"))
    lane.until(lambda life: "returned" in life.events)
    speak(again, GGA)
    lane.until(lambda life: life.data.count(GGA) == 2)
    returned = next(each for each in lane.records if isinstance(each, Event) and each.name == "returned")
    assert returned.details["address"] == str(folder / "two")
    lane.end()
    again.close()
    stranger.close()


def test_a_port_that_is_unplugged_while_it_is_looked_at_is_not_listed_under_another_name(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    terminal = Terminal(9600, folder / "one", label=Label("a receiver", "M-7"))

    def unplugged(link: Path) -> dict[str, str]:
        terminal.close()
        return read_label(link)

    links = listing._links()
    assert links == [folder / "one"]
    monkeypatch.setattr(listing, "_links", lambda: links)
    monkeypatch.setattr(listing, "read_label", unplugged)
    assert [port for port in ports() if port.simulated] == []


def test_what_is_said_of_an_adapter_is_remembered_with_it(folder: Path) -> None:
    terminal = Terminal(9600, folder / "one", patient=True, label=Label("a receiver", "M-7"))
    adapters_file().parent.mkdir(parents=True)
    adapters_file().write_text("# mine\n")
    remember("serial M-7", AdapterNote("curlew", "buoy 7", "38400,8N1,none"))
    remember("serial M-7", AdapterNote("curlew", "buoy 8", "38400,8N1,none"))
    (port,) = [port for port in ports() if port.simulated]
    terminal.close()
    assert (port.nickname, port.role) == ("curlew", "buoy 8")
    lane = port.lane()
    assert (lane.name, lane.settings.rate, lane.adapter) == ("curlew", 38400, "serial M-7")
    assert adapters_file().read_text().startswith("# mine")
    adapters_file().write_text("[[adapter]\n")
    assert known_adapters() == {}
    with pytest.raises(Trouble, match="is not a file of adapters"):
        remember("serial M-7", AdapterNote())


@pytest.mark.parametrize(
    ("found", "key"),
    [(("1209:0001", "A1", "1-2"), "serial A1 1209:0001"), (("", "", "1-2"), "place 1-2"), (("", "", ""), "")],
)
def test_adapters_are_known_by_serial_number_else_by_place(found: tuple[str, str, str], key: str) -> None:
    assert adapter_key(*found) == key


def port(device: str) -> Port:
    return Port(device, "", "", "", "", "", "free", "")


def test_changes_of_ports_are_told_once_and_the_pulled_plug_is_known() -> None:
    there = [port("a"), port("b")]
    watch, which = PortWatch(lambda: list(there)), PlugGuide()
    assert watch.look() == []
    which.begin(time.monotonic())
    assert which.look(watch.seen()) is None
    gone = there.pop()
    assert watch.look() == [PortChange("went", gone)]
    assert watch.look() == []
    assert which.look(watch.seen()) == gone
    there.append(gone)
    assert watch.look() == [PortChange("came", gone)]
    assert [(seen.port.device, seen.went) for seen in watch.seen()] == [("a", None), ("b", None)]


def test_two_plugs_at_once_do_not_tell_which_is_which() -> None:
    there = [port("a"), port("b")]
    watch, which = PortWatch(lambda: list(there)), PlugGuide()
    watch.look()
    which.begin(time.monotonic())
    there.clear()
    watch.look()
    assert which.look(watch.seen()) is None
    assert which.waiting


def test_who_holds_what_is_found_in_one_walk(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """However many ports there are, all processes are gone through once; a long name is told whole."""
    terminals = [Terminal(9600, folder / f"port{number}") for number in range(12)]
    mine = os.open(terminals[3].path, os.O_RDWR | os.O_NOCTTY)
    name = "a-program-with-a-long-name"
    (folder / name).symlink_to(sys.executable)
    words = [str(folder / name), "-c", f"f = open({terminals[5].path!r}, 'rb+', 0); print(1, flush=True); input()"]
    other = subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
    assert other.stdout is not None and other.stdin is not None
    try:
        assert other.stdout.readline() == b"1\n"
        walks: list[int] = []
        real = holders._processes
        monkeypatch.setattr(holders, "_processes", lambda: walks.append(1) or real())
        found = ports()
        assert len(found) >= 12 and len(walks) == 1
        held = holders.DeviceHolders([terminal.path for terminal in terminals])
        assert held.by_others(terminals[5].path) == [(other.pid, name)]
        assert held.by_us(terminals[3].path)
        assert held.by_others(terminals[4].path) == []
    finally:
        other.stdin.close()
        other.wait(20)
        os.close(mine)
        for terminal in terminals:
            terminal.close()


def test_a_port_that_another_program_holds_is_listed_with_its_name(folder: Path) -> None:
    stage = TroubleStage("held", TROUBLES["held"], 1, folder / "held")
    try:
        with pytest.raises(Trouble) as told:
            ByteStream(LaneSpec("held", str(folder / "held")))
        assert told.value.cause == "busy", "here the player is this very program"
    finally:
        stage.close()
    assert listing.console_on("/dev/ttyX9", []) == ""
    assert holders.console_on("/dev/ttyX9", [(5, "getty")]) == "a log-in console (getty, process 5)"


def test_what_the_driver_counts_is_told_when_it_changes(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    counted = [DriverErrors(framing=2), DriverErrors(framing=2), DriverErrors(framing=2, breaks=1)]
    monkeypatch.setattr(ByteStream, "errors", lambda _: counted.pop(0) if len(counted) > 1 else counted[0])
    monkeypatch.setattr("pale_heron.ports.worker.LOOK_NS", 50_000_000)
    terminal = Terminal(9600, folder / "curlew", patient=True)
    lane = Life(str(folder / "curlew"))
    lane.until(lambda life: life.events.count("driver-errors") == 2)
    lane.end()
    terminal.close()
    told = [each.details for each in lane.records if isinstance(each, Event) and each.name == "driver-errors"]
    assert [(each["framing"], each["breaks"]) for each in told] == [(2, 0), (2, 1)]


def test_a_fault_of_ours_in_a_lane_is_told_and_the_lane_tried_again(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    terminal = Terminal(9600, folder / "curlew", patient=True)
    faults = [ZeroDivisionError("an owl")]
    real = ByteStream.read

    def read(self: ByteStream, wait_s: float) -> bytes:
        if faults:
            raise faults.pop()
        return real(self, wait_s)

    monkeypatch.setattr(ByteStream, "read", read)
    monkeypatch.setattr("pale_heron.ports.worker.FAULT_S", 0.1)
    lane = Life(str(folder / "curlew"))
    lane.until(lambda life: life.events.count("opened") == 2)
    lane.end()
    terminal.close()
    lost = next(each for each in lane.records if isinstance(each, Event) and each.name == "lost")
    assert "a fault of this program: ZeroDivisionError" in lost.details["reason"]


def test_a_socket_lane_is_sent_to() -> None:
    server = socket.create_server(("127.0.0.1", 0))
    lane = Life(f"socket://127.0.0.1:{server.getsockname()[1]}")
    connection, _ = server.accept()
    lane.until(lambda life: "opened" in life.events)
    lane.reader.send(SendJob(b"hello\r\n"))
    assert connection.recv(100) == b"hello\r\n"
    connection.close()
    server.close()
    lane.end()


def test_a_remote_serial_lane_is_sent_to_and_set() -> None:
    remote = RemotePort(GGA)
    lane = Life(remote.address)
    lane.until(lambda life: len(life.data) == len(GGA))
    job = SendJob(b"AT\r\n")
    lane.reader.send(job)
    lane.until(lambda _: job.over)
    assert job.sent == 4
    lane.end()


def test_a_driver_that_hangs_on_closing_does_not_hold_up_the_others(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from pale_heron.bench.live import session as session_module
    from pale_heron.bench.live.session import Session

    monkeypatch.setattr(session_module, "JOIN_S", 0.3)
    released = threading.Event()
    real = ByteStream.close

    def close(self: ByteStream) -> None:
        if self.settings.rate == 4800:
            released.wait(LIMIT_S)
        real(self)

    monkeypatch.setattr(ByteStream, "close", close)
    terminals = [Terminal(9600, folder / name, patient=True) for name in ("good", "hanging")]
    specs = [LaneSpec("good", str(folder / "good")), LaneSpec("hanging", str(folder / "hanging"), LineSettings(4800))]
    session = Session("bench", specs, folder / "a.pcapng")
    session.start()
    until(lambda: all(lane.opening == "open" for lane in session.snapshot().lanes))
    began = time.monotonic()
    assert session.stop() == ["hanging"]
    assert time.monotonic() - began < LIMIT_S / 2
    released.set()
    for terminal in terminals:
        terminal.close()


def test_a_server_that_closes_at_once_is_asked_less_and_less(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("pale_heron.ports.worker.RETRY_S", 0.02)
    came: list[float] = []

    def close_at_once() -> None:
        with contextlib.suppress(OSError):
            while True:
                client, _ = server.accept()
                came.append(time.monotonic())
                client.close()

    with socket.create_server(("127.0.0.1", 0)) as server:
        threading.Thread(target=close_at_once, daemon=True).start()
        lane = Life(f"socket://127.0.0.1:{server.getsockname()[1]}")
        until(lambda: len(came) >= 7)
        lane.end()
        server.shutdown(socket.SHUT_RDWR)
    pauses = [later - before for before, later in pairwise(came)]
    assert pauses[5] >= 0.02 * 2**6 > 2 * pauses[0], pauses


@pytest.mark.parametrize(
    ("keys", "told"),
    [
        (("serial A", None), "serial A"),
        (("serial A", "", None), "serial A"),
        (("serial A", "", "", None), ""),
        (("serial A", "", "serial B", None), "serial B"),
        (("", "serial A", None), "serial A"),
    ],
)
def test_a_pulled_plug_is_told_by_what_identified_it_last(keys: tuple[str | None, ...], told: str) -> None:
    """The system may drop the serial number a moment before the device; a device that stays without it has none."""
    there: list[Port] = []
    watch = PortWatch(lambda: list(there))
    changes: list[PortChange] = []
    for key in keys:
        there[:] = [] if key is None else [port("/dev/ttyUSB0")._replace(key=key)]
        changes = watch.look()
    assert [(each.what, each.port.key) for each in changes] == [("went", told)]
