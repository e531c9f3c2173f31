"""Shares in words: with figures that count, and how sure they are."""

from pale_heron.core.link.figures import wilson


def percent(share: float) -> str:
    """A share with two figures that count, never rounded to nothing or to all."""
    value = 100 * share
    digits = 1 if value >= 1 or value == 0 else 2
    return f"{value:.{digits}f} %"


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
    return f"between {percent(low).removesuffix(' %')} and {percent(high)} at 95 % certainty"
