"""What a record holds of time besides the lanes' own bytes: pulses, servers that were asked, and this computer's clock.

A capture may say anything: what cannot be believed is left out.
"""

import math
from collections.abc import Mapping
from typing import Any, Final

from pale_heron.core.clock.host import HostClock
from pale_heron.core.clock.ntp import NetworkServer, NetworkTime
from pale_heron.core.wire.visible import safe_label

PULSE_SOURCE: Final = "pulse-source"
"""A source is listened to, or its state has changed: `source`, and what is wrong in `trouble`, `resolution_ns`."""

PULSE: Final = "pulse"
"""One pulse of a `source`, at the time of the event; its `sequence` where the source counts."""

PULSES_END: Final = "pulses-end"
"""A source is listened to no more."""

NETWORK_TIME: Final = "network-time"
HOST_CLOCK: Final = "host-clock"
OTHER_CLOCK: Final = "other-clock"
"""What the second of two joined machines said of its own clock: `machine`, `said`, and the details of that."""

CLOCK_STEP: Final = "clock-step"
OWN_CLOCK_STEP: Final = "own-clock-step"
"""The clock of a receiver stepped by so many `seconds`, where its own times are all that a file has."""

UNLISTED: Final = frozenset({PULSE, HOST_CLOCK, OTHER_CLOCK})
"""What stands in the record and not in the list of lines: it comes by itself, once a second."""

BILLION: Final = 10**9


def seconds_of(details: Mapping[str, Any]) -> float:
    """The seconds of an event; 0 where it says none that can be."""
    given = _number(details.get("seconds"))
    return given if given is not None and abs(given) < BILLION else 0.0


def host_details(host: HostClock, zone: str) -> dict[str, Any]:
    """As an event holds it."""
    return {**host._asdict(), "zone": zone}


def host_of(details: Mapping[str, Any]) -> HostClock | None:
    """As an event told it."""
    figures = [_number(details.get(name)) for name in HostClock._fields[1:]]
    if not isinstance(details.get("synchronised"), bool) or None in figures:
        return None
    return HostClock(details["synchronised"], *(each or 0.0 for each in figures))


def network_details(found: NetworkServer) -> dict[str, Any]:
    """As an event holds it: the best answer, or the error."""
    best = {} if found.best is None else found.best._asdict()
    return {"server": found.server, "samples": found.samples, "error": found.error, **best}


def network_of(details: Mapping[str, Any]) -> NetworkServer | None:
    """As an event told it."""
    server, samples = details.get("server"), details.get("samples")
    if not isinstance(server, str) or not isinstance(samples, int):
        return None
    server, error = safe_label(server), safe_label(str(details.get("error", "")))
    wholes = [details.get(name) for name in ("stratum", "leap", "offset_ns", "delay_ns")]
    root_delay, dispersion = _number(details.get("root_delay_s")), _number(details.get("root_dispersion_s"))
    if root_delay is None or dispersion is None or not all(_is_whole(each) for each in wholes):
        return NetworkServer(server, 0, None, error or "no answer is kept")
    stratum, leap, offset_ns, delay_ns = (int(each or 0) for each in wholes)
    reference = safe_label(str(details.get("reference_id", "")))
    return NetworkServer(
        server, samples, NetworkTime(stratum, reference, leap, root_delay, dispersion, offset_ns, delay_ns), error
    )


def _number(given: object) -> float | None:
    if not isinstance(given, int | float) or isinstance(given, bool):
        return None
    return float(given) if math.isfinite(given) and abs(given) < BILLION else None


def _is_whole(given: object) -> bool:
    return isinstance(given, int) and not isinstance(given, bool) and abs(given) < BILLION * BILLION
