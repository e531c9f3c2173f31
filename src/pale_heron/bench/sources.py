"""A file of either kind, a capture or raw bytes, as records, as lines, or as lanes that have seen all of it."""

import io
from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import chain, islice
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO, Final, TypeVar, cast

from pale_heron.bench.apart import FarLanes, NotApart, far_lanes
from pale_heron.bench.config.dialect_book import DialectBook
from pale_heron.bench.heard import PassListener, PassTeller
from pale_heron.bench.lane_pipeline import GATHERED_BYTES
from pale_heron.bench.model import Model
from pale_heron.bench.part import CutPart, PartRecords
from pale_heron.bench.pipeline import Pipeline, Record
from pale_heron.capture import pcapng
from pale_heron.capture.reader import RAW_CHUNK, CaptureReader, check_raw, is_claimed, open_file, raw_chunks
from pale_heron.core.clock.events import PULSE_SOURCE
from pale_heron.core.clock.own_time import OwnTime
from pale_heron.core.clock.tracker import NOTHING_KNOWN
from pale_heron.core.frames import IN, SECOND, Chunk, Event, Frame
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.link.tracker import SeeProbe
from pale_heron.core.proof.chronicle import NOTHING_HAPPENED
from pale_heron.core.proof.joining import JOINED, JoinedClocks, joined_of
from pale_heron.core.proof.marks import Mark
from pale_heron.core.raw_lane import step_event
from pale_heron.core.streams import LaneStreams
from pale_heron.core.wire.framer import Framer
from pale_heron.core.wire.visible import safe_label, starred

if TYPE_CHECKING:
    # Loaded with the first trial.
    from pale_heron.core.link.trial_snapshot import TrialSnapshot

Item = TypeVar("Item")

AT_A_TIME: Final = 20_000
AT_A_TIME_BYTES: Final = 1 << 19
"""So many records go through the pipeline together, and so many bytes."""

DATE_WITHIN = 20_000
"""So many frames of a raw file are looked through for its first date: half an hour of a talkative receiver."""

RAW_AT_A_TIME: Final = GATHERED_BYTES // RAW_CHUNK
"""So many pieces of a raw file are taken together."""

NO_LINES = 1
"""What a model keeps of its traffic where nobody looks at it."""


def raw_frames(file: BinaryIO, name: str, own: OwnTime) -> Iterator[Frame | Event]:
    """The frames of a raw file, each with the time that its sentences say; None before the first that says one.

    An event comes before each with which the clock of the receiver has stepped.

    A date that comes only later is looked for ahead, among so many frames that it costs no memory to speak of.
    """
    frames = _cut(raw_chunks(file, name), name)
    ahead: list[Frame] = []
    own.anchor(_noted(islice(frames, DATE_WITHIN), ahead))
    for frame in chain(ahead, frames):
        time = own.read(frame)
        if own.step:
            yield step_event(name, own)
        yield frame._replace(time=time)


def _ahead(file: BinaryIO, name: str, own: OwnTime) -> list[bytes]:
    """The first bytes of a raw file, which `own` has been anchored with."""
    chunks: list[Chunk] = []
    own.anchor(islice(_cut(_noted(raw_chunks(file, name), chunks), name), DATE_WITHIN))
    return [chunk.data for chunk in chunks]


def _cut(chunks: Iterable[Chunk], name: str) -> Iterator[Frame]:
    framer = Framer(name, IN)
    for chunk in chunks:
        yield from framer.feed(chunk)
    yield from framer.finish()


def _noted(items: Iterable[Item], noted: list[Item]) -> Iterator[Item]:
    """The same, and what was taken of them is noted."""
    for item in items:
        noted.append(item)
        yield item


class Source:
    """One file, gone through once. `torn` says where a capture stopped being readable; it is empty for a whole one."""

    def __init__(self, path: Path | None, standard_input: BinaryIO | None = None, part: CutPart | None = None) -> None:
        """The file at `path`, or standard input where that is None; of a capture a `part` alone where one is given.

        Raises Trouble where it cannot be read.
        """
        self.name = safe_label(path.name) if path else "standard input"
        self._file = _peekable(open_file(path) if path else standard_input or io.BytesIO())
        self.is_capture = self._file.peek(4)[:4] == pcapng.MAGIC
        if self.is_capture and not self._file.seekable():
            self._file = _peekable(io.BytesIO(self._file.read()))
        if not self.is_capture:
            check_raw(Path(self.name), self._file.peek(pcapng.OLD_HEADER_BYTES)[: pcapng.OLD_HEADER_BYTES])
        self._path = path
        self._reader = CaptureReader(path or Path(self.name))
        self._part = part
        self._own = OwnTime()
        self._first: int | None = None
        self._last = 0
        self.size = path.stat().st_size if path else 0
        """Bytes of the file; 0 for standard input."""
        self.marks: tuple[Mark, ...] = ()
        self.trials: tuple[TrialSnapshot, ...] = ()
        self.clock = NOTHING_KNOWN
        self.chronicle = NOTHING_HAPPENED
        self.joined: JoinedClocks | None = None
        """Of a capture that was joined from two machines': what is known of their clocks, once its event was read."""
        """What was noted, in the order of the file, once it was gone through."""

    @property
    def torn(self) -> str:
        return self._reader.torn

    @property
    def grows(self) -> bool:
        """Whether somebody still records into it."""
        return self._path is not None and self.is_capture and is_claimed(self._path)

    @property
    def span(self) -> tuple[int, int] | None:
        """The times of the first and the last record of a capture, as far as it was gone through."""
        return None if self._first is None else (self._first, self._last)

    @property
    def duration_s(self) -> float | None:
        """Seconds from the first record to the last as far as it was gone through; by its own times for a raw file."""
        if not self.is_capture:
            return self._own.span_s
        return None if self._first is None else (self._last - self._first) / SECOND

    @property
    def dated(self) -> bool:
        """Whether its times are moments; else they are times of day, of a raw file that never gives a date."""
        return self.is_capture or self._own.dated

    @property
    def share(self) -> float:
        """How much of the file was gone through, 0 to 1; 0 where that cannot be known."""
        return (self._reader.position if self.is_capture else self._file.tell()) / self.size if self.size else 0.0

    def close(self) -> None:
        self._file.close()

    def records(self) -> Iterator[Record]:
        """Chunks and events; a raw file is one lane named after it, and has frames."""
        return chain.from_iterable(self.batches())

    def batches(self) -> Iterator[Sequence[Record]]:
        """The same, many at a time."""
        if not self.is_capture:
            yield from batches(raw_frames(self._file, self.name, self._own))
            return
        read: Iterator[Sequence[Record]] = (piece.records for piece in self._reader.pieces_of(self._file))
        if self._part is not None:
            read = batches(PartRecords(cast("Iterator[Chunk | Event]", chain.from_iterable(read)), self._part))
        for records in read:
            times = [record.time or 0 for record in records]
            self._first = times[0] if self._first is None else self._first
            self._last = max(self._last, max(times))
            for record in records:
                if isinstance(record, Event) and record.name == JOINED:
                    self.joined = joined_of(record)
            yield records

    def lines(self, *, masked: bool = False) -> Iterator[Frame | Event]:
        """Every frame and event in its order: what Traffic shows.

        `masked` has stars for the secrets of modules, as far as a capture says how they speak.
        """
        if not self.is_capture:
            yield from cast("Iterator[Frame]", self.records())
            return
        book = DialectBook()
        pipeline = Pipeline(lambda name: LaneStreams(name, book if masked else None), heed=book.heed)
        for batch in self.batches():
            for entry in pipeline.feed(batch):
                yield _starred(entry, pipeline)
        for entry in pipeline.finish():
            yield _starred(entry, pipeline)

    def frames(self, *, masked: bool = False) -> Iterator[Frame]:
        """The lines without the events."""
        return (entry for entry in self.lines(masked=masked) if isinstance(entry, Frame))

    def lanes(
        self,
        progress: Callable[[float], None] = lambda _: None,
        probes: SeeProbe | None = None,
        listen: Sequence[str] = (),
        listener: PassListener | None = None,
    ) -> tuple[LaneSnapshot, ...]:
        """All lanes at the end of the file; `progress` gets the share gone through now and then.

        `probes` is called with what became of each probe of its trials. `listen` are sources of pulses among its lines.
        `listener` is told what goes by.
        """
        far = None if listen or listener is not None else self._far_lanes()
        if far is not None:
            try:
                return self._lanes(progress, probes, far=far)
            except NotApart:
                # Whatever has ended the other process, this one can do it all.
                self._file.seek(0)
                self._reader = CaptureReader(self._reader.path)
            finally:
                far.stop()
        return self._lanes(progress, probes, listen, listener)

    def _far_lanes(self) -> FarLanes | None:
        """Lanes that other processes go through, where that is worth it; a file that grows is one length for all."""
        if self._path is None or not self.is_capture or self._part is not None or self.grows:
            return None
        return far_lanes(self._path)

    def _lanes(
        self,
        progress: Callable[[float], None],
        probes: SeeProbe | None,
        listen: Sequence[str] = (),
        listener: PassListener | None = None,
        far: FarLanes | None = None,
    ) -> tuple[LaneSnapshot, ...]:
        model = Model(log_lines=NO_LINES, epochs_kept=None, probes=probes, lines=listener is not None)
        if not self.is_capture:
            model.add(self.name, raw=True)
            if listener is None and not listen:
                return self._raw_lanes(model, progress)
        teller = PassTeller(model, listener) if listener is not None else None
        model.feed(*(Event(0, "", PULSE_SOURCE, {"source": each}) for each in listen))
        for batch in self.batches() if far is None else far.batches(self.batches(), model, progress):
            progress(self.share if far is None else min(self.share, far.share))
            model.know(self._reader.lanes)
            settled = model.feed(*batch)
            if teller is not None:
                teller.tell(batch, settled)
        model.know(self._reader.lanes)
        left = model.finish()
        if teller is not None:
            teller.tell((), left)
        end = self._own.time if self._first is None else self._last
        if end is not None:
            model.end_trials(end)
        lanes = model.snapshots(end)
        self.marks = model.published.marks
        self.trials = model.published.trials
        self.clock = model.published.clock
        self.chronicle = model.published.chronicle
        return lanes

    def _raw_lanes(self, model: Model, progress: Callable[[float], None]) -> tuple[LaneSnapshot, ...]:
        """The one lane of a raw file."""
        feeder = model.raw_feeder(self.name, self._own)
        ahead = _ahead(self._file, self.name, self._own)
        for place in range(0, len(ahead), RAW_AT_A_TIME):
            feeder.feed(ahead[place : place + RAW_AT_A_TIME])
        rest = (chunk.data for chunk in raw_chunks(self._file, self.name))
        while chunks := list(islice(rest, RAW_AT_A_TIME)):
            progress(self.share)
            feeder.feed(chunks)
        feeder.finish()
        model.finish()
        return model.snapshots(self._own.time)


def batches(
    records: Iterable[Record], most: int = AT_A_TIME, most_bytes: int = AT_A_TIME_BYTES
) -> Iterator[list[Record]]:
    """Records, many at a time."""
    batch: list[Record] = []
    size = 0
    for record in records:
        batch.append(record)
        size += 0 if isinstance(record, Event) else len(record.data)
        if size >= most_bytes or len(batch) >= most:
            yield batch
            batch, size = [], 0
    if batch:
        yield batch


def _starred(entry: Frame | Event, pipeline: Pipeline[LaneStreams]) -> Frame | Event:
    """A frame with stars for what must not be shown on its lane."""
    if isinstance(entry, Event):
        return entry
    secrets = pipeline.lane(entry.lane).secrets
    return entry._replace(data=starred(entry.data, secrets)) if secrets else entry


def _peekable(file: BinaryIO) -> io.BufferedReader:
    return file if isinstance(file, io.BufferedReader) else io.BufferedReader(cast(io.RawIOBase, file))
