"""What to give a time daemon that takes its time from sentences, and what the lags say in words."""

import math
from collections.abc import Iterable, Mapping, Sequence
from typing import Final, NamedTuple

from pale_heron.core.clock.lag import BurstLag, LagSnapshot
from pale_heron.core.clock.pulse import PulseSnapshot, contradicted
from pale_heron.core.clock.pulse_words import pulse_state
from pale_heron.core.clock.straight_line import FEW as FEW_PULSES
from pale_heron.core.frames import SECOND
from pale_heron.core.wire.visible import safe_label

MS: Final = 1000.0

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

LEAPS: Final = (LEAP_S, LEAP_S + 1, -LEAP_S, 1 - LEAP_S)
"""So many whole seconds are seen of them: a sentence that comes more than a second late adds one."""

QUARTER_HOUR_S: Final = 900
MOST_WITHOUT: Final = 3
LEAST_SHARE: Final = 0.1
"""A type with less of a round is not worth leaving out."""


DATED: Final = ("RMC", "ZDA", "GGA")
"""Formatters that a time daemon can take its time from: two carry the date, GGA stands beside one that does."""

SMALL_S: Final = 0.001
"""By so little pulses may show this computer to be off without a lag being corrected for it."""

TOGETHER_NS: Final = 60 * SECOND
"""Pulses that ended longer before the sentences say nothing of the clock that these were timed by."""


class OffsetToGive(NamedTuple):
    """Seconds from the told second to the arrival of that sentence; spread between the 5th and 95th of a hundred.

    `ahead_s` is what pulses of the source `by` show this computer's clock to have been ahead, and is left out of
    `seconds`; 0 where nothing was left out.
    """

    lane: str
    type: str
    seconds: float
    spread_s: float
    samples: int
    holds: bool | None
    by: str = ""
    ahead_s: float = 0.0

    @property
    def measured_s(self) -> float:
        """By this computer's clock."""
        return self.seconds + self.ahead_s


def offset_to_give(
    lanes: Iterable[tuple[str, LagSnapshot]], pulses: Sequence[PulseSnapshot] = ()
) -> OffsetToGive | None:
    """The steadiest sentence of all lanes; None while none has samples enough, or the clocks are plainly apart.

    Nothing comes before its second: a lag below 0 is an error of a clock, and nothing to give to anybody. Nor is the
    time of a receiver without a fix, nor what comes at two times by turns. What carries no date is given where nothing
    else comes often enough. A lag is only as good as the clock that it is measured with: where pulses show how far that
    was off, this is left out.
    """
    known = list(lanes)
    found = [
        (each.spread_s, lane, each)
        for lane, lags in known
        if lags.vouched is not False and lags.keeps_pace and not comes_early(lags) and not whole_seconds(lags)
        for each in lags.types
        if each.lag.samples >= FEW and each.groups is None
    ]
    dated = [each for each in found if each[2].type[-3:] in DATED]
    if not found:
        return None
    spread, lane, best = min(dated or found, key=lambda each: (round(each[0], 4), each[2].lag.median))
    given = OffsetToGive(lane, best.type, best.lag.median, spread, best.lag.samples, best.holds)
    true = trusted_pulses(pulses, dict(known)[lane].until)
    if true is None or true.host_offset is None:
        return given
    ahead_s = true.host_offset.median / SECOND
    if abs(ahead_s) < SMALL_S:
        return given._replace(by=true.source)
    return given._replace(seconds=best.lag.median - ahead_s, by=true.source, ahead_s=ahead_s)


def trusted_pulses(pulses: Sequence[PulseSnapshot], until: int | None) -> PulseSnapshot | None:
    """A source whose pulses say where seconds began until then, the steadiest of several; None where none does."""
    trusted = [
        (each.interval.deviation, each)
        for each in pulses
        if each.interval is not None
        and each.pulses >= FEW_PULSES
        and pulse_state(each, None)[0] == "reed"
        # A clock that runs off moves the offset, and spoils no interval.
        and each.interval.deviation < SMALL_S
        and each.period_s >= 1
        and (until is None or (each.last or 0) >= until - TOGETHER_NS)
    ]
    # Of sources that contradict each other none is known to be the right one.
    return min(trusted, key=lambda pair: pair[0])[1] if trusted and not contradicted(pulses) else None


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
    if seconds in LEAPS:
        late = "" if abs(seconds) == LEAP_S else ", on a line that is a second late"
        leap = f"{LEAP_S} s are the leap seconds between GPS time and UTC, which the receiver may not know yet"
        return f"{told}: {leap}{late}"
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


OTHER_PACE: Final = (
    "what it tells runs at another pace than this computer's clock: a log that is played, or a simulator; "
    "how late it comes says nothing"
)


def apart_lines(lane: str, lags: LagSnapshot) -> list[str]:
    """Where the two clocks are plainly apart: in pace, by whole seconds, or as something comes before its second."""
    if lags.vouched is False:
        return [f"{safe_label(lane)} has no fix: nobody vouches for its time, and how late it comes says nothing."]
    if not lags.keeps_pace:
        return [f"{safe_label(lane)}: {OTHER_PACE}."]
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


def group_lines(lags: LagSnapshot) -> list[str]:
    """Types that come at two times, with nothing between."""
    return [
        f"{safe_label(each.type)} comes at two times, {MS * groups.first:.0f} and {MS * groups.second:.0f} ms, "
        f"{100 * groups.share:.0f} % of them at the first: other sentences before it by turns, or a full line. "
        "Neither is given."
        for each in lags.types
        if (groups := each.groups) is not None
    ]


def why_no_offset(lanes: Sequence[tuple[str, LagSnapshot]]) -> str:
    """Why nothing is given to a time daemon, in a sentence."""
    spoken = [(lane, lags) for lane, lags in lanes if lags.types]
    if not spoken:
        return "no sentence tells a time."
    for lane, lags in spoken:
        words = [*apart_lines(lane, lags), *group_lines(lags)]
        if words:
            return words[0]
    most = max(each.lag.samples for _, lags in spoken for each in lags.types)
    return f"too few sentences to say how late they come, {most} of the steadiest so far; {FEW} are wanted."
