"""What happens to a simulated receiver, and when."""

from dataclasses import dataclass
from typing import Final, NamedTuple

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

    def under_bridge(self, seconds: float) -> bool:
        """Whether the sky is hidden so many seconds after power came."""
        if not self.bridge_every_s:
            return False
        return seconds % self.bridge_every_s >= self.bridge_every_s - self.bridge_s


SCENES: Final = {
    "saltmarsh": Scene(
        "a cold start, then a drift down the channel with a bridge now and then",
        damaged_share=0.002,
        bridge_every_s=95.0,
        bridge_s=9.0,
    ),
    "open-sky": Scene("a cold start under an open sky, nothing damaged"),
}
