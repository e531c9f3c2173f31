"""The commands as a user types them, in processes of their own."""

import json
import os
import random
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
import serial
from tests.streams import BEGIN, GGA, HOSTILE, RTCM, chunk, said
from tests.waiting import LIMIT_S, until

from pale_heron.capture.reader import CaptureReader
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import SECOND
from pale_heron.core.moments import moment, seconds
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.trouble import Trouble
from pale_heron.sim.scenes import SCENES

COMMANDS = (
    *("demo", "watch", "open", "ports", "record", "decode", "summary", "sim"),
    *("chart", "export", "dialect check", "dialect list", "dialect show", "dialect new"),
    *("send", "settings", "routine", "redact"),
)


def run(*words: str | Path, given: bytes = b"", **environ: str) -> subprocess.CompletedProcess[bytes]:
    return subprocess.run(
        [sys.executable, "-m", "pale_heron", *map(str, words)],
        input=given,
        capture_output=True,
        timeout=60,
        env=os.environ | environ,
    )


@pytest.mark.parametrize("command", COMMANDS)
def test_every_command_has_help_with_an_example(command: str) -> None:
    done = run(*command.split(), "--help")
    assert done.returncode == 0
    assert f"Example: pale-heron {command}" in " ".join(done.stdout.decode().split())


WRONG = {
    "a file that is not there": (["decode", "/nowhere"], "cannot be read: No such file"),
    "a folder": (["summary", "/tmp"], "Is a directory"),
    "no capture to open": (["open", "/nowhere"], "No such file"),
    "a lane without address": (["record", "a=", "-o", "/tmp/x.pcapng"], "names no address"),
    "a rate that is none": (["watch", "/dev/x@fast"], "rate: 'fast'"),
    "a duration that is none": (["record", "/dev/x", "-o", "/nowhere/x/y.pcapng", "--for", "soon"], "no duration"),
    "a bench file that is none": (["watch", "--bench", "/nowhere/x.toml"], "cannot be read"),
    "no lane to record": (["record", "-o", "/tmp/never.pcapng"], "No lane is named"),
    "a setting that is none": (["watch", "/dev/x@9600,8N1,none,dtt=off"], "did you mean 'dtr'"),
    "a trouble that is none": (["sim", "trouble", "wrong-rat"], "did you mean 'wrong-rate'"),
    "no trouble named": (["sim", "trouble"], "No trouble is named"),
    "one link for two troubles": (["sim", "trouble", "noise", "deaf", "--link", "/tmp/x"], "One --link"),
    "a name behind a receiver": (["sim", "curlew", "noise"], "takes no name behind it"),
    "a demo that is none": (["demo", "--scene", "trouble"], "did you mean 'troubles'"),
    "a device that is none": (["sim", "owl"], "There is no simulated device 'owl'"),
    "a scene that is none": (["sim", "curlew", "--scene", "desert"], "There are: saltmarsh"),
    "a link that cannot be": (["sim", "curlew", "--link", "/proc/x/y"], "cannot be made"),
    "an option that is none": (["decode", "--fast", "x"], "No such option"),
    "a command that is none": (["listen"], "No such command"),
    "a chart that is none": (["chart", "skye", "x", "-o", "a.svg"], "did you mean 'sky'"),
    "a chart in no format": (["chart", "sky", "x", "-o", "a.png"], "End its name with .svg or .pdf"),
    "a reference that is none": (["chart", "sky", "x", "-o", "a.svg", "--reference", "46 S"], "one letter for each"),
    "a track in no format": (["export", "x", "--to", "gpz", "-o", "a"], "did you mean 'gpx'"),
    "a dialect that is none": (["dialect", "show", "curlw"], "did you mean 'curlew'"),
    "a dialect file that is none": (["dialect", "check", "/nowhere"], "cannot be read"),
}


@pytest.mark.parametrize(("words", "told"), WRONG.values(), ids=WRONG.keys())
def test_wrong_usage_is_one_clear_message_and_status_2(words: list[str], told: str) -> None:
    done = run(*words)
    assert done.returncode == 2
    assert told in done.stderr.decode()
    assert b"Traceback" not in done.stderr


def test_decode_tells_every_frame_as_json_with_its_fields() -> None:
    done = run("decode", "-", "--json", given=GGA + RTCM + b"OK\r\n" + GGA.replace(b"46", b"47"))
    found = [json.loads(row) for row in done.stdout.splitlines()]
    assert done.returncode == 0
    assert [each["kind"] for each in found] == ["nmea", "rtcm3", "text", "nmea"]
    assert [each["status"] for each in found] == ["ok", "ok", "ok", "bad-checksum"]
    assert found[0]["fields"]["latitude"] == -46.1173
    assert found[3]["fields"]["latitude"] == pytest.approx(-47.1173)
    assert [each["offset"] for each in found] == [0, len(GGA), len(GGA) + len(RTCM), len(GGA) + len(RTCM) + 4]


@pytest.mark.parametrize("seed", range(4))
def test_decode_of_any_bytes_ends_plainly(seed: int, tmp_path: Path) -> None:
    chance = random.Random(seed)
    file = tmp_path / "any"
    lead = (b"", b"\x0a\x0d\x0d\x0a", b"\x0a\x0d\x0d\x0a\x1c\0\0\0\x4d\x3c\x2b\x1a", HOSTILE)[seed]
    file.write_bytes(lead + chance.randbytes(50_000))
    for command in ("decode", "summary"):
        for words in ([command, file], [command, file, "--json"]):
            done = run(*words)
            assert done.returncode in (0, 1)
            assert b"fault" not in done.stderr
            assert all(text.isprintable() for text in done.stdout.decode().splitlines())


def test_nothing_legible_is_status_1() -> None:
    done = run("decode", "-", given=b"\xff\xfe" * 50)
    assert (done.returncode, b"nothing legible" in done.stderr) == (1, True)


def test_a_reader_that_has_enough_is_no_fault(tmp_path: Path) -> None:
    file = tmp_path / "long"
    file.write_bytes(GGA * 20_000)
    command = f"{sys.executable} -m pale_heron decode {file} | head -n 1"
    done = subprocess.run(command, shell=True, capture_output=True, timeout=60)
    assert done.stdout.count(b"\n") == 1
    assert done.stderr == b""


def test_summary_as_json_and_text(tmp_path: Path) -> None:
    file = tmp_path / "buoy.nmea"
    file.write_bytes(b"".join(said(60)))
    found = json.loads(run("summary", file, "--json").stdout)
    assert found["lanes"][0]["fix"]["state"] == "3D"
    text = run("summary", file).stdout.decode()
    assert "first fix after an unknown time: no arrival times" in text
    assert "GNGGA" in text


@pytest.fixture(scope="module")
def two_receivers(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A capture of two minutes with two receivers on one buoy."""
    path = tmp_path_factory.mktemp("captures") / "buoy.pcapng"
    writer = CaptureWriter(path)
    streams = {"bow": said(120), "stern": said(120, SCENES["second-antenna"], 8)}
    for lane in streams:
        writer.add_lane(lane, "/dev/x", None)
    for second in range(120):
        for lane, stream in streams.items():
            writer.chunk(chunk(stream[second], BEGIN + second * SECOND, lane))
    writer.close()
    return path


def test_charts_and_tracks_from_a_capture(two_receivers: Path, tmp_path: Path) -> None:
    drawn = run("chart", "comparison", two_receivers, "-o", tmp_path / "two.svg")
    assert (drawn.returncode, drawn.stdout.decode().strip()) == (0, str(tmp_path / "two.svg"))
    assert "From bow to stern" in (tmp_path / "two.svg").read_text()
    wrong = run("chart", "sky", two_receivers, "-o", tmp_path / "a.svg", "--lane", "sterm")
    assert wrong.returncode == 2 and b"did you mean 'stern'" in wrong.stderr
    written = run("export", two_receivers, "--to", "csv", "-o", tmp_path / "a.csv", "--lane", "stern", "--every", "10")
    assert b"positions" in written.stdout
    assert len((tmp_path / "a.csv").read_text().splitlines()) == 11
    raw = tmp_path / "nothing.nmea"
    raw.write_bytes(b"hello\r\n")
    for words in (
        ("chart", "sky", raw, "-o", tmp_path / "b.svg"),
        ("export", raw, "--to", "gpx", "-o", tmp_path / "b"),
    ):
        assert run(*words).returncode == 1
    assert not (tmp_path / "b").exists()


def test_summary_of_two_receivers_tells_the_same_figures_as_the_screen(two_receivers: Path) -> None:
    found = json.loads(run("summary", two_receivers, "--json", "--reference", "46.1174 S 67.3068 W 3 m").stdout)
    (both,) = found["comparisons"]
    assert (both["from"], both["to"], both["matched"]) == ("bow", "stern", 93)
    bow, stern = (lane["fix"] for lane in found["lanes"])
    assert [fix["starts"][0]["seconds_to_first_fix"] for fix in (bow, stern)] == [14.0, 27.0]
    assert bow["starts_by_mode"] == [
        {
            "mode": "cold",
            "starts": 1,
            "fixed": 1,
            "median_s": 14.0,
            "least_s": 14.0,
            "most_s": 14.0,
            "deviation_s": None,
        }
    ]
    assert bow["starts"][0]["milestones_s"]["3D"] == 17.0
    assert bow["scatter"]["about"] == "reference" and bow["scatter"]["kinds"] == ["2D", "single"]
    assert bow["decided_by"] == ["GGA", "GSA"]
    text = run("summary", two_receivers).stdout.decode()
    assert "from bow to stern, 93 moments of which both tell:" in text


def test_a_dialect_with_mistakes_is_status_1_and_a_sound_one_0(tmp_path: Path) -> None:
    file = tmp_path / "mine.toml"
    file.write_text('name = "mine"\n[action.a]\nsend = "A {rate}"\n')
    wrong = run("dialect", "check", file)
    assert wrong.returncode == 1
    assert f"{file}, line 3: {{rate}} is no parameter of this action" in wrong.stdout.decode()
    file.write_text('name = "mine"\n[action.a]\nsend = "A"\n')
    assert run("dialect", "check", file).returncode == 0
    assert b"sends A" in run("dialect", "show", file).stdout
    assert b"curlew" in run("dialect", "list", "--json").stdout


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
    assert b"Bytes come, but they are not legible: the rate is wrong." in done.stderr
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


@pytest.mark.parametrize(
    ("text", "expected"), [("60s", 60), ("1.5min", 90), ("2h", 7200), ("90", 90), ("500ms", 0.5), (" 3 s ", 3)]
)
def test_durations(text: str, expected: float) -> None:
    assert seconds(text) == expected


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("+90s", BEGIN + 90 * SECOND),
        ("09:41:07", BEGIN + 67 * SECOND),
        ("09:39", BEGIN + 86_340 * SECOND),
        ("2031-05-04T09:41:07Z", BEGIN + 67 * SECOND),
    ],
)
def test_moments(text: str, expected: int) -> None:
    assert moment(text, BEGIN) == expected


@pytest.mark.parametrize("text", ["", "soon", "25:00:00", "2031-13-01", "+x"])
def test_what_is_no_moment_is_told(text: str) -> None:
    with pytest.raises(Trouble):
        moment(text, BEGIN)


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
    assert 0 < lane["bytes_in"] <= 960 * found["duration_s"] * 1.1
    assert sum(each["bad"] for each in lane["types"]) > 0, "sentences are cut where the device's buffer was full"


def heard(port: serial.Serial, wanted: bytes, limit_s: float) -> bytes:
    """What came until `wanted` did, or the limit."""
    data, limit = b"", time.monotonic() + limit_s
    while wanted not in data and time.monotonic() < limit:
        data += port.read(400)
    return data


def test_a_bench_file_is_recorded_and_the_findings_are_the_same_without_a_screen(tmp_path: Path) -> None:
    bench, out = tmp_path / "marsh.toml", tmp_path / "out.pcapng"
    environ = {"XDG_RUNTIME_DIR": str(tmp_path)}
    words = [sys.executable, "-m", "pale_heron", "sim", "trouble", "wrong-rate", "silent"]
    devices = subprocess.Popen(words, stdout=subprocess.PIPE, text=True, env=os.environ | environ)
    assert devices.stdout is not None
    wrong, silent = (devices.stdout.readline().strip() for _ in range(2))
    bench.write_text(f'[[lane]]\nnickname = "wrong"\naddress = "{wrong}"\n')
    done = run("record", f"quiet={silent}", "--bench", bench, "-o", out, "--for", "6s", **environ)
    devices.terminate()
    devices.wait(10)
    assert "wrong: Bytes come, but they are not legible: the rate is wrong." in done.stderr.decode()
    assert "quiet: TX and RX may be swapped." in done.stderr.decode()
    lanes = json.loads(run("summary", "--json", out).stdout)["lanes"]
    found = {lane["lane"]: [each["id"] for each in lane["findings"]] for lane in lanes}
    assert found["wrong"] == ["rate-mismatch"]
    assert found["quiet"][:2] == ["unpowered", "wrong-port"]
    assert all(each["text"] and each["next"] for lane in lanes for each in lane["findings"])
