"""What happens to a simulated receiver, and when."""

import math
from dataclasses import dataclass
from typing import Final, NamedTuple

from pale_heron.sim.pulses import PulseFaults

RATES: Final = (4800, 9600, 19200, 38400, 57600, 115200, 230400, 460800, 921600)
"""Line rates that a simulated device knows, in baud."""


class StartTimes(NamedTuple):
    """Seconds from the start of a receiver until each thing is known, under an open sky."""

    time: float
    date: float
    seen: float
    used: float
    two_d: float
    three_d: float


START_TIMES: Final = {
    "cold": StartTimes(time=6.0, date=10.0, seen=12.0, used=20.0, two_d=27.0, three_d=33.0),
    "warm": StartTimes(time=2.0, date=3.0, seen=4.0, used=12.0, two_d=17.0, three_d=21.0),
    "hot": StartTimes(time=0.5, date=0.5, seen=0.5, used=1.0, two_d=1.5, three_d=2.0),
}


class SceneStage(NamedTuple):
    """From `after` seconds on the solution is of this GGA quality, and its errors are so many times the usual ones."""

    after: float
    quality: int
    errors: float


@dataclass(frozen=True, slots=True)
class Scene:
    """`quick` divides the start times. A bridge hides the sky for `bridge_s` out of every `bridge_every_s` seconds."""

    title: str
    start: str = "cold"
    quick: float = 2.0
    damaged_share: float = 0.0
    """The share of sentences whose checksum is spoilt on the way."""
    bridge_every_s: float = 0.0
    bridge_s: float = 0.0
    place: str = "buoy"
    """Where the antenna is, by its name in the marsh."""
    lever_m: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """East, north and up from there to the antenna."""
    reeds: bool = False
    """High reeds on both banks hide all but the satellites overhead and along the channel."""
    stages: tuple[SceneStage, ...] = (SceneStage(0.0, 1, 1.0),)
    """How the solution becomes better, and worse, in the order of time; with the decimals of RTK from 4 on."""
    weeks_off: int = 0
    """Added to the date that is sent."""
    default_date: bool = False
    """Whether a date of its own is sent before the first fix."""
    every_ms: int = 1000
    all_each_epoch: bool = False
    """Whether all satellites are listed in each epoch."""
    late_s: float = 0.0
    """How long after its second an epoch begins to be sent."""
    host_ppm: float = 0.0
    """By so many parts in a million the clock of this computer seems to run fast against the receiver's time."""
    pulses: PulseFaults | None = None
    """How its pulses come; None where it gives none."""

    def under_bridge(self, seconds: float) -> bool:
        """Whether the sky is hidden so many seconds after power came."""
        if not self.bridge_every_s:
            return False
        return seconds % self.bridge_every_s >= self.bridge_every_s - self.bridge_s

    def hidden(self, seconds: float, elevation: float, azimuth: float) -> bool:
        """Whether the reeds stand between the antenna and a satellite; they close in and open as the buoy drifts."""
        if not self.reeds:
            return False
        along = min(abs((azimuth - axis + 180) % 360 - 180) for axis in (32.0, 212.0))
        height = 40.0 + 22.0 * math.sin(seconds / 9.0) + 14.0 * math.sin(seconds / 4.1)
        return elevation < height and along > 18.0

    def stage(self, seconds: float) -> SceneStage:
        """What the solution is like so many seconds after power came."""
        return [stage for stage in self.stages if stage.after <= seconds][-1]


_CONVERGING: Final = (
    SceneStage(0.0, 1, 1.0),
    SceneStage(12.0, 2, 0.4),
    SceneStage(22.0, 5, 0.12),
    SceneStage(45.0, 4, 0.008),
    SceneStage(95.0, 5, 0.06),
    SceneStage(103.0, 4, 0.008),
)

SCENES: Final = {
    "saltmarsh": Scene(
        "a cold start, then a drift down the channel with a bridge now and then",
        damaged_share=0.002,
        bridge_every_s=95.0,
        bridge_s=9.0,
    ),
    "open-sky": Scene("a cold start under an open sky, nothing damaged"),
    "at-rest": Scene("on the dyke, open sky, at rest", start="hot", place="hide"),
    "reeds": Scene("a canyon of reeds: few satellites, outages of all lengths", start="warm", reeds=True),
    "rtk": Scene("on the dyke: corrections come, and it converges", start="hot", place="hide", stages=_CONVERGING),
    "second-antenna": Scene(
        "on the buoy, 1.2 m beside the first antenna, started cold", lever_m=(1.2, -0.4, 0.15), quick=1.0
    ),
    "tow": Scene("on the buoy, towed out to its mooring", start="hot", place="tow"),
    "wrong-date": Scene("a date 1024 weeks too early, and another before the fix", weeks_off=-1024, default_date=True),
    "pulse": Scene(
        "on the dyke, at rest, with a pulse each second once there is a fix",
        start="hot",
        place="hide",
        pulses=PulseFaults(jitter_s=80e-9),
    ),
    "late": Scene(
        "on the dyke, everything at 9600 baud and late: sentences cross into the next second",
        start="hot",
        place="hide",
        late_s=0.62,
        pulses=PulseFaults(jitter_s=80e-9),
    ),
    "drift": Scene(
        "on the dyke, heard by a computer whose clock runs 40 millionths fast",
        start="hot",
        place="hide",
        host_ppm=40.0,
        pulses=PulseFaults(jitter_s=2e-6),
    ),
    "full-line": Scene("five times a second, everything, on 9600 baud", start="hot", every_ms=200, all_each_epoch=True),
}
