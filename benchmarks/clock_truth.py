"""What Clock says, held against what the simulator did: lags, drift, and every missed and doubled pulse.

Played as fast as it goes: sentences and pulses with the moments that they would have.
"""

import os
from collections.abc import Iterator

from pale_heron.bench.model import Model
from pale_heron.core.clock.clock_object import ClockPicture, picture_of
from pale_heron.core.frames import SECOND
from pale_heron.core.line.settings import LineSettings
from pale_heron.sim.clock_play import BEGIN_NS, LANE, ClockPlay
from pale_heron.sim.pulses import PulseFaults

SECONDS = int(os.environ.get("CLOCK_TRUTH_SECONDS", "600"))
LATE_S = (0.0625, 0.4, 1.12)
PPM = (0.0, 40.0, -12.3)
FAULTS = PulseFaults(missed=0.03, doubled=0.02, jitter_s=2e-6)


def played(late_s: float, ppm: float, faults: PulseFaults, seed: int) -> tuple[ClockPicture, ClockPlay]:
    """What Clock makes of it."""
    play, model = ClockPlay(late_s, ppm, faults, seed), Model(log_lines=1)
    model.add(LANE, LineSettings(115200))
    for record in play.records(SECONDS):
        model.feed(record)
    model.finish()
    lanes = model.snapshots(BEGIN_NS + SECONDS * SECOND)
    return picture_of(((each.name, each.lag) for each in lanes), model.published.clock), play


def run() -> Iterator[str]:
    for late_s in LATE_S:
        picture, _ = played(late_s, 0.0, PulseFaults(), seed=3)
        lag = next(each.lag for each in picture.lanes[0][1].types if each.type == "GNRMC")
        off = 1000 * (lag.median - late_s)
        named = picture.named_on(LANE)
        yield f"lag set to {1000 * late_s:.1f} ms: median off by {off:+.3f} ms of {lag.samples} (to hold: 1 ms); " + (
            f"the second named: {named.second} ({named.pairs} of {named.of})" if named else "no second named"
        )
    for ppm in PPM:
        picture, play = played(0.1, ppm, FAULTS, seed=5)
        found = picture.pulses[0]
        assert found.drift is not None, "there are pulses enough"
        yield (
            f"drift set to {ppm:+.1f} ppm: {found.drift.ppm:+.3f} ± {found.drift.error_ppm:.3f} in {SECONDS} s "
            f"(to hold: 0.1 ppm); missed {found.missed} of {play.pulses.counts['missed']}, "
            f"doubled {found.doubled} of {play.pulses.counts['doubled']}"
        )
