"""Marks: what people noted, and when; reworded and withdrawn afterwards by events that were added to the record.

Nothing recorded is ever changed. A mark is known by its moment; a later event names that moment and says what became of
it. A mark that was added afterwards carries the moment it is about, since its event stands at the end of the record.

    mark            text, kind (note, begin, end; a note where none is given), moment (of its event where none is given)
    mark-reworded   moment, text
    mark-withdrawn  moment
"""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Final, NamedTuple

from pale_heron.core.frames import SECOND, Event
from pale_heron.core.wire.visible import safe_label

MARK, REWORDED, WITHDRAWN = "mark", "mark-reworded", "mark-withdrawn"
MARK_EVENTS: Final = (MARK, REWORDED, WITHDRAWN)
NOTE, BEGIN, END = "note", "begin", "end"
KINDS: Final = {NOTE: "a note", BEGIN: "a measured part begins", END: "a measured part ends"}
MOST_MARKS: Final = 10_000
LATEST: Final = 7_258_118_400 * SECOND
"""2200-01-01: a later moment is none."""


class Mark(NamedTuple):
    """A note of a moment, nanoseconds UTC; its kind is one of KINDS.

    Its number counts marks from 1 in the order in which they were set, and stays its own whatever becomes of others.
    """

    moment: int
    text: str
    kind: str = NOTE
    number: int = 0


class MeasuredPart(NamedTuple):
    """A part of a record, from one moment to another, both included; `end` is None where it was never ended."""

    name: str
    begin: int
    end: int | None


def moment_of(event: Event) -> int:
    """The moment that a mark, or what became of one, is about."""
    told = event.details.get("moment")
    if isinstance(told, int) and not isinstance(told, bool) and 0 <= told <= LATEST:
        return told
    return event.time


def details_of(mark: Mark, at: int | None = None) -> dict[str, Any]:
    """The details of the event of a mark; `at` is the time of the event where that is not the moment of the mark."""
    details: dict[str, Any] = {"text": mark.text}
    details |= {"kind": mark.kind} if mark.kind != NOTE else {}
    return details | ({"moment": mark.moment} if at not in (None, mark.moment) else {})


class MarkBook:
    """Heeds events, and knows the marks that stand."""

    def __init__(self) -> None:
        self._marks: dict[int, Mark] = {}
        self._sorted: tuple[Mark, ...] = ()
        self._set = 0
        """How many were ever set."""

    def heed(self, event: Event) -> None:
        """Take an event; one that is about no mark is passed over."""
        if event.name not in MARK_EVENTS:
            return
        moment, text = moment_of(event), safe_label(str(event.details.get("text", "")))
        if event.name == MARK and len(self._marks) < MOST_MARKS:
            kind = event.details.get("kind", NOTE)
            while moment in self._marks:
                # Two in the same nanosecond are two all the same.
                moment += 1
            self._set += 1
            kind = kind if isinstance(kind, str) and kind in KINDS else NOTE
            self._marks[moment] = Mark(moment, text, kind, self._set)
        elif event.name == REWORDED and moment in self._marks:
            self._marks[moment] = self._marks[moment]._replace(text=text)
        elif event.name == WITHDRAWN:
            self._marks.pop(moment, None)
        self._sorted = tuple(sorted(self._marks.values()))

    def marks(self) -> tuple[Mark, ...]:
        """Those that stand, by their moments."""
        return self._sorted


def measured_parts(marks: Sequence[Mark]) -> tuple[MeasuredPart, ...]:
    """The parts that marks measure off, the first to begin first.

    An end belongs to the latest part that is open and of the same words, else to the latest that is open at all. Of
    parts of one name the second is called `name 2`, and so on.
    """
    parts: list[MeasuredPart] = []
    for mark in marks:
        if mark.kind == BEGIN:
            parts.append(MeasuredPart(mark.text, mark.moment, None))
        elif mark.kind == END:
            still = [place for place, part in enumerate(parts) if part.end is None]
            alike = [place for place in still if parts[place].name.casefold() == mark.text.casefold()]
            if still:
                place = (alike or still)[-1]
                parts[place] = parts[place]._replace(end=mark.moment)
    return tuple(_numbered(parts))


def _numbered(parts: Iterable[MeasuredPart]) -> Iterable[MeasuredPart]:
    times: dict[str, int] = {}
    for part in parts:
        times[part.name] = count = times.get(part.name, 0) + 1
        yield part if count == 1 else part._replace(name=f"{part.name} {count}")


def part_named(parts: Sequence[MeasuredPart], name: str) -> MeasuredPart | None:
    """The part of that name, whatever its capitals; None where there is none."""
    return next((part for part in parts if part.name.casefold() == name.casefold()), None)


def kind_words(mark: Mark) -> str:
    """What a mark says, with what it does."""
    words: Mapping[str, str] = {BEGIN: "begins: ", END: "ends: "}
    return f"{words.get(mark.kind, '')}{mark.text}"
