"""How fast a trial of throughput went, against what its lines carry."""

from typing import NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.link.description import DELIVERY
from pale_heron.core.link.fates import DeliverySnapshot
from pale_heron.core.link.trial_snapshot import TrialSnapshot


class Speed(NamedTuple):
    """Of one direction, payload bytes a second over the steady part; None where that was too short."""

    payload: float | None
    ceiling: float | None
    """What the slower of its lines carries, by rate and frame format; None where no rate governs either."""
    slowest: str
    """The lane that sets the ceiling; empty where both do, or none."""
    given: float | None = None
    """What the sending end gave in a second, over all."""
    buffered_s: float | None = None
    """Over so long it arrived, where something on the way took it all at once; else None."""

    @property
    def share(self) -> float | None:
        """How much of the ceiling was reached, 0 to 1."""
        return None if self.payload is None or not self.ceiling else self.payload / self.ceiling


def speeds(trial: TrialSnapshot) -> tuple[Speed, ...]:
    """Of each direction; of none where no blocks were sent."""
    found = []
    for blocks, bulk in zip(trial.directions, trial.bulk, strict=False):
        known = {lane: trial.described.ceilings.get(lane) for lane in (blocks.sender, blocks.receiver)}
        limits = {lane: limit for lane, limit in known.items() if limit}
        ceiling = min(limits.values(), default=None)
        at_it = [lane for lane, limit in limits.items() if limit == ceiling]
        # Of a far end on another machine nobody here knows how fast its line is.
        both_here = blocks.receiver in trial.described.lanes
        slowest = at_it[0] if len(at_it) == 1 and len(known) == 2 and both_here else ""
        steady = bulk.steady
        # Where it is known that nothing came, nothing a second came.
        payload = steady.per_s if steady else 0.0 if blocks.settled and not bulk.payload_bytes else None
        buffered = (steady.end - steady.begin) / SECOND if steady and steady.buffered else None
        found.append(Speed(payload, ceiling, slowest, bulk.sent_per_s, buffered))
    return tuple(found)


def line_time_s(trial: TrialSnapshot, each: DeliverySnapshot) -> float | None:
    """What a probe takes on the slower of its lines by rate and frame format; None where no rate governs them."""
    described = trial.described
    known = [described.ceilings[lane] for lane in (each.sender, each.receiver) if described.ceilings.get(lane)]
    return described.size / min(known) if known and described.kind == DELIVERY else None
