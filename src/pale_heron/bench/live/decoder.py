"""Feeds what was recorded to the model, and makes pictures of it for whoever asks.

One thread owns the model. The record does not wait for it: a stream that is slow to decode costs pictures, never bytes.
"""

import threading
from collections.abc import Callable, Mapping, Sequence
from typing import Any, Final

from pale_heron.bench.live.recorder import TAKE_WAIT_S, join
from pale_heron.bench.model import Model
from pale_heron.bench.scrollback.checkpoints import CheckpointPlacer
from pale_heron.bench.scrollback.read_back import ReadBack
from pale_heron.capture.writer import MOVED
from pale_heron.core.frames import SECOND, Chunk, Event
from pale_heron.core.trouble import fault_words
from pale_heron.ports.clock import StampClock
from pale_heron.ports.queue import BoundedQueue, Handed, RecordMark, TimePassed

MARGIN_NS: Final = 120_000_000
"""Bytes may lie so long in a coalescer, those that were sent too: so much later it is certain that they do not come."""

DECODE_S: Final = 60.0
CATCH_UP_S: Final = 0.5
"""The last moment is decoded where that takes no longer, whether or not somebody needs the whole."""

GIVE_UP_S: Final = 5.0
"""A batch that is being decoded is not broken off."""

PICTURE_NS: Final = SECOND // 15
AT_A_TIME: Final = 512 << 10
"""Between so many bytes somebody who looks may get a picture."""

LEAST_PARTED: Final = 400 << 10
"""What came together is not parted for a mark before so many bytes: there will be another one soon."""

GATHERED_NS: Final = 200_000_000
MANY_BYTES_PER_S: Final = 400_000
"""Where more comes, what came within GATHERED_NS is decoded together: that costs half as much as each by itself."""

RECORD_BYTES: Final = 128
"""A record takes as long as so many bytes, besides its own."""


MOST_FAULTS: Final = 100
"""With more than so many faults decoding ends: what it shows would be no picture of the record any more."""

BEHIND_NS: Final = SECOND
"""Decoding that lags by more is said to."""


class Decoder:
    """From `inbox` into the model, until `over` is set and nothing waits. `note` keeps an event in the record."""

    def __init__(
        self,
        inbox: BoundedQueue,
        model: Model,
        history: ReadBack | None,
        clock: StampClock,
        over: threading.Event,
        note: Callable[[str, str, Mapping[str, Any]], None],
    ) -> None:
        self._inbox = inbox
        self._model = model
        self._history = history
        self._clock = clock
        self._over = over
        self._note = note
        self.fault = ""
        """What could not be decoded, or why decoding ended; empty while all is well."""
        self._faults = 0
        self.behind_s = 0.0
        """How far what is shown lies behind what was received, in seconds; 0 while decoding keeps up."""
        self._taken = 0
        """When something was last taken to be decoded."""
        self._until = 0
        """Up to this moment everything is decoded."""
        self._given_up = threading.Event()
        self._whole = False
        self._placer = CheckpointPlacer(model)
        self._dialects_noted: dict[str, str] = {}
        self._looked = True
        self._thread = threading.Thread(target=self._run, name="decoder", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def let_go(self, *, whole: bool) -> None:
        """Wait for its end, at most so long; where not the `whole` is needed, what still waits is not decoded."""
        join(self._thread, DECODE_S if whole else CATCH_UP_S)
        self._given_up.set()
        join(self._thread, GIVE_UP_S)

    @property
    def gave_up(self) -> bool:
        """Whether it ended before everything was decoded."""
        return self._given_up.is_set() and not self._whole

    def look(self, lanes: Sequence[str]) -> None:
        """Ask for a picture, in which the named lanes are looked at closely; the model publishes it a moment later."""
        self._model.look(lanes)
        self._looked = True
        self._inbox.nudge()

    def _run(self) -> None:
        """Everything recorded into the model. A fault of ours costs what it hits, and is shown; the record goes on."""
        try:
            while True:
                ending = self._over.is_set()
                handed = self._inbox.take(TAKE_WAIT_S, self._clock.now())
                before, taken = self._taken, self._clock.now()
                self._taken = taken
                self._feed(handed)
                if self._given_up.is_set():
                    return
                self._until = taken
                self._tell_dialects()
                self._publish()
                if ending:
                    break
                self._gather(handed, taken - before)
            self._model.finish()
            self._model.look(())
            self._model.publish(self._clock.now())
            self._whole = True
        except Exception as fault:
            # Whatever it is, the record must go on.
            self.fault = f"decoding ended, the record goes on: {fault_words(fault)}"

    def _gather(self, handed: Sequence[Handed], passed: int) -> None:
        """Where much came in the time that passed, let more come together, unless somebody waits for an answer."""
        size = sum(len(each.data) for each in handed if isinstance(each, Chunk))
        if size * SECOND > MANY_BYTES_PER_S * passed and not self._model.awaited:
            self._given_up.wait(max(0, self._taken + GATHERED_NS - self._clock.now()) / SECOND)

    def _feed(self, handed: Sequence[Handed]) -> None:
        """Records as many at a time as there are between two things that need their place among them."""
        batch: list[Chunk | Event] = []
        size, passed = 0, None
        for each in handed:
            if self._given_up.is_set():
                return
            if isinstance(each, TimePassed):
                # Behind all that was taken with it the last one says what the others said before.
                passed = each
            elif isinstance(each, RecordMark):
                if 0 < size < LEAST_PARTED or not self._placer.is_due(each.position, each.moment):
                    continue
                self._feed_batch(batch)
                size = 0
                place = self._placer.before(each.position, each.moment)
                if self._history is not None and place is not None:
                    self._history.note(place)
            else:
                if isinstance(each, Event) and each.name == MOVED and self._history is not None:
                    self._feed_batch(batch)
                    self._history.forget()
                batch.append(each)
                size += RECORD_BYTES + (len(each.data) if isinstance(each, Chunk) else 0)
                if size >= AT_A_TIME:
                    size = 0
                    self._feed_batch(batch)
                    self._until = max(self._until, each.time or 0)
                    self._publish()
        self._feed_batch(batch)
        if passed is not None:
            self._model.tick(passed.moment - MARGIN_NS)

    def _feed_batch(self, batch: list[Chunk | Event]) -> None:
        """What cannot be decoded is left out, and said; it goes on behind it, up to so many times."""
        if not batch:
            return
        try:
            self._model.feed(*batch)
        except Exception as fault:
            self._faults += 1
            if self._faults > MOST_FAULTS:
                raise
            left = f"{self._faults} times" if self._faults > 1 else "once"
            self.fault = f"something could not be decoded, {left}; the record has it: {fault_words(fault)}"
        batch.clear()

    def _publish(self) -> None:
        """A picture, where somebody has looked at the last one."""
        now = self._clock.now()
        behind = now - self._until
        if behind > BEHIND_NS:
            # A picture of then: what is not decoded yet is no silence.
            self.behind_s, now = behind / SECOND, self._until
        else:
            self.behind_s = 0.0
        last = self._model.published.now
        if self._looked and (last is None or now - last >= PICTURE_NS):
            self._looked = False
            self._model.publish(now)

    def _tell_dialects(self) -> None:
        """What was recognised goes into the record; from there on it is spoken, live and on replay."""
        found = self._model.recognised
        for lane, name in found.items():
            if self._dialects_noted.get(lane) != name:
                self._note(lane, "dialect", {"name": name, "by": "recognised"})
        self._dialects_noted = found
