"""The air between simulated long-range radios: who hears whom, how strong, after how long, and what is lost.

Strength falls with distance as over flat wet ground, much faster than in free space. A frame takes its time in the
air; two at once on one channel destroy each other.
"""

import math
import random
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Final, NamedTuple, Protocol

from pale_heron.sim import marsh

EARTH_M: Final = 6_371_000.0
LOSS_AT_1M_DB: Final = 34.0
EXPONENT: Final = 3.1
NOISE_DBM: Final = -117.0
OVERHEAD_BYTES: Final = 13


class Pace(NamedTuple):
    """Bits a second in the air, and how far above the noise a frame must be."""

    bits_per_s: float
    needs_db: float


PACES: Final = {
    1: Pace(290, -17.0),
    2: Pace(980, -12.5),
    3: Pace(3120, -9.0),
    4: Pace(9370, -5.0),
    5: Pace(21_900, 1.0),
}


def airtime_s(pace: int, length: int) -> float:
    """How long a frame of so many payload bytes is in the air."""
    return 0.012 + (OVERHEAD_BYTES + length) * 8 / PACES[pace].bits_per_s


class Tuned(NamedTuple):
    """What must be alike to be heard."""

    group: int
    channel: int
    pace: int
    cipher: str


class Radio(Protocol):
    """What the air asks of a radio."""

    place: str

    @property
    def node(self) -> int: ...

    @property
    def tuned(self) -> Tuned: ...

    def receive(self, sender: int, payload: bytes, strength: float, snr: float, seconds: float) -> None: ...


@dataclass
class Transmission:
    """One frame in the air, on a channel. What another one overlaps is destroyed, whoever began."""

    sender: Radio
    channel: int
    begin: float
    end: float
    destroyed: bool = False

    def overlaps(self, other: "Transmission") -> bool:
        return self.begin < other.end and other.begin < self.end


KEPT_S: Final = 30.0
"""The slowest frame is in the air for less."""


@dataclass
class Air:
    """All radios of one marsh. A radio that sends does not hear."""

    seed: int = 7
    radios: list[Radio] = field(default_factory=list)
    collisions: int = 0
    """Frames that were destroyed by others."""
    _frames: list[Transmission] = field(default_factory=list)

    def __post_init__(self) -> None:
        self._chance = random.Random(f"air {self.seed}")

    def transmit(
        self,
        sender: Radio,
        to: int,
        payload: bytes,
        power_dbm: float,
        seconds: float,
        later: Callable[[float, float, Callable[[float], None]], None],
    ) -> float:
        """Send a frame; gives how long it is in the air. `later` is the sender's way to have things done."""
        tuned = sender.tuned
        took = airtime_s(tuned.pace, len(payload))
        frame = self._put(Transmission(sender, tuned.channel, seconds, seconds + took))
        for radio in self.radios:
            # A frame from one's own number is taken for an echo of one's own.
            if radio is sender or radio.node == sender.node or radio.node != to or radio.tuned != tuned:
                continue
            strength = power_dbm - self._loss_db(sender.place, radio.place, seconds) + self._chance.gauss(0, 2.2)
            snr = strength - NOISE_DBM
            if snr >= PACES[tuned.pace].needs_db:
                later(seconds, took, self._delivery(frame, radio, payload, strength, min(12.0, snr)))
        return took

    def _put(self, frame: Transmission) -> Transmission:
        """One more in the air: it and all that it overlaps on its channel are destroyed."""
        self._frames = [each for each in self._frames if each.end > frame.begin - KEPT_S]
        for other in self._frames:
            if other.channel == frame.channel and other.overlaps(frame):
                self.collisions += (not other.destroyed) + (not frame.destroyed)
                other.destroyed = frame.destroyed = True
        self._frames.append(frame)
        return frame

    def _delivery(
        self, frame: Transmission, radio: Radio, payload: bytes, strength: float, snr: float
    ) -> Callable[[float], None]:
        """What happens at its end: whoever sent meanwhile, on whatever channel, has not heard it."""
        node = frame.sender.node

        def deliver(at: float) -> None:
            deaf = any(each.sender is radio and each.overlaps(frame) for each in self._frames)
            if not (frame.destroyed or deaf):
                radio.receive(node, payload, strength, snr, at)

        return deliver

    def _loss_db(self, here: str, there: str, seconds: float) -> float:
        distance = max(1.0, distance_m(here, there, seconds))
        return LOSS_AT_1M_DB + 10 * EXPONENT * math.log10(distance)


def distance_m(here: str, there: str, seconds: float) -> float:
    """Between two places of the marsh, one of which may drift."""
    first, second = (marsh.antenna(name, (0.0, 0.0, 0.0), seconds) for name in (here, there))
    north = math.radians(second.latitude - first.latitude) * EARTH_M
    east = math.radians(second.longitude - first.longitude) * EARTH_M * math.cos(math.radians(first.latitude))
    return math.hypot(north, east)
