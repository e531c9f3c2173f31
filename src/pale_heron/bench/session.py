"""A live bench: opens the lanes, writes down every byte, then feeds it to the lanes.

    reader threads ──▶ inbox ──▶ recorder: capture ──▶ inbox ──▶ decoder: model ──▶ snapshot() for whoever looks

The screen is nowhere on this path: however slow it is, nothing waits for it. And the record does not wait for decoding:
a stream that is made to be slow to decode, or a fault of ours in a decoder, costs pictures, never bytes.
"""

import threading
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from pale_heron.bench.finder import RateFinder
from pale_heron.bench.history import SPACING_BYTES, History
from pale_heron.bench.lines import Lines
from pale_heron.bench.log import Entry
from pale_heron.bench.model import BenchSnapshot, CaptureState, Model
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import SECOND, Chunk, Event
from pale_heron.core.lane import Lane, LaneSnapshot
from pale_heron.core.line.settings import LineSettings, settings_details, settings_of
from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.clock import StampClock
from pale_heron.ports.inbox import Inbox, Recorded
from pale_heron.ports.reader import Reader
from pale_heron.ports.sender import Sending

if TYPE_CHECKING:
    from pale_heron.core.module.tracker import ModuleSnapshot

TAKE_WAIT_S = 0.05
TICK_MARGIN_NS = 250_000_000
"""Bytes may lie this long in a gatherer and the inbox; a pause is believed only when it is longer by so much."""

SYNC_S = 2.0
JOIN_S = 1.5
STEP_NS = SECOND // 2


class Session:
    """The lanes of `specs`, recorded to `capture` (None: no record)."""

    def __init__(self, bench: str, specs: Sequence[LaneSpec], capture: Path | None) -> None:
        """Begin the record. Raises Trouble where it cannot be written."""
        self.bench = bench
        self.clock = StampClock()
        self._began = self.clock.now()
        self._inbox = Inbox()
        self._recorded = Inbox(loss="skipped")
        self._fault = ""
        self._model = Model(Lane(spec.name, spec.settings, role=spec.role, address=spec.address) for spec in specs)
        self._writer = writer = CaptureWriter(capture) if capture else None
        self._history = History(writer.path, lambda: writer.described) if writer else None
        self._lines = Lines(self._model.log, self._history)
        if self._writer:
            for spec in specs:
                self._writer.add_lane(spec.name, spec.address, spec.settings)
        self._readers = {spec.name: Reader(spec, self._inbox, self.clock) for spec in specs}
        self._sendings: dict[str, list[Sending]] = {}
        self._step_ns = 0
        self._place_due = 0
        self._place_wanted = False
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
        """All lines since the begin."""
        return self._lines

    def start(self) -> None:
        """Open the lanes and run."""
        for thread in self._threads:
            thread.start()
        for reader in self._readers.values():
            if reader.spec.dialect:
                self.note(reader.name, "dialect", {"name": reader.spec.dialect})
            reader.start()

    def stop(self) -> list[str]:
        """End the lanes, then the record. Gives the names of lanes whose driver did not let go in time."""
        if self._stopping.is_set():
            return []
        for reader in self._readers.values():
            reader.stop()
        hanging = [reader.name for reader in self._readers.values() if not reader.join(JOIN_S)]
        self._stopping.set()
        for thread in self._threads:
            if thread.is_alive():
                thread.join()
        if self._writer:
            self._writer.close()
        return hanging

    def specs(self) -> list[LaneSpec]:
        """The lanes as they are set now."""
        return [reader.spec for reader in self._readers.values()]

    def add_lane(self, spec: LaneSpec) -> None:
        """Open one more lane. Raises Trouble where its nickname is taken."""
        if spec.name in self._readers:
            raise Trouble(f"There is a lane {spec.name!r} already", "Choose another nickname")
        details = {"address": spec.address, "role": spec.role, **settings_details(spec.settings)}
        self._inbox.put(Event(self.clock.now(), spec.name, "added", details))
        reader = self._readers[spec.name] = Reader(spec, self._inbox, self.clock)
        reader.start()

    def change(self, lane: str, settings: LineSettings) -> None:
        """Set a lane anew; its events tell whether the driver took it."""
        self._readers[lane].change(settings)

    def send_break(self, lane: str) -> None:
        """Raises Trouble for a lane that only listens."""
        self._readers[lane].send_break()

    def send(self, lane: str, sending: Sending) -> None:
        """Send in turn. Raises Trouble for a lane that only listens or is not open."""
        self._readers[lane].send(sending)
        self._sendings[lane] = [*self.sendings(lane), sending]

    def sendings(self, lane: str) -> list[Sending]:
        """What is under way on a lane or repeated there."""
        return [each for each in self._sendings.get(lane, ()) if not each.over]

    def find_rate(self, lane: str, ask: bool) -> RateFinder:
        """Begin to try rates. Raises Trouble where something would be sent on a lane that only listens."""
        finder = RateFinder(self._readers[lane], self.clock, ask)
        finder.start()
        return finder

    def note_rates(self, lane: str, finder: RateFinder) -> None:
        """Keep in the record what the rates gave."""
        self._inbox.put(Event(self.clock.now(), lane, "rates-tried", {"rates": finder.results}))

    def settings_of(self, lane: str) -> LineSettings:
        """How a lane is set now."""
        return self._readers[lane].spec.settings

    def snapshot_of(self, lane: str) -> LaneSnapshot | None:
        """One lane as of now."""
        return next((each for each in self._model.snapshots(self.clock.now()) if each.name == lane), None)

    def module_of(self, lane: str) -> "ModuleSnapshot | None":
        """What is known of the module of a lane."""
        return self._model.module_of(lane)

    def wait_for_news(self, seconds: float) -> None:
        """Wait until something was said on the lane of a module, at most so long."""
        with self._model.news:
            self._model.news.wait(seconds)

    def choose_dialect(self, lane: str, name: str) -> None:
        """From now on the device of a lane speaks this dialect."""
        self._readers[lane].know_dialect(name)
        self.note(lane, "dialect", {"name": name})

    def intend(self, lane: str, settings: Mapping[str, str]) -> None:
        """How the settings of a lane's module are meant to be; `save_bench` keeps it."""
        self._readers[lane].intend(settings)

    def note(self, lane: str, name: str, details: Mapping[str, Any]) -> None:
        """Keep an event of a lane in the record."""
        self._inbox.put(Event(self.clock.now(), lane, name, dict(details)))

    def entries_since(self, number: int) -> tuple[list[Entry], int]:
        """What came from a number on (-1: nothing), as far as it is still held, and the number for the next time."""
        log = self._model.log
        end = log.end
        first = end if number < 0 else max(number, log.begin)
        return [entry for place in range(first, end) if (entry := log.get(place)) is not None], end

    def mark(self, text: str) -> None:
        """Note something at this time, in the record and among the traffic."""
        self._inbox.put(Event(self.clock.now(), "", "mark", {"text": text}))

    def snapshot(self) -> BenchSnapshot:
        """Everything as of now."""
        now = self.clock.now()
        writer = self._writer
        capture = CaptureState(str(writer.path), writer.size, writer.failure) if writer else CaptureState("", 0, "")
        return BenchSnapshot(
            bench=self.bench,
            now=now,
            began=self._began,
            lanes=self._model.snapshots(now),
            capture=capture,
            replay=None,
            host_ahead_s=self.clock.host_ahead_ns() / SECOND,
            marks=self._model.marks,
            fault=self._fault,
        )

    def _record(self) -> None:
        """Everything from the readers into the capture, then on to the decoder."""
        try:
            ending = False
            while not ending:
                ending = self._stopping.is_set()
                taken = self._inbox.take(TAKE_WAIT_S, self.clock.now())
                step = self._clock_step()
                for record in [*taken, step] if step else taken:
                    if not isinstance(record, Recorded):
                        self._write(record)
                        self._recorded.put(record)
        except Exception as fault:
            # Whatever it is, it must be told, and the decoder must learn that nothing more comes.
            self._fault = f"recording ended: {type(fault).__name__}: {fault}"
        finally:
            self._all_recorded.set()

    def _write(self, record: Chunk | Event) -> None:
        writer = self._writer
        if writer is None:
            return
        if isinstance(record, Event) and record.name == "added":
            details = dict(record.details)
            writer.add_lane(record.lane, str(details["address"]), settings_of(details))
        if (writer.size >= self._place_due or self._place_wanted) and not writer.failure:
            self._place_wanted = False
            self._place_due = writer.size + SPACING_BYTES
            self._recorded.put(Recorded(writer.size, record.time or 0))
        if isinstance(record, Chunk):
            writer.chunk(record)
        else:
            writer.event(record, comment=str(record.details.get("text", "")))

    def _clock_step(self) -> Event | None:
        """An event where somebody set the host's clock; the stamps do not follow it."""
        ahead = self.clock.host_ahead_ns()
        if abs(ahead - self._step_ns) <= STEP_NS:
            return None
        seconds, self._step_ns = (ahead - self._step_ns) / SECOND, ahead
        return Event(self.clock.now(), "", "clock-step", {"seconds": seconds})

    def _decode(self) -> None:
        """Everything recorded into the model. A fault of ours ends this, and is shown; the record goes on."""
        try:
            asked = 0
            while True:
                ending = self._all_recorded.is_set()
                for record in self._recorded.take(TAKE_WAIT_S, self.clock.now()):
                    if not isinstance(record, Recorded):
                        self._model.feed(record)
                    elif self._history is not None:
                        self._history.note(self._model.place(*record))
                self._model.tick(self.clock.now() - TICK_MARGIN_NS)
                end = self._model.log.end
                if self._history is not None and self._history.wants_place(end, asked):
                    # Once for each: it takes a moment until it has come through the recorder.
                    self._place_wanted, asked = True, end
                if ending:
                    self._model.finish()
                    return
        except Exception as fault:
            # Whatever it is, the record must go on.
            self._fault = f"decoding ended, the record goes on: {type(fault).__name__}: {fault}"

    def _sync(self) -> None:
        while not self._stopping.wait(SYNC_S):
            if self._writer:
                self._writer.sync()
