"""The pulses of a simulated receiver: one at each second of its own, with faults of a known count.

They stand in a file beside its link, as the kernel shows those of a PPS device: `seconds.nanoseconds#sequence`, by the
clock of the host. That clock may run fast or slow against the receiver's time.
"""

import math
import os
import random
from collections import Counter
from pathlib import Path
from typing import NamedTuple

from pale_heron.core.clock.sources import PULSE_FILE
from pale_heron.core.frames import SECOND
from pale_heron.system.private import new_file, remove_own

AHEAD_S = 0.05
"""A pulse is made up so long before it comes: some come early."""

DOUBLE_S = 0.15
"""A second pulse where one is too many comes so long after the first."""


class PulseFaults(NamedTuple):
    """Shares of pulses that are left out or come twice; spread and advance in seconds."""

    missed: float = 0.0
    doubled: float = 0.0
    jitter_s: float = 0.0
    early_s: float = 0.0


class SimulatedPulse(NamedTuple):
    """One pulse: its number, and when it comes, nanoseconds of the host's clock."""

    sequence: int
    host_ns: int


class PulsePlay:
    """`begin_ns` is when power came, by the host's clock, which runs so many parts in a million fast."""

    def __init__(self, begin_ns: int, faults: PulseFaults, seed: int, host_ppm: float = 0.0) -> None:
        self._begin_ns = begin_ns
        self._faults = faults
        self._host_ppm = host_ppm
        self._chance = random.Random(f"pulses {seed}")
        self._second = 0
        self._sequence = 0
        self._waiting: list[SimulatedPulse] = []
        self.counts: Counter[str] = Counter()

    def due(self, seconds: float, *, fixed: bool) -> list[SimulatedPulse]:
        """Those that came until so many seconds after power came, by the receiver's own time; without a fix none do."""
        while self._second + 1 - AHEAD_S - self._faults.early_s < seconds:
            self._second += 1
            if fixed:
                self._make(self._second)
        now = self._host_ns(seconds)
        ready = [each for each in self._waiting if each.host_ns <= now]
        self._waiting = [each for each in self._waiting if each.host_ns > now]
        return ready

    def _make(self, second: int) -> None:
        fate, faults = self._chance.random(), self._faults
        moment = self._host_ns(second - faults.early_s) + round(self._chance.gauss(0, faults.jitter_s) * SECOND)
        if fate < faults.missed:
            self.counts["missed"] += 1
            return
        self._add(moment)
        if fate < faults.missed + faults.doubled:
            self.counts["doubled"] += 1
            self._add(moment + round(DOUBLE_S * SECOND))

    def _add(self, moment: int) -> None:
        self._sequence += 1
        self.counts["pulses"] += 1
        self._waiting.append(SimulatedPulse(self._sequence, moment))

    def _host_ns(self, seconds: float) -> int:
        whole = math.floor(seconds)
        part = round((seconds - whole) * SECOND)
        passed = whole * SECOND + part
        return self._begin_ns + passed + round(passed * self._host_ppm / 1e6)


class PulseGenerator:
    """Plays pulses into the file of a device."""

    def __init__(self, play: PulsePlay, link: Path) -> None:
        self.play = play
        self._file = PulseFile(link)

    def let_pass(self, seconds: float, *, fixed: bool) -> None:
        """What came until so many seconds after power came."""
        for pulse in self.play.due(seconds, fixed=fixed):
            self._file.write(pulse)

    def close(self) -> None:
        """Its device is gone."""
        self._file.close()


class PulseFile:
    """The last pulse, beside the link of its device."""

    def __init__(self, link: Path) -> None:
        self._path = link.with_name(link.name + PULSE_FILE)
        self._new = link.with_name(link.name + PULSE_FILE + ".new")
        self.write(SimulatedPulse(0, 0))

    def write(self, pulse: SimulatedPulse) -> None:
        """Whole at once: whoever reads never sees a part of it."""
        seconds, part = divmod(pulse.host_ns, SECOND)
        remove_own(self._new)
        with os.fdopen(new_file(self._new), "w", encoding="ascii") as file:
            file.write(f"{seconds}.{part:09d}#{pulse.sequence}\n")
        self._new.replace(self._path)

    def close(self) -> None:
        """Its device is gone."""
        self._path.unlink(missing_ok=True)
