"""The commands as a user types them, in processes of their own."""

import gc
import json
import os
import random
import re
import shutil
import struct
import subprocess
import sys
import warnings
from pathlib import Path

import click
import pytest
from click.testing import CliRunner
from tests.streams import BEGIN, GGA, HOSTILE, RTCM, chunk, said
from tests.waiting import LIMIT_S

from pale_heron.__main__ import main as program_itself
from pale_heron.capture.writer import CaptureWriter
from pale_heron.cli.decode import LARGE_BYTES
from pale_heron.cli.program import program, status_of
from pale_heron.core.frames import IN, SECOND, Chunk
from pale_heron.core.line.settings import LineSettings
from pale_heron.sim.scenes import SCENES

COMMANDS = (
    *("demo", "watch", "open", "ports", "record", "decode", "summary", "sim"),
    *("chart", "export", "dialect check", "dialect list", "dialect show", "dialect new"),
    *("send", "settings", "routine", "redact"),
    *("trial", "answer", "link", "completion"),
)


ON_FILES = {"summary", "chart", "export", "link", "expect", "report", "cut", "mark", "join", "compare", "dialect"}


def run(*words: str | Path, given: bytes = b"", **environ: str) -> subprocess.CompletedProcess[bytes]:
    """What a command says: one on files, and help, in this process, where nothing has to be loaded anew."""
    texts = [str(word) for word in words]
    if not given and not environ and "-" not in texts and (texts[0] in ON_FILES or "--help" in texts):
        with CliRunner().isolation() as streams:
            status = status_of(texts)
            sys.stdout.flush()
            sys.stderr.flush()
            return subprocess.CompletedProcess(texts, status, streams[0].getvalue(), streams[1].getvalue())
    return subprocess.run(
        [sys.executable, "-m", "pale_heron", *map(str, words)],
        input=given,
        capture_output=True,
        timeout=LIMIT_S,
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
    "a rate that does not exist": (["watch", "/dev/x@fast"], "rate: 'fast'"),
    "a duration that does not exist": (
        ["record", "/dev/x", "-o", "/nowhere/x/y.pcapng", "--for", "soon"],
        "not a duration",
    ),
    "a bench file that does not exist": (["watch", "--bench", "/nowhere/x.toml"], "cannot be read"),
    "no lane to record": (["record", "-o", "/tmp/never.pcapng"], "No lane is named"),
    "a setting that does not exist": (["watch", "/dev/x@9600,8N1,none,dtt=off"], "did you mean 'dtr'"),
    "a trouble that does not exist": (["sim", "trouble", "wrong-rat"], "did you mean 'wrong-rate'"),
    "no trouble named": (["sim", "trouble"], "No trouble is named"),
    "one link for two troubles": (["sim", "trouble", "noise", "deaf", "--link", "/tmp/x"], "One --link"),
    "a name behind a receiver": (["sim", "curlew", "noise"], "takes no name behind it"),
    "a demo that does not exist": (["demo", "--scene", "trouble"], "did you mean 'troubles'"),
    "a device that does not exist": (["sim", "owl"], "There is no simulated device 'owl'"),
    "a scene that does not exist": (["sim", "curlew", "--scene", "desert"], "There are: saltmarsh"),
    "a link that cannot be": (["sim", "curlew", "--link", "/proc/x/y"], "cannot be made"),
    "an option that does not exist": (["decode", "--fast", "x"], "No such option"),
    "a command that does not exist": (["listen"], "No such command"),
    "a chart that does not exist": (["chart", "skye", "x", "-o", "a.svg"], "did you mean 'sky'"),
    "a chart in no format": (["chart", "sky", "x", "-o", "a.png"], "End its name with .svg or .pdf"),
    "a reference that does not exist": (
        ["chart", "sky", "x", "-o", "a.svg", "--reference", "46 S"],
        "one letter for each",
    ),
    "a track in no format": (["export", "x", "--to", "gpz", "-o", "a"], "did you mean 'gpx'"),
    "a dialect that does not exist": (["dialect", "show", "curlw"], "did you mean 'curlew'"),
    "a command nearly": (["wtach"], "Did you mean 'watch'"),
    "a trial that does not exist": (["trial", "delivry", "/dev/x"], "did you mean 'delivery'"),
    "too many lanes": (["trial", "exchange", "/dev/x", "/dev/y"], "too many"),
    "a far end that does not exist": (["trial", "delivery", "/dev/x", "--far", "moon"], "There are: answer, echo"),
    "a rule that does not exist": (["trial", "exchange", "/dev/x", "--rule", "guess"], "Rules: echo"),
    "rounds of a delivery": (["trial", "delivery", "/dev/x", "--rounds", "3"], "takes no --rounds. It is for exchange"),
    "a probe too short for its number": (["trial", "delivery", "/dev/x", "--size", "20", "--count", "10"], "not 21 to"),
    "a share that is not one": (["trial", "delivery", "/dev/x", "--at-most-lost", "5"], "Write 5% or 0.05"),
    "a table that is not there": (["trial", "exchange", "/dev/x", "--rule", "table /nowhere"], "cannot be read"),
    "a rule that nobody answers by": (["answer", "/dev/x", "--rule", "matches x"], "An answer cannot be made"),
    "a fault of something else": (["sim", "wren", "--fault", "lost=5%"], "has no --fault"),
    "a fault that does not exist": (["sim", "cable", "--fault", "losst=5%"], "did you mean 'lost'"),
    "a link to a port of TCP": (["sim", "curlew", "--tcp", "--link", "/tmp/x"], "has no --link"),
    "a dialect file that does not exist": (["dialect", "check", "/nowhere"], "cannot be read"),
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


def test_a_long_file_is_decoded_as_what_comes_through_a_pipe(tmp_path: Path) -> None:
    file, said = tmp_path / "long", (GGA * 40 + RTCM + b"OK\r\n" + GGA.replace(b"46", b"47")) * 1600
    file.write_bytes(said)
    assert len(said) > LARGE_BYTES
    long, piped = run("decode", str(file), "--json"), run("decode", "-", "--json", given=said)
    assert (long.returncode, piped.returncode) == (0, 0)
    assert long.stdout == piped.stdout
    assert long.stdout.count(b"\n") == 43 * 1600


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
    assert bow["scatter"]["about"] == "reference" and bow["scatter"]["kinds"] == ["single", "2D"]
    assert [each["kind"] for each in bow["scatter"]["others"]] == ["2D"]
    assert bow["decided_by"] == ["GGA", "GSA"]
    text = run("summary", two_receivers).stdout.decode()
    assert "from bow to stern, 93 moments that both report:" in text


def test_a_dialect_with_mistakes_is_status_1_and_a_sound_one_0(tmp_path: Path) -> None:
    file = tmp_path / "mine.toml"
    file.write_text('name = "mine"\n[action.a]\nsend = "A {rate}"\n')
    wrong = run("dialect", "check", file)
    assert wrong.returncode == 1
    assert f"{file}, line 3: {{rate}} is not a parameter of this action" in wrong.stdout.decode()
    file.write_text('name = "mine"\n[action.a]\nsend = "A"\n')
    assert run("dialect", "check", file).returncode == 0
    assert b"sends A" in run("dialect", "show", file).stdout
    assert b"curlew" in run("dialect", "list", "--json").stdout


def test_a_faulty_dialect_of_ones_own_is_told_as_faulty_not_as_absent(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("PALE_HERON_CONFIG", str(tmp_path))
    own = tmp_path / "dialects" / "heron.toml"
    own.parent.mkdir()
    own.write_text('name = "heron"\n[comand.a]\nrun = "A"\n')
    assert f"left out: {own}, line 2: ".encode() in run("dialect", "list").stdout
    shown = run("dialect", "show", "heron")
    assert shown.returncode == 2 and f"{own}, line 2: ".encode() in shown.stderr
    assert b"There is no dialect" not in shown.stderr


@pytest.mark.parametrize("words", [("demo",), ("watch",), ("watch", "socket://127.0.0.1:7000")])
def test_a_full_screen_without_a_terminal_says_so(words: tuple[str, ...]) -> None:
    done = run(*words)
    assert done.returncode == 2 and not done.stdout
    assert b"is no terminal" in done.stderr and b"record" in done.stderr


@pytest.mark.parametrize("kind", ["dumb", ""])
def test_a_terminal_that_shows_no_full_screen_is_told(kind: str) -> None:
    main, side = os.openpty()
    try:
        done = subprocess.run(
            [sys.executable, "-m", "pale_heron", "demo"],
            stdin=side, stdout=side, stderr=subprocess.PIPE, env=os.environ | {"TERM": kind}, check=False,
        )  # fmt: skip
    finally:
        os.close(main)
        os.close(side)
    assert done.returncode == 2
    assert (b"the terminal is dumb" if kind else b"not named (TERM)") in done.stderr


def test_what_can_be_made_again_is_written_over_only_where_that_is_said(two_receivers: Path, tmp_path: Path) -> None:
    there = {name: tmp_path / name for name in ("a.gpx", "a.svg", "a.html")}
    for path in there.values():
        path.write_text("mine")
    for words, path in (
        (("export", two_receivers, "--to", "gpx", "-o"), there["a.gpx"]),
        (("chart", "position", two_receivers, "-o"), there["a.svg"]),
        (("report", two_receivers, "-o"), there["a.html"]),
    ):
        refused = run(*words, path)
        assert refused.returncode == 2 and b"is there already" in refused.stderr and b"--force" in refused.stderr
        assert path.read_text() == "mine"
        assert run(*words, path, "--force").returncode == 0
        assert path.read_text() != "mine"


def other_capture(folder: Path, kind: str) -> Path:
    """A packet capture of another program: Ethernet, in the newer or the older form."""
    path = folder / f"other.{kind}"
    packet = b"\x02" * 60
    if kind == "pcapng":
        program = struct.pack("<HH8sHH", 4, 8, b"some[b]x", 0, 0)
        blocks = [
            (0x0A0D0D0A, struct.pack("<IHHq", 0x1A2B3C4D, 1, 0, -1) + program),
            (1, struct.pack("<HHI", 1, 0, 65535)),
            (6, struct.pack("<IIIII", 0, 0, 1, 60, 60) + packet),
        ]
        sizes = [struct.pack("<I", len(body) + 12) for _, body in blocks]
        framed = zip(blocks, sizes, strict=True)
        data = b"".join(struct.pack("<I", number) + size + body + size for (number, body), size in framed)
    else:
        data = struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, 65535, 1) + struct.pack("<IIII", 0, 0, 60, 60) + packet
    path.write_bytes(data)
    return path


@pytest.mark.parametrize("kind", ["pcapng", "pcap"])
@pytest.mark.parametrize(
    "command", [*("summary", "decode", "report", "cut", "redact"), *("export", "link", "clock", "chart")]
)
def test_a_packet_capture_of_another_program_is_told_as_such(command: str, kind: str, tmp_path: Path) -> None:
    path, out = other_capture(tmp_path, kind), tmp_path / "out"
    words: dict[str, list[str | Path]] = {
        "report": ["report", path, "-o", out.with_suffix(".html")],
        "cut": ["cut", path, "-o", out.with_suffix(".pcapng")],
        "redact": ["redact", path, "-o", out.with_suffix(".pcapng")],
        "export": ["export", path, "--to", "gpx", "-o", out],
        "chart": ["chart", "position", path, "-o", out.with_suffix(".svg")],
    }
    done = run(*words.get(command, [command, path]))
    assert done.returncode == 2, done.stderr
    assert b"link type is 1 (Ethernet)" in done.stderr and b"no serial line is in it" in done.stderr
    assert kind == "pcap" or b"made by some[b]x" in done.stderr
    assert sorted(tmp_path.iterdir()) == [path]


READERS = [("summary",), ("decode",), ("report", "-o", "x.html"), ("export", "--to", "gpx", "-o", "x.gpx")]


@pytest.mark.parametrize("words", READERS)
def test_a_torn_capture_and_one_that_grows_are_told_by_every_command(
    words: tuple[str, ...], two_receivers: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    torn = tmp_path / "torn.pcapng"
    torn.write_bytes(two_receivers.read_bytes()[:-7])
    done = run(words[0], torn, *words[1:])
    assert b"everything before it is used" in done.stdout + done.stderr
    writer = CaptureWriter(tmp_path / "now.pcapng")
    writer.add_lane("bow", "/dev/x", None)
    for second, data in enumerate(said(30)):
        writer.chunk(chunk(data, BEGIN + second * SECOND, "bow"))
    grows = run(words[0], writer.path, *words[1:], *(["--force"] if len(words) > 1 else []))
    writer.close()
    if words[0] != "report":
        assert b"is still being recorded" in grows.stdout + grows.stderr


@pytest.mark.parametrize("when", ["loads", "ends"])
def test_ctrl_c_at_any_moment_gives_no_traceback(when: str) -> None:
    def interrupted() -> None:
        raise KeyboardInterrupt

    class _Loading:
        def __getattr__(self, name: str) -> object:
            if when == "loads":
                raise KeyboardInterrupt
            return interrupted

    with pytest.MonkeyPatch.context() as patched:
        patched.setitem(sys.modules, "pale_heron.cli.program", _Loading())  # type: ignore[arg-type]
        patched.setattr(sys, "argv", ["pale-heron", "ports"])
        with pytest.raises(SystemExit) as ended:
            program_itself()
    gc.enable()
    assert ended.value.code == 130


@pytest.mark.parametrize(("name", "loads_on"), [("summary", False), ("record", False), ("watch", True), ("open", True)])
def test_while_it_loads_nothing_is_looked_through_for_garbage(name: str, loads_on: bool) -> None:
    gc.disable()
    try:
        assert program.get_command(click.Context(program), name) is not None
        assert gc.isenabled() is not loads_on
    finally:
        gc.enable()


def test_a_mark_of_a_moment_that_was_not_recorded_is_refused(two_receivers: Path, tmp_path: Path) -> None:
    path = tmp_path / "walk.pcapng"
    path.write_bytes(two_receivers.read_bytes())
    before = path.read_bytes()
    refused = run("mark", str(path), "the bridge", "--at", "+90000s")
    assert refused.returncode == 2 and b"behind the record. It goes from " in refused.stderr
    assert path.read_bytes() == before
    assert run("mark", str(path), "the bridge", "--at", "+1s").returncode == 0


def test_no_message_lists_the_same_twice(tmp_path: Path) -> None:
    path = tmp_path / "a.nmea"
    path.write_bytes(GGA * 3)
    for words in (
        ("sim", "trouble", "xyzzy"),
        ("sim", "cable", "--fault", "xyzzy=1"),
        ("export", str(path), "--to", "xyzzy", "-o", "a"),
        ("export", str(path), "--what", "xyzzy", "--to", "csv", "-o", "a"),
        ("chart", "xyzzy", str(path), "-o", "a.svg"),
        ("trial", "xyzzy", "/dev/x"),
        ("mark", str(path), "hello", "--at", "+1s", "--kind", "xyzzy"),
        ("join", str(path), str(path), "-o", "b.pcapng", "--by", "xyzzy"),
        ("redact", str(path), "--dialect", "a=xyzzy"),
        ("demo", "--scene", "xyzzy"),
        ("dialect", "show", "xyzzy"),
    ):
        said = run(*words).stderr.decode()
        assert "xyzzy" in said or "not a capture" in said, words
        assert len(re.findall(r"(?i)there are", said)) <= 1, said


def test_what_is_read_is_never_written_over(two_receivers: Path, tmp_path: Path) -> None:
    """Not by its name, nor by another one of the same file."""
    own = tmp_path / "own.pcapng"
    shutil.copy(two_receivers, own)
    before = own.read_bytes()
    other = tmp_path / "other.html"
    other.hardlink_to(own)
    for words in (
        ("export", own, "--to", "gpx", "-o", own),
        ("report", own, "-o", other),
        ("chart", "scatter", own, "-o", tmp_path / "here.svg"),
    ):
        if words[0] == "chart":
            (tmp_path / "here.svg").hardlink_to(own)
        done = run(*words, "--force")
        assert done.returncode == 2, (words, done.stderr)
        assert b"is what is read: it would be lost" in done.stderr
    assert own.read_bytes() == before


def test_a_name_with_letters_that_no_font_has_is_drawn_without_a_word(
    tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    own, name = tmp_path / "own.pcapng", "cur\x1b[31mlew\u202e"
    writer = CaptureWriter(own)
    writer.add_lane(name, "/dev/x", LineSettings(9600))
    for at, data in enumerate(said(40, SCENES["open-sky"])):
        writer.chunk(Chunk(name, IN, BEGIN + at * SECOND, data))
    writer.close()
    with warnings.catch_warnings():
        warnings.simplefilter("error", UserWarning)
        done = run("chart", "scatter", own, "-o", tmp_path / "own.svg")
        for form in ("html", "pdf"):
            told = run("report", own, "-o", tmp_path / f"own.{form}")
            assert (told.returncode, told.stderr) == (0, b"")
    assert caplog.records == []
    drawn = (tmp_path / "own.svg").read_text("utf-8")
    assert (done.returncode, done.stderr) == (0, b"")
    assert "\x1b" not in drawn and "\u241b" not in drawn and "cur·[31mlew" in drawn


@pytest.mark.parametrize(
    "words", [("summary",), ("decode",), ("link",), ("report", "-o", "r.html"), ("expect", "--draft")]
)
def test_a_pipe_is_read_with_a_word_or_refused_where_it_is_needed_twice(
    words: tuple[str, ...], two_receivers: Path, tmp_path: Path
) -> None:
    pipe = tmp_path / "pipe"
    os.mkfifo(pipe)
    command, *options = words
    process = subprocess.Popen(
        [sys.executable, "-m", "pale_heron", command, *options, pipe],
        cwd=tmp_path,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
    )
    assert process.stderr is not None and process.stdout is not None
    said = process.stderr.readline()
    if command in ("report", "expect"):
        assert b"is a pipe: it can be read only once" in said
        assert process.wait() == 2
    else:
        assert b"is a pipe: reading until whoever writes into it ends." in said, "before anybody writes"
        with pipe.open("wb") as writing:
            writing.write(two_receivers.read_bytes())
        out, _ = process.communicate()
        assert process.returncode == run(command, two_receivers).returncode
        assert command == "link" or b"GGA" in out
