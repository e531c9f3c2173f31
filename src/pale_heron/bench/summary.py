"""What a file holds, as the object that `summary --json` prints."""

from collections.abc import Callable, Sequence
from itertools import combinations
from typing import Any, Final

from pale_heron.bench.sources import Source
from pale_heron.core.gnss.comparison import Comparison, Spread, compare
from pale_heron.core.gnss.course import MILESTONES, Start, starts_by_mode
from pale_heron.core.gnss.earth.points import Point
from pale_heron.core.gnss.facts import Fact
from pale_heron.core.gnss.scatter import Scatter, scatter
from pale_heron.core.gnss.snapshot import FixSnapshot
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.utc import clock, iso

MOST_COMPARED: Final = 8
"""More receivers than these in one capture are not all compared with each other."""


def summary(
    source: Source, reference: Point | None = None, progress: Callable[[float], None] = lambda _: None
) -> dict[str, Any]:
    """The whole object; times are ISO 8601 UTC. With a reference the scatter is about it, else about the mean."""
    lanes = source.lanes(progress)
    return {
        "file": source.name,
        "duration_s": source.duration_s,
        "torn": source.torn or None,
        "lanes": [lane_object(lane, reference, source.dated) for lane in lanes],
        "comparisons": _comparisons(lanes),
    }


def lane_object(lane: LaneSnapshot, reference: Point | None, dated: bool = True) -> dict[str, Any]:
    """One lane; where no date is known its times are times of day, without a day."""
    line = lane.line
    return {
        "lane": lane.name,
        "bytes_in": line.bytes_in,
        "bytes_out": line.bytes_out,
        "frames": line.frames,
        "readable_share": _rounded(line.readable_share, 4),
        "valid_sentences": line.valid_sentences,
        "bad_checksums": line.bad_checksums,
        "dropped_bytes": lane.dropped_bytes,
        "returns": lane.returns,
        "types": [
            {
                "type": each.type,
                "count": each.count,
                "rate_hz": _rounded(each.mean_hz, 3),
                "bytes_per_s": _rounded(each.mean_bytes_per_s, 1),
                "bad": each.bad,
            }
            for each in sorted(line.types, key=lambda each: -each.count)
        ],
        "steps": [{"step": step.step, "state": step.state.value} for step in lane.steps],
        "findings": [
            {"id": each.id, "text": each.text, "evidence": each.evidence, "next": each.next} for each in lane.findings
        ],
        "fix": _fix(lane.fix, reference, iso if dated else _of_day)
        if lane.fix.facts or lane.fix.sky.satellites
        else None,
    }


def _fix(fix: FixSnapshot, reference: Point | None, written: Callable[[int], str]) -> dict[str, Any]:
    def when(time: int | None) -> str | None:
        return None if time is None else written(time)

    return {
        "state": fix.state.state,
        "kind": fix.state.kind or None,
        "quality": _value(fix, "quality"),
        "since": when(fix.since),
        "said": when(fix.said),
        "overdue_s": _rounded(fix.overdue_s, 3),
        "decided_by": [each.formatter for each in fix.testimonies if each.decides],
        **{
            name: _value(fix, name)
            for name in (
                "latitude",
                "longitude",
                "altitude_m",
                "geoid_separation_m",
                "satellites_used",
                "hdop",
                "heading_deg",
            )
        },
        "satellites_seen": len(fix.sky.satellites) if fix.sky.heard else None,
        "incomplete_lists": fix.sky.incomplete_lists,
        "time": _value(fix, "time"),
        "date": _value(fix, "date"),
        "epochs": fix.epochs,
        "epochs_with_fix": fix.epochs_with_fix,
        "starts": [_start(start, when) for start in fix.history.starts],
        "starts_by_mode": [row._asdict() for row in starts_by_mode(fix.history.starts)],
        "outages": [
            {
                "begin": when(outage.begin),
                "end": when(outage.end),
                "seconds": outage.seconds,
                "lost": outage.lost,
                "satellites_before": outage.before.used,
                "satellites_at_worst": outage.worst.used,
            }
            for outage in fix.history.outages
        ],
        "scatter": _scatter(scatter(fix.track, reference)),
    }


def _start(start: Start, when: Callable[[int | None], str | None]) -> dict[str, Any]:
    milestones = {name: start.seconds_to(name) for name in MILESTONES if name in start.reached}
    return {
        "mode": start.mode,
        "cause": start.cause,
        "begin": when(start.begin),
        "seconds_to_first_fix": start.seconds_to_first_fix,
        "milestones_s": milestones,
    }


def _scatter(found: Scatter | None) -> dict[str, Any] | None:
    if found is None:
        return None
    return {
        "samples": found.samples,
        "span_s": _rounded(found.span_s, 3),
        "independent_samples": _rounded(found.independent, 1),
        "about": "reference" if found.from_reference else "mean",
        "latitude": _rounded(found.about.latitude, 9),
        "longitude": _rounded(found.about.longitude, 9),
        "altitude_m": _rounded(found.about.altitude_m, 3),
        "mean_offset_m": [_rounded(each, 3) for each in found.mean],
        "cep50_m": _rounded(found.cep50_m, 3),
        "cep95_m": _rounded(found.cep95_m, 3),
        "drms2_m": _rounded(found.drms2_m, 3),
        "vertical95_m": _rounded(found.vertical95_m, 3),
        "claimed_drms_m": _rounded(found.claimed_drms_m, 3),
        "claim_holds": found.claim_holds,
        "kinds": [found.level, *(each.level for each in found.others)],
        "others": [
            {
                "kind": each.level,
                "samples": each.samples,
                "cep50_m": _rounded(each.cep50_m, 3),
                "cep95_m": _rounded(each.cep95_m, 3),
            }
            for each in found.others
        ],
    }


def _comparisons(lanes: Sequence[LaneSnapshot]) -> list[dict[str, Any]]:
    """Every two lanes that report positions of the same moments."""
    with_fix = [lane for lane in lanes if lane.fix.positions]
    found = []
    for first, second in combinations(with_fix[:MOST_COMPARED], 2):
        compared = compare(first.fix.track, second.fix.track)
        if compared is not None:
            found.append(_comparison(first.name, second.name, compared))
    return found


def _comparison(first: str, second: str, compared: Comparison) -> dict[str, Any]:
    spreads = {"north_m": compared.north, "east_m": compared.east, "up_m": compared.up, "distance_m": compared.distance}
    return {
        "from": first,
        "to": second,
        "matched": compared.matched,
        "span_s": _rounded(compared.span_s, 3),
        "independent_samples": _rounded(compared.independent, 1),
        **{name: _spread(spread) for name, spread in spreads.items()},
        "distance95_m": _rounded(compared.distance95_m, 3),
        "first_fix": [_iso(side.first_fix) for side in compared.sides],
    }


def _spread(spread: Spread | None) -> dict[str, float] | None:
    if spread is None:
        return None
    return {name: round(getattr(spread, name), 3) for name in ("mean", "deviation", "least", "most")}


def _value(fix: FixSnapshot, name: str) -> Any:
    fact: Fact | None = fix.value(name)
    return None if fact is None else fact.value


def _of_day(time: int) -> str:
    """`09:41:07.250000000`, of a day that nobody knows."""
    return clock(time, 9)


def _iso(time: int | None) -> str | None:
    return None if time is None else iso(time)


def _rounded(value: float | None, digits: int) -> float | None:
    # A mean that is none is written without a sign.
    return None if value is None else round(value, digits) or 0.0
