"""A part of a capture: read by itself it says what the whole one says of that time."""

import os
import subprocess
import sys
from pathlib import Path
from typing import Final

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.streams import BEGIN, chunk, said
from tests.waiting import LIMIT_S

from pale_heron.bench.cutting import cut, received
from pale_heron.bench.part import CutPart, place_in
from pale_heron.bench.sources import Source
from pale_heron.capture.reader import CaptureReader
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.clock.events import PULSE, PULSE_SOURCE
from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.tracker import BEGUN, ENDED
from pale_heron.core.trouble import Trouble

SECONDS: Final = 40
TRIAL: Final = TrialDescription("delivery", 7, ("hide", "curlew"), one_way=True, probes=0)


def whole(path: Path) -> Path:
    """A receiver whose rate changed after 5 s, a module, pulses, a trial from 10 to 20 s, and marks."""
    writer = CaptureWriter(path)
    for name in ("curlew", "hide"):
        writer.add_lane(name, "/dev/ttyUSB0", LineSettings(4800))
        writer.event(Event(BEGIN, name, "opened", {"rate": 4800, "framing": "8N1", "role": "buoy 7"}))
    writer.event(Event(BEGIN + 1, "hide", "dialect", {"name": "plover", "by": "chosen"}))
    writer.event(Event(BEGIN + 2, "", PULSE_SOURCE, {"source": "sim:curlew"}))
    for second, data in enumerate(said(SECONDS)):
        at = BEGIN + second * SECOND
        if second == 5:
            writer.event(Event(at, "curlew", "settings", {"rate": 9600, "framing": "8N1", "role": "buoy 7"}))
        if second == 10:
            writer.event(Event(at, "", BEGUN, TRIAL.details()))
        if second == 20:
            writer.event(Event(at, "", ENDED, {"trial": 7, "why": "done"}))
        if second in (12, 30):
            writer.event(Event(at, "", "mark", {"text": f"launch at {second}"}))
        writer.event(Event(at + 1, "", PULSE, {"source": "sim:curlew"}))
        writer.chunk(chunk(data, at + SECOND // 10))
        writer.chunk(Chunk("hide", OUT, at + SECOND // 2, b"AT\r"))
        writer.chunk(Chunk("hide", IN, at + SECOND // 2 + 1000, b"\r\nOK\r\n"))
    writer.close()
    return path


@pytest.fixture(scope="module")
def source(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return whole(tmp_path_factory.mktemp("cut") / "walk.pcapng")


@given(st.integers(0, SECONDS), st.integers(0, SECONDS), st.sampled_from([(), ("curlew",), ("hide",)]))
def test_a_part_holds_what_lay_in_it_and_no_more(
    source: Path, tmp_path_factory: pytest.TempPathFactory, first: int, last: int, lanes: tuple[str, ...]
) -> None:
    target = tmp_path_factory.mktemp("part") / "part.pcapng"
    part = CutPart(BEGIN + first * SECOND, BEGIN + last * SECOND, lanes)
    wanted = [each for each in CaptureReader(source).records() if isinstance(each, Chunk) and part.holds(each)]
    if not wanted:
        return
    done = cut(source, target, part)
    records = list(CaptureReader(target).records())
    assert [each for each in records if isinstance(each, Chunk)] == wanted
    assert done.bytes == sum(len(each.data) for each in wanted) and done.records == len(records)
    times = [each.time or 0 for each in records]
    assert min(times) >= part.begin and max(times) <= part.end
    if lanes:
        assert {each.lane for each in records} <= {"", *lanes}
        raw = target.with_suffix(".bin")
        received(source, raw, part)
        assert raw.read_bytes() == b"".join(each.data for each in wanted if each.direction is IN)


def test_it_is_read_by_itself(source: Path, tmp_path: Path) -> None:
    target = tmp_path / "part.pcapng"
    done = cut(source, target, CutPart(BEGIN + 12 * SECOND, BEGIN + 34 * SECOND))
    assert done.broken_trials == 1
    part = Source(target)
    lanes = {lane.name: lane for lane in part.lanes()}
    assert lanes["curlew"].settings is not None and lanes["curlew"].settings.rate == 9600
    assert lanes["curlew"].role == "buoy 7" and lanes["curlew"].line.bad_checksums == 0
    module = lanes["hide"].module
    assert module is not None and module.dialect.name == "plover" and module.exchanges == 22
    assert [mark.text for mark in part.marks] == ["launch at 12", "launch at 30"]
    assert part.trials == (), "half of a trial is none"
    assert [each.pulses for each in part.clock.pulses] == [22]
    cut(source, target.with_name("trial.pcapng"), CutPart(BEGIN + 9 * SECOND, BEGIN + 25 * SECOND))
    kept = Source(target.with_name("trial.pcapng"))
    kept.lanes()
    assert [each.described.trial for each in kept.trials] == [7]


@pytest.mark.parametrize(
    ("text", "after", "seconds"),
    [("+5s", None, 5), ("+5s", 10, 15), ("launch at 30", None, 30), ("AT 12", None, 12), ("launch", None, 12)],
)
def test_a_moment_is_a_time_or_a_mark(source: Path, text: str, after: int | None, seconds: int) -> None:
    base = None if after is None else BEGIN + after * SECOND
    assert place_in(source, text, base) == BEGIN + seconds * SECOND


def test_what_cannot_be_cut_is_told(source: Path, tmp_path: Path) -> None:
    with pytest.raises(Trouble, match="not a time") as told:
        place_in(source, "landing")
    assert "'launch at 12'" in told.value.hint
    with pytest.raises(Trouble, match="no lane 'buoy'"):
        cut(source, tmp_path / "a.pcapng", CutPart(None, None, ("buoy",)))
    assert not (tmp_path / "a.pcapng").exists(), "no file is left that is none"
    with pytest.raises(Trouble, match="Nothing of walk"):
        cut(source, tmp_path / "b.pcapng", CutPart(BEGIN + 3600 * SECOND))
    (tmp_path / "c.pcapng").touch()
    with pytest.raises(Trouble, match="never overwritten"):
        cut(source, tmp_path / "c.pcapng", CutPart())


def test_the_command(source: Path, tmp_path: Path) -> None:
    def run(*words: str | Path) -> subprocess.CompletedProcess[str]:
        program = [sys.executable, "-m", "pale_heron", "cut", str(source), *map(str, words)]
        return subprocess.run(program, capture_output=True, text=True, timeout=LIMIT_S, env=os.environ, check=False)

    done = run("-o", tmp_path / "launch.pcapng", "--from", "launch", "--to", "+10s")
    assert done.returncode == 0 and "1 trial began before this part" in done.stderr, done.stderr
    assert Source(tmp_path / "launch.pcapng").lanes()
    raw = run("-o", tmp_path / "curlew.nmea", "--lane", "curlew")
    assert raw.returncode == 0 and (tmp_path / "curlew.nmea").read_bytes() == b"".join(said(SECONDS))
    assert run("-o", tmp_path / "x.bin").returncode == 2
    assert run("-o", tmp_path / "x.pcapng", "--from", "launch at 30", "--to", "launch at 12").returncode == 2
