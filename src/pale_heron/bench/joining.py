"""Two machines' captures as one, on the clock of the first: the times of the second are moved by what lies between."""

import heapq
from collections.abc import Callable, Iterator
from itertools import count
from pathlib import Path
from typing import Any, Final, NamedTuple

from pale_heron.bench.sources import Source
from pale_heron.capture.reader import CaptureReader, Record
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.clock.events import HOST_CLOCK, NETWORK_TIME, OTHER_CLOCK, PULSE, PULSE_SOURCE, PULSES_END
from pale_heron.core.frames import SECOND, Chunk, Event
from pale_heron.core.proof.joining import (
    JOINED,
    METHODS,
    ClockShift,
    JoinedBy,
    JoinWays,
    crossings,
    shift_of,
    ways_to_join,
)
from pale_heron.core.proof.machine_clock import MachineClock
from pale_heron.core.proof.marks import MARK_EVENTS, moment_of
from pale_heron.core.samples import Sample, Times
from pale_heron.core.trouble import Trouble

COMMENT: Final = "Two machines' captures on one clock. Every byte as it went over the lines: secrets are not masked."
CLOCKS: Final = frozenset({HOST_CLOCK, NETWORK_TIME})
"""What is said of the second machine's clock is not said of the one on which its times are then."""

PULSES_OF: Final = frozenset({PULSE, PULSE_SOURCE, PULSES_END})

NAMING: Final = ("lanes", "position", "place_lane", "strength", "through", "left_before", "ceilings")
"""Details of a trial that name lanes."""

TOLD_EVERY: Final = 5000


class OneWay(NamedTuple):
    """How long messages took one way, seconds, and how far that may be wrong because of the two clocks."""

    sender: str
    receiver: str
    times: Times
    uncertainty_s: float


class JoinPlan(NamedTuple):
    """How two captures are joined: by what, and how the lanes of each are called then."""

    by: JoinedBy
    possible: JoinWays
    shift: ClockShift
    unsure_ns: int
    """How far a time of the second may be wrong anywhere in it."""
    machines: tuple[str, str]
    names: tuple[dict[str, str], dict[str, str]]
    one_way: tuple[OneWay, ...]


class JoinCount(NamedTuple):
    """What was written."""

    records: int
    bytes: int


def plan_join(
    first: Path,
    second: Path,
    machines: tuple[str, str],
    method: str = "",
    progress: Callable[[float], None] = lambda _: None,
) -> JoinPlan:
    """Look at both; the surest way that nothing contradicts is taken, or the `method` that is asked for.

    Trouble where there is none.
    """
    (one, _), (other, span) = _evidence(first, progress), _evidence(second, progress)
    there = crossings(one.sent, Source(second).lines()) if one.sent else []
    back = crossings(other.sent, Source(first).lines()) if other.sent else []
    possible = ways_to_join(machines, (one, other), there, back)
    doubted = possible.doubted if not method else frozenset()
    wanted = [each for each in possible.ways if method in ("", each.method) and each.method not in doubted]
    if not wanted:
        raise _no_way(method, possible)
    names = _renamed(CaptureReader(first), CaptureReader(second), machines)
    shift, unsure = shift_of(wanted[0], possible.drift, span)
    one_way = tuple(_one_ways(shift, unsure, machines, there, back))
    return JoinPlan(wanted[0], possible, shift, unsure, machines, names, one_way)


def _no_way(method: str, found: JoinWays) -> Trouble:
    possible = ", ".join(each.method for each in found.ways) or "none"
    if method:
        return Trouble(f"The two captures do not tell of one clock by {METHODS[method]}", f"Possible is: {possible}")
    if found.ways:
        words = "; ".join(words for _, words in found.contradictions)
        return Trouble(
            f"What the captures say of their clocks contradicts itself: {words}", f"Choose by --by {possible}"
        )
    return Trouble(
        "Nothing in the two captures tells how far their clocks lie apart",
        "Have a receiver with a fix on both machines, send messages both ways while both record, "
        "or synchronise both hosts",
    )


def _evidence(path: Path, progress: Callable[[float], None]) -> tuple[MachineClock, tuple[int, int]]:
    """What it says of its clock, and the times of its first and last record."""
    source, found = Source(path), MachineClock()
    if not source.is_capture:
        raise Trouble(
            f"{source.name} is not a capture: nobody knows when its bytes came", "pale-heron record makes one"
        )
    for record in source.records():
        if isinstance(record, Event):
            found.heed(record)
    source = Source(path)
    for number, line in enumerate(source.lines()):
        if number % TOLD_EVERY == 0:
            progress(source.share)
        if not isinstance(line, Event):
            found.feed(line)
    return found, source.span or (0, 0)


def _renamed(
    first: CaptureReader, second: CaptureReader, machines: tuple[str, str]
) -> tuple[dict[str, str], dict[str, str]]:
    """The lanes of each under the names that they will have: with their machine's in front where they clash."""
    for reader in (first, second):
        for _ in reader.records():
            pass
    clash = first.lanes.keys() & second.lanes.keys()
    found: list[dict[str, str]] = []
    taken: set[str] = (first.lanes.keys() | second.lanes.keys()) - clash
    for reader, machine in zip((first, second), machines, strict=True):
        names = {}
        for lane in reader.lanes:
            names[lane] = _free(f"{machine}-{lane}", taken) if lane in clash else lane
            taken.add(names[lane])
        found.append(names)
    return found[0], found[1]


def _free(name: str, taken: set[str]) -> str:
    """That name, or with a number behind it where somebody has it."""
    return name if name not in taken else next(each for number in count(2) if (each := f"{name}{number}") not in taken)


def _one_ways(
    shift: ClockShift,
    unsure_ns: int,
    machines: tuple[str, str],
    there: list[tuple[int, int]],
    back: list[tuple[int, int]],
) -> Iterator[OneWay]:
    """One-way delays are as unsure as the clocks."""
    delays = (
        (machines, [(shift.moved(came) - left) / SECOND for left, came in there]),
        (machines[::-1], [(came - shift.moved(left)) / SECOND for left, came in back]),
    )
    for (sender, receiver), seconds in delays:
        sample = Sample()
        for each in seconds:
            sample.add(each)
        times = sample.times()
        if times is not None:
            yield OneWay(sender, receiver, times, unsure_ns / SECOND)


def join_captures(
    first: Path, second: Path, target: Path, plan: JoinPlan, progress: Callable[[float], None] = lambda _: None
) -> JoinCount:
    """Write the capture of both. Trouble where a file cannot be read or written; no file is left then."""
    writer = CaptureWriter(target, COMMENT)
    records = size = 0
    sides = (
        _MachineRecords(first, plan.machines[0], plan.names[0], None),
        _MachineRecords(second, plan.machines[1], plan.names[1], plan.shift),
    )
    whole = max(1, first.stat().st_size + second.stat().st_size)
    try:
        for side in sides:
            side.describe(writer)
        for number, record in enumerate(
            heapq.merge(*(side.records() for side in sides), key=lambda each: each.time or 0)
        ):
            if number == 0:
                writer.event(Event(record.time or 0, "", JOINED, joined_details(first, second, plan)))
            if number % TOLD_EVERY == 0:
                progress(sum(side.reader.position for side in sides) / whole)
            if isinstance(record, Chunk):
                writer.chunk(record)
                size += len(record.data)
            else:
                writer.event(record, comment=str(record.details.get("text", "")))
            records += 1
            if writer.failure:
                raise Trouble(f"{target} cannot be written: {writer.failure}", "Free some space")
    except Trouble:
        writer.close()
        target.unlink(missing_ok=True)
        raise
    writer.close()
    return JoinCount(records, size)


def joined_details(first: Path, second: Path, plan: JoinPlan) -> dict[str, Any]:
    """As the event in the capture holds it, and `join --json` prints it."""
    return {
        "captures": [first.name, second.name],
        "by": plan.by.method,
        "ahead_s": plan.by.ahead.middle / SECOND,
        "uncertainty_s": plan.unsure_ns / SECOND,
        "drift_ppm": round(1e6 * plan.shift.rate, 4) if plan.possible.drift is not None else None,
        "samples": plan.by.ahead.samples,
        "contradictions": [words for _, words in plan.possible.contradictions],
        "lanes": [list(names.values()) for names in plan.names],
    }


class _MachineRecords:
    """One of the two captures, under its new names and times."""

    def __init__(self, path: Path, machine: str, names: dict[str, str], shift: ClockShift | None) -> None:
        """`shift` is None for the first, whose times stay."""
        self._path = path
        self._machine = machine
        self._names = names
        self._shift = shift
        self.reader = CaptureReader(path)

    def _moved(self, time: int) -> int:
        return max(0, time if self._shift is None else self._shift.moved(time))

    def describe(self, writer: CaptureWriter) -> None:
        reader = CaptureReader(self._path)
        for _ in reader.records():
            pass
        for name, info in reader.lanes.items():
            writer.describe_lane(self._names[name], info.description, info.speed)

    def records(self) -> Iterator[Record]:
        for record in self.reader.records():
            moved = record._replace(time=self._moved(record.time or 0), lane=self._names.get(record.lane, record.lane))
            yield self._renamed(moved, record) if isinstance(moved, Event) and isinstance(record, Event) else moved

    def _renamed(self, event: Event, before: Event) -> Event:
        """What an event says of lanes and moments, under the new names and times."""
        details = dict(event.details)
        if event.name in MARK_EVENTS and "moment" in details:
            details["moment"] = self._moved(moment_of(before))
        if event.name in PULSES_OF:
            details["source"] = self._source(str(details.get("source", "")))
        for key in NAMING:
            if key in details:
                details[key] = self._called(details[key])
        if event.name in CLOCKS and self._shift is not None:
            return event._replace(name=OTHER_CLOCK, details={"machine": self._machine, "said": event.name, **details})
        return event._replace(details=details)

    def _source(self, source: str) -> str:
        """A source of pulses under the new name of its lane; one that is of no lane is of its machine."""
        kind, _, rest = source.partition(":")
        lane, colon, more = rest.partition(":")
        if lane in self._names:
            return f"{kind}:{self._names[lane]}{colon}{more}"
        return source if self._shift is None else f"{source} of {self._machine}"

    def _called(self, value: Any) -> Any:
        """The new name of a lane, of each of a list, or of the keys of a table; what is none stays."""
        if isinstance(value, str):
            return self._names.get(value, value)
        if isinstance(value, list):
            return [self._names.get(each, each) if isinstance(each, str) else each for each in value]
        if isinstance(value, dict):
            return {self._names.get(each, each): kept for each, kept in value.items()}
        return value
