"""The state that screens and summaries are drawn from: lanes and their traffic, fed with what was recorded."""

import pickle
import threading
import zlib
from collections.abc import Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Protocol, runtime_checkable

from pale_heron.bench.history import Place
from pale_heron.bench.log import CAPACITY, TrafficLog
from pale_heron.bench.speakers import Speakers
from pale_heron.core.frames import Chunk, Event, Frame
from pale_heron.core.lane import Lane, LaneSnapshot
from pale_heron.core.wire.visible import safe_label

if TYPE_CHECKING:
    from pale_heron.core.module.tracker import ModuleSnapshot

MOST_MARKS = 10_000


@dataclass(frozen=True, slots=True)
class CaptureState:
    """What becomes of the record. `path` is empty without one; `failure` says why it stopped."""

    path: str
    size: int
    failure: str


@dataclass(frozen=True, slots=True)
class BenchSnapshot:
    """Everything a view may show, as of `now`."""

    bench: str
    now: int
    began: int
    lanes: tuple[LaneSnapshot, ...]
    capture: CaptureState
    replay: "ReplayState | None"
    host_ahead_s: float
    marks: tuple[tuple[int, str], ...] = ()
    """What was noted, and when."""
    fault: str = ""
    """A fault of this program that ended decoding or recording, in words. Empty while all is well."""

    def lane(self, index: int) -> LaneSnapshot | None:
        """The lane of that place; None where there is none."""
        return self.lanes[index] if 0 <= index < len(self.lanes) else None


@dataclass(frozen=True, slots=True)
class ReplayState:
    """How a replay stands: `share` 0 to 1 of the file, `speed` times real time."""

    playing: bool
    speed: float
    share: float
    ended: bool
    torn: str
    seeking: bool
    begin: int
    """The first moment of the file."""
    end: int
    """The last one, as far as the file was looked through."""
    troubles: tuple[int, ...]
    """Moments of damage and trouble, one a second at most."""
    surveyed: bool
    """Whether the whole file was looked through."""


@runtime_checkable
class Player(Protocol):
    """What can be done with a replay, beside looking at it."""

    def toggle(self) -> None: ...

    def step(self) -> None: ...

    def faster(self, steps: int) -> None: ...

    def skip(self, seconds: float) -> None: ...

    def seek(self, moment: int) -> None: ...


class Model:
    """Lanes by nickname and the log of their traffic. Methods may be called from several threads."""

    def __init__(self, lanes: Iterable[Lane] = (), log_lines: int = CAPACITY, start: int = 0) -> None:
        """The first line will have the number `start`."""
        self._lock = threading.RLock()
        self.news = threading.Condition(self._lock)
        """Told whenever something was said on the lane of a module."""
        self._speakers = Speakers()
        self._lanes = {lane.name: lane for lane in lanes}
        self._marks: list[tuple[int, str]] = []
        self.log = TrafficLog(log_lines, start)

    def feed(self, record: Chunk | Event) -> list[Frame]:
        """Take what was recorded; gives the frames that became whole. A lane that is new is added."""
        with self._lock:
            lane = self._lanes.get(record.lane)
            if lane is None and record.lane:
                lane = self._lanes[record.lane] = Lane(record.lane)
            if isinstance(record, Event):
                frames = lane.event(record) if lane is not None else []
                if record.name == "dialect" and lane is not None:
                    self._speakers.choose(lane, str(record.details.get("name", "")))
                if record.name == "mark" and len(self._marks) < MOST_MARKS:
                    self._marks.append((record.time, safe_label(str(record.details.get("text", "")))))
                self.log.extend([*frames, record])
                return frames
            assert lane is not None, "a chunk names its lane"
            self._speakers.hear_sent(lane, record)
            known = lane.module is not None
            frames = lane.feed(record)
            self._speakers.recognise(lane, frames)
            if lane.module is not None and not known:
                # What it was recognised by is the first thing that it said.
                lane.module.feed(record)
            self.log.extend(frames)
            if lane.module is not None:
                self.news.notify_all()
            return frames

    def know(self, names: Iterable[str]) -> None:
        """Add the lanes that are not known yet, in this order."""
        with self._lock:
            for name in names:
                # Asked with every record: a lane is made only where there is none.
                if name not in self._lanes:
                    self._lanes[name] = Lane(name)

    def tick(self, now: int) -> None:
        """Let a pause end what was waiting for more bytes."""
        with self._lock:
            for lane in self._lanes.values():
                self.log.extend(lane.tick(now))
            self.news.notify_all()

    def finish(self) -> None:
        """The end of all streams."""
        with self._lock:
            for lane in self._lanes.values():
                self.log.extend(lane.finish())

    def place(self, position: int, moment: int) -> Place:
        """Where things stand before the record at a position of the capture."""
        with self._lock:
            framings = pickle.dumps({name: lane.framing for name, lane in self._lanes.items()})
            return Place(self.log.end, position, moment, framings)

    def saved(self) -> bytes:
        """The lanes as they stand, without the log; `restored` takes them up again."""
        with self._lock:
            return zlib.compress(pickle.dumps(self._lanes), 1)

    @classmethod
    def restored(cls, saved: bytes, start: int) -> "Model":
        """A model whose lanes stand as they were saved, by this program, in this run; its next line is `start`."""
        return cls(pickle.loads(zlib.decompress(saved)).values(), start=start)

    @property
    def marks(self) -> tuple[tuple[int, str], ...]:
        """What was noted since the begin."""
        return tuple(self._marks)

    def module_of(self, lane: str) -> "ModuleSnapshot | None":
        """What is known of the module of a lane."""
        with self._lock:
            found = self._lanes.get(lane)
            return found.module.snapshot() if found and found.module else None

    def snapshots(self, now: int | None) -> tuple[LaneSnapshot, ...]:
        """All lanes as of `now`."""
        with self._lock:
            return tuple(lane.snapshot(now) for lane in self._lanes.values())
