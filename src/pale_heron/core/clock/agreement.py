"""Whether two sources of time agree within the uncertainty of both, and what servers say of how late sentences come."""

from collections.abc import Sequence
from itertools import combinations
from typing import Final, NamedTuple

from pale_heron.core.clock.lag import LagSnapshot
from pale_heron.core.clock.ntp import NetworkServer, NetworkTime
from pale_heron.core.clock.offset import whole_seconds
from pale_heron.core.clock.pulse import PulseSnapshot, sources_apart
from pale_heron.core.clock.pulse_words import duration
from pale_heron.core.clock.straight_line import FEW, Drift, StraightLine
from pale_heron.core.frames import SECOND
from pale_heron.core.wire.visible import safe_label

ASKED_AGO_S: Final = 64.0
"""A server was asked so long ago at most."""

NEAR_NS: Final = SECOND // 2
"""Pulses tell where a second begins, not which one: nothing is said of clocks that are further apart."""


class ClockAgreement(NamedTuple):
    """Two sources: by how much the first says that this computer is further ahead, and how sure that is, seconds."""

    first: str
    second: str
    apart_s: float
    sure_s: float

    @property
    def agree(self) -> bool:
        return abs(self.apart_s) <= self.sure_s

    @property
    def words(self) -> str:
        apart, sure = duration(abs(self.apart_s)), duration(self.sure_s)
        if self.agree:
            return f"{self.first} and {self.second} agree: {apart} apart, sure to {sure}"
        return f"{self.first} and {self.second} do not agree: {apart} apart, though sure to {sure}"


def uncertainty_s(best: NetworkTime) -> float:
    """Half of the way there and back, and what the server says of itself (root distance: RFC 5905, 11.2)."""
    return best.delay_ns / 2 / SECOND + root_distance_s(best)


def root_distance_s(best: NetworkTime) -> float:
    """How far the server may be off by its own account."""
    return best.root_delay_s / 2 + best.root_dispersion_s


def agreements(pulses: Sequence[PulseSnapshot], servers: Sequence[NetworkServer]) -> list[ClockAgreement]:
    """Sources of pulses against each other; each server against each of them, and against the servers behind it."""
    found = [
        ClockAgreement(safe_label(one.source), safe_label(other.source), *between)
        for one, other in combinations(pulses, 2)
        if (between := sources_apart(one, other)) is not None
    ]
    known = [(safe_label(each.server), each.best) for each in servers if each.best is not None]
    for place, (name, best) in enumerate(known):
        for pulse in pulses:
            now = pulse.offset_now
            if now is None or pulse.pulses < FEW or abs(best.offset_ns) > NEAR_NS:
                continue
            apart = (now.mean + best.offset_ns) / SECOND
            sure = uncertainty_s(best) + max(now.spread, pulse.resolution_ns) / SECOND + _run_off_s(pulse)
            found.append(ClockAgreement(safe_label(pulse.source), name, apart, sure))
        for other, second in known[place + 1 :]:
            sure = uncertainty_s(best) + uncertainty_s(second)
            found.append(ClockAgreement(name, other, (second.offset_ns - best.offset_ns) / SECOND, sure))
    return found


def _run_off_s(pulse: PulseSnapshot) -> float:
    """By how much this computer's clock may have run off since the server was asked."""
    return abs(pulse.drift.ppm) * ASKED_AGO_S / 1e6 if pulse.drift is not None else 0.0


def corrected(lags: LagSnapshot, servers: Sequence[NetworkServer]) -> tuple[str, float, float] | None:
    """The first sentence's true lag by the surest server, seconds: the server, the lag, how sure that is.

    None without a server, or where it does not tell the same second.
    """
    known = [each for each in servers if each.best is not None]
    if not known or not lags.types or whole_seconds(lags):
        return None
    surest = min(known, key=lambda each: uncertainty_s(each.best) if each.best else 0.0)
    assert surest.best is not None, "only those that answered"
    lag = lags.types[0].lag.median + surest.best.offset_ns / SECOND
    return safe_label(surest.server), lag, uncertainty_s(surest.best)


def lag_drift(lags: LagSnapshot) -> tuple[str, Drift] | None:
    """How this computer's clock runs against the sentences: the steadiest type, and the slope of its lag over time."""
    steadiest = min(lags.types, key=lambda each: each.spread_s, default=None)
    if steadiest is None:
        return None
    line = StraightLine()
    for point in steadiest.history[:-1]:
        # The ten seconds under way are not whole.
        line.add((point.time - steadiest.history[0].time) / SECOND, point.mean * SECOND)
    drift = line.drift()
    return None if drift is None else (steadiest.type, drift)
