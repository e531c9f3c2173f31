"""What Clock says, held against what the simulator did: lags, drift, and every missed and doubled pulse.

Played as fast as it goes: sentences and pulses with the moments that they would have.
"""

import os
import random
from collections.abc import Iterator

from pale_heron.bench.model import Model
from pale_heron.core.clock.clock_object import ClockPicture, picture_of
from pale_heron.core.clock.events import PULSE, PULSE_SOURCE
from pale_heron.core.frames import IN, SECOND, Chunk, Event
from pale_heron.core.line.settings import LineSettings
from pale_heron.sim.curlew import Curlew
from pale_heron.sim.pulses import PulseFaults, PulsePlay
from pale_heron.sim.scenes import SCENES

SECONDS = int(os.environ.get("CLOCK_TRUTH_SECONDS", "600"))
BEGIN = 1_935_000_000
SOURCE = "sim:curlew"
LATE_S = (0.0625, 0.4, 1.12)
PPM = (0.0, 40.0, -12.3)
FAULTS = PulseFaults(missed=0.03, doubled=0.02, jitter_s=2e-6)


def played(late_s: float, ppm: float, faults: PulseFaults, seconds: int, seed: int) -> tuple[ClockPicture, PulsePlay]:
    """A receiver whose sentences begin so long after their second, heard by a clock that runs so fast."""
    begin_ns = BEGIN * SECOND
    curlew, chance = Curlew(SCENES["pulse"], seed, begin_ns), random.Random(seed)
    play = PulsePlay(begin_ns, faults, seed, ppm)
    model = Model(log_lines=1)
    model.add("curlew", LineSettings(115200))
    model.feed(Event(begin_ns, "", PULSE_SOURCE, {"source": SOURCE}))
    for second in range(seconds):
        told = curlew.epoch(float(second))
        arrived = begin_ns + round((second + late_s) * (1 + ppm / 1e6) * SECOND) + chance.randint(0, 200_000)
        pulses = play.due(second + 0.5, fixed=curlew.fixed)
        records: list[Chunk | Event] = [Event(each.host_ns, "", PULSE, {"source": SOURCE}) for each in pulses]
        model.feed(*records, Chunk("curlew", IN, arrived, told))
    model.finish()
    lanes = model.snapshots(begin_ns + seconds * SECOND)
    return picture_of(((each.name, each.lag) for each in lanes), model.published.clock), play


def run() -> Iterator[str]:
    for late_s in LATE_S:
        picture, _ = played(late_s, 0.0, PulseFaults(), SECONDS, seed=3)
        lag = next(each.lag for each in picture.lanes[0][1].types if each.type == "GNRMC")
        off = 1000 * (lag.median - late_s)
        named = picture.named_on("curlew")
        yield f"lag set to {1000 * late_s:.1f} ms: median off by {off:+.3f} ms of {lag.samples} (to hold: 1 ms); " + (
            f"the second named: {named.second} ({named.pairs} of {named.of})" if named else "no second named"
        )
    for ppm in PPM:
        picture, play = played(0.1, ppm, FAULTS, SECONDS, seed=5)
        found = picture.pulses[0]
        assert found.drift is not None, "there are pulses enough"
        yield (
            f"drift set to {ppm:+.1f} ppm: {found.drift.ppm:+.3f} ± {found.drift.error_ppm:.3f} in {SECONDS} s "
            f"(to hold: 0.1 ppm); missed {found.missed} of {play.counts['missed']}, "
            f"doubled {found.doubled} of {play.counts['doubled']}"
        )
