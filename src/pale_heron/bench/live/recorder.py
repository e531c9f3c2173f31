"""Writes down everything that the lanes bring, then hands it on to be decoded.

One thread owns the capture. Another one asks the system now and then to bring it to the disk, by a file of its own.
"""

import contextlib
import os
import threading
from collections.abc import Callable, Mapping
from time import monotonic
from typing import Any, Final

from pale_heron.bench.scrollback.checkpoints import MARK_BYTES
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import SECOND, Chunk, Event
from pale_heron.core.line.settings import settings_of
from pale_heron.core.trouble import fault_words
from pale_heron.ports.clock import StampClock
from pale_heron.ports.queue import BoundedQueue, Handed, RecordMark, TimePassed

TAKE_WAIT_S: Final = 0.05
SYNC_S = 2.0
FILE_LOOK_S: Final = 2.0
RECORD_S: Final = 10.0
SYNC_ENDS_S: Final = 60.0
STEP_NS: Final = SECOND // 2


class Recorder:
    """From `inbox` into the capture of `writer` (None: no record), then to `onward`.

    `passed` says up to which moment everything has come that will ever come.
    """

    def __init__(
        self,
        inbox: BoundedQueue,
        onward: BoundedQueue,
        clock: StampClock,
        writer: CaptureWriter | None,
        passed: Callable[[], int],
    ) -> None:
        self._inbox = inbox
        self._onward = onward
        self._clock = clock
        self._writer = writer
        self._passed = passed
        self.faults: dict[str, str] = {}
        """What went wrong, by what was being done; replaced where it goes wrong again."""
        self.over = threading.Event()
        """Set when everything was handed on."""
        self._stopping = threading.Event()
        self._step_ns = 0
        self._mark_due = 0
        self._look_at = 0.0
        self._dialects_recorded: dict[str, Mapping[str, Any]] = {}
        self._thread = threading.Thread(target=self._run, name="recorder", daemon=True)
        self._syncer = threading.Thread(target=self._sync, name="sync", daemon=True)

    def start(self) -> None:
        self._thread.start()
        self._syncer.start()

    def end(self) -> None:
        """Take what still waits, and close the record; a disk that hangs is not waited for without limit."""
        self._stopping.set()
        join(self._thread, RECORD_S)
        if self._writer is not None and not self._thread.is_alive():
            # What it owned is ours now.
            self._writer.close()

    def let_go(self) -> None:
        """Wait for the end of what is still being brought to the disk, at most so long."""
        join(self._syncer, SYNC_ENDS_S)

    def _run(self) -> None:
        """Everything from the readers into the capture, then on to the decoder."""
        ending = False
        while not ending:
            ending = self._stopping.is_set()
            passed = self._passed()
            kept: list[Handed] = []
            if ending:
                # Once more, or a record that was taken away a moment before the end is lost without a word.
                self._look_at = 0.0
            self._look_at_file(kept)
            # What comes together is decoded together: a mark stands in front of it.
            self._mark_due = 0
            for record in self._inbox.take(TAKE_WAIT_S, self._clock.now()):
                self._keep(record, kept)
            try:
                step = self._clock_step()
                if step is not None:
                    self._keep(step, kept)
            except Exception as fault:
                self._tell_fault("watching the host's clock", fault)
            # All at once: the decoder is woken once for what came together.
            self._onward.put_all([*kept, TimePassed(passed)])
        self.over.set()

    def _look_at_file(self, kept: list[Handed]) -> None:
        """Now and then: whether the record is still there."""
        if self._writer is None or monotonic() < self._look_at:
            return
        self._look_at = monotonic() + FILE_LOOK_S
        try:
            moved = self._writer.look(self._clock.now())
        except Exception as fault:
            self._tell_fault("looking at the record", fault)
            return
        if moved is not None:
            kept.append(moved)

    def _keep(self, record: Handed, kept: list[Handed]) -> None:
        """Into the capture, then to `kept` for the decoder. A fault is reported, and costs this record at most."""
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
        self.faults[doing] = f"{doing}: {fault_words(fault)}"

    def _write(self, writer: CaptureWriter, record: Chunk | Event, kept: list[Handed]) -> None:
        if isinstance(record, Event) and record.name == "added":
            details = dict(record.details)
            writer.add_lane(record.lane, str(details["address"]), settings_of(details))
        if writer.size >= self._mark_due and not writer.failure:
            self._mark_due = writer.size + MARK_BYTES
            kept.append(RecordMark(writer.size, record.time or 0))
        if isinstance(record, Chunk):
            writer.chunk(record)
        else:
            writer.event(record, comment=str(record.details.get("text", "")))
        gap = writer.taken_gap()
        if gap is not None:
            kept.append(gap)

    def _with_table(self, event: Event) -> Event:
        """A dialect with its tables, where the record has them not yet: a replay needs nothing that is installed."""
        from pale_heron.bench.config.dialects import table_of

        name = str(event.details["name"])
        table = table_of(name)
        if table is None or self._dialects_recorded.get(name) == table:
            return event
        self._dialects_recorded[name] = table
        return event._replace(details={**event.details, "table": table})

    def _clock_step(self) -> Event | None:
        """An event where somebody set the host's clock; the stamps do not follow it."""
        ahead = self._clock.host_ahead_ns()
        if abs(ahead - self._step_ns) <= STEP_NS:
            return None
        seconds, self._step_ns = (ahead - self._step_ns) / SECOND, ahead
        return Event(self._clock.now(), "", "clock-step", {"seconds": seconds})

    def _sync(self) -> None:
        """Ask the system now and then to bring the record to the disk, by a file of this thread's own."""
        if self._writer is None:
            return
        while not self._stopping.wait(SYNC_S):
            try:
                # Of its own each time: the record may go on in another file.
                file = self._writer.second_file()
            except OSError:
                continue
            try:
                os.fsync(file)
                self.faults.pop("sync", None)
            except OSError as problem:
                self.faults["sync"] = f"the disk does not take the record: {problem.strerror}"
            finally:
                with contextlib.suppress(OSError):
                    os.close(file)


def join(thread: threading.Thread, seconds: float) -> None:
    """Wait for the end of a thread, if it was begun, at most so long."""
    if thread.ident is not None:
        thread.join(seconds)
