"""Counts what arrives: bytes, legible share, and every type with its rate, share of the line, age and damage.

Rates come from differences between totals: once a second the totals of all types are kept, for a minute. So a frame
costs a few additions, whatever the window, and the memory does not depend on the traffic.
"""

from collections import deque
from collections.abc import Iterable, Mapping, Sequence
from itertools import accumulate, pairwise
from typing import TYPE_CHECKING, Final, NamedTuple

from pale_heron.core.frames import BAD_CHECKSUM, BYTES, NMEA, NO_CHECKSUM, OK, OUT, RTCM3, SECOND, Chunk, Frame, Kind
from pale_heron.core.line.snapshot import LineSnapshot, TypeCount
from pale_heron.core.line.type_parts import PARTED, TypePart, part_label
from pale_heron.core.strips import NO_COLUMNS, StripColumns
from pale_heron.core.wire.framer import LIMIT
from pale_heron.core.wire.protocols import FramedProtocol, protocol_of
from pale_heron.core.wire.visible import unreadable_count

if TYPE_CHECKING:
    from pale_heron.core.line.batch_tallies import Tally
    from pale_heron.core.wire.sentence_batch import SentenceBatch

WINDOW_S = 60
MOST_PARTS = 40
MOST_TYPES = 200
"""Types counted apart; a stream of noise could name millions, which go into one row."""

TROUBLES_KEPT = 4
FIRSTS = 40
"""So many of the first of a type show how many come together."""

GARBAGE_KEPT = 512
UNCLAIMED_KEPT: Final = 2048
LOOK_BYTES: Final = 256
"""So many more bytes that are no text, and frames are looked for in the last ones; later twice as many, and so on."""

MOST_DOUBLED: Final = 8
OTHER_TYPES = "other types"


class _TypeTotals:
    __slots__ = (
        "bad",
        "before",
        "bytes",
        "count",
        "first",
        "firsts",
        "kind",
        "last",
        "latest",
        "parted",
        "parts",
        "place",
    )

    def __init__(self, kind: Kind, first: int | None, formatter: str, place: int) -> None:
        self.kind = kind
        self.place = place
        self.parted = kind is NMEA and formatter in PARTED
        self.parts: dict[str, TypePart] = {}
        self.count = self.bad = self.bytes = 0
        self.first = self.last = first
        self.firsts: list[int] = []
        self.latest: Frame | None = None
        self.before: Frame | None = None

    def take(self, frame: Frame) -> None:
        """Count one frame."""
        self.count += 1
        self.bytes += len(frame.data)
        self.last = frame.time
        self.before, self.latest = self.latest, frame

    def take_parts(self, label: str, count: int, before: Frame | None, latest: Frame) -> None:
        """Keep so many that tell the same, of which these are the last two, with the others that do."""
        known = self.parts.get(label)
        if known is not None:
            self.parts[label] = TypePart(label, known.lines + count, before or known.latest, latest)
        elif label and len(self.parts) < MOST_PARTS:
            self.parts[label] = TypePart(label, count, before, latest)


class _Totals(NamedTuple):
    """The totals as they stood when `second` began."""

    second: int
    counts: list[int]
    """Of each type, in the order in which they first came; those that came later are not there."""
    sizes: list[int]
    received: int
    framed: int
    unreadable: int
    valid: int
    damaged: int
    lines: int
    opaque: int
    unchecked: int


_NOTHING = _Totals(0, [], [], 0, 0, 0, 0, 0, 0, 0, 0)


class Pieces(NamedTuple):
    """Bytes as they came, a row a piece: when, how many, and how many sentences of a batch are whole with it."""

    times: Sequence[int]
    sizes: Sequence[int]
    ended: Sequence[int]


class LineTracker:
    """Feed it each chunk and each frame cut from it; frames count from the received direction only."""

    def __init__(self) -> None:
        self._rows: dict[str, _TypeTotals] = {}
        self._sent_rows: dict[str, _TypeTotals] = {}
        self._garbage = self._unclaimed = b""
        """The last bytes that are no text, and those that are neither in a valid sentence nor in a valid message."""
        self._protocol: FramedProtocol | None = None
        self._looked = 0
        """How many bytes that are no text there were when a protocol was looked for, and how often it was."""
        self._looks = 0
        self._endless = self._opaque = 0
        self._floor = _NOTHING
        self._last_valid: int | None = None
        self._framed_then = self._unreadable_then = 0
        self._history: deque[_Totals] = deque(maxlen=WINDOW_S + 1)
        self._second: int | None = None
        self._received = self._sent = self._framed = self._unreadable = 0
        self._bulk = 0
        self._lines = self._frames = self._valid = self._bad = self._damaged = self._unchecked = 0
        self._messages = 0
        self._first_byte: int | None = None
        self._last_byte: int | None = None
        self._damage = StripColumns()
        """How much came damaged, by its time."""
        self._troubles: deque[Frame] = deque(maxlen=TROUBLES_KEPT)

    @property
    def takes_batches(self) -> bool:
        """Whether every type of a batch can still be counted apart."""
        return 2 * len(self._rows) < MOST_TYPES

    @property
    def has_bytes(self) -> bool:
        """Anything received so far."""
        return self._received > 0

    def feed_chunk(self, chunk: Chunk | Frame) -> None:
        """Count the bytes of one chunk, or of a frame where no chunk is known."""
        self.turn(chunk.time)
        if chunk.direction is OUT:
            self._sent += len(chunk.data)
            return
        self._received += len(chunk.data)
        self._last_byte = chunk.time
        if self._first_byte is None:
            self._first_byte = chunk.time

    def feed_bulk(self, chunk: Chunk) -> None:
        """Count the bytes of a chunk that is not cut into frames: blocks of a trial."""
        self.feed_chunk(chunk)
        if chunk.direction is not OUT:
            self._bulk += len(chunk.data)

    def feed(self, frame: Frame) -> None:
        """Count one frame."""
        if frame.direction is OUT:
            row = self._sent_rows.get(frame.type) or self._new_row(frame, self._sent_rows)
            row.take(frame)
            return
        row = self._rows.get(frame.type) or self._new_row(frame, self._rows)
        # As in `take`; this runs for every frame.
        row.count += 1
        row.bytes += len(frame.data)
        row.last = frame.time
        row.before, row.latest = row.latest, frame
        if row.count <= FIRSTS and frame.time is not None:
            row.firsts.append(frame.time)
        self._frames += 1
        self._framed += len(frame.data)
        kind = frame.kind
        self._lines += row.kind is not BYTES
        if frame.status is OK and (kind is NMEA or kind is RTCM3):
            self._valid += 1
            self._messages += kind is RTCM3
            if row.parted:
                row.take_parts(part_label(frame), 1, None, frame)
            self._last_valid = frame.time
            self._framed_then, self._unreadable_then = self._framed, self._unreadable
            return
        # Bytes of a wrong rate are half printable by chance: a run that is no text counts as illegible as a whole.
        if kind is BYTES:
            self._unreadable += len(frame.data)
            self._opaque += len(frame.data)
            self._garbage = (self._garbage + frame.data)[-GARBAGE_KEPT:]
        elif kind is not RTCM3:
            # A damaged message never was legible.
            self._unreadable += unreadable_count(frame.data)
        self._endless += len(frame.data) >= LIMIT
        self._unclaimed = (self._unclaimed + frame.data)[-UNCLAIMED_KEPT:]
        self._unchecked += kind is NMEA and frame.status is NO_CHECKSUM
        if frame.bad:
            row.bad += 1
            self._damaged += 1
            if frame.time is not None:
                self._damage.add(frame.time, 1)
            self._troubles.append(frame)
            self._bad += frame.status is BAD_CHECKSUM

    def feed_batch(self, pieces: Pieces, batch: "SentenceBatch") -> None:
        """Count what was received in these pieces: sentences, and the beginning of one that is under way."""
        from pale_heron.core.line.batch_tallies import by_pieces, tallies, turns_of

        times = pieces.times
        turns = turns_of(times, self._second)
        sizes = [0, *accumulate(pieces.sizes)]
        received = self._received
        # Totals of seconds that lie before the window are forgotten at once.
        places = [*turns[-WINDOW_S - 1 :], len(times)]
        edges = [0, *(pieces.ended[place - 1] if place else 0 for place in places)]
        known = tallies(batch)
        order = {int(batch.type[each.first]): each for each in known}
        for place, counts in zip(places, by_pieces(batch, edges), strict=True):
            self._received = received + sizes[place]
            self._count(batch, sorted(counts, key=lambda each: order[each[0]].first), order)
            if place < len(times):
                self.turn(times[place])
        self._first_byte = times[0] if self._first_byte is None else self._first_byte
        self._last_byte = times[-1]
        self._last_valid = int(batch.time[-1])
        self._framed_then, self._unreadable_then = self._framed, self._unreadable
        self._keep_latest(batch, known)

    def _count(
        self, batch: "SentenceBatch", counts: Sequence[tuple[int, int, int]], known: "Mapping[int, Tally]"
    ) -> None:
        """Add sentences by their types: how many, and their bytes."""
        for kind, count, size in counts:
            row = self._rows.get(batch.names[kind]) or self._new_row(batch.frame(known[kind].first), self._rows)
            row.count += count
            row.bytes += size
            self._frames += count
            self._lines += count
            self._framed += size
            self._valid += count

    def _keep_latest(self, batch: "SentenceBatch", known: "Iterable[Tally]") -> None:
        """The last two of each type, and of each part of one; the first ones of a type that is new."""
        from pale_heron.core.line.batch_tallies import first_times, parts

        for tally in known:
            row = self._rows[tally.name]
            row.before = batch.frame(tally.before) if tally.before >= 0 else row.latest
            row.latest = batch.frame(tally.last)
            row.last = row.latest.time
            kind, earlier = int(batch.type[tally.last]), row.count - tally.sentences
            if earlier < FIRSTS:
                row.firsts += first_times(batch, kind, FIRSTS - earlier)
        for formatter in {tally.name[-3:] for tally in known if self._rows[tally.name].parted}:
            for part in parts(batch, formatter):
                before = batch.frame(part.before) if part.before >= 0 else None
                row = self._rows[batch.names[int(batch.type[part.last])]]
                row.take_parts(part.name, part.sentences, before, batch.frame(part.last))

    def _new_row(self, frame: Frame, rows: dict[str, _TypeTotals]) -> _TypeTotals:
        name = frame.type if len(rows) < MOST_TYPES else OTHER_TYPES
        return rows.setdefault(name, _TypeTotals(frame.kind, frame.time, name[-3:], len(rows)))

    def turn(self, now: int | None) -> None:
        """Keep the totals when `now` lies in a new second."""
        if now is None or now // SECOND == self._second:
            return
        second = now // SECOND
        if self._second is not None and second < self._second:
            return
        totals = self._totals(second)
        self._second = second
        while self._history and self._history[0].second < second - WINDOW_S:
            # The oldest totals stand for the start of the window until a younger one has passed it too.
            if len(self._history) > 1 and self._history[1].second <= second - WINDOW_S:
                self._history.popleft()
            else:
                break
        self._history.append(totals)

    def _totals(self, second: int) -> _Totals:
        rows = self._rows.values()
        return _Totals(
            second,
            [row.count for row in rows],
            [row.bytes for row in rows],
            received=self._received,
            framed=self._framed,
            unreadable=self._unreadable,
            valid=self._valid,
            damaged=self._damaged,
            lines=self._lines,
            opaque=self._opaque,
            unchecked=self._unchecked,
        )

    def begin_again(self) -> None:
        """The line was set otherwise: what came before says nothing of what comes now. Totals stay."""
        self._floor = self._totals(self._second or 0)
        if self._history:
            # Rates a second too: bytes at another rate fill no line of this one.
            self._history.clear()
            self._history.append(self._floor)
        self._garbage = self._unclaimed = b""
        self._protocol, self._looked, self._looks = None, self._opaque, 0
        self._endless = 0

    def _look_for_frames(self, recent: int) -> None:
        """Where there is much that is no text, and much more than before: it takes milliseconds."""
        if recent < LOOK_BYTES:
            self._protocol = None
        elif self._opaque - self._looked >= LOOK_BYTES << self._looks:
            self._protocol, self._looked = protocol_of(self._unclaimed), self._opaque
            # Noise stays noise: the next look is at twice as much.
            self._looks = min(self._looks + 1, MOST_DOUBLED)

    def snapshot(self, now: int | None) -> LineSnapshot:
        """The counts as of `now` (nanoseconds UTC), which may be later than the last byte; None for a raw file."""
        self.turn(now)
        end = self._totals(self._second or 0)
        begin = self._begin()
        self._look_for_frames(self._opaque - begin.opaque)
        activity = self._activity(now)
        return LineSnapshot(
            bytes_in=self._received,
            bytes_out=self._sent,
            bulk_bytes=self._bulk,
            frames=self._frames,
            framed_bytes=self._framed,
            unreadable_bytes=self._unreadable,
            recent_bytes=self._received - begin.received,
            recent_framed=self._framed - begin.framed,
            recent_unreadable=self._unreadable - begin.unreadable,
            valid=self._valid,
            valid_messages=self._messages,
            bad_checksums=self._bad,
            damaged=self._damaged,
            recent_valid=self._valid - begin.valid,
            recent_damaged=self._damaged - begin.damaged,
            recent_unchecked=self._unchecked - begin.unchecked,
            recent_lines=end.lines - begin.lines,
            first_byte=self._first_byte,
            last_byte=self._last_byte,
            types=tuple(self._type(name, row) for name, row in self._rows.items()),
            sent_types=tuple(self._type(name, row) for name, row in self._sent_rows.items()),
            recent_opaque=self._opaque - begin.opaque,
            last_valid=self._last_valid,
            framed_since=self._framed - self._framed_then,
            unreadable_since=self._unreadable - self._unreadable_then,
            garbage=self._garbage,
            protocol=self._protocol,
            endless=self._endless,
            troubles=tuple(self._troubles),
            damage=self._damage.strip() if self._damaged else NO_COLUMNS,
            activity=activity,
            bytes_per_s=_mean(activity[-5:]),
        )

    def _begin(self) -> _Totals:
        """The totals at the start of the window: zero where the whole time lies in it."""
        if self._second is not None:
            for totals in reversed(self._history):
                if totals.second <= self._second - WINDOW_S:
                    return max(totals, self._floor, key=lambda each: each.received)
        return self._floor

    def _activity(self, now: int | None) -> tuple[int, ...]:
        if now is None or self._second is None:
            return ()
        out: list[int] = []
        before: _Totals | None = None
        for totals in self._history:
            if before is not None:
                # Seconds without any byte left no totals behind; what came between two totals came in the first.
                out.append(totals.received - before.received)
                out += [0] * min(WINDOW_S, totals.second - before.second - 1)
            before = totals
        return tuple(out[-WINDOW_S:])

    def _type(self, name: str, row: _TypeTotals) -> TypeCount:
        hz, rate = self._recent_rates(name) if self._rows.get(name) is row else (None, None)
        round_size = first_round(row.firsts)
        begin = row.firsts[round_size - 1] if round_size else None
        span = (row.last - begin) / SECOND if row.last is not None and begin is not None else 0.0
        later = row.count - round_size
        return TypeCount(
            type=name,
            kind=row.kind,
            count=row.count,
            bad=row.bad,
            bytes=row.bytes,
            first=row.first,
            last=row.last,
            latest=row.latest,
            before=row.before,
            hz=hz,
            bytes_per_s=rate,
            mean_hz=later / span if span > 0 else None,
            mean_bytes_per_s=row.bytes * later / row.count / span if span > 0 else None,
            parts=tuple(row.parts.values()) if len(row.parts) > 1 else (),
        )

    def _recent_rates(self, name: str) -> tuple[float | None, float | None]:
        """Frames and bytes a second over the whole seconds of the window, from the type's first second on."""
        place = self._rows[name].place
        begin = next((totals for totals in self._history if place < len(totals.counts)), None)
        if begin is None:
            return None, None
        end = self._history[-1]
        seconds = end.second - begin.second
        if seconds < 1:
            return None, None
        count, size = end.counts[place], end.sizes[place]
        earlier_count, earlier_size = begin.counts[place], begin.sizes[place]
        if count == earlier_count:
            return None, None
        return (count - earlier_count) / seconds, (size - earlier_size) / seconds


def first_round(times: Sequence[int]) -> int:
    """How many of the first of a type came together, as the lists of one epoch do: up to the first long gap.

    A rate counts from the last of them to the last of all, else each round would count one sentence too many.
    """
    gaps = [later - before for before, later in pairwise(times)]
    ordered = sorted(gaps, reverse=True)
    # A single long gap before others that are no mere fraction of it is a pause of the device, and no interval.
    usual = next((gap for gap, after in pairwise([*ordered, 0]) if not 0 < 2 * after < gap <= 20 * after), 0)
    if usual <= 0:
        return min(1, len(times))
    return 1 + next(place for place, gap in enumerate(gaps) if 2 * gap >= usual)


def _mean(values: tuple[int, ...]) -> float | None:
    return sum(values) / len(values) if values else None
