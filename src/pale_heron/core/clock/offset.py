"""What to give a time daemon that takes its time from sentences, and what the lags say in words."""

import math
from collections.abc import Iterable, Mapping
from typing import Final, NamedTuple

from pale_heron.core.clock.lag import BurstLag, LagSnapshot

FEW: Final = 30
"""From so many samples on a sentence is proposed."""

RATES: Final = (4800, 9600, 19200, 38400, 57600, 115200)
BITS: Final = 10
"""Of a byte in the usual frame format: start bit, eight bits, stop bit."""

USUAL_S: Final = (-0.5, 2.0)
"""Lags of sentences lie here; what lies elsewhere is a difference of whole seconds."""

NEAR_S: Final = 0.05
"""So little below a whole second still counts as that second."""

LEAP_S: Final = 18
"""GPS time is ahead of UTC by so much since 2017 (a leap second may change that: IERS Bulletin C)."""

QUARTER_HOUR_S: Final = 900
MOST_WITHOUT: Final = 3
LEAST_SHARE: Final = 0.1
"""A type with less of a round is not worth leaving out."""


class OffsetToGive(NamedTuple):
    """Seconds from the told second to the arrival of that sentence; spread between the 5th and 95th of a hundred."""

    lane: str
    type: str
    seconds: float
    spread_s: float
    samples: int
    holds: bool | None


def offset_to_give(lanes: Iterable[tuple[str, LagSnapshot]]) -> OffsetToGive | None:
    """The steadiest sentence of all lanes; None while none has samples enough, or the clocks are plainly apart.

    Nothing comes before its second: a lag below 0 is an error of a clock, and nothing to give to anybody. Nor is the
    time of a receiver without a fix, nor what comes at two times by turns.
    """
    found = [
        (each.spread_s, lane, each)
        for lane, lags in lanes
        if lags.vouched is not False
        for each in lags.types
        if each.lag.samples >= FEW and each.groups is None and not comes_early(lags) and not whole_seconds(lags)
    ]
    if not found:
        return None
    spread, lane, best = min(found, key=lambda each: (round(each[0], 4), each[2].lag.median))
    return OffsetToGive(lane, best.type, best.lag.median, spread, best.lag.samples, best.holds)


def comes_early(lags: LagSnapshot) -> bool:
    """Whether a type of sentence comes before the second that it tells: this computer's clock is behind."""
    return bool(lags.types) and lags.types[0].lag.median < 0


def whole_seconds(lags: LagSnapshot) -> int:
    """By how many whole seconds the told time and this computer's clock are apart, beyond a usual lag; 0 if none."""
    if not lags.types:
        return 0
    low, high = USUAL_S
    median = lags.types[0].lag.median
    return 0 if low <= median < high else math.floor(median + NEAR_S)


def apart_words(seconds: int) -> str:
    """Whole seconds apart, and what fits: positive where this computer is ahead of what is told."""
    ahead = "ahead of" if seconds > 0 else "behind"
    told = f"this computer is {abs(seconds)} s {ahead} what is told"
    if -seconds == LEAP_S or seconds == LEAP_S:
        return f"{told}: {LEAP_S} s are the leap seconds between GPS time and UTC, which the receiver may not know yet"
    from_quarter = (abs(seconds) + 2) % QUARTER_HOUR_S
    if abs(seconds) + 2 >= QUARTER_HOUR_S and from_quarter <= 4:
        return f"{told}: whole quarters of an hour, as of a time zone that was applied twice, or not at all"
    return f"{told}: a clock is wrong, the receiver counts from a default, or its sentences wait for a full line"


def other_rates(burst: BurstLag) -> tuple[tuple[int, float, float], ...]:
    """At each usual line rate: when the last byte would be there after the told time, and the share of the line."""
    begin = burst.begin.median
    return tuple(
        (rate, begin + burst.bytes * BITS / rate, burst.bytes * BITS / rate / burst.interval_s) for rate in RATES
    )


def without(burst: BurstLag, sizes: Mapping[str, float]) -> tuple[tuple[str, float, float], ...]:
    """The types that fill a round most, by their bytes a round: when the last byte would come without each."""
    rows = []
    a_byte = (burst.end.median - burst.begin.median) / burst.bytes if burst.bytes else 0.0
    for kind, size in sorted(sizes.items(), key=lambda each: -each[1])[:MOST_WITHOUT]:
        if burst.bytes >= size >= LEAST_SHARE * burst.bytes:
            rows.append((kind, size, burst.end.median - size * a_byte))
    return tuple(rows)
