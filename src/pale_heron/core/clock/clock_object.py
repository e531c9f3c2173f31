"""What is known of time, as the object that `clock --json` prints, and in lines of text."""

from collections.abc import Sequence
from typing import Any, NamedTuple

from pale_heron.core.clock.host import HostClock, host_words
from pale_heron.core.clock.lag import LagSnapshot, TypeLag
from pale_heron.core.clock.ntp import NetworkServer
from pale_heron.core.clock.offset import OffsetToGive, apart_words, offset_to_give, other_rates, whole_seconds
from pale_heron.core.clock.pulse import PulseSnapshot
from pale_heron.core.figures import several
from pale_heron.core.frames import SECOND
from pale_heron.core.utc import iso
from pale_heron.core.wire.visible import safe_label

MS = 1000.0


class ClockPicture(NamedTuple):
    """All that is known of time: from when to when, each lane's lags, the servers that were asked, this computer."""

    begin: int | None
    end: int | None
    lanes: tuple[tuple[str, LagSnapshot], ...]
    network: tuple[NetworkServer, ...] = ()
    host: HostClock | None = None
    zone: str = ""
    pulses: tuple[PulseSnapshot, ...] = ()

    @property
    def offset(self) -> OffsetToGive | None:
        return offset_to_give(self.lanes)


def clock_object(picture: ClockPicture) -> dict[str, Any]:
    """Times are ISO 8601 UTC; lags and offsets in milliseconds, what to give a daemon in seconds."""
    host, offset = picture.host, picture.offset
    return {
        "begin": None if picture.begin is None else iso(picture.begin),
        "end": None if picture.end is None else iso(picture.end),
        "lanes": [
            {"lane": lane, "sentences": [_sentence(each) for each in lags.types], "second_named": None}
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
    }


def _sentence(each: TypeLag) -> dict[str, Any]:
    lag = each.lag
    figures = {"min": lag.least, "p5": lag.p5, "median": lag.median, "p95": lag.p95, "max": lag.most}
    return {
        "type": each.type,
        "samples": lag.samples,
        "lag_ms": {name: round(MS * value, 3) for name, value in figures.items()},
    }


def _offset(offset: OffsetToGive) -> dict[str, Any]:
    return {
        "sentence": offset.type,
        "lane": offset.lane,
        "seconds": round(offset.seconds, 4),
        "spread_ms": round(MS * offset.spread_s, 3),
        "samples": offset.samples,
    }


def _pulse(each: PulseSnapshot) -> dict[str, Any]:
    interval, offset = each.interval, each.host_offset
    return {
        "source": each.source,
        "count": each.pulses,
        "missed": each.missed,
        "doubled": each.doubled,
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
        "own_drift_ppm": None if each.own is None else round(each.own.ppm, 3),
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
    }


def clock_lines(picture: ClockPicture) -> list[str]:
    """In lines of text: what to give, how late each type comes, servers, this computer."""
    rows = [offset_words(picture.offset)]
    for lane, lags in picture.lanes:
        if not lags.types:
            continue
        rows += [
            "",
            f"{safe_label(lane):<16}{'samples':>9}{'least':>10}{'5 %':>10}{'median':>10}{'95 %':>10}{'most':>10}",
        ]
        apart = whole_seconds(lags)
        rows += [_row(each, apart) for each in lags.types]
        rows += [f"  {line}" for line in apart_lines(lane, lags)]
        burst = lags.burst
        if burst is not None:
            rows.append(
                f"  a round of {burst.bytes:.0f} bytes: its first comes {MS * (burst.begin.median - apart):.0f} ms "
                f"after the second, its last {MS * (burst.end.median - apart):.0f} ms"
            )
            at = ", ".join(f"{rate}: {MS * (end - apart):.0f} ms" for rate, end, _ in other_rates(burst))
            rows.append(f"  the last would come, by line rate: {at}")
    for each in picture.pulses:
        rows += ["", *pulse_lines(each)]
    rows += [""] if picture.network else []
    rows += [server_words(each) for each in picture.network]
    rows += ["", f"{host_words(picture.host).capitalize()}."]
    return rows


def apart_lines(lane: str, lags: LagSnapshot) -> list[str]:
    """Where the two clocks are plainly apart: by whole seconds, or because something comes before its second."""
    apart = whole_seconds(lags)
    if apart:
        return [f"{safe_label(lane)}: {apart_words(apart)}. Whole seconds are left out here."]
    least = lags.types[0].lag.median if lags.types else 0.0
    if least < 0:
        return [
            f"{safe_label(lane)}: {lags.types[0].type} comes {-MS * least:.0f} ms before the time that it tells: this "
            f"computer's clock is behind by more than that."
        ]
    return []


def _row(each: TypeLag, apart: int) -> str:
    lag = each.lag
    figures = "".join(f"{MS * (value - apart):>10.1f}" for value in (lag.least, lag.p5, lag.median, lag.p95, lag.most))
    return f"  {safe_label(each.type):<14}{lag.samples:>9}{figures}   ms"


def offset_words(offset: OffsetToGive | None) -> str:
    """What to give a time daemon, in a sentence."""
    if offset is None:
        return "No sentence comes steadily enough, or often enough, to take time from."
    holds = {True: "; it holds", False: "; it wanders", None: ""}[offset.holds]
    return (
        f"Give {offset.seconds:.4f} s: {offset.type} of {safe_label(offset.lane)} comes {MS * offset.seconds:.1f} ms "
        f"after its second, nine of ten within {MS * offset.spread_s:.1f} ms ({offset.samples} samples{holds})."
    )


def pulse_lines(each: PulseSnapshot) -> list[str]:
    """What is known of one source of pulses."""
    name = safe_label(each.source)
    if not each.pulses:
        return [f"{name}: no pulse came"]
    rows = [f"{name}: {several(each.pulses, 'pulse')}, {each.missed} missed, {each.doubled} doubled"]
    if each.interval is not None:
        found = each.interval
        rows.append(
            f"  {several(each.intervals, 'interval')}: mean {found.mean:.9f} s, "
            f"{found.least:.6f} to {found.most:.6f} s, deviation {duration(found.deviation)}"
        )
    for drift, clock in ((each.drift, "this computer's clock"), (each.own, "the counter that it prints")):
        if drift is not None:
            runs = "fast" if drift.ppm > 0 else "slow"
            rows.append(f"  {clock} runs {abs(drift.ppm):.3f} ± {drift.error_ppm:.3f} ppm {runs} against it")
    return rows


def duration(seconds: float) -> str:
    """In the unit that suits its size."""
    for scale, unit in ((1.0, "s"), (1e-3, "ms"), (1e-6, "µs")):
        if seconds >= scale:
            return f"{seconds / scale:.3g} {unit}"
    return f"{seconds * 1e9:.0f} ns"


def server_words(each: NetworkServer) -> str:
    """What a server says, in a line."""
    best = each.best
    if best is None:
        return f"{safe_label(each.server)}: {safe_label(each.error)}"
    apart = "ahead of" if best.offset_ns > 0 else "behind"
    return (
        f"{safe_label(each.server)}: stratum {best.stratum} ({safe_label(best.reference_id)}), "
        f"{abs(best.offset_ns) / 1e6:.3f} ms {apart} this computer, sure to {best.delay_ns / 2e6:.3f} ms "
        f"(best of {each.samples})"
    )


def span_of(lanes: Sequence[tuple[str, LagSnapshot]]) -> tuple[int | None, int | None]:
    """From when to when lags were counted."""
    begins = [lags.since for _, lags in lanes if lags.since is not None]
    ends = [each.history[-1].time for _, lags in lanes for each in lags.types if each.history]
    return min(begins, default=None), max((end + 10 * SECOND for end in ends), default=None)
