"""What is known of time, in lines of text."""

from typing import Final

from pale_heron.core.clock.clock_object import ClockPicture
from pale_heron.core.clock.host import host_words
from pale_heron.core.clock.lag import LagSnapshot, TypeLag
from pale_heron.core.clock.ntp import NetworkServer
from pale_heron.core.clock.offset import OffsetToGive, apart_words, other_rates, whole_seconds
from pale_heron.core.clock.pulse import PulseSnapshot
from pale_heron.core.figures import several
from pale_heron.core.wire.visible import safe_label

MS: Final = 1000.0


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
