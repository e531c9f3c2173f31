"""A live session under trouble: many lanes, a full disk, a host clock that is set, too much traffic."""

import errno
import os
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from tests.streams import BEGIN, GGA, RTCM, sentences
from tests.waiting import until

from pale_heron.bench.live.decoder import Decoder
from pale_heron.bench.live.session import Session
from pale_heron.bench.model import Model
from pale_heron.bench.operations.registry import Operation
from pale_heron.bench.pipeline import Record
from pale_heron.capture.reader import CaptureReader
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.clock.events import UNLISTED
from pale_heron.core.frames import SECOND, Chunk, Direction, Event
from pale_heron.core.runs import Entry
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.clock import StampClock
from pale_heron.ports.queue import BoundedQueue
from pale_heron.sim.terminal import Terminal

Run = Callable[..., tuple[Session, list[Terminal]]]


@pytest.fixture
def run(tmp_path: Path) -> Iterator[Run]:
    """Starts a session on so many simulated terminals; all of it ends with the test."""
    ended: list[Callable[[], object]] = []

    def started(count: int = 1) -> tuple[Session, list[Terminal]]:
        terminals = [Terminal(115200, tmp_path / f"lane{number}", patient=True) for number in range(count)]
        specs = [LaneSpec(f"lane{number}", str(tmp_path / f"lane{number}")) for number in range(count)]
        for terminal in terminals:
            terminal.rate = 9600
        session = Session("bench", specs, tmp_path / "a.pcapng")
        ended.extend([session.stop, *(terminal.close for terminal in terminals)])
        session.start()
        until(lambda: all(lane.opening == "open" for lane in session.snapshot().lanes))
        return session, terminals

    yield started
    for end in ended:
        end()


def speak(terminal: Terminal, data: bytes) -> None:
    terminal.send(data)
    while terminal.queued:
        terminal.work(1.0)
        time.sleep(0.001)


def received(path: Path) -> list[bytes]:
    return [record.data for record in CaptureReader(path).records() if isinstance(record, Chunk)]


def events(path: Path) -> list[Event]:
    """Those that have a place of their own; what the system says of its clock comes when it comes."""
    records = CaptureReader(path).records()
    return [record for record in records if isinstance(record, Event) and record.name not in UNLISTED]


def test_sixteen_lanes_at_once_lose_and_mix_nothing(run: Run, tmp_path: Path) -> None:
    session, terminals = run(16)
    sent = {f"lane{number}": (GGA + RTCM) * (number + 3) for number in range(16)}
    for terminal, data in zip(terminals, sent.values(), strict=True):
        speak(terminal, data)
    until(lambda: sum(lane.line.bytes_in for lane in session.snapshot().lanes) == sum(map(len, sent.values())))
    session.stop()
    got: dict[str, bytes] = {}
    for record in CaptureReader(tmp_path / "a.pcapng").records():
        if isinstance(record, Chunk):
            got[record.lane] = got.get(record.lane, b"") + record.data
    assert got == sent
    assert [lane.line.valid for lane in session.snapshot().lanes] == [2 * number + 6 for number in range(16)]


def test_a_full_disk_is_told_and_the_lane_goes_on(run: Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    session, (terminal,) = run()
    real, full = os.pwrite, [True]

    def write(file: int, data: bytes, at: int) -> int:
        if full[0] and data[:4] == b"\6\0\0\0":
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        return real(file, data, at)

    monkeypatch.setattr("pale_heron.capture.writer.os.pwrite", write)
    monkeypatch.setattr("pale_heron.capture.writer.RETRY_S", 0.01)
    refused: list[Chunk] = []
    kept = CaptureWriter.chunk

    def chunk(writer: CaptureWriter, record: Chunk) -> None:
        if full[0]:
            refused.append(record)
        kept(writer, record)

    monkeypatch.setattr(CaptureWriter, "chunk", chunk)
    speak(terminal, GGA * 3)
    until(lambda: session.snapshot().lanes[0].line.valid_sentences == 3)
    assert "No space left" in session.snapshot().capture.failure
    full[0] = False
    time.sleep(0.02)
    speak(terminal, GGA)
    until(lambda: session.snapshot().lanes[0].line.valid_sentences == 4)
    assert session.snapshot().capture.failure == "", "there is room again"
    session.stop()
    told = events(tmp_path / "a.pcapng")
    assert [event.name for event in told] == ["recording", "opened", "not-recorded", "closed"]
    # How many pieces the sentences arrive in is the machine's affair; each of them is counted.
    assert told[2].details == {"bytes": 3 * len(GGA), "records": len(refused), "reason": "No space left on device"}
    assert session.snapshot().capture.lost == 3 * len(GGA)


def test_a_host_clock_that_is_set_is_recorded_and_not_followed(
    run: Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    session, (terminal,) = run()
    speak(terminal, GGA)
    until(lambda: session.snapshot().lanes[0].line.valid_sentences == 1)
    real = session.clock.host_ahead_ns
    monkeypatch.setattr(session.clock, "host_ahead_ns", lambda: real() - 3600 * SECOND)
    until(lambda: session.snapshot().host_ahead_s < -3599)
    speak(terminal, GGA)
    until(lambda: session.snapshot().lanes[0].line.valid_sentences == 2)
    session.stop()
    records = list(CaptureReader(tmp_path / "a.pcapng").records())
    (step,) = [record for record in records if isinstance(record, Event) and record.name == "clock-step"]
    assert step.details["seconds"] == pytest.approx(-3600, abs=1)
    times = [record.time or 0 for record in records if isinstance(record, Chunk)]
    assert times == sorted(times)


def test_decoding_that_is_too_slow_costs_no_byte_and_is_told(
    run: Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(
        "pale_heron.bench.live.session.BoundedQueue",
        lambda loss="dropped": BoundedQueue(300 if loss == "skipped" else 1 << 20, loss),
    )
    session, (terminal,) = run()
    slow = session.model.feed

    def feed(*records: Chunk | Event) -> object:
        time.sleep(0.2)
        return slow(*records)

    monkeypatch.setattr(session.model, "feed", feed)
    sent = 0
    while not session.snapshot().lanes[0].skipped_bytes:
        speak(terminal, GGA * 40)
        sent += 40
        assert sent < 10_000
    # From here on it keeps up: how long a session waits for its decoder at the end is another matter.
    monkeypatch.setattr(session.model, "feed", slow)
    session.stop()
    lane = session.snapshot().lanes[0]
    assert lane.dropped_bytes == 0
    assert lane.line.bytes_in + lane.skipped_bytes == len(GGA) * sent
    recorded = [record.data for record in CaptureReader(tmp_path / "a.pcapng").records() if isinstance(record, Chunk)]
    assert b"".join(recorded) == GGA * sent


@pytest.mark.parametrize("whole", [True, False])
def test_who_asks_for_no_figures_does_not_wait_for_decoding(
    whole: bool, run: Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    session, (terminal,) = run()
    feed, fed, go_on = session.model.feed, [], threading.Event()

    def slow(*records: Chunk | Event) -> object:
        go_on.wait()
        fed.append(len(records))
        return feed(*records)

    monkeypatch.setattr(session.model, "feed", slow)
    sent = GGA * 4000
    for begin in range(0, len(sent), 8000):
        speak(terminal, sent[begin : begin + 8000])
    until(lambda: b"".join(received(tmp_path / "a.pcapng")) == sent)
    stopping = threading.Thread(target=lambda: session.stop(whole=whole))
    stopping.start()
    until(lambda: session._recorder.over.is_set() and (whole or session._decoder._given_up.is_set()))
    go_on.set()
    stopping.join()
    assert b"".join(received(tmp_path / "a.pcapng")) == sent
    assert (session.snapshot().lanes[0].line.bytes_in == len(sent)) == whole
    assert whole or len(fed) <= 1, "what was under way alone"
    assert session.undecoded is not whole


@pytest.mark.parametrize("broken", ["_clock_step", "_write", "_with_table"])
def test_a_fault_in_recording_is_told_and_all_else_goes_on(
    broken: str, run: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    session, (terminal,) = run()

    def fault(*_: object) -> None:
        raise RuntimeError("an owl in the works")

    monkeypatch.setattr(session._recorder, broken, fault)
    session.choose_dialect("lane0", "plover")
    speak(terminal, GGA)
    until(lambda: session.snapshot().lanes[0].line.valid_sentences == 1)
    until(lambda: "an owl in the works" in session.snapshot().fault)
    session.stop()


def test_stopping_twice_is_stopping_once(run: Run, tmp_path: Path) -> None:
    session, _ = run()
    assert session.stop() == []
    assert session.stop() == []
    assert [event.name for event in events(tmp_path / "a.pcapng")] == ["recording", "opened", "closed"]


class SlowModel(Model):
    """Takes a second for every record, by a clock that it moves."""

    seconds = 0.0

    def feed(self, *records: Record) -> list[Entry]:
        self.seconds += len(records)
        return super().feed(*records)


def test_a_picture_that_lies_behind_is_one_of_then() -> None:
    """While decoding lags, what is not decoded yet is no silence, and it is said how far the picture lies behind."""
    model, inbox, over = SlowModel(), BoundedQueue(), threading.Event()
    clock = StampClock(lambda: BEGIN, lambda: int(model.seconds * SECOND))
    decoder = Decoder(inbox, model, None, clock, over, lambda *_: None)
    gga = sentences("GNGGA,094107,4607.0,S,06718.4,W,1,11,0.8,3.4,M,11.2,M,,")
    inbox.put(Event(BEGIN, "curlew", "opened", {"address": "/dev/x", "rate": 9600, "framing": "8N1", "flow": "none"}))
    for at in range(20):
        inbox.put(Chunk("curlew", Direction.IN, BEGIN + at * SECOND // 10, gga * 300))
    seen: list[tuple[float, list[str]]] = []
    publish = model.publish

    def published(now: int | None) -> None:
        publish(now)
        lane = model.published.lanes[0]
        seen.append((decoder.behind_s, [each.id for each in lane.findings]))
        decoder.look(())

    model.publish = published  # type: ignore[method-assign]  # to see every picture
    over.set()
    decoder.start()
    decoder.let_go(whole=True)
    assert decoder.fault == ""
    assert max(behind for behind, _ in seen) > 5
    assert not any("silent" in found for _, found in seen[:-1]), seen


class CountingModel(Model):
    """Counts how often it is fed."""

    fed = 0

    def feed(self, *records: Record) -> list[Entry]:
        self.fed += 1
        return super().feed(*records)


def test_what_comes_fast_is_decoded_together_and_nothing_of_it_is_lost() -> None:
    model, inbox, over = CountingModel(), BoundedQueue(), threading.Event()
    decoder = Decoder(inbox, model, None, StampClock(), over, lambda *_: None)
    decoder.start()
    pieces = 120
    for at in range(pieces):
        inbox.put(Chunk("curlew", Direction.IN, BEGIN + at * SECOND // 200, GGA * 100))
        time.sleep(0.005)
    over.set()
    decoder.let_go(whole=True)
    assert decoder.fault == ""
    assert model.log.settled == 100 * pieces
    assert model.fed < pieces / 3


def test_something_is_going_on_while_a_module_has_said_what_nobody_has_seen() -> None:
    session = Session("bench", [LaneSpec("m", "/dev/no-such")], None)
    model = session.model
    model.feed(Event(BEGIN, "m", "dialect", {"name": "standard", "by": "chosen"}))
    model.publish(BEGIN)
    assert not session.eventful
    model.feed(Chunk("m", Direction.OUT, BEGIN + 1, b"AT\r"), Chunk("m", Direction.IN, BEGIN + 2, b"\r\nOK\r\n"))
    assert session.eventful
    model.publish(BEGIN + 3)
    assert not session.eventful
    session.operations.claim(Operation("a search", ["m"]))
    assert session.eventful
