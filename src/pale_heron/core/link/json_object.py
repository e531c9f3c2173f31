"""A trial as the object that `trial --json` and `link --json` print."""

from collections.abc import Iterable
from typing import Any

from pale_heron.core.link.description import DELIVERY
from pale_heron.core.link.exchange import ExchangeSnapshot
from pale_heron.core.link.fates import DeliverySnapshot, LinkOutage
from pale_heron.core.link.judging import completeness
from pale_heron.core.link.reach import RangeSnapshot, Strength
from pale_heron.core.link.speed import speeds
from pale_heron.core.link.throughput import Location
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.link.verdict import verdict
from pale_heron.core.samples import Times
from pale_heron.core.utc import iso


def trial_object(trial: TrialSnapshot) -> dict[str, Any]:
    """All of it; times are ISO 8601 UTC, shares 0 to 1, latencies in milliseconds."""
    found, known = verdict(trial), completeness(trial)
    return {
        "kind": trial.described.kind,
        "begin": iso(trial.begin),
        "end": iso(trial.end) if trial.end is not None else None,
        "verdict": found.result,
        "why": found.why,
        "asked": known.asked,
        "sent": known.sent,
        "complete": known.complete,
        "not_known": sum(known.not_known.values()),
        "not_known_why": reasons_object(known.not_known.items()),
        "ended": trial.ended_by or None,
        "waited_s": trial.waited_s,
        "limit_s": trial.described.limit_s,
        "every_s": trial.described.every_s,
        "size": trial.described.size,
        "form": "blocks" if trial.bulk else "text" if trial.described.kind == DELIVERY else None,
        "at_most_lost": trial.described.at_most_lost,
        "left_before": dict(trial.described.left_before),
        "own_bytes_back": trial.own_bytes_back,
        "directions": [
            {**direction_object(each), **(_bulk(trial, index) if trial.bulk else {})}
            for index, each in enumerate(trial.directions)
        ],
        "exchange": _exchange(trial.exchange) if trial.exchange else None,
        "round_trip": _trip(trial.trip) if trial.trip else None,
        "types": [{"type": name, "said": said, "delivered": came} for name, said, came in trial.types],
        "left_out": [{"type": name, "said": said} for name, said in trial.left_out],
        "ranges": [_range(each) for each in trial.ranges],
        "away": [
            {"lane": each.lane, "begin": iso(each.begin), "end": iso(each.end) if each.end is not None else None}
            for each in trial.away
        ],
        "wiring": trial.described.wiring or None,
        "cell": list(trial.described.cell) or None,
        "findings": [each._asdict() for each in found.findings],
    }


def reasons_object(reasons: Iterable[tuple[str, int]]) -> list[dict[str, Any]]:
    """Why of some it is not known what became of them."""
    return [{"reason": reason, "count": count} for reason, count in sorted(reasons) if count]


def _trip(trip: DeliverySnapshot) -> dict[str, Any]:
    """There and back."""
    return {
        "sent": trip.sent,
        "answered": trip.delivered,
        "unanswered": trip.lost,
        "late": trip.late,
        "not_known": trip.unknown,
        "ms": _milliseconds(trip.latency),
    }


def _share(each: DeliverySnapshot) -> dict[str, Any]:
    """What was not delivered, of what is known: one figure under two names."""
    share = None if each.share is None else round(each.share, 6)
    interval = None if each.share_95 is None else [round(end, 6) for end in each.share_95]
    return {"loss_share": share, "loss_95": interval, "not_delivered_share": share, "not_delivered_95": interval}


def _range(found: RangeSnapshot) -> dict[str, Any]:
    """One way by distance."""
    return {
        "way": found.way,
        "farthest_delivered_m": _rounded(found.farthest_m),
        "first_outage_m": _rounded(found.first_outage_m),
        "bins": [
            {
                "from_m": each.low_m,
                "to_m": each.high_m,
                "settled": each.settled,
                "delivered": each.delivered,
                "not_delivered_95": None if each.bad_95 is None else [round(share, 6) for share in each.bad_95],
                "strength": None if each.strength is None else _strength(each.strength),
            }
            for each in found.bins
        ],
    }


def _strength(strength: Strength) -> dict[str, Any]:
    figures = {"mean": strength.mean, "min": strength.least, "max": strength.most}
    return {"samples": strength.samples, **{name: round(value, 1) for name, value in figures.items()}}


def _rounded(metres: float | None) -> float | None:
    return None if metres is None else round(metres, 1)


def direction_object(each: DeliverySnapshot) -> dict[str, Any]:
    """One direction."""
    return {
        "from": each.sender,
        "to": each.receiver,
        "sent": each.sent,
        "delivered": each.delivered,
        "lost": each.lost,
        "twice": each.twice,
        "out_of_order": each.out_of_order,
        "damaged": each.damaged,
        "late": each.late,
        "foreign_bytes": each.foreign_bytes,
        "not_known": each.unknown,
        "not_known_why": reasons_object(each.not_known),
        "far_restarts": [iso(moment) for moment in each.restarts],
        **_share(each),
        "latency_ms": _milliseconds(each.latency),
        "outages": [_outage(outage) for outage in each.outages],
        "payload_bytes": 0,
        "payload_bit_s": None,
        "ceiling_bit_s": None,
        "ceiling_share": None,
        "stalls": [],
        "bytes_changed": 0,
        "bytes_missing": 0,
        "bytes_added": 0,
    }


def _bulk(trial: TrialSnapshot, index: int) -> dict[str, Any]:
    """What a direction of a trial of throughput has besides."""
    bulk, speed = trial.bulk[index], speeds(trial)[index]
    return {
        "payload_bytes": bulk.payload_bytes,
        "payload_bit_s": None if speed.payload is None else round(8 * speed.payload, 1),
        "ceiling_bit_s": None if speed.ceiling is None else round(8 * speed.ceiling, 1),
        "ceiling_share": None if speed.share is None else round(speed.share, 6),
        "steady_s": None if bulk.steady is None else round((bulk.steady.end - bulk.steady.begin) / 1e9, 3),
        "stalls": [
            {"begin": iso(each.begin), "seconds": round(each.seconds, 3), "held_by": each.held_by}
            for each in bulk.stalls
        ],
        "bytes_changed": bulk.changed,
        "bytes_missing": bulk.missing,
        "bytes_added": bulk.added,
        "located": [_location(each) for each in bulk.located],
    }


def _location(each: Location) -> dict[str, Any]:
    return each._asdict()


def _outage(outage: LinkOutage) -> dict[str, Any]:
    seconds = None if outage.end is None else round((outage.end - outage.begin) / 1e9, 3)
    end = None if outage.end is None else iso(outage.end)
    return {"begin": iso(outage.begin), "end": end, "seconds": seconds, "lost": outage.lost}


def _exchange(exchange: ExchangeSnapshot) -> dict[str, Any]:
    return {
        "rounds": exchange.rounds,
        "right": exchange.right,
        "wrong": exchange.wrong,
        "unanswered": exchange.unanswered,
        "late": exchange.late,
        "unasked": exchange.unasked,
        "not_known": sum(count for _, count in exchange.not_known),
        "not_known_why": reasons_object(exchange.not_known),
        "round_trip_ms": _milliseconds(exchange.round_trip),
        "clusters": [{"at_ms": round(1000 * each.at_s), "samples": each.samples} for each in exchange.clusters],
    }


def _milliseconds(times: Times | None) -> dict[str, Any] | None:
    if times is None:
        return None
    figures = {"min": times.least, "median": times.median, "p95": times.p95, "max": times.most}
    return {"samples": times.samples, **{name: round(1000 * value, 3) for name, value in figures.items()}}
