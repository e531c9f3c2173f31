"""What Clock has to show, from a simulated receiver with pulses."""

from functools import lru_cache

from pale_heron.bench.model import Model
from pale_heron.core.clock.clock_object import ClockPicture
from pale_heron.core.clock_of_lanes import clock_of
from pale_heron.core.frames import SECOND
from pale_heron.sim.clock_play import BEGIN_NS, LANE, ClockPlay
from pale_heron.sim.pulses import PulseFaults

EVEN = PulseFaults(jitter_s=1e-6)


@lru_cache
def clocks(late_s: float = 0.1, ppm: float = 0.0, faults: PulseFaults = EVEN, seconds: int = 90) -> ClockPicture:
    model = Model()
    model.add(LANE)
    for record in ClockPlay(late_s, ppm, faults, 5).records(seconds):
        model.feed(record)
    model.finish()
    lanes = model.snapshots(BEGIN_NS + seconds * SECOND)
    return clock_of(lanes, model.published.clock)
