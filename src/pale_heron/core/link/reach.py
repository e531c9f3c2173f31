"""How far a link reaches: what was delivered, and how strong it came, by distance.

What became of each probe waits until the receiver has surely said where it was when the probe went out; where nobody
knows that, its distance is unknown, which is a bin of its own and never 0.
"""

import math
from collections import deque
from collections.abc import Callable
from typing import Final, NamedTuple, Protocol

from pale_heron.core.device.dialogue.reading_log import ReadingLog
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.earth.geodesy import offset_m
from pale_heron.core.gnss.epochs.log import Epoch, Epochs
from pale_heron.core.link.fates import DAMAGED, DELIVERED, LOST
from pale_heron.core.link.figures import wilson

FRESH_NS: Final = 5 * SECOND
"""Between two positions that lie no further apart than twice this, a probe has a distance."""

MOST_WAITING: Final = 20_000
MOST_CELLS: Final = 4096
MOST_POINTS: Final = 2000
ROWS: Final = 10
"""About so many bins are shown."""

UNKNOWN: Final = -1


class LaneHistory(Protocol):
    """What a lane has said over time."""

    @property
    def epochs(self) -> Epochs: ...

    def reading(self, name: str) -> ReadingLog | None: ...


Histories = Callable[[str], LaneHistory | None]


class Strength(NamedTuple):
    """What a module said of the strength of what came: its mean, least and most, in the unit of that reading."""

    samples: int
    mean: float
    least: float
    most: float


class RangeBin(NamedTuple):
    """From `low_m` to below `high_m`; both None where the distance is unknown. `bad_95`: what was not delivered."""

    low_m: float | None
    high_m: float | None
    settled: int
    delivered: int
    bad_95: tuple[float, float] | None
    strength: Strength | None


class RangePoint(NamedTuple):
    """Some probes in a row: when the first went out, where it was from the known point, in metres, and their fate."""

    time: int
    east_m: float
    north_m: float
    settled: int
    delivered: int
    strength: float | None

    @property
    def distance_m(self) -> float:
        return math.hypot(self.east_m, self.north_m)


class RangeSnapshot(NamedTuple):
    """`bins` from near to far, and the one of unknown distance behind them where something is in it."""

    way: str
    bins: tuple[RangeBin, ...]
    farthest_m: float | None
    """At which something was delivered."""
    first_outage_m: float | None
    """Where the first two in a row were not delivered."""
    points: tuple[RangePoint, ...]
    waiting: int = 0
    """So many more are settled, and the receiver has not said yet where they were."""


class _Cell:
    """What lies in one step of distance."""

    __slots__ = ("delivered", "least", "most", "samples", "settled", "total")

    def __init__(self) -> None:
        self.settled = self.delivered = self.samples = 0
        self.total, self.least, self.most = 0.0, math.inf, -math.inf

    def add(self, delivered: bool, strength: float | None) -> None:
        self.settled += 1
        self.delivered += delivered
        if strength is not None:
            self.samples += 1
            self.total += strength
            self.least, self.most = min(self.least, strength), max(self.most, strength)

    def join(self, other: "_Cell") -> None:
        self.settled += other.settled
        self.delivered += other.delivered
        self.samples += other.samples
        self.total += other.total
        self.least, self.most = min(self.least, other.least), max(self.most, other.most)

    def bin(self, low_m: float | None, high_m: float | None) -> RangeBin:
        strength = Strength(self.samples, self.total / self.samples, self.least, self.most) if self.samples else None
        bad = wilson(self.settled - self.delivered, self.settled)
        return RangeBin(low_m, high_m, self.settled, self.delivered, bad, strength)


class PlaceSource(NamedTuple):
    """Where the distance is counted from, and who says how far away: lanes of receivers, or a typed point (degrees).

    `strength` is a lane and the name of one of its readings.
    """

    position: str
    place: tuple[float, ...] = ()
    place_lane: str = ""
    strength: tuple[str, ...] = ()


class RangeCounter:
    """Of one way. Takes what became of each probe, in any order, and looks up where it was."""

    def __init__(self, way: str, source: PlaceSource, limit_ns: int) -> None:
        self._way = way
        self._source = source
        self._limit_ns = limit_ns
        self._waiting: deque[tuple[int, bool]] = deque()
        self._step_m = 1
        self._cells: dict[int, _Cell] = {}
        self._unknown = _Cell()
        self._farthest: float | None = None
        self._first_outage: float | None = None
        self._missed_at: float | None = None
        self._points: list[RangePoint] = []
        self._joined = 1
        """So many probes one point stands for."""
        self._point_fill = 0

    def settle(self, begin: int, result: str) -> None:
        """What became of a probe that went out at `begin`."""
        if result in (DELIVERED, DAMAGED, LOST):
            self._waiting.append((begin, result == DELIVERED))

    @property
    def waits(self) -> bool:
        """Whether something has no place yet."""
        return bool(self._waiting)

    def locate(self, now: int | None, histories: Histories) -> None:
        """Look up those of which by `now` everything was said that will be; all of them where that is None."""
        waiting = self._waiting
        while waiting and (now is None or len(waiting) > MOST_WAITING or self._is_known(*waiting[0], now, histories)):
            self._place(*waiting.popleft(), histories)

    def _is_known(self, begin: int, delivered: bool, now: int, histories: Histories) -> bool:
        """Whether nothing that is still to come can say where that was, or how strong it came."""
        source = self._source
        receivers = (source.position,) if source.place else (source.position, source.place_lane)
        if begin + 2 * FRESH_NS >= now and not all(_has_gone_on(histories(lane), begin) for lane in receivers):
            return False
        if not delivered or not source.strength or begin + self._limit_ns < now:
            return True
        return self._strength(begin, histories) is not None

    def _place(self, begin: int, delivered: bool, histories: Histories) -> None:
        source = self._source
        here = _where(histories(source.position), begin)
        there = source.place or _where(histories(source.place_lane), begin)
        strength = self._strength(begin, histories) if delivered else None
        if here is None or not there:
            self._unknown.add(delivered, strength)
            self._missed_at = None
            return
        east, north = offset_m(*here, *there)
        distance = math.hypot(east, north)
        self._cells.setdefault(int(distance / self._step_m), _Cell()).add(delivered, strength)
        while len(self._cells) > MOST_CELLS:
            self._coarser()
        if delivered:
            self._farthest = max(self._farthest or 0.0, distance)
            self._missed_at = None
        elif self._missed_at is None:
            self._missed_at = distance
        elif self._first_outage is None:
            self._first_outage = self._missed_at
        self._add_point(RangePoint(begin, east, north, 1, int(delivered), strength))

    def _strength(self, begin: int, histories: Histories) -> float | None:
        if not self._source.strength:
            return None
        lane, name = self._source.strength
        history = histories(lane)
        log = history.reading(name) if history is not None else None
        return log.first_since(begin, begin + self._limit_ns) if log is not None else None

    def _coarser(self) -> None:
        """Ten times the step: the bins stay whole multiples of it."""
        self._step_m *= 10
        old, self._cells = self._cells, {}
        for index, cell in old.items():
            self._cells.setdefault(index // 10, _Cell()).join(cell)

    def _add_point(self, point: RangePoint) -> None:
        if self._point_fill and self._point_fill < self._joined:
            self._points[-1] = _both(self._points[-1], point)
        else:
            self._point_fill = 0
            self._points.append(point)
        self._point_fill += 1
        if len(self._points) > MOST_POINTS:
            pairs = zip(self._points[::2], self._points[1::2], strict=False)
            left = self._points[len(self._points) // 2 * 2 :]
            self._points = [_both(one, other) for one, other in pairs] + left
            self._joined *= 2
            self._point_fill = self._joined if not left else self._joined // 2

    def snapshot(self) -> RangeSnapshot:
        """How it stands; what still waits for its place is not in it."""
        width = _bin_width((max(self._cells, default=0) + 1) * self._step_m, self._step_m)
        bins: dict[int, _Cell] = {}
        for index, cell in self._cells.items():
            bins.setdefault(index * self._step_m // width, _Cell()).join(cell)
        rows = [cell.bin(index * width, (index + 1) * width) for index, cell in sorted(bins.items())]
        if self._unknown.settled:
            rows.append(self._unknown.bin(None, None))
        return RangeSnapshot(
            self._way, tuple(rows), self._farthest, self._first_outage, tuple(self._points), len(self._waiting)
        )


def _has_gone_on(history: LaneHistory | None, moment: int) -> bool:
    """Whether an epoch began after a moment: what was said until then stands."""
    return history is not None and len(history.epochs.since(moment + 1)) > 0


def _where(history: LaneHistory | None, moment: int) -> tuple[float, float] | None:
    """The position at a moment, between the epochs before and behind it; None where these are too far, or had none.

    The last of all holds for FRESH_NS / 5: nobody knows where it went from there.
    """
    if history is None:
        return None
    epochs = history.epochs
    count = len(epochs)
    behind = count - len(epochs.since(moment + 1))
    before = _fix_of(epochs[behind - 1]) if behind else None
    after = _fix_of(epochs[behind]) if behind < count else None
    if before is None:
        return None
    if after is None or after[0] - before[0] > 2 * FRESH_NS:
        return before[1:] if moment - before[0] <= FRESH_NS // 5 else None
    share = (moment - before[0]) / (after[0] - before[0]) if after[0] > before[0] else 0.0
    # Over 180 degrees the short way round.
    turned = (after[2] - before[2] + 180) % 360 - 180
    longitude = (before[2] + share * turned + 180) % 360 - 180
    return before[1] + share * (after[1] - before[1]), longitude


def _fix_of(epoch: Epoch) -> tuple[int, float, float] | None:
    """When it came, and where it was."""
    if epoch.arrived is None or epoch.latitude is None or epoch.longitude is None:
        return None
    return epoch.arrived, epoch.latitude, epoch.longitude


def _both(one: RangePoint, other: RangePoint) -> RangePoint:
    """Two points in one, at the place and time of the first."""
    strengths = [each for each in (one.strength, other.strength) if each is not None]
    strength = sum(strengths) / len(strengths) if strengths else None
    return one._replace(
        settled=one.settled + other.settled, delivered=one.delivered + other.delivered, strength=strength
    )


def _bin_width(reach_m: float, step_m: int) -> int:
    """1, 2 or 5 times a power of ten, so that about ROWS of them reach so far; never less than a step."""
    wanted = max(reach_m / ROWS, step_m)
    power = 10 ** math.floor(math.log10(wanted))
    return next(int(factor * power) for factor in (1, 2, 5, 10) if factor * power >= wanted - 1e-9)
