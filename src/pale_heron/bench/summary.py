"""What a file holds, as the object that `summary --json` prints."""

from typing import Any

from pale_heron.bench.sources import Source
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.facts import Fact
from pale_heron.core.gnss.fix import FixSnapshot
from pale_heron.core.gnss.scatter import scatter
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.utc import iso


def summary(source: Source) -> dict[str, Any]:
    """The whole object; times are ISO 8601 UTC."""
    lanes = source.lanes()
    if source.is_capture:
        duration = (source.span[1] - source.span[0]) / SECOND if source.span else None
    else:
        duration = next((lane.own_span_s for lane in lanes), None)
    return {
        "file": source.name,
        "duration_s": duration,
        "torn": source.torn or None,
        "lanes": [_lane(lane) for lane in lanes],
    }


def _lane(lane: LaneSnapshot) -> dict[str, Any]:
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
        "fix": _fix(lane.fix) if lane.fix.facts or lane.fix.sky.satellites else None,
    }


def _fix(fix: FixSnapshot) -> dict[str, Any]:
    scattered = scatter(fix.track)
    return {
        "state": fix.state.state,
        "kind": fix.state.kind or None,
        "quality": _value(fix, "quality"),
        "since": _iso(fix.since),
        **{
            name: _value(fix, name)
            for name in ("latitude", "longitude", "altitude_m", "geoid_separation_m", "satellites_used", "hdop")
        },
        "satellites_seen": len(fix.sky.satellites),
        "time": _value(fix, "time"),
        "date": _value(fix, "date"),
        "epochs": fix.epochs,
        "epochs_with_fix": fix.epochs_with_fix,
        "starts": [
            {"mode": start.mode, "seconds_to_first_fix": start.seconds_to_first_fix} for start in fix.history.starts
        ],
        "outages": [
            {
                "begin": _iso(outage.begin),
                "end": _iso(outage.end),
                "seconds": None if outage.end is None else (outage.end - outage.begin) / SECOND,
            }
            for outage in fix.history.outages
        ],
        "scatter": scattered
        and {
            "samples": scattered.samples,
            "cep50_m": _rounded(scattered.cep50_m, 3),
            "cep95_m": _rounded(scattered.cep95_m, 3),
            "drms2_m": _rounded(scattered.drms2_m, 3),
        },
    }


def _value(fix: FixSnapshot, name: str) -> Any:
    fact: Fact | None = fix.value(name)
    return None if fact is None else fact.value


def _iso(time: int | None) -> str | None:
    return None if time is None else iso(time)


def _rounded(value: float | None, digits: int) -> float | None:
    return None if value is None else round(value, digits)
