"""What is known of time, in lines of text."""

from typing import Final

from pale_heron.core.clock.agreement import agreements, corrected, lag_drift, root_distance_s, uncertainty_s
from pale_heron.core.clock.clock_object import ClockPicture
from pale_heron.core.clock.host import host_words
from pale_heron.core.clock.lag import LagSnapshot, TypeLag
from pale_heron.core.clock.naming import FEW as FEW_PAIRS
from pale_heron.core.clock.naming import NEXT, PREVIOUS, THIS, SecondNamed
from pale_heron.core.clock.ntp import NetworkServer
from pale_heron.core.clock.offset import (
    OffsetToGive,
    apart_lines,
    group_lines,
    other_rates,
    whole_seconds,
    why_no_offset,
)
from pale_heron.core.clock.pulse_words import drift_words, duration, pulse_lines
from pale_heron.core.frames import SECOND
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label

MS: Final = 1000.0
SECONDS_NAMED: Final = {
    THIS: "A sentence of {name} names the pulse of {source} before it",
    PREVIOUS: "Sentences of {name} come after the next pulse of {source}: they name the one before the last",
    NEXT: "{name} announces the next second: a sentence names the pulse of {source} that follows it",
}


def clock_lines(picture: ClockPicture) -> list[str]:
    """In lines of text: what to give, how late each type comes, servers, this computer."""
    rows = offset_lines(picture) if picture.lanes else []
    for lane, lags in picture.lanes:
        if not lags.types:
            continue
        rows += [
            "",
            f"{safe_label(lane):<16}{'samples':>9}{'least':>10}{'5 %':>10}{'median':>10}{'95 %':>10}{'most':>10}",
        ]
        apart = whole_seconds(lags)
        rows += [_row(each, apart) for each in lags.types]
        rows += [f"  {line}" for line in (*apart_lines(lane, lags), *group_lines(lags))]
        rows += [f"  {line}" for line in naming_words(lane, picture.named_on(lane), lags)]
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
    rows += [""] if picture.network and rows else []
    rows += [server_words(each) for each in picture.network]
    rows += [*([""] if rows else []), *host_lines(picture), f"{_first_large(host_words(picture.host))}."]
    return rows


def _row(each: TypeLag, apart: int) -> str:
    lag = each.lag
    figures = "".join(f"{MS * (value - apart):>10.1f}" for value in (lag.least, lag.p5, lag.median, lag.p95, lag.most))
    return f"  {safe_label(each.type):<14}{lag.samples:>9}{figures}   ms"


def offset_lines(picture: ClockPicture) -> list[str]:
    """What to give a time daemon, and a line of it to copy; or why nothing is given."""
    offset = picture.offset
    if offset is None:
        return [f"No offset is given: {why_no_offset(picture.lanes)}"]
    holds = {True: "; it holds", False: "; it wanders", None: ""}[offset.holds]
    return [
        f"Offset to give: {offset.seconds:+.4f} s. {came_words(picture, offset)} ({offset.samples} samples{holds}).",
        f"  to copy: {offset.type} {offset.seconds:+.4f}",
    ]


def came_words(picture: ClockPicture, offset: OffsetToGive) -> str:
    """How the sentence came from which an offset is taken, and by whose clock."""
    standing = picture.receivers.get(offset.lane, "")
    words = (
        f"{offset.type} of {safe_label(offset.lane)}{f' ({standing})' if standing else ''} comes "
        f"{MS * offset.measured_s:.1f} ms after its second, nine of ten within {MS * offset.spread_s:.1f} ms"
    )
    if not offset.ahead_s:
        return words
    where = "ahead" if offset.ahead_s > 0 else "behind"
    by = f"which by {safe_label(offset.by)} was {duration(abs(offset.ahead_s))} {where} meanwhile"
    return f"{words} by this computer's clock, {by}"


def server_words(each: NetworkServer) -> str:
    """What a server says, in a line; nothing finer than the way there and back allows."""
    best = each.best
    if best is None:
        return f"{safe_label(each.server)}: {safe_label(each.error)}"
    off, sure = best.offset_ns / SECOND, uncertainty_s(best)
    if abs(off) <= sure:
        said = f"agrees with this computer, to within {duration(sure)}"
    else:
        said = f"{duration(abs(off))} {'ahead of' if off > 0 else 'behind'} this computer, sure to {duration(sure)}"
    return (
        f"{safe_label(each.server)}: stratum {best.stratum} ({safe_label(best.reference_id)}), {said} "
        f"(best of {each.samples}: half of {duration(best.delay_ns / SECOND)} there and back, and "
        f"{duration(root_distance_s(best))} that the server says of itself)"
    )


def naming_words(lane: str, found: SecondNamed | None, lags: LagSnapshot) -> list[str]:
    """Which second the pulses mean by what a lane says, and on what evidence."""
    if found is None:
        return []
    name, source = safe_label(lane), safe_label(found.source)
    counted = f"{found.pairs} of {found.of} pairs of pulse and sentence"
    rows = []
    if found.second is None:
        rows.append(
            f"Which second a pulse of {source} is cannot be told from {name}: {counted} fit"
            + (", too few" if found.of < FEW_PAIRS else f": {found.unsure or 'or the clocks are whole seconds apart'}")
        )
    else:
        rows.append(f"{SECONDS_NAMED[found.second].format(name=name, source=source)} ({counted})")
    late = [each for each in lags.types if each.lag.median > 1.0]
    if found.second == THIS and late:
        crossing = ", ".join(safe_label(each.type) for each in late)
        rows.append(f"{crossing} of {name} cross into the next second: they name the pulse before the last one")
    return rows


def host_lines(picture: ClockPicture) -> list[str]:
    """What this computer's clock is held against, besides the pulses themselves."""
    rows = [each.words for each in agreements(picture.pulses, picture.network)]
    for lane, lags in picture.lanes:
        true = corrected(lags, picture.network)
        if true is not None:
            server, lag, sure = true
            rows.append(
                f"By {server}, {lags.types[0].type} of {safe_label(lane)} comes {duration(lag)} after its second, "
                f"sure to {duration(sure)}"
            )
        drift = lag_drift(lags)
        if drift is not None:
            rows.append(f"{safe_label(lane)}, {drift[0]}: {drift_words(drift[1], 'this computer')}")
    rows += [
        f"{clock(step.time, 0)} UTC: somebody set this computer's clock by {step.seconds:+.3f} s"
        for step in picture.steps
    ]
    return rows


def _first_large(words: str) -> str:
    return words[:1].upper() + words[1:]
