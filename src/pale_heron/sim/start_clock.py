"""What a receiver knows so many seconds after a start."""

from dataclasses import dataclass

from pale_heron.sim.scenes import StartTimes


@dataclass(frozen=True, slots=True)
class StartClock:
    """`passed` are scaled seconds."""

    times: StartTimes
    passed: float

    @property
    def time(self) -> bool:
        return self.passed >= self.times.time

    @property
    def date(self) -> bool:
        return self.passed >= self.times.date

    @property
    def seen(self) -> bool:
        return self.passed >= self.times.seen

    @property
    def used(self) -> bool:
        return self.passed >= self.times.used

    @property
    def two_d(self) -> bool:
        return self.passed >= self.times.two_d

    @property
    def three_d(self) -> bool:
        return self.passed >= self.times.three_d

    @property
    def satellites_found(self) -> int:
        return 2 + int(12 * (self.passed - self.times.seen) / (self.times.two_d - self.times.seen))

    @property
    def satellites_usable(self) -> int:
        return 1 + int(4 * (self.passed - self.times.used) / (self.times.two_d - self.times.used))
