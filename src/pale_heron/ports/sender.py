"""Sends: one thread a lane, so that a line which takes nothing (flow control) never holds up reading."""

import contextlib
import queue
import re
import threading
import time
from collections.abc import Callable, Iterable
from dataclasses import replace

from pale_heron.core.frames import SECOND
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.trouble import fault_words
from pale_heron.ports.opening import StreamGone

SHORTEST_PIECE, LONGEST_PIECE, PIECE_S = 1024, 8192, 0.1
"""What is written in one go: what the line carries in so many seconds, within these bounds."""

LOOK_S = 0.1
STALLED_S = 2.0
HELD_S, HELD_BYTES = 0.4, 1024
"""A line that takes nothing for so long, and longer than it needs for so many bytes, is held: a driver hands a buffer
on before it takes more."""


class SendJob:
    """One thing to send, and how far it is. `every_s` sends it again so many seconds after it began.

    After each character is a pause of `char_delay_ms` at least, whatever the lane is set to. Where `secrets` stand in
    it they are shown nowhere, nor in what is made of the record.
    """

    def __init__(
        self,
        data: bytes,
        title: str = "",
        every_s: float | None = None,
        *,
        char_delay_ms: int = 0,
        secrets: Iterable[str] = (),
    ) -> None:
        self.data = data
        self.hidden = tuple(
            (found.start(), found.end() - found.start())
            for each in secrets
            if each
            for found in re.finditer(re.escape(each.encode("utf-8", "replace")), data)
        )
        """Where they stand: from which byte on, and how many."""
        self.title = title
        self.every_s = every_s
        self.char_delay_ms = char_delay_ms
        self.sent = 0
        self.times = 0
        self.stalled = False
        self.failure = ""
        self._stop = threading.Event()
        self._done = threading.Event()

    @property
    def total(self) -> int:
        return len(self.data)

    @property
    def over(self) -> bool:
        """Sent, stopped or failed."""
        return self._done.is_set()

    @property
    def stopped(self) -> bool:
        return self._stop.is_set()

    def stop(self) -> None:
        """Send no more of it."""
        self._stop.set()

    def end(self, failure: str = "") -> None:
        """It is over."""
        self.failure = failure
        self._done.set()

    def rest(self, seconds: float) -> None:
        """Wait, unless it is stopped."""
        self._stop.wait(seconds)


class Sender:
    """Takes what is to be sent and writes it at the pace that the settings ask for.

    `write` takes bytes, and whether nothing follows behind them, and gives how many went out; it raises Gone. `flush`
    lets it know that what was begun is not gone on with.
    """

    def __init__(
        self,
        name: str,
        write: Callable[[bytes, bool], int],
        flush: Callable[[], None],
        settings: Callable[[], LineSettings],
        failed: Callable[[str], None],
        held: Callable[[float | None], None] = lambda _: None,
        hide: Callable[[int, int], None] = lambda *_: None,
    ) -> None:
        """`held` is called with None when the line takes nothing, and with how many seconds that lasted.

        `hide` is told which of the bytes that follow are secret: behind how many others, and how many.
        """
        self._hide = hide
        self._write = write
        self._flush = flush
        self._settings = settings
        self._failed = failed
        self._held = held
        self._waiting: queue.SimpleQueue[SendJob] = queue.SimpleQueue()
        self._repeated: SendJob | None = None
        self._due = 0.0
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._run, name=f"sender {name}", daemon=True)

    def put(self, job: SendJob) -> None:
        """Send it, after what waits already. What is to be repeated takes the place of what was repeated before."""
        if not self._thread.is_alive():
            with contextlib.suppress(RuntimeError):
                self._thread.start()
        if job.every_s is not None and self._repeated is not None:
            self._repeated.stop()
        self._waiting.put(job)

    def end(self) -> None:
        """Send no more; what waits is dropped."""
        self._ended.set()

    def _run(self) -> None:
        while not self._ended.is_set():
            self._repeat()
            try:
                job = self._waiting.get(timeout=LOOK_S if self._repeated is None else 0.01)
            except queue.Empty:
                continue
            if job.every_s is not None:
                self._repeated = job
                self._due = time.monotonic()
            else:
                self._send(job)
                job.end(job.failure)
        self._end_all()

    def _end_all(self) -> None:
        """Whoever waits for a sending learns that it will not be sent."""
        if self._repeated is not None:
            self._repeated.end()
        with contextlib.suppress(queue.Empty):
            while True:
                self._waiting.get_nowait().end("the lane was ended")

    def _repeat(self) -> None:
        """Send once more what is to be repeated, when its time has come."""
        repeated = self._repeated
        if repeated is None:
            return
        if repeated.stopped or repeated.failure:
            repeated.end(repeated.failure)
            self._repeated = None
        elif time.monotonic() >= self._due:
            self._due = max(time.monotonic(), self._due + (repeated.every_s or 0.0))
            repeated.sent = 0
            self._send(repeated)

    def _send(self, job: SendJob) -> None:
        try:
            self._send_pieces(job)
        except Exception as fault:
            # Whatever it is, what waits behind it must still be sent.
            self._fail(job, fault_words(fault))

    def _send_pieces(self, job: SendJob) -> None:
        settings = self._settings()
        if job.char_delay_ms > settings.char_delay_ms:
            settings = replace(settings, char_delay_ms=job.char_delay_ms)
        for skip, count in job.hidden:
            self._hide(skip, count)
        pieces = _pieces(job.data, settings)
        for place, piece in enumerate(pieces, 1):
            last = place == len(pieces)
            if job.stopped or self._ended.is_set() or not self._put_out(piece, last, job):
                break
            delay = settings.char_delay_ms + settings.line_delay_ms * piece.endswith((b"\n", b"\r"))
            if delay:
                job.rest(delay / 1000)
        self._flush()
        job.times += 1

    def _put_out(self, piece: bytes, last: bool, job: SendJob) -> bool:
        """Write all of it, however long the other side takes; False where that cannot be."""
        settings, began, held = self._settings(), time.monotonic(), False
        after_s = HELD_S if settings.decorative else max(HELD_S, HELD_BYTES / settings.bytes_per_s)
        try:
            while piece and not job.stopped and not self._ended.is_set():
                count = self._write(piece, last)
                stood_s = time.monotonic() - began
                if count:
                    if held:
                        self._held(stood_s)
                    held = False
                    job.sent += count
                    piece = piece[count:]
                    began = time.monotonic()
                elif stood_s > after_s and not held:
                    held = True
                    self._held(None)
                job.stalled = time.monotonic() - began > STALLED_S
        except StreamGone as gone:
            return self._fail(job, str(gone))
        finally:
            if held:
                self._held(time.monotonic() - began)
        return True

    def _fail(self, job: SendJob, why: str) -> bool:
        job.failure = why
        self._failed(f"{job.sent} of {job.total} bytes were sent: {why}")
        return False


def _pieces(data: bytes, settings: LineSettings) -> list[bytes]:
    """What is written in one go: characters where each is followed by a pause, lines where each line is."""
    if settings.char_delay_ms:
        return [data[at : at + 1] for at in range(len(data))]
    if settings.line_delay_ms:
        return data.splitlines(keepends=True)
    carried = LONGEST_PIECE if settings.decorative else int(PIECE_S * settings.bytes_per_s)
    piece = max(SHORTEST_PIECE, min(LONGEST_PIECE, carried))
    return [data[at : at + piece] for at in range(0, len(data), piece)]


def seconds_for(data: bytes, settings: LineSettings) -> float:
    """How long sending takes, by rate and delays."""
    lines = data.count(b"\n")
    pauses = (len(data) * settings.char_delay_ms + lines * settings.line_delay_ms) / 1000
    return pauses + len(data) * settings.byte_ns / SECOND
