"""Everything a capture holds as tables: every frame, epoch, command, pulse and mark once, and no secret."""

import csv
import errno
import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import pytest
from tests.bench.test_cutting import whole
from tests.report.test_report import Page
from tests.streams import BEGIN

from pale_heron.bench.config.expectation_file import ExpectationFile
from pale_heron.bench.decoded import decoded
from pale_heron.bench.sources import Source
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event, Frame, Kind, Status
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.proof.expectation import Expectation
from pale_heron.core.trouble import Trouble
from pale_heron.core.utc import from_iso
from pale_heron.report import frame_writers
from pale_heron.report.everything import write_everything
from pale_heron.report.frame_writers import FrameProcess
from pale_heron.report.tables import write_tables

SECRET = "hunter2secret"


@pytest.fixture(scope="module")
def capture(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return whole(tmp_path_factory.mktemp("tables") / "walk <b>.pcapng")


@pytest.fixture(scope="module")
def folder(capture: Path) -> Path:
    made = capture.parent / "all"
    write_everything(capture, made)
    return made


def rows(path: Path) -> list[dict[str, Any]]:
    if path.suffix == ".csv":
        return list(csv.DictReader(path.open(newline="")))
    return [json.loads(line) for line in path.read_text("utf-8").splitlines()]


def test_frames_are_those_of_decode_and_all_counts_agree(capture: Path, folder: Path) -> None:
    source = Source(capture)
    frames = [json.loads(json.dumps(decoded(each))) for each in source.lines(masked=True) if isinstance(each, Frame)]
    for each in frames:
        each["arrived_utc"] = each.pop("time")
    assert rows(folder / "frames.jsonl") == frames
    assert [each["text"] for each in rows(folder / "frames.csv")] == [each["text"] or "" for each in frames]
    again = Source(capture)
    lanes = {lane.name: lane for lane in again.lanes()}
    epochs = rows(folder / "epochs.jsonl")
    assert len(epochs) == lanes["curlew"].fix.epochs > 30
    assert sum(each["latitude_deg"] is not None for each in epochs) == lanes["curlew"].fix.epochs_with_fix
    module = lanes["hide"].module
    commands = [each for each in rows(folder / "exchanges.csv") if each["what"] == "command"]
    assert module is not None and len(commands) == module.exchanges
    assert {(each["sent"], each["result"]) for each in commands} == {("AT", "OK")}
    assert len(rows(folder / "pulses.csv")) == again.clock.pulses[0].pulses == 40
    assert [each["text"] for each in rows(folder / "marks.jsonl")] == [mark.text for mark in again.marks]
    assert {each["event"] for each in rows(folder / "events.csv")} >= {"opened", "settings", "trial", "mark"}


def test_epochs_have_the_digits_that_were_said(folder: Path) -> None:
    """Speeds and courses are kept in single precision: none of its remainders stands in a table."""
    for each in rows(folder / "epochs.jsonl"):
        for name in ("speed_knots", "course_deg", "expected_error_m", "cn0_best4_dbhz"):
            value = each[name]
            assert value is None or (value == float(f"{value:.7g}") and len(str(value)) <= 9), (name, value)


def test_a_time_says_by_its_name_whose_it_is(folder: Path) -> None:
    """`arrived_utc` is by this computer's clock, `gnss_utc` by a receiver; nothing is called by half of a name."""
    for path in folder.glob("*.csv"):
        heads = set(path.read_text("utf-8").partition("\n")[0].strip().split(","))
        assert not heads & {"time", "utc", "arrived"}, path
        assert "arrived_utc" in heads or path.stem in ("exchanges", "trials", "probes"), path
    assert {"arrived_utc", "gnss_utc"} <= set(rows(folder / "track.csv")[0])
    lags = rows(folder / "lags.jsonl")
    assert {each["sentence"][-3:] for each in lags} >= {"GGA", "RMC"}
    epochs = {each["gnss_utc"][11:23]: each for each in rows(folder / "epochs.jsonl") if each["gnss_utc"]}
    first = next(each for each in lags if each["time_told"] in epochs)
    arrived, told = (
        from_iso(each[:26] + "Z") for each in (first["arrived_utc"], epochs[first["time_told"]]["gnss_utc"])
    )
    assert first["lag_ms"] == pytest.approx((arrived - told) / 1e6, abs=0.01)


def test_what_has_parts_is_an_object_and_results_stand_beside(folder: Path, capture: Path, tmp_path: Path) -> None:
    assert all(isinstance(each["details"], dict) for each in rows(folder / "events.jsonl"))
    assert all(json.loads(each["details"]) is not None for each in rows(folder / "events.csv"))
    clocks = json.loads((folder / "clock.json").read_text("utf-8"))
    assert clocks["lanes"][0]["lane"] == "curlew" and clocks["pulses"][0]["count"] == 40
    assert not (folder / "expectations.xml").exists(), "nothing was expected"
    wanted = ExpectationFile("before launch", (Expectation("a fix", "fix.level", "equals", ("3D",)),))
    write_everything(capture, tmp_path / "held", wanted=wanted)
    suite = ElementTree.parse(tmp_path / "held" / "expectations.xml").getroot()[0]
    assert (suite.get("name"), suite.get("tests")) == (capture.name, "1")


def test_each_table_says_the_same_in_both_formats(folder: Path) -> None:
    for path in folder.glob("*.csv"):
        if path.stem not in ("trials", "track"):
            assert len(rows(path)) == len(rows(path.with_suffix(".jsonl"))) > 0, path


def test_the_index_leads_to_every_file_and_nowhere_else(folder: Path) -> None:
    page = Page((folder / "index.html").read_text("utf-8"))
    leads = [attributes["href"] for tag, attributes in page.tags if tag == "a"]
    assert sorted(map(str, leads)) == sorted(each.name for each in folder.iterdir() if each.name != "index.html")
    assert "walk <b>.pcapng" in page.words and not any(tag == "b" for tag, _ in page.tags)
    assert {"report.html", "report.pdf", "track.gpx", "record-all-lanes-on-one-axis-of-time.svg"} <= set(leads)


def test_what_is_there_is_never_overwritten_and_no_half_is_left(capture: Path, folder: Path, tmp_path: Path) -> None:
    before = sorted(folder.iterdir())
    with pytest.raises(Trouble, match="is there already"):
        write_everything(capture, folder)
    assert sorted(folder.iterdir()) == before
    raw = tmp_path / "raw.nmea"
    raw.write_bytes(b"$GPTXT,x*00\r\n")
    with pytest.raises(Trouble, match="is not a capture"):
        write_everything(raw, tmp_path / "none")
    assert list(tmp_path.iterdir()) == [raw]


def test_frames_are_the_same_written_in_the_pass_and_beside_it(
    capture: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    named = {"a.csv": ("frames", "csv"), "a.jsonl": ("frames", "jsonl")}
    written = {}
    for beside, most in (("pass", 1 << 30), ("process", 0)):
        monkeypatch.setattr(frame_writers, "LARGE_BYTES", most)
        folder = tmp_path / beside
        counts = write_tables(
            Source(capture), named, folder, lambda source, probes, tables: source.lanes(probes=probes, listener=tables)
        )
        written[beside] = counts, {each.name: each.read_bytes() for each in folder.iterdir()}
    assert written["pass"] == written["process"] and set(written["pass"][1]) == set(named)


FRAMES = [Frame("bow", IN, BEGIN, 0, b"$GPTXT\r\n", Kind.NMEA, Status.NO_CHECKSUM, None, "GPTXT")] * 100


def write_many(writer: FrameProcess) -> None:
    for _ in range(1000):
        writer.write(FRAMES)
    writer.end()


@pytest.mark.parametrize("number", [errno.EISDIR, errno.ENOSPC, 0], ids=["no file", "no room", "killed"])
def test_what_goes_wrong_beside_the_pass_ends_it_with_its_reason(number: int, tmp_path: Path) -> None:
    path = {errno.EISDIR: tmp_path, errno.ENOSPC: Path("/dev/full")}.get(number, tmp_path / "a.csv")
    writer = FrameProcess([(path, "csv")], timed=True)
    if not number:
        writer.stop()
    with pytest.raises(OSError, match=os.strerror(number) if number else frame_writers.GONE):
        write_many(writer)
    writer.stop()


def test_no_secret_stands_in_a_table(tmp_path: Path) -> None:
    path = tmp_path / "secret.pcapng"
    writer = CaptureWriter(path)
    writer.add_lane("hide", "/dev/ttyUSB0", LineSettings(9600))
    writer.event(Event(BEGIN, "hide", "opened", {"rate": 9600, "framing": "8N1"}))
    writer.event(Event(BEGIN, "hide", "dialect", {"name": "teal", "by": "chosen"}))
    said = f'AT+JOIN="marsh","{SECRET}"\r'.encode()
    writer.chunk(Chunk("hide", OUT, BEGIN + SECOND, said))
    writer.chunk(Chunk("hide", IN, BEGIN + 2 * SECOND, said + b"\r\nOK\r\n"))
    writer.close()
    write_everything(path, tmp_path / "all")
    assert rows(tmp_path / "all" / "exchanges.csv")[0]["sent"].startswith("AT+JOIN")
    for each in (tmp_path / "all").iterdir():
        assert SECRET.encode() not in each.read_bytes(), each


def test_at_the_prompt(capture: Path, tmp_path: Path) -> None:
    def told(*words: str | Path, status: int = 0) -> str:
        done = subprocess.run(
            [sys.executable, "-m", "pale_heron", "export", str(capture), *map(str, words)],
            capture_output=True, text=True, check=False, env=os.environ,
        )  # fmt: skip
        assert done.returncode == status, done.stderr
        return done.stdout + done.stderr

    assert "40 rows" in told("--what", "pulses", "--to", "csv", "-o", tmp_path / "p.csv")
    assert "holds no probes" in told("--what", "probes", "--to", "csv", "-o", tmp_path / "none.csv", status=1)
    assert not (tmp_path / "none.csv").exists()
    assert "cannot be written" in told("--what", "marks", "--to", "csv", "-o", tmp_path / "p.csv" / "x.csv", status=2)
    assert "--all FOLDER" in told(status=2)
    assert "Leave them out" in told("--all", tmp_path / "all", "--to", "csv", status=2)
    assert "did you mean" in told("--what", "frame", "--to", "csv", "-o", tmp_path / "x", status=2)


@pytest.mark.parametrize(
    "what", ["frames", "epochs", "events", "exchanges", "trials", "probes", "pulses", "marks", "lags"]
)
def test_whoever_cuts_out_a_lane_gets_that_lane_alone(what: str, capture: Path, tmp_path: Path) -> None:
    source = Source(capture)
    lanes = [each.name for each in source.lanes()]
    for lane in lanes:
        written = Source(capture)
        write_tables(
            written,
            {"one.jsonl": (what, "jsonl")},
            tmp_path,
            lambda source, probes, tables: source.lanes(probes=probes, listener=tables),
            lane,
        )
        out = tmp_path / "one.jsonl"
        for row in rows(out) if out.exists() else []:
            text = json.dumps(row)
            assert row.get("lane", lane) == lane
            for other in lanes:
                # A trial is of both of its ends.
                assert other == lane or what in ("trials", "probes") or f'"{other}"' not in text
        out.unlink(missing_ok=True)
    with pytest.raises(Trouble, match="There is no lane 'nobody'"):
        write_tables(
            Source(capture),
            {"one.jsonl": (what, "jsonl")},
            tmp_path,
            lambda source, probes, tables: source.lanes(probes=probes, listener=tables),
            "nobody",
        )
    assert not (tmp_path / "one.jsonl").exists()
