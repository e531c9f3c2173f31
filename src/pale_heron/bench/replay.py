"""A capture played again through the same core: at speed, paused, or from a moment on.

What a screen shows of a moment depends on everything before it. So a scout reads a large capture ahead and keeps the
state of the lanes every few minutes of it; a jump begins at the nearest such state before its moment.
"""

import threading
import time
from collections.abc import Iterator
from pathlib import Path

from pale_heron.bench.lines import Lines
from pale_heron.bench.model import BenchSnapshot, CaptureState, Model, ReplayState
from pale_heron.bench.scout import Kept, Scout
from pale_heron.capture.reader import CaptureReader, Record, is_capture, open_file, raw_chunks
from pale_heron.core.clock.own_time import OwnTime
from pale_heron.core.frames import SECOND, Chunk, Direction
from pale_heron.core.wire.framer import Framer

SPEEDS = (0.25, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 100.0, 1000.0)
POLL_S = 0.02


class Replay:
    """Plays one file. `at` (nanoseconds UTC) is run up to as fast as it goes; before the start it begins at once."""

    def __init__(self, path: Path, *, speed: float = 1.0, at: int | None = None, playing: bool = True) -> None:
        """Look at the file. Raises Trouble where it cannot be read."""
        self._path = path
        self._size = path.stat().st_size if path.exists() else 0
        self._reader = CaptureReader(path) if is_capture(path) else None
        self._speed = speed
        self._playing = playing
        self._target = at
        self._scout = Scout(path) if self._reader else None
        self._model = Model()
        self._lines = Lines(self._model.log, self._scout.history if self._scout else None)
        self._now = 0
        self._began = 0
        self._raw_read = 0
        self._ended = False
        self._step = False
        self._restart = False
        self._from: Kept | None = None
        self._anchor = time.monotonic()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="replay", daemon=True)

    @property
    def model(self) -> Model:
        return self._model

    @property
    def lines(self) -> Lines:
        """All lines of the file that were played or looked through."""
        if self._lines.log is not self._model.log:
            self._lines = Lines(self._model.log, self._scout.history if self._scout else None)
        return self._lines

    def start(self) -> None:
        self._thread.start()
        if self._scout:
            self._scout.start()

    def stop(self) -> list[str]:
        """End playing; nothing can hang here."""
        self._stop.set()
        if self._scout:
            self._scout.stop()
        if self._thread.is_alive():
            self._thread.join()
        return []

    @property
    def surveyed(self) -> bool:
        """Whether every jump can begin near its moment: the scout is through, or none is needed."""
        return self._scout is None or self._scout.done

    def toggle(self) -> None:
        """Play or pause; after the end, play again from the start."""
        if self._ended:
            self.seek(self._began)
            self._playing = True
        else:
            self._set_playing(not self._playing)

    def faster(self, steps: int) -> None:
        """Go up or down the list of speeds."""
        nearest = min(range(len(SPEEDS)), key=lambda place: abs(SPEEDS[place] - self._speed))
        self._set_playing(self._playing)
        self._speed = SPEEDS[max(0, min(len(SPEEDS) - 1, nearest + steps))]

    def step(self) -> None:
        """Take one record more, paused."""
        self._set_playing(False)
        self._step = True

    def seek(self, moment: int) -> None:
        """Go to a moment, from here or from the nearest state that was kept before it."""
        if self._ended and moment >= self._now:
            return
        nearest = self._scout.nearest(moment) if self._scout else None
        self._from = nearest
        self._restart = moment < self._now or (nearest is not None and nearest.moment > self._now)
        self._target = moment

    def skip(self, seconds: float) -> None:
        """Go forward or back by so many seconds."""
        self.seek(max(self._began, self._virtual_now() + int(seconds * SECOND)))

    def snapshot(self) -> BenchSnapshot:
        """Everything as of the moment being played."""
        now = self._virtual_now()
        reader, scout = self._reader, self._scout
        return BenchSnapshot(
            bench=self._path.stem,
            now=now,
            began=self._began,
            lanes=self._model.snapshots(now or None),
            capture=CaptureState(str(self._path), self._size, ""),
            replay=ReplayState(
                playing=self._playing and not self._ended,
                speed=self._speed,
                share=self._read / self._size if self._size else 1.0,
                ended=self._ended,
                torn=reader.torn if reader else "",
                seeking=self._target is not None,
                begin=self._began,
                end=max(self._now, scout.until.moment if scout else 0),
                troubles=scout.troubles if scout else (),
                surveyed=self.surveyed,
            ),
            host_ahead_s=0.0,
            marks=scout.marks if scout else (),
        )

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

    def _run(self) -> None:
        while True:
            self._restart = False
            self._play()
            while not self._restart:
                if self._stop.wait(POLL_S):
                    return
            start = self._from
            self._model = Model.restored(start.lanes, start.number) if start else Model()
            self._ended, self._now = False, start.moment if start else 0

    def _play(self) -> None:
        """Feed the file from where it is, each record when its time has come; ends early for a restart."""
        last = 0
        for record in self._records(self._from):
            moment = record.time or 0
            if not last:
                self._set_now(moment)
                self._began = self._began or moment
            last = max(last, moment)
            while not self._due(moment):
                if self._stop.wait(POLL_S) or self._restart:
                    return
                self._model.tick(self._virtual_now())
            if self._stop.is_set() or self._restart:
                return
            if self._reader is not None:
                self._model.know(self._reader.lanes)
            self._model.feed(record)
            if self._target is not None:
                self._set_now(max(self._now, moment))
        self._model.finish()
        self._set_now(last)
        self._target = None
        self._ended = True

    def _due(self, moment: int) -> bool:
        if self._target is not None:
            if moment <= self._target:
                return True
            self._set_now(max(self._now, self._target))
            self._target = None
        if self._step:
            self._step = False
            self._set_now(max(self._now, moment))
            return True
        return self._playing and moment <= self._virtual_now()

    def _records(self, start: Kept | None) -> Iterator[Record]:
        if self._reader is None:
            yield from self._retimed()
        elif start is not None:
            described = self._scout.until.described if self._scout else ()
            yield from self._reader.resume(start.position, described)
        else:
            self._reader = CaptureReader(self._path)
            yield from self._reader.records()

    @property
    def _read(self) -> int:
        """Bytes of the file gone through."""
        return self._raw_read if self._reader is None else self._reader.position

    def _retimed(self) -> Iterator[Record]:
        """A raw file, its frames given the times that its own sentences say."""
        own, framer, last = OwnTime(), Framer(self._path.name, Direction.IN), 1
        with open_file(self._path) as file:
            for chunk in raw_chunks(file, self._path.name):
                for frame in framer.feed(chunk):
                    last = max(last, own.read(frame) or last)
                    self._raw_read = frame.offset + len(frame.data)
                    yield Chunk(frame.lane, Direction.IN, last, frame.data)
