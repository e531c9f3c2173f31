"""How fast a trial of throughput went, against what its lines carry."""

from typing import NamedTuple

from pale_heron.core.link.trial import TrialSnapshot


class Speed(NamedTuple):
    """Of one direction, payload bytes a second over the steady part; None where that was too short."""

    payload: float | None
    ceiling: float | None
    """What the slower of its lines carries, by rate and frame format; None where no rate governs either."""
    slowest: str
    """The lane that sets the ceiling; empty where both do, or none."""

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
        found.append(Speed(bulk.steady.per_s if bulk.steady else None, ceiling, slowest))
    return tuple(found)
