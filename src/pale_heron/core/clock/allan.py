"""How steady a clock is over spans of time: the Allan deviation (IEEE Std 1139, overlapping estimate from phases)."""

import math
from collections.abc import Mapping, Sequence
from typing import Final, NamedTuple

SPANS_S: Final = (1, 4, 16, 64, 256, 1024)
LEAST_SPANS: Final = 4
"""So many spans must have passed, or the figure would be chance."""


class AllanDeviation(NamedTuple):
    """Of a span of so many seconds; `deviation` is a share of it without unit, of so many samples."""

    span_s: int
    deviation: float
    samples: int


def allan_deviations(phases: Sequence[tuple[int, int]]) -> tuple[AllanDeviation, ...]:
    """Of phases once a second: its number, and by how many nanoseconds the clock was off then. Numbers may be missing.

    Only for those spans of which enough have passed.
    """
    if not phases:
        return ()
    at: Mapping[int, int] = dict(phases)
    passed = phases[-1][0] - phases[0][0]
    found = []
    for span in SPANS_S:
        if passed < LEAST_SPANS * span:
            break
        squares, count = 0.0, 0
        for number, phase in phases:
            middle, last = at.get(number + span), at.get(number + 2 * span)
            if middle is not None and last is not None:
                second_difference = last - 2 * middle + phase
                squares += float(second_difference) * second_difference
                count += 1
        if count:
            found.append(AllanDeviation(span, math.sqrt(squares / (2 * count)) / span * 1e-9, count))
    return tuple(found)
