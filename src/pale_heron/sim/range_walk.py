"""Buoy 7 is towed away from the hide: a receiver on it, and the long-range radios of both on one air.

The board on the buoy hands each RMC of its Curlew to its radio, which sends it to the one in the hide: there it
arrives as a payload. Nothing else needs to be sent to see how far the link reaches.
"""

from collections.abc import Sequence
from pathlib import Path
from typing import Final

from pale_heron.core.frames import SECOND
from pale_heron.sim.air import Air
from pale_heron.sim.bittern import Bittern
from pale_heron.sim.curlew import Curlew
from pale_heron.sim.label import Label
from pale_heron.sim.modules import GROUP, ModulePost, PlacedModule
from pale_heron.sim.scenes import SCENES
from pale_heron.sim.terminal import Terminal

RADIO: Final = {**GROUP, "pace": "4", "power": "5"}
"""With so little power it reaches about a kilometre."""

HIDE: Final = RADIO | {"node": "7", "peer": "8", "role": "0"}
BUOY: Final = RADIO | {"node": "8", "peer": "7", "role": "1"}


class RangeWalkPost:
    """`links` are those of the receiver, the radio in the hide and the one on the buoy. `begin` is UTC since 1970."""

    def __init__(self, rate: int, links: Sequence[Path], seed: int, begin: int, *, over_tcp: bool = False) -> None:
        air = Air(seed)
        self._buoy = Bittern(air, "tow", seed + 1)
        radios = (
            PlacedModule("bittern-hide", "hide", Bittern(air, "hide", seed), HIDE),
            PlacedModule("bittern-buoy", "buoy 7", self._buoy, BUOY),
        )
        self._rate, self._seed = rate, seed
        self.begin_at(begin)
        label = Label("simulated receiver Curlew, buoy 7", f"MARSH-tow-{seed}")
        terminal = Terminal(rate, links[0], label=label, over_tcp=over_tcp)
        self._terminal = terminal
        self._posts = [
            ModulePost(radio, rate, link, over_tcp=over_tcp) for radio, link in zip(radios, links[1:], strict=True)
        ]
        self.terminals = (terminal, *(post.terminal for post in self._posts))
        self._next = 0.0

    def begin_at(self, begin: int) -> None:
        """Power will come at this second, UTC since 1970."""
        self._curlew = Curlew(SCENES["tow"], self._seed, begin * SECOND)
        self._curlew.configure(rate=self._rate)

    def work(self, passed: float, seconds: float) -> None:
        """Let time pass."""
        for line in self._terminal.work(passed):
            self._terminal.send(self._curlew.obey(line, seconds))
        if seconds >= self._next:
            said = self._curlew.epoch(self._next)
            self._terminal.send(said)
            self._buoy.pass_on(_rmc(said), seconds)
            self._next += 1.0
        for post in self._posts:
            post.work(passed, seconds)

    def close(self) -> None:
        """Pull all plugs."""
        for terminal in self.terminals:
            terminal.close()


def _rmc(said: bytes) -> bytes:
    """The RMC of an epoch; empty where it has none."""
    return next((line for line in said.splitlines() if line[3:6] == b"RMC"), b"")
