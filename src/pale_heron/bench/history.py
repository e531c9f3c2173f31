"""Lines that are no longer in memory, read back from the capture by their numbers.

While a capture is written or played, a *place* is noted now and then: the number of the next line, where its record
begins in the file, and how both streams of each lane stood. From there the same framing gives the same lines again.
"""

import bisect
import pickle
import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import NamedTuple

from pale_heron.bench.log import Entry
from pale_heron.capture.reader import CaptureReader
from pale_heron.core.frames import SECOND, Event
from pale_heron.core.framing import Framing
from pale_heron.core.trouble import Trouble

SPACING_BYTES = 1 << 19
"""Bytes of the capture between two places: what is read and framed again at one go."""

SPACING_LINES = 4000
"""Lines between two places; well below what memory holds, so that nothing lies between the last place and memory."""

MOST_PLACES = 8192
CACHED = 6
TICK_NS = SECOND // 200
LATE_NS = 250_000_000
"""A pause is believed this late, as the session does: bytes may lie in a gatherer."""


class Place(NamedTuple):
    """`number` of the next line, `position` and `moment` of its record, and the lanes' framings, pickled."""

    number: int
    position: int
    moment: int
    framings: bytes


class Segment(NamedTuple):
    """The lines from `first` on, between two places."""

    first: int
    entries: list[Entry]


class History:
    """The lines of one capture. `described` gives where its describing blocks begin."""

    def __init__(self, path: Path, described: Callable[[], Sequence[int]]) -> None:
        self._path = path
        self._described = described
        self._places: list[Place] = []
        self._lock = threading.Lock()
        self._cache: OrderedDict[int, Segment] = OrderedDict()
        self._wanted: int | None = None
        self._reading = threading.Event()

    @property
    def begin(self) -> int | None:
        """The first number that can be read back; None before the first place."""
        return self._places[0].number if self._places else None

    @property
    def end(self) -> int:
        """Behind the last number that can be read back."""
        return self._places[-1].number if self._places else 0

    def wants_place(self, number: int, asked: int) -> bool:
        """Whether so many lines have come since the last place, and since one was asked for, that one is wanted."""
        return number - max(self.end, asked) >= SPACING_LINES

    def note(self, place: Place) -> None:
        """Keep a place; one that is not behind the last changes nothing."""
        with self._lock:
            if self._places and place.position <= self._places[-1].position:
                return
            self._places.append(place)
            if len(self._places) > MOST_PLACES:
                # A capture of many gigabytes: every second place goes, the first and the last stay.
                self._places = [*self._places[:-1:2], self._places[-1]]
                self._cache.clear()

    def number_at(self, moment: int) -> int | None:
        """The number of a line at or shortly before a moment; None where that is not in here."""
        with self._lock:
            at = bisect.bisect_right(self._places, moment, key=lambda place: place.moment) - 1
        if at < 0 or at + 1 >= len(self._places):
            return None
        segment = self.segment(self._places[at].number)
        if segment is None:
            return None
        return segment.first + bisect.bisect_right(segment.entries, moment, key=lambda entry: entry.time or 0)

    def get(self, number: int) -> Entry | None:
        """The line of that number, where it is at hand; else it is read, and there a little later."""
        at = self._at(number)
        if at is None:
            return None
        segment = self._cache.get(at)
        if segment is None:
            self._wanted = at
            if not self._reading.is_set():
                self._reading.set()
                threading.Thread(target=self._read_wanted, name="history", daemon=True).start()
            return None
        place = number - segment.first
        return segment.entries[place] if place < len(segment.entries) else None

    def segment(self, number: int) -> Segment | None:
        """All lines around a number, read from the file if need be; None where it cannot be read back."""
        at = self._at(number)
        if at is None:
            return None
        cached = self._cache.get(at)
        if cached is not None:
            return cached
        with self._lock:
            place, following = self._places[at], self._places[at + 1]
        segment = Segment(place.number, self._read(place, following))
        with self._lock:
            self._cache[at] = segment
            while len(self._cache) > CACHED:
                self._cache.popitem(last=False)
        return segment

    def _at(self, number: int) -> int | None:
        """The place before a number, if another one follows it."""
        with self._lock:
            at = bisect.bisect_right(self._places, number, key=lambda place: place.number) - 1
            return at if 0 <= at < len(self._places) - 1 else None

    def _read_wanted(self) -> None:
        try:
            while self._wanted is not None:
                at, self._wanted = self._wanted, None
                self.segment(self._places[at].number)
        finally:
            self._reading.clear()

    def _read(self, place: Place, following: Place) -> list[Entry]:
        """Frame again what lies between two places; as many lines as were counted there."""
        framings: dict[str, Framing] = pickle.loads(place.framings)
        reader = CaptureReader(self._path)
        entries: list[Entry] = []
        ticked = place.moment
        try:
            for record in reader.resume(place.position, self._described()):
                if reader.position >= following.position:
                    break
                moment = record.time or 0
                if moment - ticked > TICK_NS:
                    ticked = moment
                    entries += _ticked(framings, moment - LATE_NS)
                framing = framings.get(record.lane) or framings.setdefault(record.lane, Framing(record.lane))
                if isinstance(record, Event):
                    entries += [*framing.event(record), record]
                else:
                    entries += framing.feed(record)
        except Trouble:
            # The file was moved away: what is still known of it is empty.
            return []
        count = following.number - place.number
        if len(entries) < count:
            entries += _ticked(framings, following.moment)
        return entries[:count]


def _ticked(framings: dict[str, Framing], moment: int) -> list[Entry]:
    return [frame for framing in framings.values() for frame in framing.tick(moment)]
