"""A lane's own thread changes its state, whatever others want of it: a made-up stream, any order of events."""

import contextlib
import threading
import time

import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule
from tests.waiting import LIMIT_S, until

from pale_heron.core.frames import OUT, Chunk, Event
from pale_heron.core.line.settings import LineSettings, settings_of
from pale_heron.core.trouble import Trouble
from pale_heron.ports import worker
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.clock import StampClock
from pale_heron.ports.opening import StreamGone
from pale_heron.ports.queue import BoundedQueue
from pale_heron.ports.sender import SendJob
from pale_heron.ports.worker import LaneWorker

RATES = (1200, 9600, 38400, 115200)


class Device:
    """What is at the other end: there or not, slow to open or not. Counts what touched its line."""

    def __init__(self) -> None:
        self.there = True
        self.opens = threading.Event()
        """Cleared it keeps whoever opens it waiting."""
        self.opens.set()
        self.opening = threading.Event()
        self.rate: int | None = None
        self.breaks = 0
        self.sent = b""
        self.threads: set[str] = set()
        self.streams: list[MadeUpStream] = []


class MadeUpStream:
    """Takes the place of an open port."""

    writes_at_once = True
    device: Device

    def __init__(self, spec: LaneSpec) -> None:
        self.device.opening.set()
        self.device.opens.wait(LIMIT_S)
        self.device.opening.clear()
        if not self.device.there:
            raise Trouble("it is not there", "Plug it in", "absent")
        self.settings = spec.settings
        self.news: list[tuple[str, dict[str, object]]] = []
        self.device.rate = spec.settings.rate
        self.closed = False
        self._guard = threading.Lock()
        self.device.streams.append(self)

    def _touch(self) -> None:
        self.device.threads.add(threading.current_thread().name)
        assert not self.closed, "a stream is touched after it was closed"

    def read(self, wait_s: float) -> bytes:
        self._touch()
        time.sleep(min(wait_s, 0.001))
        if not self.device.there:
            raise StreamGone("the device hung up")
        return b""

    def write(self, data: bytes) -> int:
        with self._guard:
            if self.closed:
                raise StreamGone("closed")
            self.device.sent += data
        return len(data)

    def wait_for_room(self) -> None:
        return

    def change(self, spec: LaneSpec) -> LineSettings:
        self._touch()
        self.settings = spec.settings
        self.device.rate = spec.settings.rate
        return self.settings

    def send_break(self, _seconds: float) -> None:
        self._touch()
        self.device.breaks += 1

    def errors(self) -> None:
        return

    def close(self) -> None:
        with self._guard:
            self.closed = True


class LaneLife(RuleBasedStateMachine):
    """Whatever is asked in whatever state, the line ends up as it was asked last, and the record says the same."""

    def __init__(self) -> None:
        super().__init__()
        self.patch = pytest.MonkeyPatch()
        self.device = Device()
        stream = type("Stream", (MadeUpStream,), {"device": self.device})
        self.patch.setattr(worker, "ByteStream", stream)
        self.patch.setattr(worker, "RETRY_S", 0.002)
        self.patch.setattr(worker, "WAIT_S", 0.002)
        self.patch.setattr(worker, "LONGEST_RETRY_S", 0.002)
        self.inbox, self.records = BoundedQueue(), list[Chunk | Event]()
        self.reader = LaneWorker(LaneSpec("x", "made://up", LineSettings(9600)), self.inbox, StampClock())
        self.wanted = 9600
        self.jobs: list[SendJob] = []
        self.reader.start()

    def taken(self) -> list[Chunk | Event]:
        self.records += [each for each in self.inbox.take(0.0, 0) if isinstance(each, Chunk | Event)]
        return self.records

    @rule(rate=st.sampled_from(RATES))
    def change(self, rate: int) -> None:
        self.wanted = rate
        self.reader.change(LineSettings(rate))

    @rule()
    def hold_low(self) -> None:
        with contextlib.suppress(Trouble):
            self.reader.send_break()

    @rule(data=st.binary(min_size=1, max_size=3000))
    def send(self, data: bytes) -> None:
        job = SendJob(data)
        with contextlib.suppress(Trouble):
            self.reader.send(job)
            self.jobs.append(job)

    @rule()
    def pull_the_plug(self) -> None:
        self.device.there = False

    @rule()
    def plug_it_in(self) -> None:
        self.device.there = True

    @rule()
    def open_slowly(self) -> None:
        self.device.opens.clear()

    @rule()
    def open_at_once(self) -> None:
        self.device.opens.set()

    @precondition(lambda self: self.device.there and self.device.opens.is_set())
    @rule()
    def rest(self) -> None:
        until(lambda: self.reader._stream is not None, lambda: "it never opened")
        until(lambda: self.device.rate == self.wanted, lambda: ("the line is at", self.device.rate, self.wanted))
        until(lambda: self.reader.spec.settings.rate == self.wanted)
        until(lambda: self.told_rate() == self.wanted, lambda: ("the record says", self.told_rate(), self.wanted))

    def told_rate(self) -> int | None:
        told = [each for each in self.taken() if isinstance(each, Event) and "rate" in each.details]
        found = settings_of(told[-1].details) if told else None
        return found.rate if found else None

    def orders_done(self) -> None:
        """Orders are carried out in turn: when the last one has been, all have."""

        def set_so_far() -> int:
            return sum(isinstance(each, Event) and each.name == "settings" for each in self.taken())

        before = set_so_far()
        self.reader.change(LineSettings(self.wanted))
        until(lambda: set_so_far() > before, lambda: "the last order was never carried out")

    @invariant()
    def only_its_own_thread_touches_the_line(self) -> None:
        assert self.device.threads <= {"lane x"}

    def teardown(self) -> None:
        self.device.opens.set()
        self.device.there = True
        self.rest()
        until(lambda: all(each.over for each in self.jobs))
        self.orders_done()
        before = self.device.breaks
        self.reader.stop()
        assert self.reader.join(LIMIT_S)
        assert self.device.breaks == before == sum(each[2] == "break" for each in self.taken())
        sent = b"".join(each.data for each in self.taken() if isinstance(each, Chunk) and each.direction is OUT)
        assert sent == self.device.sent, "what went out is in the record, once and in order"
        assert all(each.closed for each in self.device.streams)
        self.patch.undo()


LaneLife.TestCase.settings = settings(max_examples=25, stateful_step_count=20, deadline=None)
TestLaneLife = LaneLife.TestCase


def test_what_is_changed_while_the_lane_is_opening_is_set_on_the_line(monkeypatch: pytest.MonkeyPatch) -> None:
    device = Device()
    monkeypatch.setattr(worker, "ByteStream", type("ByteStream", (MadeUpStream,), {"device": device}))
    device.opens.clear()
    reader = LaneWorker(LaneSpec("x", "made://up", LineSettings(9600)), BoundedQueue(), StampClock())
    reader.start()
    assert device.opening.wait(LIMIT_S)
    reader.change(LineSettings(115200))
    device.opens.set()
    until(lambda: device.rate == 115200)
    reader.stop()
    assert reader.join(LIMIT_S)


def test_a_break_is_refused_while_closed_and_does_not_come_later(monkeypatch: pytest.MonkeyPatch) -> None:
    device = Device()
    device.there = False
    monkeypatch.setattr(worker, "ByteStream", type("ByteStream", (MadeUpStream,), {"device": device}))
    monkeypatch.setattr(worker, "RETRY_S", 0.01)
    reader = LaneWorker(LaneSpec("x", "made://up", LineSettings(9600)), BoundedQueue(), StampClock())
    reader.start()
    with pytest.raises(Trouble, match="is not open"):
        reader.send_break()
    device.there = True
    until(lambda: reader._stream is not None)
    reader.send(SendJob(b"AT\r"))
    until(lambda: device.sent == b"AT\r")
    assert device.breaks == 0
    reader.stop()
    assert reader.join(LIMIT_S)
