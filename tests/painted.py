"""Snapshots of lanes, and what Fix is asked to show of them."""

from pale_heron.bench.snapshot import BenchSnapshot, CaptureState, ReplayState
from pale_heron.core.frames import Event
from pale_heron.core.gnss.comparison import compare
from pale_heron.core.gnss.earth.points import Point
from pale_heron.core.lane import Lane
from pale_heron.tui.views.fix.choices import SPANS_S, FixChoices
from pale_heron.tui.views.fix.deferred import distance, scattered
from tests.streams import BEGIN


def snapshot(*lanes: Lane, now: int = BEGIN, replay: ReplayState | None = None) -> BenchSnapshot:
    return BenchSnapshot(
        bench="saltmarsh",
        now=now,
        began=BEGIN,
        lanes=tuple(lane.snapshot(now) for lane in lanes),
        capture=CaptureState("/captures/saltmarsh.pcapng", 1_900_000, ""),
        replay=replay,
        host_ahead_s=0.0,
    )


def opened(lane: Lane, **details: object) -> Lane:
    lane.event(Event(BEGIN, lane.name, "opened", {"rate": 9600, "framing": "8N1", "role": "buoy 7"} | details))
    return lane


def looked(shown: BenchSnapshot, page: str = "now", reference: Point | None = None) -> FixChoices:
    """A page of Fix on the first lane, compared with the second where there is one."""
    fix = shown.lanes[0].fix
    other = shown.lanes[1] if len(shown.lanes) > 1 else None
    facts = [fix.facts.get(name) for name in ("latitude", "longitude")]
    here = tuple(fact.value for fact in facts if fact is not None)
    return FixChoices(
        page=page,
        reference=reference,
        scatter=scattered(fix.track, SPANS_S[0], reference),
        other=other,
        comparison=compare(fix.track, other.fix.track) if other else None,
        distance=distance(reference, here),
    )
