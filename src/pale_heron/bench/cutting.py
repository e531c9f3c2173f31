"""A part of a capture as a capture of its own: from a time to another, of some lanes; or a lane's received bytes alone.

What was true when the part begins stands at its beginning, so that it can be read without the rest: how the lanes were
opened and set, how their devices speak, which pulses were listened to. A trial that had begun before is no trial in it:
half of one would count wrongly.
"""

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Final, NamedTuple

from pale_heron.capture.reader import CaptureReader, Record
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.clock.events import PULSE_SOURCE, PULSES_END
from pale_heron.core.frames import ENDING_EVENTS, IN, SETTING_EVENTS, Chunk, Event
from pale_heron.core.link.tracker import BEGUN, ENDED
from pale_heron.core.moments import moment
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.files.whole import written_whole

COPY: Final = "A part of a longer capture. Every byte of it as it went over the line: secrets in it are not masked."
MARK: Final = "mark"
TOLD_EVERY: Final = 5000
"""So many records pass between two words of progress."""

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

    def holds(self, record: Record) -> bool:
        """Whether a record lies in it."""
        time = record.time or 0
        timely = (self.begin is None or time >= self.begin) and (self.end is None or time <= self.end)
        return timely and (not self.lanes or not record.lane or record.lane in self.lanes)


class CutCount(NamedTuple):
    """What was copied; `broken_trials` began before the part."""

    bytes: int
    records: int
    broken_trials: int
    torn: str


def place_in(source: Path, text: str, after: int | None = None) -> int:
    """The moment that a person means: a time, `+90s` after the beginning (or `after`), or the text of a mark.

    Trouble where it is neither.
    """
    begin, marks = None, dict[str, int]()
    for record in CaptureReader(source).records():
        begin = record.time if begin is None else begin
        if isinstance(record, Event) and record.name == MARK:
            marks.setdefault(str(record.details.get("text", "")), record.time)
    wanted = text.casefold()
    found = [time for words, time in marks.items() if words.casefold() == wanted]
    found = found or [time for words, time in marks.items() if wanted in words.casefold()]
    if found:
        return found[0]
    try:
        return moment(text, after if after is not None and text.startswith("+") else begin or 0)
    except Trouble as trouble:
        named = ", ".join(repr(safe_label(words)) for words in list(marks)[:8])
        raise Trouble(str(trouble), f"{trouble.hint}; or the text of a mark: {named or 'there are none'}") from None


def cut(source: Path, target: Path, part: CutPart, progress: Callable[[float], None] = lambda _: None) -> CutCount:
    """Write the part; `progress` gets the share gone through. Trouble where a file cannot be read or written.

    Also where a lane is not there, or nothing lies in the part: no file is left then.
    """
    size_of_all = source.stat().st_size if source.exists() else 0
    reader = CaptureReader(source)
    before = _Before(part)
    writer: CaptureWriter | None = None
    described: set[str] = set()
    count = size = gone = 0
    try:
        for record in reader.records():
            gone += 1
            if gone % TOLD_EVERY == 0:
                progress(reader.position / max(1, size_of_all))
            if not part.holds(record):
                before.take(record)
                continue
            if writer is None:
                writer = CaptureWriter(target, COPY)
            for name, info in reader.lanes.items():
                if name not in described and (not part.lanes or name in part.lanes):
                    described.add(name)
                    writer.describe_lane(name, info.description, info.speed)
            for each in (*before.told(record.time or 0), record):
                if before.breaks(each):
                    continue
                count += 1
                size += len(each.data) if isinstance(each, Chunk) else 0
                _write(writer, each)
                if writer.failure:
                    raise Trouble(f"{target} cannot be written: {writer.failure}", "Free some space")
    finally:
        if writer is not None:
            writer.close()
    try:
        _check(part, reader, source, count)
    except Trouble:
        if writer is not None:
            target.unlink(missing_ok=True)
        raise
    return CutCount(size, count, len(before.trials), reader.torn)


def received(source: Path, target: Path, part: CutPart) -> CutCount:
    """The received bytes of one lane as they came, whole or not at all. Trouble where that cannot be."""
    reader, size, count = CaptureReader(source), 0, 0
    try:
        with written_whole(target, 0o600) as fresh, fresh.open("wb") as file:
            for record in reader.records():
                if isinstance(record, Chunk) and record.direction is IN and part.holds(record):
                    file.write(record.data)
                    size, count = size + len(record.data), count + 1
            _check(part, reader, source, count)
    except OSError as problem:
        raise Trouble(f"{target} cannot be written: {problem.strerror}", "Choose another place") from None
    return CutCount(size, count, 0, reader.torn)


def _check(part: CutPart, reader: CaptureReader, source: Path, count: int) -> None:
    strangers = [name for name in part.lanes if name not in reader.lanes]
    if strangers:
        known = ", ".join(reader.lanes) or "none"
        raise Trouble(f"There is no lane {strangers[0]!r} in {source.name}", f"There are: {known}")
    if not count:
        raise Trouble(f"Nothing of {source.name} lies in that part", "pale-heron summary says from when to when it is")


def _write(writer: CaptureWriter, record: Record) -> None:
    if isinstance(record, Chunk):
        writer.chunk(record)
    else:
        writer.event(record, comment=str(record.details.get("text", "")))


class _Before:
    """What was so before the part began."""

    def __init__(self, part: CutPart) -> None:
        self._part = part
        self._states: dict[tuple[str, str], Event] = {}
        self.trials: set[object] = set()
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
            self.trials.add(record.details.get("trial"))
        elif record.name == ENDED:
            self.trials.discard(record.details.get("trial"))

    def told(self, now: int) -> Iterator[Event]:
        """Once, when the part begins."""
        if not self._told:
            self._told = True
            for event in self._states.values():
                yield event._replace(time=now)

    def breaks(self, record: Record) -> bool:
        """Whether it ends a trial that had begun before."""
        return isinstance(record, Event) and record.name == ENDED and record.details.get("trial") in self.trials
