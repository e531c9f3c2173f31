"""Sessions, replays and files: the same bytes give the same result by every way."""

import dataclasses
import io
import json
import time
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from tests.streams import BEGIN, GGA, HOSTILE, RTCM, chunk, pieces_of_streams, said
from tests.waiting import until

from pale_heron.bench.decoded import decoded
from pale_heron.bench.live.session import Session
from pale_heron.bench.replay.indexer import LARGE_BYTES
from pale_heron.bench.replay.replay import Replay
from pale_heron.bench.sources import Source
from pale_heron.bench.summary import summary
from pale_heron.bench.traffic_log import TrafficLog
from pale_heron.capture.reader import CaptureReader
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import SECOND, Chunk, Event
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.line.snapshot import TypeCount
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.wire import rtcm3
from pale_heron.ports.address import LaneSpec
from pale_heron.sim.scenes import SCENES
from pale_heron.sim.terminal import Terminal


def recorded(path: Path, epochs: list[bytes]) -> Path:
    """A capture of one lane that heard these epochs, one a second."""
    writer = CaptureWriter(path)
    writer.add_lane("curlew", "/dev/ttyUSB0", LineSettings(9600))
    writer.event(Event(BEGIN, "curlew", "opened", {"rate": 9600, "framing": "8N1", "role": "buoy 7"}))
    for second, data in enumerate(epochs):
        writer.chunk(chunk(data, BEGIN + second * SECOND))
    writer.close()
    return path


def counted(tally: TypeCount) -> TypeCount:
    """What does not depend on the moment at which it is looked at."""
    return dataclasses.replace(tally, hz=None, bytes_per_s=None)


def test_what_was_live_is_the_same_when_read_again(tmp_path: Path) -> None:
    """Frames, counts and fix of a live lane equal those of its capture, replayed and summed up."""
    terminal = Terminal(9600, tmp_path / "curlew", patient=True)
    path = tmp_path / "live.pcapng"
    session = Session("bench", [LaneSpec("curlew", str(tmp_path / "curlew"))], path)
    session.start()
    until(lambda: session.snapshot().lanes[0].opened is not None)
    stream = [*said(25, SCENES["saltmarsh"]), GGA[:30], RTCM, b"> "]
    for data in stream:
        terminal.send(data)
        while terminal.queued:
            terminal.work(0.05)
            time.sleep(0.001)
    session.mark("under the bridge")
    until(lambda: session.snapshot().lanes[0].line.bytes_in == sum(map(len, stream)))
    terminal.close()
    until(lambda: session.snapshot().lanes[0].opening == "lost")
    assert session.stop() == []
    live = session.snapshot()
    log = [session.model.log.get(number) for number in range(session.model.log.end)]
    assert live.capture.size == path.stat().st_size

    replay = Replay(path, at=2**62)
    replay.start()
    until(lambda: replay.snapshot().replay.ended)
    again = [replay.model.log.get(number) for number in range(replay.model.log.end)]
    replay.stop()
    assert again == log
    seen, was = replay.snapshot().lanes[0], live.lanes[0]
    # The rates of the last minute are as of the moment of a picture, which is another one on a busy machine.
    assert [counted(each) for each in seen.line.types] == [counted(each) for each in was.line.types]
    assert (seen.fix.state, seen.fix.since, seen.fix.epochs) == (was.fix.state, was.fix.since, was.fix.epochs)
    assert list(seen.fix.track) == list(was.fix.track)
    past, gone = seen.fix.history, was.fix.history
    assert (past.spans, past.starts) == (gone.spans, gone.starts)
    # Whether the silence at the end counts as an outage by now depends on when one looks.
    assert [each for each in past.outages if each.end] == [each for each in gone.outages if each.end]
    found = summary(Source(path))
    assert found["lanes"][0]["frames"] == was.line.frames
    assert [record.details["text"] for record in CaptureReader(path).records() if record[2] == "mark"] == [
        "under the bridge"
    ]


def test_a_replay_keeps_time_pauses_steps_and_goes_back(tmp_path: Path) -> None:
    path = recorded(tmp_path / "a.pcapng", said(60))
    replay = Replay(path, speed=100.0, playing=False)
    replay.start()
    until(lambda: replay.snapshot().now >= BEGIN)
    time.sleep(0.1)
    assert replay.snapshot().now == BEGIN, "paused"
    replay.step()
    until(lambda: replay.model.log.end >= 1)
    replay.toggle()
    until(lambda: replay.snapshot().now > BEGIN + 10 * SECOND)
    replay.seek(BEGIN + 45 * SECOND)
    until(lambda: not replay.snapshot().replay.seeking)
    assert replay.snapshot().now >= BEGIN + 45 * SECOND
    until(lambda: replay.snapshot().replay.ended)
    assert replay.snapshot().lanes[0].fix.epochs == 57
    assert replay.snapshot().replay.share == 1.0
    replay.skip(10)
    until(lambda: not replay.snapshot().replay.seeking)
    assert replay.snapshot().replay.ended, "there is nothing behind the end"
    replay.toggle()
    until(lambda: replay.snapshot().now < BEGIN + 59 * SECOND and bool(replay.snapshot().lanes))
    replay.faster(-9)
    until(lambda: replay.snapshot().replay.speed == 0.25)
    replay.stop()


def test_every_way_to_a_moment_shows_the_same(tmp_path: Path) -> None:
    """Straight from the start, back from the end, and forth and back over states that an indexer kept."""
    path = recorded(tmp_path / "long.pcapng", said(1900, SCENES["saltmarsh"]))
    assert path.stat().st_size > LARGE_BYTES

    def at(replay: Replay, moment: int) -> object:
        replay.seek(moment)
        until(lambda: not replay.snapshot().replay.seeking)
        lane = replay.snapshot().lanes[0]
        history, facts = lane.fix.history, lane.fix.facts
        return lane.line.types, lane.line.activity, history, facts, list(lane.fix.track), lane.steps

    def opened() -> Replay:
        replay = Replay(path, playing=False)
        replay.start()
        until(lambda: bool(replay.snapshot().now))
        return replay

    moments = [BEGIN + seconds * SECOND for seconds in (1850, 40, 299, 1000, 0)]
    wandering = opened()
    until(lambda: wandering.surveyed)
    assert wandering.snapshot().now == BEGIN
    found = [at(wandering, moment) for moment in moments]
    wandering.stop()
    for moment, seen in zip(moments, found, strict=True):
        straight = opened()
        assert at(straight, moment) == seen, (moment - BEGIN) / SECOND
        straight.stop()


def test_a_raw_file_plays_by_its_own_times(tmp_path: Path) -> None:
    path = tmp_path / "raw.nmea"
    path.write_bytes(b"".join(said(30)))
    replay = Replay(path, at=2**62)
    replay.start()
    until(lambda: replay.snapshot().replay.ended)
    lane = replay.snapshot().lanes[0]
    replay.stop()
    assert lane.fix.state.state == "3D"
    assert replay.snapshot().now == pytest.approx(BEGIN + 29 * SECOND, abs=SECOND)


def test_summary_of_a_capture_and_of_its_raw_bytes_agree(tmp_path: Path) -> None:
    epochs = said(200, SCENES["saltmarsh"])
    raw = tmp_path / "raw.nmea"
    raw.write_bytes(b"".join(epochs))
    captured = summary(Source(recorded(tmp_path / "a.pcapng", epochs)))
    own = summary(Source(raw))
    assert json.loads(json.dumps(captured)) == captured
    assert captured["duration_s"] == 199.0
    assert own["duration_s"] == pytest.approx(196.0, abs=1.0), "from the first time known on"
    one, other = captured["lanes"][0], own["lanes"][0]
    assert (one["lane"], other["lane"]) == ("curlew", "raw.nmea")
    for key in ("bytes_in", "frames", "valid_sentences", "bad_checksums", "readable_share"):
        assert one[key] == other[key]
    for key in ("state", "latitude", "longitude", "date", "time", "epochs", "epochs_with_fix", "scatter"):
        assert one["fix"][key] == other["fix"][key], key
    assert [each["seconds"] for each in one["fix"]["outages"]] == [9.0, 9.0]
    assert [each["seconds"] for each in other["fix"]["outages"]] == [9.0, 9.0]
    hertz = {each["type"]: each["rate_hz"] for each in one["types"]}
    assert (hertz["GNGGA"], hertz["GNGSA"]) == (1.0, pytest.approx(4.0, rel=0.02))
    assert [step["step"] for step in one["steps"]] == ["open", "bytes", "readable", "valid", "fix"]


def test_summary_of_nothing_has_no_figures(tmp_path: Path) -> None:
    empty = tmp_path / "empty"
    empty.touch()
    found = summary(Source(empty))
    assert found["duration_s"] is None
    assert found["lanes"][0] | {"steps": [], "findings": []} == {
        "lane": "empty", "bytes_in": 0, "bytes_out": 0, "frames": 0, "readable_share": None, "valid_sentences": 0,
        "bad_checksums": 0, "dropped_bytes": 0, "returns": 0, "types": [], "steps": [], "findings": [], "fix": None,
    }  # fmt: skip


DECODED: list[tuple[bytes, dict[str, Any]]] = [
    (GGA, {"kind": "nmea", "status": "ok", "talker": "GN", "sentence": "GGA", "checksum_expected": "79"}),
    (GGA.replace(b"46", b"47"), {"status": "bad-checksum", "checksum_expected": "78", "checksum_found": "79"}),
    (b"$PCURLEW,WHO*2A\r\n", {"talker": "P", "sentence": "CURLEW", "fields": {"1": "WHO"}}),
    (b"$GPGLL,,,,,,V\r\n", {"status": "no-checksum", "checksum_found": None}),
    (RTCM, {"kind": "rtcm3", "text": None, "message": 1085, "payload_length": 8}),
    (rtcm3.encode(b""), {"kind": "rtcm3", "message": None, "payload_length": 0}),
    (sealed("GPGGA,094107,4660.0,S,,,1,,,,M,,M,,"), {"problems": {"latitude": "minutes of 60 and more"}}),
    (b"\xff\xfe\x00", {"kind": "bytes", "text": None, "length": 3}),
    (b"OK\r\n", {"kind": "text", "status": "ok", "text": "OK", "offset": 0}),
]


@pytest.mark.parametrize(("data", "expected"), DECODED)
def test_decoded_objects(data: bytes, expected: dict[str, Any]) -> None:
    source = Source(None, io.BytesIO(data))
    (frame,) = source.frames()
    found = decoded(frame, source.is_capture)
    assert expected.items() <= found.items()
    assert (found["time"], found["lane"], found["direction"]) == (None, None, None)


@given(pieces_of_streams)
def test_whatever_a_device_sends_can_be_told_as_printable_json(pieces: list[bytes]) -> None:
    for frame in Source(None, io.BytesIO(b"".join([*pieces, HOSTILE]))).frames():
        assert json.dumps(decoded(frame), ensure_ascii=False).isprintable()


def test_a_capture_may_come_through_a_pipe(tmp_path: Path) -> None:
    path = recorded(tmp_path / "a.pcapng", said(5))

    class Pipe(io.BytesIO):
        def seekable(self) -> bool:
            return False

    frames = list(Source(None, Pipe(path.read_bytes())).frames())
    assert frames == list(Source(path).frames())
    assert frames[0].time == BEGIN


def test_the_log_keeps_numbers_and_forgets_the_oldest() -> None:
    log = TrafficLog(capacity=4)
    events = [Event(number, "", "mark", {}) for number in range(10)]
    log.extend(events)
    assert (log.begin, log.end) == (6, 10)
    assert [log.get(number) for number in (5, 6, 9, 10, -1)] == [None, events[6], events[9], None, None]


def test_what_cannot_be_decoded_is_left_out_and_it_goes_on_behind_it(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    terminal = Terminal(9600, tmp_path / "curlew", patient=True)
    session = Session("bench", [LaneSpec("curlew", str(tmp_path / "curlew"))], tmp_path / "a.pcapng")
    real, met = session.model.feed, list[object]()

    def at_first(*records: Any) -> None:
        if any(isinstance(each, Chunk) for each in records) and not met:
            met.append(records)
            raise RuntimeError("an owl in the works")
        real(*records)

    monkeypatch.setattr(session.model, "feed", at_first)
    session.start()
    try:
        for _ in range(200):
            terminal.send(GGA)
            while terminal.queued:
                terminal.work(0.05)
            lanes = session.snapshot().lanes
            if lanes and lanes[0].line.valid_sentences:
                break
        until(lambda: session.snapshot().lanes[0].line.valid_sentences > 0)
        fault = session.snapshot().fault
    finally:
        session.stop()
        terminal.close()
    assert fault.startswith("something could not be decoded, once; the record has it: ") and "an owl" in fault


def test_a_fault_in_decoding_costs_no_byte_of_the_record(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    terminal = Terminal(9600, tmp_path / "curlew", patient=True)
    session = Session("bench", [LaneSpec("curlew", str(tmp_path / "curlew"))], tmp_path / "a.pcapng")

    def broken(*_records: object) -> None:
        raise RuntimeError("an owl in the works")

    monkeypatch.setattr(session.model, "feed", broken)
    session.start()
    until(lambda: "an owl" in session.snapshot().fault)
    path = tmp_path / "a.pcapng"
    until(lambda: "opened" in [record[2] for record in CaptureReader(path).records()])
    terminal.send(GGA)
    while terminal.queued:
        terminal.work(0.05)

    def recorded() -> bytes:
        records = CaptureReader(tmp_path / "a.pcapng").records()
        return b"".join(record.data for record in records if isinstance(record, Chunk))

    until(lambda: len(recorded()) >= len(GGA))
    session.stop()
    terminal.close()
    assert recorded() == GGA


def test_no_text_of_a_hostile_capture_or_file_name_reaches_the_terminal(tmp_path: Path) -> None:
    evil = HOSTILE.decode("latin-1")
    path = tmp_path / "a\x1b[2J\x9b6n.pcapng"
    writer = CaptureWriter(path)
    writer.add_lane("curlew", "x", None)
    for name, lane in (("opened", "curlew"), ("lost", "curlew"), ("refused", evil)):
        details = {"role": evil, "address": evil, "reason": evil, "way_out": evil, "rate": evil, "bytes": evil}
        writer.event(Event(BEGIN, lane, name, details))
    writer.close()
    told = json.dumps(summary(Source(path)), ensure_ascii=False)
    assert told.isprintable()
    assert "owned" in told
