"""A receiver with pulses as a record has it, played as fast as it goes: every moment is the one that it would have."""

import random
from collections.abc import Iterator
from typing import Final

from pale_heron.core.clock.events import PULSE, PULSE_SOURCE
from pale_heron.core.frames import IN, SECOND, Chunk, Event
from pale_heron.sim.curlew import Curlew
from pale_heron.sim.pulses import PulseFaults, PulsePlay
from pale_heron.sim.scenes import SCENES

BEGIN_NS: Final = 1_935_000_000 * SECOND
LANE: Final = "curlew"
SOURCE: Final = "sim:curlew"
UNEVEN_NS: Final = 200_000


class ClockPlay:
    """Sentences begin `late_s` after their second, and this computer's clock runs `ppm` millionths fast."""

    def __init__(self, late_s: float, ppm: float, faults: PulseFaults, seed: int) -> None:
        self._late_s = late_s
        self._ppm = ppm
        self._curlew = Curlew(SCENES["pulse"], seed, BEGIN_NS)
        self._chance = random.Random(f"clocks {seed}")
        self.pulses = PulsePlay(BEGIN_NS, faults, seed, ppm)

    def records(self, seconds: int) -> Iterator[Chunk | Event]:
        """So many seconds of it."""
        yield Event(BEGIN_NS, "", PULSE_SOURCE, {"source": SOURCE})
        for second in range(seconds):
            said = self._curlew.epoch(float(second))
            passed = (second + self._late_s) * (1 + self._ppm / 1e6)
            arrived = BEGIN_NS + round(passed * SECOND) + self._chance.randint(0, UNEVEN_NS)
            for each in self.pulses.due(second + 0.5, fixed=self._curlew.fixed):
                yield Event(each.host_ns, "", PULSE, {"source": SOURCE})
            yield Chunk(LANE, IN, arrived, said)
