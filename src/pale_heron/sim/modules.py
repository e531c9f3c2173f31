"""The simulated modules as they stand in the marsh, each behind its pseudo-terminal."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Final, NamedTuple

from pale_heron.sim import marsh
from pale_heron.sim.air import Air
from pale_heron.sim.bittern import Bittern
from pale_heron.sim.label import Label
from pale_heron.sim.modem import Modem
from pale_heron.sim.plover import Plover
from pale_heron.sim.teal import Teal
from pale_heron.sim.terminal import MOST_QUEUED, Terminal
from pale_heron.sim.wren import VANE_ADDRESS, VANE_PIN, Wren

GROUP: Final = {"group": "12", "channel": "3", "cipher": "ebb at dawn"}
HIDE: Final = {**GROUP, "node": "7", "pace": "3", "role": "0", "peer": "8"}
BUOY: Final = {**GROUP, "node": "7", "pace": "4", "role": "1", "peer": "7", "beacon": "5"}
"""As they came out of the box and were half set: the same node, another pace."""


@dataclass(frozen=True, slots=True)
class PlacedModule:
    """One module: its name, where it stands, and what it is set to."""

    name: str
    role: str
    modem: Modem
    settings: Mapping[str, str]


class ModuleStart(NamedTuple):
    """How single modules begin, where that was asked for."""

    far_port: int = 0
    """Teal connects to this port of this machine by itself."""
    locked: bool = False
    """The SIM of Plover wants its PIN."""
    habits: frozenset[str] = frozenset()
    """Of HABITS, those that all of them have."""


AS_USUAL: Final = ModuleStart()


def placed(kind: str, seed: int, begin: int = marsh.BEGIN_UTC, start: ModuleStart = AS_USUAL) -> list[PlacedModule]:
    """The modules of a kind; a Bittern comes with another on the same air. `marsh` is all of them."""
    makers: dict[str, Callable[[], list[PlacedModule]]] = {
        "bittern": lambda: _bitterns(seed),
        "plover": lambda: [PlacedModule("plover", "buoy 7", Plover(seed, begin, start.locked), {})],
        "wren": lambda: [PlacedModule("wren", "hide", Wren(seed), {"peer": VANE_ADDRESS, "pin": VANE_PIN})],
        "teal": lambda: [PlacedModule("teal", "hide", Teal(seed, start.far_port), {})],
    }
    kinds = list(makers) if kind == MARSH else [kind]
    found = [each for name in kinds for each in makers[name]()]
    for each in found:
        each.modem.habits = start.habits
    return found


MARSH: Final = "marsh"
KINDS: Final = {"bittern": 2, "plover": 1, "wren": 1, "teal": 1, MARSH: 5}
"""What can be run, and how many terminals each has."""


def _bitterns(seed: int) -> list[PlacedModule]:
    air = Air(seed)
    return [
        PlacedModule("bittern-hide", "hide", Bittern(air, "hide", seed), HIDE),
        PlacedModule("bittern-buoy", "buoy 7", Bittern(air, "buoy", seed + 1), BUOY),
    ]


class ModulePost:
    """One module and its terminal. A new line rate takes hold once what was queued before it is out."""

    def __init__(self, module: PlacedModule, rate: int, link: Path, *, over_tcp: bool = False) -> None:
        """Raises Trouble where the link cannot be made."""
        self.modem = module.modem
        self.modem.configure(**module.settings, rate=str(rate))
        label = Label(f"simulated {module.modem.TITLE}, {module.role}", f"MARSH-{module.name}")
        self.terminal = Terminal(rate, link, whole_lines=False, label=label, over_tcp=over_tcp)

    def work(self, passed: float, seconds: float) -> None:
        """Let time pass."""
        for data in self.terminal.work(passed, reading=self.modem.takes_more):
            self.modem.hear(data, seconds)
        self.modem.room = MOST_QUEUED - self.terminal.queued
        self.terminal.send(self.modem.say(seconds))
        if self.terminal.rate != self.modem.rate and not self.terminal.queued:
            self.terminal.rate = self.modem.rate

    def close(self) -> None:
        """Pull the plug."""
        self.terminal.close()
