"""Commands on live lanes, in processes of their own: recording, ports, what ends them, the simulated receiver."""

import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
import serial
from tests.cli.test_commands import run
from tests.waiting import LIMIT_S, until

from pale_heron.capture.reader import CaptureReader
from pale_heron.core.frames import SECOND, WAITED, Event
from pale_heron.core.nmea.sentence import sealed
from pale_heron.sim.launch import Device


@pytest.fixture
def device(tmp_path: Path) -> Iterator[Path]:
    """The path of a simulated receiver that runs, fast and fixed at once."""
    link = tmp_path / "curlew"
    words = [
        sys.executable,
        "-m",
        "pale_heron",
        "sim",
        "curlew",
        "--link",
        str(link),
        "--start",
        "hot",
        "--every",
        "200",
        # What it said before would wait in its terminal for whoever opens it, legible at whatever rate.
        "--when-opened",
    ]
    process = subprocess.Popen([*words, "--rate", "38400"], stdout=subprocess.PIPE)
    assert process.stdout is not None
    assert process.stdout.readline().strip() == str(link).encode()
    yield link
    process.terminate()
    assert process.wait(10) == 0
    assert not link.is_symlink()


def test_record_for_a_while_then_summary(device: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.pcapng"
    done = run("record", f"buoy={device}@38400", "-o", out, "--for", "4s")
    assert done.returncode == 0, done.stderr
    (lane,) = json.loads(run("summary", out, "--json").stdout)["lanes"]
    assert (lane["lane"], lane["fix"]["state"]) == ("buoy", "3D")
    assert lane["readable_share"] == 1.0
    again = run("record", f"buoy={device}", "-o", out)
    assert (again.returncode, b"there already" in again.stderr) == (2, True)


def test_a_wrong_rate_is_found(device: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.pcapng"
    done = run("record", f"buoy={device}@9600", "-o", out, "--for", "3s")
    assert b"Bytes arrive, but they are not legible: the rate is wrong." in done.stderr
    assert b"text of a device at another rate" in done.stderr


@pytest.mark.parametrize("number", [signal.SIGINT, signal.SIGTERM, signal.SIGHUP])
def test_record_ends_whole_on_every_signal(device: Path, tmp_path: Path, number: int) -> None:
    out = tmp_path / "out.pcapng"
    words = [sys.executable, "-m", "pale_heron", "record", f"buoy={device}@38400", "-o", str(out)]
    process = subprocess.Popen(words, stderr=subprocess.DEVNULL)
    wait_for_size(out, 3000)
    process.send_signal(number)
    assert process.wait(10) == 0
    reader = CaptureReader(out)
    records = list(reader.records())
    assert reader.torn == ""
    assert records[-1][2] == "closed"


@pytest.mark.parametrize("number", [signal.SIGINT, signal.SIGTERM])
@pytest.mark.parametrize("lanes", [0, 64])
def test_record_obeys_a_signal_from_the_first_moment(number: int, lanes: int, tmp_path: Path) -> None:
    """At any time after its capture is there, with as many lanes as there may be, none of which opens."""
    out = tmp_path / "out.pcapng"
    bench = tmp_path / "bench.toml"
    bench.write_text("".join(f'[[lane]]\naddress = "{tmp_path}/absent{count}"\n' for count in range(max(1, lanes))))
    words = [sys.executable, "-m", "pale_heron", "record", "--bench", str(bench), "-o", str(out)]
    process = subprocess.Popen(words, stderr=subprocess.DEVNULL)
    wait_for_size(out, 1)
    process.send_signal(number)
    assert process.wait(20) == 1, "no byte came, and that is said"
    assert CaptureReader(out).torn == ""


def test_too_many_lanes_are_refused_at_once(tmp_path: Path) -> None:
    bench = tmp_path / "bench.toml"
    bench.write_text("".join(f'[[lane]]\naddress = "/dev/absent{count}"\n' for count in range(3000)))
    done = run("record", "--bench", bench, "-o", tmp_path / "out.pcapng", "--for", "1s")
    assert done.returncode == 2
    assert b"3000 lanes are named; 64 are the most" in done.stderr
    assert not (tmp_path / "out.pcapng").exists()


def test_a_killed_record_is_readable_up_to_a_quarter_of_a_second(device: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.pcapng"
    words = [sys.executable, "-m", "pale_heron", "record", f"buoy={device}@38400", "-o", str(out)]
    process = subprocess.Popen(words, stderr=subprocess.DEVNULL)
    wait_for_size(out, 5000)
    killed = time.time_ns()
    process.kill()
    process.wait(10)
    *_, last = CaptureReader(out).records()
    # The device speaks every 0.2 s, so the last byte before the end is that old at most.
    assert killed - (last.time or 0) < (0.25 + 0.2) * SECOND


def wait_for_size(path: Path, size: int) -> None:
    until(lambda: path.exists() and path.stat().st_size >= size)


def test_a_silent_lane_is_status_1_with_what_to_try(tmp_path: Path) -> None:
    own, other = os.openpty()
    done = run("record", os.ttyname(other), "-o", tmp_path / "out.pcapng", "--for", "3.5s")
    os.close(own)
    os.close(other)
    assert done.returncode == 1
    assert b"Nothing has come since opening: the device may have no power" in done.stderr


def test_ports_lists_a_running_simulated_device(tmp_path: Path) -> None:
    environ = {"XDG_RUNTIME_DIR": str(tmp_path)}

    def device(kind: str) -> subprocess.Popen[bytes]:
        words = [sys.executable, "-m", "pale_heron", "sim", *kind.split()]
        process = subprocess.Popen(words, stdout=subprocess.PIPE, env=os.environ | environ)
        assert process.stdout is not None
        process.stdout.readline()
        return process

    def changes() -> list[tuple[str, str]]:
        whole = (tmp_path / "watched").read_bytes().rpartition(b"\n")[0]
        rows = [json.loads(row) for row in whole.splitlines()]
        return [(row["change"], row["description"]) for row in rows if "change" in row]

    first = device("trouble deaf")
    with (tmp_path / "watched").open("wb") as out:
        words = [sys.executable, "-m", "pale_heron", "ports", "--watch", "--json"]
        watch = subprocess.Popen(words, stdout=out, env=os.environ | environ)
    # What was there at the first look is no change.
    wait_for_size(tmp_path / "watched", 1)
    second = device("curlew")
    found = [json.loads(row) for row in run("ports", "--json", **environ).stdout.splitlines()]
    folder = f"{tmp_path}/pale-heron/sim"
    assert [each["device"] for each in found if each["simulated"]] == [f"{folder}/curlew", f"{folder}/deaf"]
    came = ("came", "simulated receiver Curlew")
    until(lambda: changes() == [came], changes)
    second.terminate()
    until(lambda: changes() == [came, ("went", "simulated receiver Curlew")], changes)
    for process in (watch, first, second):
        process.terminate()
        process.wait(LIMIT_S)


def test_the_simulated_receiver_changes_its_rate_when_told(device: Path) -> None:
    """The whole way: its own sentence, the answer at the old rate, then garbage, then sense at the new one."""
    with serial.Serial(str(device), 38400, timeout=0.3) as port:
        port.write(sealed("PCURLEW,LINE,115200"))
        assert b"$PCURLEW,DONE,LINE,115200" in heard(port, b"$PCURLEW,DONE", LIMIT_S)
        garbage = heard(port, b"never", 1)
        assert b"$GNGGA" not in garbage[-200:]
        port.baudrate = 115200
        assert b"$GNRMC" in heard(port, b"$GNGGA", LIMIT_S)


def test_too_many_sentences_for_the_line_pile_up(tmp_path: Path) -> None:
    link = tmp_path / "full"
    words = [sys.executable, "-m", "pale_heron", "sim", "curlew", "--link", str(link), "--start", "hot"]
    process = subprocess.Popen([*words, "--every", "200", "--rate", "9600"], stdout=subprocess.PIPE)
    assert process.stdout is not None
    process.stdout.readline()
    out = tmp_path / "out.pcapng"
    # Only its own simulated folder is known to keep to a rate; elsewhere the rate of a pseudo-terminal says nothing.
    done = run("record", f"full={link}@9600", "-o", out, "--for", "8s")
    process.terminate()
    process.wait(10)
    assert done.returncode == 0
    found = json.loads(run("summary", out, "--json").stdout)
    (lane,) = found["lanes"]
    # It never speaks faster than its line; how far it falls behind while the machine does other things is no matter.
    waited = sum(
        each.details["bytes"]
        for each in CaptureReader(out).records()
        if isinstance(each, Event) and each.name == WAITED
    )
    assert 0 < lane["bytes_in"] - waited <= 960 * found["duration_s"] * 1.1
    counts = {each["type"]: each["count"] for each in lane["types"]}
    assert sum(each["bad"] for each in lane["types"]) == 0, "where its buffer is full, sentences are left out whole"
    assert counts["GNGST"] < counts["GNRMC"]


def heard(port: serial.Serial, wanted: bytes, limit_s: float) -> bytes:
    """What came until `wanted` did, or the limit."""
    data, limit = b"", time.monotonic() + limit_s
    while wanted not in data and time.monotonic() < limit:
        data += port.read(400)
    return data


def test_a_bench_file_is_recorded_and_the_findings_are_the_same_without_a_screen(tmp_path: Path) -> None:
    bench, out = tmp_path / "marsh.toml", tmp_path / "out.pcapng"
    environ = {"XDG_RUNTIME_DIR": str(tmp_path)}
    words = [sys.executable, "-m", "pale_heron", "sim", "trouble", "wrong-rate", "silent", "--when-opened"]
    devices = subprocess.Popen(words, stdout=subprocess.PIPE, text=True, env=os.environ | environ)
    assert devices.stdout is not None
    wrong, silent = (devices.stdout.readline().strip() for _ in range(2))
    bench.write_text(f'[[lane]]\nnickname = "wrong"\naddress = "{wrong}"\n')
    done = run("record", f"quiet={silent}", "--bench", bench, "-o", out, "--for", "6s", **environ)
    devices.terminate()
    devices.wait(10)
    assert "wrong: Bytes arrive, but they are not legible: the rate is wrong." in done.stderr.decode()
    assert "quiet: TX and RX may be swapped." in done.stderr.decode()
    lanes = json.loads(run("summary", "--json", out).stdout)["lanes"]
    found = {lane["lane"]: [each["id"] for each in lane["findings"]] for lane in lanes}
    assert found["wrong"] == ["rate-mismatch"]
    assert found["quiet"][:2] == ["asked-only", "unpowered"]
    assert all(each["text"] and each["next"] for lane in lanes for each in lane["findings"])


def test_a_record_that_is_deleted_meanwhile_is_told_and_goes_on(tmp_path: Path) -> None:
    link, out = tmp_path / "curlew", tmp_path / "a.pcapng"
    device = Device("curlew", "--start", "hot", link=link)
    words = ["record", f"curlew={link}@9600", "-o", str(out), "--for", "60s"]
    process = subprocess.Popen([sys.executable, "-m", "pale_heron", *words], stderr=subprocess.PIPE, text=True)
    try:
        until(out.exists, lambda: "it has begun")
        out.unlink()
        until((tmp_path / "a-2.pcapng").exists, lambda: "it goes on")
        until(lambda: (tmp_path / "a-2.pcapng").stat().st_size > 2000, lambda: "it is written")
        process.send_signal(signal.SIGINT)
        _, told = process.communicate(timeout=LIMIT_S)
    finally:
        process.kill()
        device.stop()
    assert process.returncode == 1
    assert f"{out} was deleted or moved; the record goes on in {tmp_path / 'a-2.pcapng'}" in told
    assert json.loads(run("summary", tmp_path / "a-2.pcapng", "--json").stdout)["lanes"][0]["bytes_in"] > 0
