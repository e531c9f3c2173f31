"""A part of a capture: from a time to another, of some lanes, with what was true when it begins.

How the lanes were opened and set, how their devices speak, which pulses were listened to, what was said of marks later:
all of that stands at its beginning, so that it can be read without the rest. A trial that had begun before is no trial
in it: half of one would count wrongly.
"""

from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Final, NamedTuple

from pale_heron.capture.reader import CaptureReader, Record
from pale_heron.core.clock.events import PULSE_SOURCE, PULSES_END
from pale_heron.core.frames import ENDING_EVENTS, SETTING_EVENTS, Event
from pale_heron.core.link.tracker import BEGUN, ENDED
from pale_heron.core.moments import moment
from pale_heron.core.proof.marks import MARK, MARK_EVENTS, Mark, MarkBook, measured_parts, moment_of, part_named
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label

STATES: Final = {
    **dict.fromkeys((*SETTING_EVENTS, *ENDING_EVENTS, "refused"), "line"),
    "dialect": "dialect",
    "host-clock": "host",
}
"""Events of which the last one before the part still holds in it, by what they are about."""


class CutPart(NamedTuple):
    """From when to when, both included, nanoseconds; None for the ends of the file. Lanes by name; empty for all."""

    begin: int | None = None
    end: int | None = None
    lanes: tuple[str, ...] = ()

    def contains(self, time: int) -> bool:
        """Whether a moment lies in it."""
        return (self.begin is None or time >= self.begin) and (self.end is None or time <= self.end)

    def holds(self, record: Record) -> bool:
        """Whether a record lies in it; a mark, and what became of it, lies where its moment is."""
        about_mark = isinstance(record, Event) and record.name in MARK_EVENTS
        time = moment_of(record) if about_mark and isinstance(record, Event) else record.time or 0
        return self.contains(time) and (not self.lanes or not record.lane or record.lane in self.lanes)


class PartRecords:
    """The records of a part, in the order of the file; `broken` counts trials that began before it."""

    def __init__(self, records: Iterable[Record], part: CutPart) -> None:
        self._records = records
        self._part = part
        self._before = _Before(part)

    @property
    def broken(self) -> int:
        return len(self._before.trials)

    def __iter__(self) -> Iterator[Record]:
        part, before = self._part, self._before
        for record in self._records:
            if not part.holds(record):
                before.take(record)
                continue
            for each in (*before.told(part.begin if part.begin is not None else record.time or 0), record):
                if not before.breaks(each):
                    yield _within(each, part)


def _within(record: Record, part: CutPart) -> Record:
    """What was said of a mark after the part is told at its end."""
    if not isinstance(record, Event) or part.end is None or record.time <= part.end:
        return record
    told = {**record.details, "moment": moment_of(record)} if record.name == MARK else record.details
    return record._replace(time=part.end, details=told)


class _Before:
    """What was so before the part began."""

    def __init__(self, part: CutPart) -> None:
        self._part = part
        self._states: dict[tuple[str, str], Event] = {}
        self.trials: set[str] = set()
        self._told = False

    def take(self, record: Record) -> None:
        """A record that does not lie in the part; those behind it tell nothing of its beginning."""
        if self._told or not isinstance(record, Event):
            return
        if self._part.lanes and record.lane and record.lane not in self._part.lanes:
            return
        about = STATES.get(record.name)
        if about is not None:
            self._states[record.lane, about] = record
        elif record.name == PULSE_SOURCE:
            self._states[str(record.details.get("source")), "pulses"] = record
        elif record.name == PULSES_END:
            self._states.pop((str(record.details.get("source")), "pulses"), None)
        elif record.name == BEGUN:
            self.trials.add(str(record.details.get("trial")))
        elif record.name == ENDED:
            self.trials.discard(str(record.details.get("trial")))

    def told(self, now: int) -> Iterator[Event]:
        """Once, when the part begins."""
        if not self._told:
            self._told = True
            for event in self._states.values():
                yield event._replace(time=now)

    def breaks(self, record: Record) -> bool:
        """Whether it ends a trial that had begun before."""
        return isinstance(record, Event) and record.name == ENDED and str(record.details.get("trial")) in self.trials


def marks_in(source: Path) -> tuple[tuple[Mark, ...], int]:
    """The marks of a capture, and the time of its first record. Trouble where it cannot be read."""
    begin, book = None, MarkBook()
    for record in CaptureReader(source).records():
        begin = record.time if begin is None else begin
        if isinstance(record, Event):
            book.heed(record)
    return book.marks(), begin or 0


def part_in(source: Path, name: str) -> CutPart:
    """The measured part of that name. Trouble where there is none."""
    parts = measured_parts(marks_in(source)[0])
    found = part_named(parts, name)
    if found is None:
        named = ", ".join(repr(part.name) for part in parts[:8])
        way_out = f"There are: {named}" if named else "pale-heron mark adds where one begins and ends"
        raise Trouble(f"There is no measured part {safe_label(name)!r} in {source.name}", way_out)
    return CutPart(found.begin, found.end)


def place_in(source: Path, text: str, after: int | None = None) -> int:
    """The moment that a person means: a time, `+90s` after the beginning (or `after`), or the text of a mark.

    Trouble where it is neither.
    """
    marks, begin = marks_in(source)
    wanted = text.casefold()
    found = [mark.moment for mark in marks if mark.text.casefold() == wanted]
    found = found or [mark.moment for mark in marks if wanted in mark.text.casefold()]
    if found:
        return found[0]
    try:
        return moment(text, after if after is not None and text.startswith("+") else begin)
    except Trouble as trouble:
        named = ", ".join(repr(mark.text) for mark in marks[:8])
        raise Trouble(str(trouble), f"{trouble.hint}; or the text of a mark: {named or 'there are none'}") from None
