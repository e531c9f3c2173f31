"""A capture, or a live bench, as what expectations are held against."""

from collections.abc import Callable

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.bench.sources import Source
from pale_heron.core.clock.clock_object import picture_of
from pale_heron.core.frames import SECOND
from pale_heron.core.link.tracker import SeeProbe
from pale_heron.core.proof.measured import Evident, RecordFacts


def evident_of(
    source: Source, progress: Callable[[float], None] = lambda _: None, probes: SeeProbe | None = None
) -> Evident:
    """All of a file, gone through once; `probes` is called with what became of each probe of its trials."""
    lanes = source.lanes(progress, probes)
    clock = picture_of(((each.name, each.lag) for each in lanes), source.clock)
    lost = sum(each.dropped_bytes for each in lanes)
    return Evident(lanes, source.trials, clock, RecordFacts(source.duration_s, source.torn, lost, len(source.marks)))


def evident_now(shown: BenchSnapshot) -> Evident:
    """A live bench as it stands."""
    clock = picture_of(((each.name, each.lag) for each in shown.lanes), shown.clock)
    duration_s = (shown.now - shown.began) / SECOND
    lost = shown.capture.lost + sum(each.dropped_bytes for each in shown.lanes)
    return Evident(shown.lanes, shown.trials, clock, RecordFacts(duration_s, "", lost, len(shown.marks)))
