"""What is said of a source of pulses: how it stands, how even it is, and why nothing may come."""

import math
from typing import Final, NamedTuple

from pale_heron.core.clock.pulse import PulseSnapshot
from pale_heron.core.clock.sources import KERNEL, LINE, PRINTED
from pale_heron.core.clock.straight_line import FEW, Drift
from pale_heron.core.figures import duration as passed
from pale_heron.core.figures import several
from pale_heron.core.frames import SECOND
from pale_heron.core.wire.visible import safe_label

SILENT: Final = 2.5
"""After so many periods without a pulse the source has stopped."""

EDGE_ERRORS: Final = 4.0
"""A drift below so many standard errors is not shown to be one: few pulses, and noise that is not all by chance."""

UNITS: Final = ((1.0, "s"), (1e-3, "ms"), (1e-6, "µs"))


class PulseFinding(NamedTuple):
    """Why pulses may not come, or not be what they seem: what it is, what speaks for it, what to do."""

    text: str
    evidence: str
    next: str


def duration(seconds: float) -> str:
    """In the unit that suits its size, with three figures that count."""
    for scale, unit in UNITS:
        if abs(seconds) >= scale:
            return f"{seconds / scale:.3g} {unit}"
    return f"{seconds * 1e9:.0f} ns"


def signed(seconds: float) -> str:
    """A duration with its sign."""
    return f"{'+' if seconds > 0 else '−' if seconds < 0 else ''}{duration(abs(seconds))}"


def no_finer(seconds: float, each: PulseSnapshot) -> str:
    """A duration, never finer than its source allows."""
    least = each.resolution_ns / SECOND
    return f"below {duration(least)}" if seconds < least else duration(seconds)


def with_error(value: float, error: float) -> str:
    """`12.34 ± 0.05`: as many decimals as the error has figures that count."""
    decimals = min(6, max(0, 1 - math.floor(math.log10(error)))) if error > 0 else 3
    return f"{value:.{decimals}f} ± {error:.{decimals}f}"


def rounded(value: float) -> str:
    """Two figures that count, never as a power of ten."""
    return f"{value:.0f}" if value >= 10 else f"{value:.2g}"


def drift_words(drift: Drift, clock: str) -> str:
    """How a clock runs against the pulses, as far as that is shown."""
    bound = EDGE_ERRORS * drift.error_ppm
    if abs(drift.ppm) <= bound:
        return f"{clock} keeps pace with it, to within {rounded(bound)} ppm"
    runs = "fast" if drift.ppm > 0 else "slow"
    return f"{clock} runs {with_error(abs(drift.ppm), drift.error_ppm)} ppm {runs} against it"


def offset_words(each: PulseSnapshot) -> str:
    """Where its pulses lie against the seconds of this computer's clock."""
    offset, now = each.host_offset, each.offset_now
    if offset is None or now is None:
        return ""
    where = "ahead" if now.mean > 0 else "behind"
    least, most = (signed(value / SECOND) for value in (offset.least, offset.most))
    lately = no_finer(abs(now.mean) / SECOND, each)
    return f"by its last pulses this computer is {lately} {where}; {least} to {most} so far"


def silent_ns(each: PulseSnapshot) -> int:
    """How long no pulse of it may come."""
    return round(SILENT * max(1.0, each.period_s) * SECOND)


def figure(seconds: float) -> str:
    """A period as people say it."""
    return f"{seconds:.4g}"


def pulse_state(each: PulseSnapshot, now: int | None) -> tuple[str, str]:
    """How it stands: a role, and words. `now` is None where nobody waits any more."""
    name = safe_label(each.source)
    if each.left:
        return "quiet", f"{name}: let go, after {several(each.pulses, 'pulse')}"
    if each.trouble:
        return "coral", f"{name}: {each.trouble}"
    if not each.pulses or each.last is None:
        return "amber", f"{name}: no pulse has come"
    counted = several(each.pulses, "pulse")
    if now is not None and now - each.last > silent_ns(each):
        return "coral", f"{name}: no pulse for {passed((now - each.last) / SECOND)}, after {counted}"
    counted += "" if each.period_s == 1 else f", every {figure(each.period_s)} s"
    if each.missed or each.doubled:
        return "amber", f"{name}: {counted}, {each.missed} missed, {each.doubled} doubled"
    if each.pulses < FEW:
        return "amber", f"{name}: {counted}, too few to judge"
    return "reed", f"{name}: {counted}, none missed, none doubled"


def pulse_lines(each: PulseSnapshot) -> list[str]:
    """What is known of one source."""
    rows = [pulse_state(each, None)[1]]
    if each.interval is not None:
        found = each.interval
        rows.append(
            f"  {several(each.intervals, 'interval')}: mean {found.mean:.9f} s, "
            f"{found.least:.6f} to {found.most:.6f} s, deviation {no_finer(found.deviation, each)}"
        )
        rows.append(f"  {offset_words(each)}")
    for drift, clock in ((each.drift, "this computer's clock"), (each.own, "the counter that it prints")):
        if drift is not None:
            rows.append(f"  {drift_words(drift, clock)}")
    rows += [f"  over {each_.span_s} s it is steady to {each_.deviation:.1e}" for each_ in each.allan]
    rows += [f"  {finding.text} {finding.next}" for finding in pulse_findings(each, None, fixed=None)]
    return rows


def pulse_findings(each: PulseSnapshot, now: int | None, *, fixed: bool | None) -> list[PulseFinding]:
    """Why none come, or what they are worth. `fixed`: whether a receiver here has a fix; None where nobody knows."""
    found = []
    kind = each.source.partition(":")[0]
    stopped = now is not None and not each.left and each.last is not None and now - each.last > silent_ns(each)
    if (not each.pulses and not each.left) or stopped:
        if fixed is False:
            found.append(
                PulseFinding(
                    "No receiver here has a fix, and most give pulses only with one.",
                    "fix: none",
                    "Wait for the fix, or set the receiver to give pulses always.",
                )
            )
        if not each.trouble and not stopped:
            found.append(_never(kind))
    if each.resolution_ns:
        found.append(
            PulseFinding(
                f"Its moments are known to {duration(each.resolution_ns / SECOND)} only.",
                "USB adapters tell of control lines once a millisecond; others are looked at now and then",
                "A port of the computer's own, or the kernel's PPS device, knows them better.",
            )
        )
    if kind == PRINTED and each.pulses:
        found.append(
            PulseFinding(
                "A pulse is when its line began to come: printing and the line add to it.",
                "lines that a board prints",
                "Where it prints a counter of its own, the counter's drift is what counts.",
            )
        )
    return found


def _never(kind: str) -> PulseFinding:
    """It is listened to, and nothing ever came."""
    if kind == LINE:
        return PulseFinding(
            "The control line has not changed.",
            "changes: 0",
            "The pulse may be on another one (dcd, cts, dsr, ri), or on a pin that the cable does not lead out.",
        )
    if kind == PRINTED:
        return PulseFinding(
            "No line came that is a pulse.", "lines that fit: 0", "Look at Traffic, and at the pattern of the source."
        )
    if kind == KERNEL:
        return PulseFinding(
            "The device is there, and nothing moves its pin.",
            "sequence: unchanged",
            "Look at the pin that it is set to, at the level of the pulse, and at the ground.",
        )
    return PulseFinding("Its device gives no pulse.", "pulses: 0", "A simulated receiver gives them with its fix.")
