"""Reads a capture ahead of its replay and keeps the state of the lanes now and then, so that a jump can begin there.

It runs in a process of its own: the replay and the screen are not slowed down by it.
"""

import bisect
import contextlib
import multiprocessing
import os
import threading
from multiprocessing.connection import Connection
from pathlib import Path
from typing import NamedTuple

from pale_heron.bench.model import Model
from pale_heron.capture.reader import CaptureReader
from pale_heron.core.frames import SECOND

KEEP_NS = 300 * SECOND
"""Time of the capture between two states that are kept."""

MOST_KEPT = 400
LOG_LINES = 200
"""Lines of traffic that a scout's model holds; nobody looks at them."""


class Kept(NamedTuple):
    """The lanes as they stood before the record that begins at `position` of the file."""

    moment: int
    position: int
    lanes: bytes


class Scout:
    """Runs ahead through one capture from `start` to `stop`; `nearest` may be asked at any time."""

    def __init__(self, path: Path) -> None:
        self._kept: list[Kept] = []
        self._ours, theirs = multiprocessing.get_context("spawn").Pipe(duplex=False)
        self._process = multiprocessing.get_context("spawn").Process(
            target=_run_ahead, args=(path, theirs), name="scout", daemon=True
        )
        self._theirs = theirs
        self._thread = threading.Thread(target=self._collect, name="scout", daemon=True)

    def start(self) -> None:
        self._process.start()
        self._theirs.close()
        self._thread.start()

    def stop(self) -> None:
        """End it, wherever it is."""
        if self._process.is_alive():
            self._process.terminate()
        self._process.join()

    @property
    def done(self) -> bool:
        """Whether it has gone through the whole file."""
        return not self._thread.is_alive()

    def nearest(self, moment: int) -> Kept | None:
        """The latest state that was kept at or before a moment."""
        place = bisect.bisect_right(self._kept, moment, key=lambda kept: kept.moment)
        return self._kept[place - 1] if place else None

    def _collect(self) -> None:
        with contextlib.suppress(EOFError, OSError):
            while True:
                self._kept.append(Kept(*self._ours.recv()))


def _run_ahead(path: Path, out: Connection) -> None:
    """What the process does: feed the whole file, and send a state for every stretch of time."""
    os.nice(5)
    reader, model, last, spacing, sent = CaptureReader(path), Model(log_lines=LOG_LINES), 0, KEEP_NS, 0
    with contextlib.suppress(BrokenPipeError, KeyboardInterrupt):
        for record in reader.records():
            moment = record.time or 0
            if moment - last >= spacing and last:
                out.send((moment, reader.position, model.saved()))
                sent += 1
                if sent % MOST_KEPT == 0:
                    # A capture of weeks: wider steps, so that the states stay few.
                    spacing *= 2
            if not last or moment - last >= spacing:
                last = moment
            model.feed(record)
    out.close()
