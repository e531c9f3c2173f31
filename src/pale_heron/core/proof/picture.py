"""All lanes on one axis of time: what a screen and a drawing show of the same stretch, column by column.

bytes received and sent a second · level of the fix · C/N0 · readings of modules · what was delivered · pulses
and above them what happened: marks, starts, outages, restarts, orders, trials, steps of the clock
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.epochs.strip import SILENT, Strip
from pale_heron.core.gnss.states import LEVELS
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.proof.chronicle import (
    DELIVERED,
    NOT_DELIVERED,
    PULSES,
    RECEIVED,
    SENT,
    ChronicleSnapshot,
    Happening,
)
from pale_heron.core.proof.marks import MARK, Mark, kind_words
from pale_heron.core.strips import ColumnStrip

LEVEL, CN0, DELIVERY = "fix", "C/N0", "delivered"
BYTES_A_SECOND: Final = "B/s"
READINGS: Final = 2
"""So many readings of a module are drawn: those with the most values."""

MILESTONE, RESTART, FIX_LOST, FIX_BACK = "milestone", "restart", "fix-lost", "fix-back"


class TimeRow(NamedTuple):
    """One quantity of one lane. A value is None where nothing is known; a level is a place in LEVELS."""

    lane: str
    name: str
    unit: str
    values: tuple[float | None, ...]
    share: bool = False
    """Whether it is a share of 0 to 1."""


class TimePicture(NamedTuple):
    """Rows of so many columns from `begin` to `end`, and what happened there, by time."""

    begin: int
    end: int
    rows: tuple[TimeRow, ...]
    happenings: tuple[Happening, ...]
    finest: int = SECOND
    """What was counted within so many nanoseconds stands together."""

    @property
    def columns(self) -> int:
        return len(self.rows[0].values) if self.rows else 0

    def column(self, moment: int) -> int:
        """The place of a moment."""
        return min(self.columns - 1, max(0, (moment - self.begin) * self.columns // max(1, self.end - self.begin)))

    def moment(self, column: int) -> int:
        """The middle of a column."""
        return self.begin + (2 * column + 1) * (self.end - self.begin) // (2 * max(1, self.columns))

    @property
    def step_s(self) -> float:
        """Seconds within which nothing is told apart: of a column, or of what was counted where that is wider."""
        return max((self.end - self.begin) / max(1, self.columns), self.finest) / SECOND


def edges(begin: int, end: int, columns: int) -> list[tuple[int, int]]:
    """The stretches of the columns."""
    span = end - begin
    return [(begin + span * place // columns, begin + span * (place + 1) // columns) for place in range(columns)]


def time_picture(
    lanes: Sequence[LaneSnapshot],
    chronicle: ChronicleSnapshot,
    marks: Sequence[Mark],
    begin: int,
    end: int,
    columns: int,
    until: int,
) -> TimePicture:
    """The stretch from `begin` to `end`, which lie apart, in so many columns, of a record that ends at `until`."""
    parts = edges(begin, end, columns)
    rows = [row for lane in lanes for row in _lane_rows(lane, chronicle.strips, parts, until)]
    rows += _link_rows(chronicle, parts, until)
    rows += [
        TimeRow(source, PULSES, "", _rates(strip, parts, until))
        for (source, kind), strip in chronicle.strips.items()
        if kind == PULSES
    ]
    happened = [each for each in all_happenings(lanes, chronicle, marks) if begin <= each.moment <= end]
    finest = max((strip.width for strip in chronicle.strips.values()), default=SECOND)
    return TimePicture(begin, end, tuple(rows), tuple(happened), finest)


def all_happenings(
    lanes: Sequence[LaneSnapshot], chronicle: ChronicleSnapshot, marks: Sequence[Mark]
) -> list[Happening]:
    """Everything that happened at a moment, by time."""
    found = [*chronicle.happenings, *(Happening(mark.moment, "", MARK, kind_words(mark)) for mark in marks)]
    for lane in lanes:
        found += _of_lane(lane)
    return sorted(found, key=lambda each: each.moment)


def _of_lane(lane: LaneSnapshot) -> Iterator[Happening]:
    for outage in lane.fix.history.outages:
        yield Happening(outage.begin, lane.name, FIX_LOST, f"the fix is lost, with {outage.lost}")
        if outage.end is not None:
            yield Happening(outage.end, lane.name, FIX_BACK, "the fix is back")
    for start in lane.fix.history.starts:
        if start.first_fix is not None:
            yield Happening(start.first_fix, lane.name, MILESTONE, "first fix")
    if lane.module is not None:
        for moment, name in lane.module.reached:
            yield Happening(moment, lane.name, MILESTONE, f"reached: {name}")
        for restart in lane.module.restarts:
            if restart is not None:
                yield Happening(restart, lane.name, RESTART, "restarted")


def _lane_rows(
    lane: LaneSnapshot, strips: Mapping[tuple[str, str], ColumnStrip], parts: Sequence[tuple[int, int]], until: int
) -> Iterator[TimeRow]:
    for kind in (RECEIVED, SENT):
        strip = strips.get((lane.name, kind))
        if strip is not None:
            yield TimeRow(lane.name, kind, BYTES_A_SECOND, _rates(strip, parts, until))
    fix = lane.fix.strip
    if fix.levels:
        yield TimeRow(lane.name, LEVEL, "", tuple(_least(fix, fix.levels, *part) for part in parts))
        if any(value is not None for value in fix.cn0):
            yield TimeRow(lane.name, CN0, "dB-Hz", tuple(_least(fix, fix.cn0, *part) for part in parts))
    if lane.module is not None:
        fields = {name: reading.field for name, reading in lane.module.readings.items()}
        # A number without a unit is a name or a setting.
        measured = [each for each in lane.module.strips.items() if each[0] in fields and fields[each[0]].unit]
        for name, strip in sorted(measured, key=lambda each: -sum(each[1].counts))[:READINGS]:
            yield TimeRow(lane.name, name, fields[name].unit, tuple(_mean(strip, *part, until) for part in parts))


def _link_rows(chronicle: ChronicleSnapshot, parts: Sequence[tuple[int, int]], until: int) -> Iterator[TimeRow]:
    """What was delivered of what was sent, as far as it is known: not of what may still come, or might have."""
    strips = chronicle.strips
    for way in dict.fromkeys(name for name, kind in strips if kind in (DELIVERED, NOT_DELIVERED)):
        good, bad = (strips.get((way, kind)) for kind in (DELIVERED, NOT_DELIVERED))
        trial = chronicle.waits.get(way)
        settled = until if trial is None else trial.known_until(until)
        values = []
        for begin, end in parts:
            came, lost = (strip.over(begin, end, until)[0] if strip is not None else 0.0 for strip in (good, bad))
            values.append(came / (came + lost) if came + lost and end <= settled else None)
        yield TimeRow(way, DELIVERY, "of 1", tuple(values), share=True)


def _rates(strip: ColumnStrip, parts: Iterable[tuple[int, int]], until: int) -> tuple[float | None, ...]:
    """What was added a second; None before the first and after the last."""
    last = min(strip.end, until)
    return tuple(
        None
        if end <= strip.begin or begin >= last
        else strip.over(begin, end, until)[0] * SECOND / max(1, min(end, last) - max(begin, strip.begin))
        for begin, end in parts
    )


def _mean(strip: ColumnStrip, begin: int, end: int, until: int) -> float | None:
    total, count = strip.over(begin, end, until)
    return total / count if count else None


def _least(strip: Strip, values: Sequence[float | None], begin: int, end: int) -> float | None:
    """The lowest of a stretch, as far as it was told; silence has no level."""
    first, last = strip.column(begin), strip.column(end - 1)
    if last < 0 or first >= len(values):
        return None
    known = [
        value
        for value in values[max(0, first) : last + 1]
        if value is not None and (values is not strip.levels or value != SILENT)
    ]
    return min(known, default=None)


def level_name(value: float) -> str:
    """The level that a row of levels shows."""
    return LEVELS[int(value)]
