"""This computer's clock, as its system keeps it."""

from pale_heron.core.clock.host import HostClock
from pale_heron.system import host_clock


def read_host_clock() -> HostClock | None:
    """How good it is now; None where the system does not say."""
    found = host_clock()
    return None if found is None else HostClock(*found)
