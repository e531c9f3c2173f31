"""A capture played again through the same pipeline: at speed, paused, or from a moment on.

What a screen shows of a moment depends on everything before it. So an indexer reads a large capture ahead and keeps the
state of the lanes every few minutes of it; a jump begins at the nearest such state before its moment.

One thread owns the replay. Whoever wants something of it queues a command; commands are carried out in the order in
which they came, each from where the one before has led, so ten presses of a key go ten times as far as one. What there
is to see it publishes.
"""

import queue
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, Final

from pale_heron.bench.model import Model
from pale_heron.bench.pipeline import Record
from pale_heron.bench.replay.indexer import CaptureIndexer, LaneCheckpoint
from pale_heron.bench.scrollback.lines import Lines
from pale_heron.bench.snapshot import BenchSnapshot, CaptureState, ReplayState
from pale_heron.bench.sources import raw_frames
from pale_heron.capture.appending import append_events, last_moment
from pale_heron.capture.reader import CaptureReader, is_capture, open_file
from pale_heron.core.clock.own_time import OwnTime
from pale_heron.core.frames import SECOND, Event, Frame
from pale_heron.core.order import SLACK_NS
from pale_heron.core.proof.marks import MARK, NOTE, REWORDED, WITHDRAWN, Mark, details_of
from pale_heron.core.trouble import Trouble, fault_words
from pale_heron.files.user_folders import is_there

SPEEDS = (0.25, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 100.0, 1000.0)
POLL_S = 0.02
AT_A_TIME: Final = 512
"""Between so many records commands are looked for, and somebody who looks may get a picture."""

HURRIED: Final = 4096
"""The same on the way of a jump, where nobody looks at lines."""

SHOWN_BYTES: Final = 1 << 20
SHOWN_LEAST_NS: Final = 5 * SECOND
SHOWN_MOST_NS: Final = 60 * SECOND
"""So much of the file before the moment of a jump is read with its lines, in bytes, and no less and no more time."""

PICTURE_S: Final = 1 / 15


class Replay:
    """Plays one file. `at` (nanoseconds UTC) is run up to as fast as it goes; before the start it begins at once."""

    def __init__(self, path: Path, *, speed: float = 1.0, at: int | None = None, playing: bool = True) -> None:
        """Look at the file. Raises Trouble where it cannot be read."""
        self._path = path
        self._size = path.stat().st_size if is_there(path) else 0
        self._own = OwnTime()
        """Of a raw file: what its sentences say."""
        self._reader = CaptureReader(path) if is_capture(path) else None
        self._indexer = CaptureIndexer(path) if self._reader else None
        self._commands: queue.SimpleQueue[Callable[[], None]] = queue.SimpleQueue()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="replay", daemon=True)
        self._adding = threading.Lock()
        """Held while something is added to the end of the file, which takes a moment."""
        self._asked = 0
        """How many commands were queued."""
        # From here on what the thread owns.
        self._speed = speed
        self._playing = playing
        self._target = at
        self._now = 0
        self._began = 0
        self._anchor = time.monotonic()
        self._raw_read = 0
        self._last = 0
        self._ended = False
        self._failure = ""
        """Why it cannot be read on; empty while it can."""
        self._steps = 0
        """How many records are to be taken while it is paused."""
        self._obeyed = 0
        self._records: Iterator[Record] = iter(())
        self._next: Record | None = None
        self._looked = True
        self._pictured = 0.0
        self._model, self._lines = self._begin(None)
        self._shown = self._obeyed, self._picture()

    @property
    def model(self) -> Model:
        return self._model

    @property
    def lines(self) -> Lines:
        """All lines of the file that were played or looked through."""
        return self._lines

    def start(self) -> None:
        self._thread.start()
        if self._indexer:
            self._indexer.start()

    def stop(self) -> list[str]:
        """End playing; nothing can hang here."""
        self._stop.set()
        self._ask(lambda: None)
        if self._indexer:
            self._indexer.stop()
        if self._thread.is_alive():
            self._thread.join()
        return []

    @property
    def surveyed(self) -> bool:
        """Whether every jump can begin near its moment: the file was indexed, or needs no index."""
        return self._indexer is None or self._indexer.done

    def toggle(self) -> None:
        """Play or pause; after the end, play again from the start."""
        self._ask(self._toggle)

    def faster(self, steps: int) -> None:
        """Go up or down the list of speeds."""
        self._ask(lambda: self._change_speed(steps))

    def step(self) -> None:
        """Take one record more, paused."""
        self._ask(self._take_step)

    def seek(self, moment: int) -> None:
        """Go to a moment, from here or from the nearest state that was kept before it."""
        self._ask(lambda: self._go_to(moment))

    def skip(self, seconds: float) -> None:
        """Go forward or back by so many seconds, from where commands of before will have led."""
        self._ask(lambda: self._skip(int(seconds * SECOND)))

    def mark(self, text: str, kind: str = NOTE) -> None:
        """Note something of the moment that is shown, at the end of the file. Trouble where that cannot be."""
        moment = self.seen.now
        self._add(lambda end: (MARK, details_of(Mark(moment, text, kind), end)))

    def reword(self, mark: Mark, text: str) -> None:
        """From now on a mark says something else; what it said stays in the file."""
        self._add(lambda _: (REWORDED, {"moment": mark.moment, "text": text}))

    def withdraw(self, mark: Mark) -> None:
        """A mark counts no more; it stays in the file."""
        self._add(lambda _: (WITHDRAWN, {"moment": mark.moment}))

    def _add(self, said: Callable[[int], tuple[str, dict[str, Any]]]) -> None:
        if self._indexer is None:
            raise Trouble("Raw bytes hold no marks", "pale-heron record makes captures, which do")
        if not self._indexer.done:
            raise Trouble("The capture is still being looked through", "Note it in a moment")
        with self._adding:
            end = last_moment(self._path)
            event = Event(end, "", *said(end))
            append_events(self._path, [event])
            self._size = self._path.stat().st_size
            self._indexer.heed(event)
        self._looked = True

    @property
    def eventful(self) -> bool:
        """Whether it plays, or is on its way somewhere."""
        way = self._target is not None or self._shown[0] != self._asked
        return way or (self._playing and not self._ended)

    def look(self, *lanes: str) -> None:
        """Ask for a picture, in which the named lanes are looked at closely; `seen` gives it a moment later."""
        self._model.look(lanes)
        self._looked = True

    def snapshot(self, *lanes: str) -> BenchSnapshot:
        """The newest picture, for whoever looks now and then; another one is asked for."""
        self.look(*lanes)
        return self.seen

    @property
    def seen(self) -> BenchSnapshot:
        """Everything as of the moment being played, as it was published last."""
        obeyed, seen = self._shown
        if obeyed != self._asked and seen.replay is not None:
            # What was asked for since does not show yet.
            return seen._replace(replay=seen.replay._replace(seeking=True))
        return seen

    def _ask(self, command: Callable[[], None]) -> None:
        """Queue a command; any thread may."""
        self._asked += 1
        self._commands.put(command)

    # What follows runs in the replay's own thread

    def _run(self) -> None:
        more = True
        while not self._stop.is_set():
            try:
                self._obey(wait=not more)
                more = self._play_on()
            except Exception as fault:
                # A disk that fails, a file that went away: it stands where it is, says so, and can be led elsewhere.
                more = False
                self._stand_still(fault)
            self._publish()

    def _stand_still(self, fault: Exception) -> None:
        """It cannot be read on here."""
        self._failure = f"it cannot be read on: {fault.strerror}" if isinstance(fault, OSError) else fault_words(fault)
        self._ended, self._target, self._next, self._records = True, None, None, iter(())
        self._set_playing(False)

    def _obey(self, *, wait: bool) -> None:
        """Carry out what was asked for; `wait` a moment for it where nothing else is to be done."""
        try:
            while True:
                self._commands.get(block=wait, timeout=POLL_S)()
                self._obeyed += 1
                wait = False
        except queue.Empty:
            return

    def _toggle(self) -> None:
        if self._ended:
            self._go_to(self._began)
            self._playing = True
        else:
            self._set_playing(not self._playing)

    def _change_speed(self, steps: int) -> None:
        nearest = min(range(len(SPEEDS)), key=lambda place: abs(SPEEDS[place] - self._speed))
        self._set_playing(self._playing)
        self._speed = SPEEDS[max(0, min(len(SPEEDS) - 1, nearest + steps))]

    def _take_step(self) -> None:
        self._set_playing(False)
        self._steps += 1

    def _skip(self, nanoseconds: int) -> None:
        begin = self._virtual_now() if self._target is None else self._target
        self._go_to(max(self._began, begin + nanoseconds))

    def _go_to(self, moment: int) -> None:
        failed, self._failure = bool(self._failure), ""
        if self._ended and moment >= self._now and not failed:
            return
        nearest = self._indexer.nearest(moment) if self._indexer else None
        if failed or moment < self._now or (nearest is not None and nearest.moment > self._now):
            self._model, self._lines = self._begin(nearest)
        # Steps that were not taken yet would have led to before it.
        self._target, self._steps = moment, 0

    def _begin(self, kept: LaneCheckpoint | None) -> tuple[Model, Lines]:
        """Stand at the start of the file, or at a state that was kept."""
        if kept is not None:
            model = Model.restored(kept.lanes, kept.number)
        else:
            model = Model()
            if self._reader is None:
                model.add(self._path.name, raw=True)
        self._records = self._records_from(kept)
        self._next = None
        self._ended, self._steps = False, 0
        self._now = self._last = kept.moment if kept else 0
        self._anchor = time.monotonic()
        return model, self._lines_of(model)

    def _lines_of(self, model: Model) -> Lines:
        return Lines(model.log, self._indexer.history if self._indexer else None)

    def _virtual_now(self) -> int:
        """The moment being played, in the time of the capture."""
        if not self._playing or self._ended or self._target is not None or not self._now:
            return self._now
        return self._now + int((time.monotonic() - self._anchor) * self._speed * SECOND)

    def _set_now(self, moment: int) -> None:
        self._now = moment
        self._anchor = time.monotonic()

    def _set_playing(self, playing: bool) -> None:
        self._set_now(self._virtual_now())
        self._playing = playing

    def _play_on(self) -> bool:
        """Feed what is due, up to AT_A_TIME records; whether there is more to do at once."""
        if self._ended:
            return False
        batch: list[Record] = []
        most = HURRIED if self._hurries else AT_A_TIME
        while len(batch) < most:
            record = self._next if self._next is not None else next(self._records, None)
            self._next = record
            if record is None:
                self._feed(batch)
                self._end()
                return False
            moment = record.time or 0
            if not self._now and moment:
                self._set_now(moment)
                self._began = self._began or moment
            if not self._due(moment):
                break
            self._last = max(self._last, moment)
            batch.append(record)
            self._next = None
        self._feed(batch)
        return len(batch) == most

    @property
    def _hurries(self) -> bool:
        """Whether a jump leads so far that nobody will look at the lines that are next."""
        if self._reader is None or self._target is None or self._size - self._reader.position < SHOWN_BYTES:
            return False
        return self._last < self._target - self._shown_ns()

    def _shown_ns(self) -> int:
        """So much before the moment of a jump lines are wanted too: what is about SHOWN_BYTES of the file."""
        assert self._reader is not None, "asked of captures alone"
        passed, read = self._last - self._began, self._reader.position
        return max(SHOWN_LEAST_NS, min(SHOWN_MOST_NS, passed * SHOWN_BYTES // max(1, read)))

    def _feed(self, batch: list[Record]) -> None:
        if self._reader is not None:
            self._model.know(self._reader.lanes)
        if batch and self._hurries:
            self._model.hurry(*batch)
            self._set_now(max(self._now, self._last))
            return
        if batch:
            self._model.feed(*batch)
        if self._lines.log is not self._model.log:
            self._lines = self._lines_of(self._model)
        following = self._next.time if self._next is not None else None
        if following is not None and not self._ended:
            # Records may stand a little out of the order of their times.
            self._model.tick(min(self._virtual_now(), following) - 2 * SLACK_NS)
        if self._target is not None:
            self._set_now(max(self._now, self._last))

    def _end(self) -> None:
        self._model.finish()
        if self._lines.log is not self._model.log:
            self._lines = self._lines_of(self._model)
        self._set_now(max(self._now, self._last))
        self._target = None
        self._ended = True

    def _due(self, moment: int) -> bool:
        if self._target is not None:
            if moment <= self._target:
                return True
            self._set_now(max(self._now, self._target))
            self._target = None
        if self._steps:
            self._steps -= 1
            self._set_now(max(self._now, moment))
            return True
        return self._playing and moment <= self._virtual_now()

    def _publish(self) -> None:
        """A picture, where somebody has looked at the last one or has asked for something since."""
        asked_for = self._looked or self._obeyed != self._shown[0]
        if asked_for and time.monotonic() - self._pictured >= PICTURE_S:
            self._looked = False
            self._pictured = time.monotonic()
            self._shown = self._obeyed, self._picture()

    def _picture(self) -> BenchSnapshot:
        now = self._virtual_now()
        self._model.publish(now or None)
        reader, indexer = self._reader, self._indexer
        return BenchSnapshot(
            bench=self._path.stem,
            now=now,
            began=self._began,
            lanes=self._model.published.lanes,
            capture=CaptureState(str(self._path), self._size, ""),
            replay=ReplayState(
                playing=self._playing and not self._ended,
                speed=self._speed,
                share=self._read / self._size if self._size else 1.0,
                ended=self._ended,
                torn=self._failure or (reader.torn if reader else ""),
                seeking=self._target is not None,
                begin=self._began,
                end=max(self._now, indexer.until.moment if indexer else 0),
                troubles=indexer.troubles if indexer else (),
                surveyed=self.surveyed,
            ),
            host_ahead_s=0.0,
            marks=indexer.marks if indexer else (),
            trials=self._model.published.trials,
            clock=self._model.published.clock,
            chronicle=self._model.published.chronicle,
            fault=indexer.failure if indexer else "",
            dated=reader is not None or self._own.dated,
        )

    @property
    def _read(self) -> int:
        """Bytes of the file gone through."""
        return self._raw_read if self._reader is None else self._reader.position

    def _records_from(self, start: LaneCheckpoint | None) -> Iterator[Record]:
        if self._reader is None:
            yield from self._raw()
        elif start is not None:
            described = self._indexer.until.described if self._indexer else ()
            yield from self._reader.resume(start.position, described)
        else:
            self._reader = CaptureReader(self._path)
            yield from self._reader.records()

    def _raw(self) -> Iterator[Frame | Event]:
        """The frames of a raw file, with the times that its own sentences say."""
        with open_file(self._path) as file:
            self._own = OwnTime()
            for frame in raw_frames(file, self._path.name, self._own):
                if isinstance(frame, Frame):
                    self._raw_read = frame.offset + len(frame.data)
                yield frame
