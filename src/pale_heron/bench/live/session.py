"""A live bench: opens the lanes, writes down every byte, then feeds it to the lanes.

    reader threads ──▶ inbox ──▶ recorder: capture ──▶ inbox ──▶ decoder: model ──▶ snapshot() for whoever looks

The screen is nowhere on this path: however slow it is, nothing waits for it. And the record does not wait for decoding:
a stream that is made to be slow to decode, or a fault of ours in a decoder, costs pictures, never bytes. Each thing has
one owner: a lane its reader's thread, the capture the recorder, the model the decoder.
"""

import sys
import threading
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from time import monotonic
from typing import TYPE_CHECKING, Any, Final

from pale_heron import __version__
from pale_heron.bench.config.dialect_book import BEGUN, KEPT, DialectBook
from pale_heron.bench.frame_tap import FrameTap
from pale_heron.bench.live.decoder import Decoder
from pale_heron.bench.live.recorder import Recorder
from pale_heron.bench.live.timekeeping import Timekeeper
from pale_heron.bench.model import Model
from pale_heron.bench.operations.registry import Operations
from pale_heron.bench.scrollback.lines import Lines
from pale_heron.bench.scrollback.read_back import ReadBack
from pale_heron.bench.snapshot import BenchSnapshot, CaptureState
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import SECOND, Chunk, Event
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.settings import LineSettings, settings_details
from pale_heron.core.proof.marks import MARK, NOTE, REWORDED, WITHDRAWN, Mark, details_of
from pale_heron.core.streams import Recognition
from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec, check_count
from pale_heron.ports.clock import StampClock
from pale_heron.ports.queue import BoundedQueue
from pale_heron.ports.sender import SendJob
from pale_heron.ports.worker import LaneWorker

if TYPE_CHECKING:
    from pale_heron.bench.operations.baud_search import BaudSearch
    from pale_heron.core.device.dialogue.tracker import ModuleSnapshot

STUCK_NS: Final = 2 * SECOND
"""A driver that says nothing for so long no longer keeps the others' time from passing."""

JOIN_S = 1.5
TURN_S: Final = 0.001
FREE_WITHIN_S: Final = 2.0
FRESH_S: Final = 2.0
LOOK_S: Final = 0.01


class Session:
    """The lanes of `specs`, recorded to `capture` (None: no record)."""

    def __init__(self, bench: str, specs: Sequence[LaneSpec], capture: Path | None) -> None:
        """Begin the record. Raises Trouble where it cannot be written, and for too many lanes."""
        check_count(len(specs))
        self.bench = bench
        self.clock = StampClock()
        self.operations = Operations()
        self._began = self.clock.now()
        self._inbox = BoundedQueue()
        self._model = Model(book=DialectBook(Recognition.ON_REPORT))
        for spec in specs:
            self._model.add(spec.name, spec.settings, role=spec.role, address=spec.address)
        self._model.publish(self._began)
        self._writer = writer = CaptureWriter(capture) if capture else None
        self._history = ReadBack(lambda: writer.path, lambda: writer.described) if writer else None
        self._lines = Lines(self._model.log, self._history)
        if self._writer:
            for spec in specs:
                self._writer.add_lane(spec.name, spec.address, spec.settings)
        self._readers = {spec.name: LaneWorker(spec, self._inbox, self.clock) for spec in specs}
        self._said = {spec.name: spec for spec in specs}
        """What people said of each lane: its dialect, how its module is meant to be set. The rest is the reader's."""
        self._said_lock = threading.Lock()
        self._jobs: dict[str, list[SendJob]] = {}
        self._stopping = threading.Event()
        recorded = BoundedQueue(loss="skipped")
        self._recorder = Recorder(self._inbox, recorded, self.clock, writer, self._passed)
        self.timekeeper = Timekeeper(self._inbox.put, lambda name: self._readers.get(name), self.clock)
        self._decoder = Decoder(recorded, self._model, self._history, self.clock, self._recorder.over, self.note)

    @property
    def model(self) -> Model:
        return self._model

    @property
    def lines(self) -> Lines:
        """All lines since the start."""
        return self._lines

    # The lanes

    def start(self) -> None:
        """Open the lanes and run."""
        self.note("", BEGUN, {"program": f"pale-heron {__version__}", "dialects": KEPT})
        # A reader that has bytes gets its turn so soon: the stamps of others wait for a thread that computes.
        sys.setswitchinterval(TURN_S)
        self._recorder.start()
        self._decoder.start()
        for reader in self._readers.values():
            if reader.spec.dialect:
                self.note(reader.name, "dialect", {"name": reader.spec.dialect, "by": "chosen"})
            reader.start()
        self.timekeeper.start()

    def stop(self, *, whole: bool = True) -> list[str]:
        """End the lanes, then the record. Gives the names of lanes whose driver did not let go in time.

        Every wait here has a limit: a disk that hangs, or decoding that lags far behind, does not keep the program.
        The record is complete in any case; figures of the `whole` of it are given up where nobody asks for them.
        """
        if self._stopping.is_set():
            return []
        self.operations.stop()
        self.timekeeper.stop()
        readers = list(self._readers.values())
        for reader in readers:
            reader.stop()
        end = monotonic() + JOIN_S
        hanging = [reader.name for reader in readers if not reader.join(max(0.0, end - monotonic()))]
        self._stopping.set()
        self._recorder.end()
        self._decoder.let_go(whole=whole)
        self._recorder.let_go()
        return hanging

    def specs(self) -> list[LaneSpec]:
        """The lanes as they are set now."""
        with self._said_lock:
            return [self._with_said(reader.spec) for reader in self._readers.values()]

    def _with_said(self, spec: LaneSpec) -> LaneSpec:
        said = self._said[spec.name]
        return replace(spec, dialect=said.dialect, intended=said.intended)

    def add_lane(self, spec: LaneSpec) -> None:
        """Open one more lane. Raises Trouble where its nickname is taken, or there are too many."""
        with self._said_lock:
            if spec.name in self._readers:
                raise Trouble(f"There is a lane {spec.name!r} already", "Choose another nickname")
            check_count(len(self._readers) + 1)
            self._said[spec.name] = spec
            details = {"address": spec.address, "role": spec.role, **settings_details(spec.settings)}
            self._inbox.put(Event(self.clock.now(), spec.name, "added", details))
            reader = LaneWorker(spec, self._inbox, self.clock)
            # Others go through them meanwhile.
            self._readers = {**self._readers, spec.name: reader}
        reader.start()

    def change(self, lane: str, settings: LineSettings) -> None:
        """Set a lane; its events say whether the driver took it."""
        self._readers[lane].change(settings)

    def is_open(self, lane: str) -> bool:
        """Whether its stream is there now."""
        return self._readers[lane].is_open

    def let_go(self, lane: str) -> None:
        """Close its port for others to have it, until `take_up`; its events say when that is done."""
        self._readers[lane].let_go()

    def take_up(self, lane: str) -> None:
        """Open its port again."""
        self._readers[lane].take_up()

    def send_break(self, lane: str) -> None:
        """Raises Trouble for a lane that only listens or is not open."""
        self._readers[lane].send_break()

    def send(self, lane: str, job: SendJob) -> None:
        """Send in turn. Raises Trouble for a lane that only listens or is not open."""
        self._readers[lane].send(job)
        self._jobs[lane] = [*self.jobs(lane), job]

    def jobs(self, lane: str) -> list[SendJob]:
        """What is under way on a lane or repeated there."""
        return [each for each in self._jobs.get(lane, ()) if not each.over]

    def find_rate(self, lane: str, ask: bool) -> "BaudSearch":
        """Begin to try rates. Trouble where something would be sent on a lane that only listens, or one is busy."""
        from pale_heron.bench.operations.baud_search import BaudSearch

        finder = BaudSearch(self._readers[lane], self.clock, ask)
        before = self.operations.on(lane)
        if isinstance(before, BaudSearch):
            # Asked for again: the search of before has led the line back when it is over.
            before.stop()
            self.operations.wait_free(lane, FREE_WITHIN_S)
        self.operations.begin(finder)
        return finder

    def note_rates(self, lane: str, finder: "BaudSearch") -> None:
        """Keep in the record what the rates gave."""
        self.note(lane, "rates-tried", {"rates": finder.results})

    def settings_of(self, lane: str) -> LineSettings:
        """How a lane is set now."""
        return self._readers[lane].spec.settings

    def choose_dialect(self, lane: str, name: str) -> None:
        """From now on the device of a lane speaks this dialect."""
        with self._said_lock:
            self._said[lane] = replace(self._said[lane], dialect=name)
        self.note(lane, "dialect", {"name": name, "by": "chosen"})

    def intend(self, lane: str, settings: Mapping[str, str]) -> None:
        """How the settings of a lane's module are meant to be; `save_bench` keeps it."""
        with self._said_lock:
            self._said[lane] = replace(self._said[lane], intended=dict(settings))

    # The record and what is seen

    def note(self, lane: str, name: str, details: Mapping[str, Any]) -> None:
        """Keep an event of a lane in the record."""
        self._inbox.put(Event(self.clock.now(), lane, name, dict(details)))

    def mark(self, text: str, kind: str = NOTE) -> None:
        """Note something at this time, in the record and among the traffic."""
        self.note("", MARK, details_of(Mark(0, text, kind)))

    def reword(self, mark: Mark, text: str) -> None:
        """From now on a mark says something else; what it said stays in the record."""
        self.note("", REWORDED, {"moment": mark.moment, "text": text})

    def withdraw(self, mark: Mark) -> None:
        """A mark counts no more; it stays in the record."""
        self.note("", WITHDRAWN, {"moment": mark.moment})

    def listen(self, lane: str) -> FrameTap:
        """Hear what comes on a lane from now on, until `leave`."""
        return self._model.listen(lane)

    def tap(self, lane: str, listener: Callable[[Chunk], None]) -> Callable[[], None]:
        """Let somebody see what a lane receives as it comes, from the lane's own thread; gives what ends that."""
        return self._readers[lane].tap(listener)

    def leave(self, ear: FrameTap) -> None:
        """Hear no more."""
        self._model.leave(ear)

    def snapshot_of(self, lane: str) -> LaneSnapshot | None:
        """One lane as it was seen last."""
        return next((each for each in self.snapshot(lane).lanes if each.name == lane), None)

    def module_of(self, lane: str) -> "ModuleSnapshot | None":
        """What is known of the module of a lane."""
        return self._model.module_of(lane)

    def recognising(self, lane: str) -> bool:
        """Whether the module of a lane was recognised a moment ago, and is not yet spoken to in its dialect."""
        return lane in self._model.recognised

    def wait_for_news(self, seconds: float) -> None:
        """Wait until something was said on the lane of a module, at most so long."""
        with self._model.news:
            self._model.news.wait(seconds)

    def look(self, *lanes: str) -> None:
        """Ask for a picture, in which the named lanes are looked at closely; `seen` gives it a moment later."""
        self._decoder.look(lanes)

    def snapshot(self, *lanes: str) -> BenchSnapshot:
        """The newest picture, for whoever looks now and then; another one is asked for."""
        self.look(*lanes)
        return self.seen

    @property
    def seen(self) -> BenchSnapshot:
        """Everything as the decoder published it last."""
        writer, seen = self._writer, self._model.published
        capture = CaptureState("", 0, "")
        if writer is not None:
            left = tuple(f"{each.path} {each.why}" for each in writer.left)
            capture = CaptureState(str(writer.path), writer.size, writer.failure, writer.lost, left)
        return BenchSnapshot(
            bench=self.bench,
            now=seen.now or self._began,
            began=self._began,
            lanes=seen.lanes,
            capture=capture,
            replay=None,
            host_ahead_s=self.clock.host_ahead_ns() / SECOND,
            marks=seen.marks,
            trials=seen.trials,
            clock=seen.clock,
            chronicle=seen.chronicle,
            behind_s=self._decoder.behind_s,
            fault="; ".join(filter(None, (*self._recorder.faults.values(), self._decoder.fault))),
        )

    @property
    def undecoded(self) -> bool:
        """Whether its end was not waited for: the record is complete, the last picture is not."""
        return self._decoder.gave_up

    @property
    def eventful(self) -> bool:
        """Whether something goes on that people wait for: an operation, or a module that spoke since that picture."""
        return bool(self.operations.running) or self._model.unseen_news

    def fresh_snapshot(self) -> BenchSnapshot:
        """Everything as of now or later: waits a moment for the decoder, for whoever looks only now and then."""
        asked, end = self.clock.now(), monotonic() + FRESH_S
        while not self._stopping.is_set() and monotonic() < end and (self._model.published.now or 0) < asked:
            self.look()
            self._stopping.wait(LOOK_S)
        return self.seen

    def _passed(self) -> int:
        """Up to here everything has come that will ever come."""
        now = self.clock.now()
        passed = [reader.passed for reader in self._readers.values()]
        return min((each for each in passed if each is not None and now - each < STUCK_NS), default=now)
