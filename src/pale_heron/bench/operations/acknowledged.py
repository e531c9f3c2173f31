"""What a device was ordered, as far as it acknowledged it, and what of that may be gone."""

from dataclasses import dataclass, field


@dataclass
class AcknowledgedSettings:
    """What a lane's device was ordered, as far as it acknowledged it: running, and stored."""

    running: dict[str, str] = field(default_factory=dict)
    stored: dict[str, str] = field(default_factory=dict)
    doubtful: set[str] = field(default_factory=set)
    """Not stored, and the device was away since: whether it kept its power nobody knows."""

    def was_away(self) -> None:
        """The lane went and came back."""
        self.doubtful |= {name for name, value in self.running.items() if self.stored.get(name) != value}

    def restarted(self) -> None:
        """The device started again: what was not stored is gone."""
        self.running = dict(self.stored)
        self.doubtful.clear()

    def take(self, name: str, value: str) -> None:
        """It acknowledged a setting."""
        self.running[name] = value
        self.doubtful.discard(name)

    def words(self, name: str) -> str:
        """How one setting stands."""
        if name in self.doubtful:
            return "not stored; it was away since"
        if name not in self.running:
            return "stored" if name in self.stored else ""
        return "running, stored" if self.stored.get(name) == self.running[name] else "running, not stored"
