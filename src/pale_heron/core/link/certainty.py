"""Shares in words: with figures that count, and how sure they are."""

from typing import Final

from pale_heron.core.link.figures import wilson

MOST_DIGITS: Final = 5


def percent(share: float) -> str:
    """A share with two figures that count, never rounded to nothing or to all."""
    return f"{_rounded(share, 0)} %"


def _rounded(share: float, more: int) -> str:
    """In per cent, with so many digits more than usual."""
    value = 100 * share
    digits = (1 if value >= 1 or value == 0 else 2) + more
    while digits < MOST_DIGITS and 0 < value < 100 and float(f"{value:.{digits}f}") in (0.0, 100.0):
        digits += 1
    return f"{value:.{digits}f}"


def between(low: float, high: float) -> str:
    """Two ends of an interval, with the digits that tell them apart: `0.5 and 5.9 %`."""
    pairs = ((_rounded(low, more), _rounded(high, more)) for more in range(MOST_DIGITS))
    first, second = next((pair for pair in pairs if pair[0] != pair[1] or low == high), (str(low), str(high)))
    return f"{first} and {second} %"


def certainty(count: int, of: int) -> str:
    """How much of a share is known: `below 3.1 %`, or `between 0.5 and 5.9 %`, at 95 % certainty."""
    interval = wilson(count, of)
    if interval is None:
        return "nothing is known of the share"
    low, high = interval
    if count == 0:
        return f"below {percent(high)} at 95 % certainty"
    if count == of:
        return f"above {percent(low)} at 95 % certainty"
    return f"between {between(low, high)} at 95 % certainty"
