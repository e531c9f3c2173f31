"""A live bench: opens the lanes, writes down every byte, then feeds it to the lanes.

    reader threads ──▶ inbox ──▶ recorder: capture ──▶ inbox ──▶ decoder: model ──▶ snapshot() for whoever looks

The screen is nowhere on this path: however slow it is, nothing waits for it. And the record does not wait for decoding:
a stream that is made to be slow to decode, or a fault of ours in a decoder, costs pictures, never bytes. Each thing has
one owner: a lane its reader's thread, the capture the recorder, the model the decoder.
"""

import contextlib
import os
import threading
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from time import monotonic
from typing import TYPE_CHECKING, Any, Final

from pale_heron import __version__
from pale_heron.bench.dialect_book import BEGUN, KEPT, DialectBook
from pale_heron.bench.finder import RateFinder
from pale_heron.bench.history import History
from pale_heron.bench.lines import Lines
from pale_heron.bench.model import Ear, Model
from pale_heron.bench.operations import Operations
from pale_heron.bench.placing import MARK_BYTES, Placer
from pale_heron.bench.snapshot import BenchSnapshot, CaptureState
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import SECOND, Chunk, Event
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.settings import LineSettings, settings_details, settings_of
from pale_heron.core.streams import Recognition
from pale_heron.core.trouble import Trouble, fault_words
from pale_heron.ports.address import LaneSpec, check_count
from pale_heron.ports.clock import StampClock
from pale_heron.ports.inbox import Handed, Inbox, Passed, Recorded
from pale_heron.ports.reader import Reader
from pale_heron.ports.sender import Sending

if TYPE_CHECKING:
    from pale_heron.core.module.tracker import ModuleSnapshot

TAKE_WAIT_S = 0.05
MARGIN_NS: Final = 120_000_000
"""Bytes may lie so long in a gatherer, those that were sent too: so much later it is certain that they do not come."""

STUCK_NS: Final = 2 * SECOND
"""A driver that says nothing for so long no longer keeps the others' time from passing."""

SYNC_S = 2.0
JOIN_S = 1.5
RECORD_S: Final = 10.0
DECODE_S: Final = 60.0
STEP_NS = SECOND // 2
PICTURE_NS: Final = SECOND // 15
AT_A_TIME: Final = 1 << 15
"""Between so many bytes somebody who looks may get a picture."""

RECORD_BYTES: Final = 128
"""A record takes as long as so many bytes, besides its own."""

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
        self._inbox = Inbox()
        self._recorded = Inbox(loss="skipped")
        self._faults: dict[str, str] = {}
        self._model = Model(book=DialectBook(Recognition.TOLD))
        for spec in specs:
            self._model.add(spec.name, spec.settings, role=spec.role, address=spec.address)
        self._model.publish(self._began)
        self._writer = writer = CaptureWriter(capture) if capture else None
        self._history = History(writer.path, lambda: writer.described) if writer else None
        self._lines = Lines(self._model.log, self._history)
        if self._writer:
            for spec in specs:
                self._writer.add_lane(spec.name, spec.address, spec.settings)
        self._readers = {spec.name: Reader(spec, self._inbox, self.clock) for spec in specs}
        self._said = {spec.name: spec for spec in specs}
        """What people said of each lane: its dialect, how its module is meant to be set. The rest is the reader's."""
        self._said_lock = threading.Lock()
        self._sendings: dict[str, list[Sending]] = {}
        self._step_ns = 0
        self._placer = Placer(self._model)
        self._mark_due = 0
        self._dialects_recorded: dict[str, Mapping[str, Any]] = {}
        self._dialects_told: dict[str, str] = {}
        self._looked = True
        self._stopping = threading.Event()
        self._all_recorded = threading.Event()
        self._threads = [
            threading.Thread(target=self._record, name="recorder", daemon=True),
            threading.Thread(target=self._decode, name="decoder", daemon=True),
            threading.Thread(target=self._sync, name="sync", daemon=True),
        ]

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
        for thread in self._threads:
            thread.start()
        for reader in self._readers.values():
            if reader.spec.dialect:
                self.note(reader.name, "dialect", {"name": reader.spec.dialect, "by": "chosen"})
            reader.start()

    def stop(self) -> list[str]:
        """End the lanes, then the record. Gives the names of lanes whose driver did not let go in time.

        Every wait here has a limit: a disk that hangs, or decoding that lags far behind, does not keep the program.
        """
        if self._stopping.is_set():
            return []
        self.operations.stop()
        readers = list(self._readers.values())
        for reader in readers:
            reader.stop()
        end = monotonic() + JOIN_S
        hanging = [reader.name for reader in readers if not reader.join(max(0.0, end - monotonic()))]
        self._stopping.set()
        recorder, *others = self._threads
        _join(recorder, RECORD_S)
        if self._writer and not recorder.is_alive():
            # What it owned is ours now.
            self._writer.close()
        for thread in others:
            _join(thread, DECODE_S)
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
            reader = Reader(spec, self._inbox, self.clock)
            # Others go through them meanwhile.
            self._readers = {**self._readers, spec.name: reader}
        reader.start()

    def change(self, lane: str, settings: LineSettings) -> None:
        """Set a lane; its events tell whether the driver took it."""
        self._readers[lane].change(settings)

    def send_break(self, lane: str) -> None:
        """Raises Trouble for a lane that only listens or is not open."""
        self._readers[lane].send_break()

    def send(self, lane: str, sending: Sending) -> None:
        """Send in turn. Raises Trouble for a lane that only listens or is not open."""
        self._readers[lane].send(sending)
        self._sendings[lane] = [*self.sendings(lane), sending]

    def sendings(self, lane: str) -> list[Sending]:
        """What is under way on a lane or repeated there."""
        return [each for each in self._sendings.get(lane, ()) if not each.over]

    def find_rate(self, lane: str, ask: bool) -> RateFinder:
        """Begin to try rates. Trouble where something would be sent on a lane that only listens, or one is busy."""
        finder = RateFinder(self._readers[lane], self.clock, ask)
        before = self.operations.on(lane)
        if isinstance(before, RateFinder):
            # Asked for again: the search of before has led the line back when it is over.
            before.stop()
            self.operations.wait_free(lane, FREE_WITHIN_S)
        self.operations.begin(finder)
        return finder

    def note_rates(self, lane: str, finder: RateFinder) -> None:
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

    def mark(self, text: str) -> None:
        """Note something at this time, in the record and among the traffic."""
        self.note("", "mark", {"text": text})

    def listen(self, lane: str) -> Ear:
        """Hear what comes on a lane from now on, until `leave`."""
        return self._model.listen(lane)

    def leave(self, ear: Ear) -> None:
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
        self._model.look(lanes)
        self._looked = True
        self._recorded.nudge()

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
            capture = CaptureState(str(writer.path), writer.size, writer.failure, writer.lost)
        return BenchSnapshot(
            bench=self.bench,
            now=seen.now or self._began,
            began=self._began,
            lanes=seen.lanes,
            capture=capture,
            replay=None,
            host_ahead_s=self.clock.host_ahead_ns() / SECOND,
            marks=seen.marks,
            fault="; ".join(self._faults.values()),
        )

    def fresh_snapshot(self) -> BenchSnapshot:
        """Everything as of now or later: waits a moment for the decoder, for whoever looks only now and then."""
        asked, end = self.clock.now(), monotonic() + FRESH_S
        while not self._stopping.is_set() and monotonic() < end and (self._model.published.now or 0) < asked:
            self.look()
            self._stopping.wait(LOOK_S)
        return self.seen

    # The recorder's thread

    def _record(self) -> None:
        """Everything from the readers into the capture, then on to the decoder."""
        ending = False
        while not ending:
            ending = self._stopping.is_set()
            passed = self._passed()
            kept: list[Handed] = []
            for record in self._inbox.take(TAKE_WAIT_S, self.clock.now()):
                self._keep(record, kept)
            try:
                step = self._clock_step()
                if step is not None:
                    self._keep(step, kept)
            except Exception as fault:
                self._tell_fault("watching the host's clock", fault)
            # All at once: the decoder is woken once for what came together.
            self._recorded.put_all([*kept, Passed(passed)])
        self._all_recorded.set()

    def _passed(self) -> int:
        """Up to here everything has come that will ever come."""
        now = self.clock.now()
        passed = [reader.passed for reader in self._readers.values()]
        return min((each for each in passed if each is not None and now - each < STUCK_NS), default=now)

    def _keep(self, record: Handed, kept: list[Handed]) -> None:
        """Into the capture, then to `kept` for the decoder. What goes wrong is told, and costs this record at most."""
        if not isinstance(record, Chunk | Event):
            return
        try:
            if isinstance(record, Event) and record.name == "dialect":
                record = self._with_table(record)
            if self._writer is not None:
                self._write(self._writer, record, kept)
        except Exception as fault:
            self._tell_fault("recording", fault)
        kept.append(record)

    def _tell_fault(self, doing: str, fault: Exception) -> None:
        self._faults[doing] = f"{doing}: {fault_words(fault)}"

    def _write(self, writer: CaptureWriter, record: Chunk | Event, kept: list[Handed]) -> None:
        if isinstance(record, Event) and record.name == "added":
            details = dict(record.details)
            writer.add_lane(record.lane, str(details["address"]), settings_of(details))
        if writer.size >= self._mark_due and not writer.failure:
            self._mark_due = writer.size + MARK_BYTES
            kept.append(Recorded(writer.size, record.time or 0))
        if isinstance(record, Chunk):
            writer.chunk(record)
        else:
            writer.event(record, comment=str(record.details.get("text", "")))
        gap = writer.taken_gap()
        if gap is not None:
            kept.append(gap)

    def _with_table(self, event: Event) -> Event:
        """A dialect with its tables, where the record has them not yet: a replay needs nothing that is installed."""
        from pale_heron.bench.dialects import table_of

        name = str(event.details["name"])
        table = table_of(name)
        if table is None or self._dialects_recorded.get(name) == table:
            return event
        self._dialects_recorded[name] = table
        return event._replace(details={**event.details, "table": table})

    def _clock_step(self) -> Event | None:
        """An event where somebody set the host's clock; the stamps do not follow it."""
        ahead = self.clock.host_ahead_ns()
        if abs(ahead - self._step_ns) <= STEP_NS:
            return None
        seconds, self._step_ns = (ahead - self._step_ns) / SECOND, ahead
        return Event(self.clock.now(), "", "clock-step", {"seconds": seconds})

    # The decoder's thread

    def _decode(self) -> None:
        """Everything recorded into the model. A fault of ours ends this, and is shown; the record goes on."""
        try:
            while True:
                ending = self._all_recorded.is_set()
                self._feed(self._recorded.take(TAKE_WAIT_S, self.clock.now()))
                self._tell_dialects()
                self._publish()
                if ending:
                    break
            self._model.finish()
            self._model.look(())
            self._model.publish(self.clock.now())
        except Exception as fault:
            # Whatever it is, the record must go on.
            self._faults["decoding"] = f"decoding ended, the record goes on: {fault_words(fault)}"

    def _feed(self, handed: Sequence[Handed]) -> None:
        """Records as many at a time as there are between two things that need their place among them."""
        batch: list[Chunk | Event] = []
        size, passed = 0, None
        for each in handed:
            if isinstance(each, Passed):
                # Behind all that was taken with it the last one says what the others said before.
                passed = each
            elif isinstance(each, Recorded):
                self._feed_batch(batch)
                place = self._placer.before(each.position, each.moment)
                if self._history is not None and place is not None:
                    self._history.note(place)
            else:
                batch.append(each)
                size += RECORD_BYTES + (len(each.data) if isinstance(each, Chunk) else 0)
                if size >= AT_A_TIME:
                    size = 0
                    self._feed_batch(batch)
                    self._publish()
        self._feed_batch(batch)
        if passed is not None:
            self._model.tick(passed.moment - MARGIN_NS)

    def _feed_batch(self, batch: list[Chunk | Event]) -> None:
        if batch:
            self._model.feed(*batch)
            batch.clear()

    def _publish(self) -> None:
        """A picture, where somebody has looked at the last one."""
        now, last = self.clock.now(), self._model.published.now
        if self._looked and (last is None or now - last >= PICTURE_NS):
            self._looked = False
            self._model.publish(now)

    def _tell_dialects(self) -> None:
        """What was recognised goes into the record; from there on it is spoken, live and on replay."""
        found = self._model.recognised
        for lane, name in found.items():
            if self._dialects_told.get(lane) != name:
                self.note(lane, "dialect", {"name": name, "by": "recognised"})
        self._dialects_told = found

    def _sync(self) -> None:
        """Ask the system now and then to bring the record to the disk, by a file of this thread's own."""
        if self._writer is None:
            return
        try:
            file = self._writer.second_file()
        except OSError:
            return
        while not self._stopping.wait(SYNC_S):
            try:
                os.fsync(file)
                self._faults.pop("sync", None)
            except OSError as problem:
                self._faults["sync"] = f"the disk does not take the record: {problem.strerror}"
        with contextlib.suppress(OSError):
            os.close(file)


def _join(thread: threading.Thread, seconds: float) -> None:
    """Wait for the end of a thread, if it was begun, at most so long."""
    if thread.ident is not None:
        thread.join(seconds)
