"""What is known of time, as the object that `clock --json` prints."""

from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType
from typing import Any, Final, NamedTuple

from pale_heron.core.clock.agreement import agreements, uncertainty_s
from pale_heron.core.clock.host import HostClock
from pale_heron.core.clock.lag import LagSnapshot, TypeLag
from pale_heron.core.clock.naming import PREVIOUS, THIS, SecondNamed
from pale_heron.core.clock.ntp import NetworkServer
from pale_heron.core.clock.offset import OffsetToGive, offset_to_give, whole_seconds, why_no_offset
from pale_heron.core.clock.pulse import PulseSnapshot, contradicted
from pale_heron.core.clock.sources import PRINTED, SIMULATED
from pale_heron.core.clock.tracker import ClockSnapshot, ClockStep, ServerHistory
from pale_heron.core.frames import SECOND
from pale_heron.core.utc import iso
from pale_heron.core.wire.visible import safe_label

MS = 1000.0
SURE_S: Final = 0.4
"""A clock that may be farther off may be in another second than it says."""


class ClockPicture(NamedTuple):
    """All that is known of time: from when to when, each lane's lags, the servers that were asked, this computer."""

    begin: int | None
    end: int | None
    lanes: tuple[tuple[str, LagSnapshot], ...]
    network: tuple[NetworkServer, ...] = ()
    host: HostClock | None = None
    zone: str = ""
    pulses: tuple[PulseSnapshot, ...] = ()
    named: tuple[SecondNamed, ...] = ()
    steps: tuple[ClockStep, ...] = ()
    asked: tuple[ServerHistory, ...] = ()
    receivers: Mapping[str, str] = MappingProxyType({})
    """How the receiver of each lane stands, in words."""

    @property
    def tells(self) -> bool:
        """Whether anything tells a time."""
        spoken = any(lags.types for _, lags in self.lanes) or any(each.pulses for each in self.pulses)
        return spoken or any(each.best for each in self.network)

    def named_on(self, lane: str) -> SecondNamed | None:
        """Which second the pulses mean by what this lane says; of several sources one that is no printed line.

        Which second it is here is known by this computer's clock alone: none is named where that may be off by one.
        """
        often = {each.source for each in self.pulses if each.period_s < 1}
        found = [each for each in self.named if each.lane == lane and each.of and each.source not in often]
        best = max(found, key=lambda each: (not each.source.startswith(PRINTED), each.of), default=None)
        if best is not None and contradicted(self.pulses):
            return best._replace(second=None, unsure="sources of pulses contradict each other")
        if best is None or best.source.startswith(SIMULATED) or not (unsure := self.unsure_of_second):
            return best
        return best._replace(second=None, unsure=unsure)

    @property
    def unsure_of_second(self) -> str:
        """Why this computer's clock may be in another second; empty where servers, or its own bound, deny it."""
        servers = [(each.server, each.best) for each in self.network if each.best is not None]
        for server, best in servers:
            off, sure = abs(best.offset_ns) / SECOND, uncertainty_s(best)
            if off + sure >= SURE_S:
                return f"by {safe_label(server)} this computer is {off:.1f} s off, sure to {sure:.1f} s"
        if servers:
            return ""
        if self.host is None:
            return "nothing says how good this computer's clock is"
        if not self.host.synchronised:
            return "nothing keeps this computer's clock right"
        most = self.host.maximum_error_s
        return "" if most < SURE_S else f"this computer's clock may be {most:.1f} s off by its own account"

    @property
    def offset(self) -> OffsetToGive | None:
        return offset_to_give(self.lanes, self.pulses)


def clock_object(picture: ClockPicture) -> dict[str, Any]:
    """Times are ISO 8601 UTC; lags and offsets in milliseconds, what to give a daemon in seconds."""
    host, offset = picture.host, picture.offset
    return {
        "begin": None if picture.begin is None else iso(picture.begin),
        "end": None if picture.end is None else iso(picture.end),
        "lanes": [
            {
                "lane": lane,
                "sentences": [_sentence(each) for each in lags.types],
                "fix": lags.vouched,
                "since": None if lags.since is None else iso(lags.since),
                "steps": lags.steps,
                "keeps_pace": lags.keeps_pace,
                "seconds_apart": whole_seconds(lags),
                "second_named": _second_named(picture.named_on(lane)),
            }
            for lane, lags in picture.lanes
            if lags.types
        ],
        "pulses": [_pulse(each) for each in picture.pulses],
        "network": [_server(each) for each in picture.network],
        "host": {
            "synchronised": None if host is None else host.synchronised,
            "estimated_error_ms": None if host is None else round(MS * host.estimated_error_s, 3),
            "zone": picture.zone,
        },
        "offset_to_give": None if offset is None else _offset(offset),
        "no_offset_because": None if offset is not None else why_no_offset(picture.lanes),
        "agreements": [{**each._asdict(), "agree": each.agree} for each in agreements(picture.pulses, picture.network)],
        "steps": [{"time": iso(each.time), "seconds": each.seconds} for each in picture.steps],
    }


def _second_named(found: SecondNamed | None) -> str | None:
    """One that is announced before it begins is neither of the two."""
    return found.second if found is not None and found.second in (THIS, PREVIOUS) else None


def _sentence(each: TypeLag) -> dict[str, Any]:
    lag = each.lag
    figures = {"min": lag.least, "p5": lag.p5, "median": lag.median, "p95": lag.p95, "max": lag.most}
    return {
        "type": each.type,
        "samples": lag.samples,
        "lag_ms": {name: round(MS * value, 3) for name, value in figures.items()},
        "holds": each.holds,
        "groups_ms": None
        if each.groups is None
        else [round(MS * each.groups.first, 3), round(MS * each.groups.second, 3)],
    }


def _offset(offset: OffsetToGive) -> dict[str, Any]:
    return {
        "sentence": offset.type,
        "lane": offset.lane,
        "seconds": round(offset.seconds, 4),
        "spread_ms": round(MS * offset.spread_s, 3),
        "samples": offset.samples,
        "holds": offset.holds,
        "measured_s": round(offset.measured_s, 4),
        "corrected_by": offset.by or None,
        "ahead_ms": round(MS * offset.ahead_s, 3) if offset.by else None,
    }


def _pulse(each: PulseSnapshot) -> dict[str, Any]:
    interval, offset = each.interval, each.host_offset
    return {
        "source": each.source,
        "count": each.pulses,
        "missed": each.missed,
        "doubled": each.doubled,
        "period_s": each.period_s,
        "intervals": each.intervals,
        "interval_s": None
        if interval is None
        else {
            "min": round(interval.least, 9),
            "mean": round(interval.mean, 9),
            "max": round(interval.most, 9),
            "deviation": round(interval.deviation, 9),
        },
        "host_offset_ns": None
        if offset is None
        else {
            "min": round(offset.least),
            "median": round(offset.median),
            "max": round(offset.most),
            "deviation": round(offset.deviation),
        },
        "drift_ppm": None if each.drift is None else round(each.drift.ppm, 3),
        "drift_error_ppm": None if each.drift is None else float(f"{each.drift.error_ppm:.2g}"),
        "own_drift_ppm": None if each.own is None else round(each.own.ppm, 3),
        "resolution_ns": each.resolution_ns,
        "trouble": each.trouble or None,
        "allan": [
            {"span_s": found.span_s, "deviation": float(f"{found.deviation:.4g}"), "samples": found.samples}
            for found in each.allan
        ],
    }


def _server(each: NetworkServer) -> dict[str, Any]:
    best = each.best
    if best is None:
        return {"server": each.server, "error": each.error}
    return {
        "server": each.server,
        "samples": each.samples,
        "stratum": best.stratum,
        "reference_id": best.reference_id,
        "leap": best.leap,
        "offset_ms": round(best.offset_ns / 1e6, 3),
        "delay_ms": round(best.delay_ns / 1e6, 3),
        "dispersion_ms": round(MS * best.root_dispersion_s, 3),
        "root_delay_ms": round(MS * best.root_delay_s, 3),
        "sure_to_ms": round(MS * uncertainty_s(best), 3),
    }


def span_of(lanes: Sequence[tuple[str, LagSnapshot]]) -> tuple[int | None, int | None]:
    """From when to when lags were counted."""
    begins = [lags.since for _, lags in lanes if lags.since is not None]
    ends = [lags.until for _, lags in lanes if lags.since is not None and lags.until is not None]
    return min(begins, default=None), max(ends, default=None)


def picture_of(lanes: Iterable[tuple[str, LagSnapshot]], known: ClockSnapshot) -> ClockPicture:
    """All that a bench, or a capture, knows of time."""
    lags = tuple(lanes)
    begin, end = span_of(lags)
    moments = [each.phases[0].time for each in known.pulses if each.phases]
    ends = [each.last for each in known.pulses if each.last is not None]
    return ClockPicture(
        min((each for each in (begin, *moments) if each is not None), default=None),
        max((each for each in (end, *ends) if each is not None), default=None),
        lags,
        known.network,
        known.host,
        known.zone,
        known.pulses,
        known.named,
        known.steps,
        known.asked,
    )
