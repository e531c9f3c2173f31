"""A capture, or a live bench, as what expectations are held against."""

from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from types import MappingProxyType

from pale_heron.bench.heard import PassListener
from pale_heron.bench.part import CutPart, marks_in, part_in
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.bench.sources import Source
from pale_heron.core.clock_of_lanes import clock_of
from pale_heron.core.frames import SECOND
from pale_heron.core.link.tracker import SeeProbe
from pale_heron.core.proof.marks import measured_parts, part_named
from pale_heron.core.proof.measured import Evident, RecordFacts


def evident_of(
    source: Source,
    progress: Callable[[float], None] = lambda _: None,
    probes: SeeProbe | None = None,
    parts: Mapping[str, Evident] = MappingProxyType({}),
    listener: PassListener | None = None,
) -> Evident:
    """All of a file, gone through once; `probes` is called with what became of each probe, `listener` with the rest."""
    lanes = source.lanes(progress, probes, listener=listener)
    clock = clock_of(lanes, source.clock)
    lost = sum(each.dropped_bytes for each in lanes)
    named = tuple(each.name for each in measured_parts(source.marks))
    record = RecordFacts(source.duration_s, source.torn, lost, len(source.marks), named)
    return Evident(lanes, source.trials, clock, record, parts)


def parts_in(capture: Path, names: Iterable[str]) -> dict[str, Evident]:
    """The same of the measured parts of these names alone, as far as there are such; the rest is skipped."""
    return {name.casefold(): evident_of(Source(capture, part=part)) for name, part in _named(capture, names)}


def _named(capture: Path, names: Iterable[str]) -> list[tuple[str, CutPart]]:
    wanted = list(names)
    if not wanted:
        return []
    parts = measured_parts(marks_in(capture)[0])
    return [(name, part_in(capture, name)) for name in wanted if part_named(parts, name) is not None]


def evident_now(shown: BenchSnapshot) -> Evident:
    """A live bench as it stands; what measured parts say alone is known once the record was gone through."""
    clock = clock_of(shown.lanes, shown.clock)
    duration_s = (shown.now - shown.began) / SECOND
    lost = shown.capture.lost + sum(each.dropped_bytes for each in shown.lanes)
    named = tuple(each.name for each in measured_parts(shown.marks))
    return Evident(shown.lanes, shown.trials, clock, RecordFacts(duration_s, "", lost, len(shown.marks), named))
