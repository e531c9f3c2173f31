"""This computer's clock, as its system keeps it."""

from datetime import datetime

from pale_heron.core.clock.host import HostClock
from pale_heron.system import host_clock


def read_host_clock() -> HostClock | None:
    """How good it is now; None where the system does not say."""
    found = host_clock()
    return None if found is None else HostClock(*found)


def zone_name() -> str:
    """The name of the local zone; where it has none but its hours, those: `UTC-03`."""
    name = datetime.now().astimezone().tzname() or ""
    return f"UTC{name}" if name[:1] in ("+", "-") else name
