"""What the system says of this computer's clock."""

from typing import NamedTuple


class HostClock(NamedTuple):
    """As the kernel keeps it (ntp_adjtime): whether something disciplines it, and its own estimates, in seconds."""

    synchronised: bool
    estimated_error_s: float
    maximum_error_s: float
    frequency_ppm: float
    """By how much its rate is corrected."""


def host_words(host: HostClock | None) -> str:
    """How good the clock is on which arrivals are measured."""
    if host is None:
        return "the system does not say how good this computer's clock is"
    if not host.synchronised:
        return "nothing sets this computer's clock right: each lag holds its error"
    return (
        f"this computer's clock is synchronised; the system takes it to be within {1000 * host.maximum_error_s:.0f} ms"
    )
