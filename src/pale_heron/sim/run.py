"""Runs simulated devices in real time behind their pseudo-terminals."""

import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Protocol

from pale_heron.sim.actors import Actor
from pale_heron.sim.cable import CableFaults, CableWay
from pale_heron.sim.curlew import Curlew
from pale_heron.sim.curlew_setup import WAIT, fitting
from pale_heron.sim.label import Label
from pale_heron.sim.scenes import Scene
from pale_heron.sim.terminal import Terminal
from pale_heron.sim.troubles import TroublePlay

TICK_S = 0.01


def next_second() -> tuple[int, float]:
    """The next second of the host's clock, UTC since 1970, and when it begins by the monotonic clock."""
    now, steady = time.time(), time.monotonic()
    second = int(now) + 1
    return second, steady + second - now


def wait_until(power: float) -> None:
    """Wait until power comes, by the monotonic clock."""
    time.sleep(max(0.0, power - time.monotonic()))


def wait_for(ready: Callable[[], bool], ended: Callable[[], bool]) -> None:
    """Wait until it is ready, or is to end."""
    while not (ready() or ended()):
        time.sleep(TICK_S)


class PulseOutlet(Protocol):
    """Where the pulses of a receiver go."""

    def let_pass(self, seconds: float, *, fixed: bool) -> None: ...


def run_curlew(
    device: Curlew,
    terminal: Terminal,
    ended: Callable[[], bool],
    scene: Scene,
    pulses: PulseOutlet | None = None,
    power: float | None = None,
) -> None:
    """Until `ended` says so; `power` is when it comes, by the monotonic clock, at once unless given.

    A new line rate takes hold once what was queued before it is out.
    """
    # The host's clock may run fast against the receiver's time.
    own = 1.0 / (1.0 + scene.host_ppm / 1e6)
    begin = last = time.monotonic() if power is None else power
    wait_until(begin)
    next_epoch = 0.0
    while not ended():
        time.sleep(TICK_S)
        now = time.monotonic()
        for line in terminal.work(now - last):
            terminal.send(fitting(device.obey(line, now - begin), terminal.room))
        last, passed = now, (now - begin) * own
        if pulses is not None:
            pulses.let_pass(passed, fixed=device.fixed)
        if terminal.rate != device.setup.rate and not terminal.queued:
            terminal.rate = device.setup.rate
        held_up = terminal.rate != device.setup.rate or (device.setup.full_line == WAIT and terminal.queued > 0)
        if passed >= next_epoch + scene.late_s and not held_up:
            terminal.send(fitting(device.epoch(next_epoch), terminal.room))
            next_epoch += device.setup.every_ms / 1000
            if passed - next_epoch > 1.0 + scene.late_s:
                # The machine slept: go on from now instead of saying all that was missed.
                next_epoch = passed


class TroubleStage:
    """One device in trouble, plugged in and out as it plays."""

    def __init__(self, name: str, play: TroublePlay, seed: int, link: Path, *, over_tcp: bool = False) -> None:
        self._name = name
        self._play = play
        self._link = link
        self._over_tcp = over_tcp
        self._actor: Actor = play.make(seed)
        self._moves = 0
        self._terminal: Terminal | None = self._plug_in()

    def _plug_in(self) -> Terminal:
        link = self._link if self._moves % 2 == 0 else self._link.with_name(f"{self._link.name}-moved")
        self._moves += 1
        label = Label(f"simulated trouble: {self._name}", f"MARSH-{self._name}", self._play.locked)
        terminal = Terminal(self._play.rate, link, whole_lines=False, label=label, over_tcp=self._over_tcp)
        if self._play.locked:
            terminal.lock()
        if self._play.forbidden:
            terminal.forbid()
        return terminal

    @property
    def path(self) -> str:
        """What is to be opened."""
        return self._terminal.name if self._terminal is not None else str(self._link)

    @property
    def taken(self) -> bool:
        """Whether a program has opened it, where one can."""
        return self._terminal is None or self._play.locked or self._play.forbidden or self._terminal.taken

    def work(self, passed: float, seconds: float) -> None:
        """Let time pass; `seconds` is the whole time since power came."""
        plugged = self._actor.plugged(seconds)
        if self._terminal is not None and not plugged:
            self.close()
        elif self._terminal is None and plugged:
            self._terminal = self._plug_in()
        if self._terminal is None:
            return
        for data in self._terminal.work(passed):
            self._terminal.send(self._actor.hear(data, seconds))
        self._terminal.send(self._actor.say(seconds))

    def close(self) -> None:
        """Pull the plug."""
        if self._terminal is not None:
            self._terminal.close()
            self._terminal = None


LEAST_ON_THE_WAY, ON_THE_WAY = 512, 100
"""Bytes in the cable, from which on it takes no more: so many, or a tenth of a second's worth (10 bits a byte)."""


class ActorPost:
    """One actor that is always plugged in."""

    def __init__(self, actor: Actor, rate: int, link: Path, label: Label, *, over_tcp: bool = False) -> None:
        self._actor = actor
        self.terminal = Terminal(rate, link, whole_lines=False, label=label, over_tcp=over_tcp)

    def work(self, passed: float, seconds: float) -> None:
        """Let time pass."""
        for data in self.terminal.work(passed):
            self.terminal.send(self._actor.hear(data, seconds))
        self.terminal.send(self._actor.say(seconds))

    def close(self) -> None:
        """Pull the plug."""
        self.terminal.close()


class CablePost:
    """A cable with a terminal at each end. The faults are those of both ways."""

    def __init__(self, rate: int, links: Sequence[Path], faults: CableFaults, seed: int, *, over_tcp: bool) -> None:
        self.terminals = tuple(
            Terminal(
                rate,
                link,
                whole_lines=False,
                patient=True,
                label=Label(f"simulated cable, end {end}", f"MARSH-cable-{seed}-{end}"),
                over_tcp=over_tcp,
            )
            for end, link in zip("AB", links, strict=True)
        )
        self.ways = CableWay(faults, seed), CableWay(faults, seed + 1)

    def work(self, passed: float, seconds: float) -> None:
        """Let time pass."""
        for end, way in enumerate(self.ways):
            # As fast as it goes out at the other end: a line has no room for what it cannot carry.
            out = self.terminals[1 - end]
            room = way.waiting + out.queued < max(LEAST_ON_THE_WAY, out.rate // ON_THE_WAY)
            for data in self.terminals[end].work(passed, reading=room):
                way.put(data, seconds)
            out.send(way.take(seconds))

    def close(self) -> None:
        """Pull both plugs."""
        for terminal in self.terminals:
            terminal.close()


class Powered(Protocol):
    """A device at its terminal: let time pass, and pull its plug at the end."""

    def work(self, passed: float, seconds: float) -> None: ...

    def close(self) -> None: ...


def run_stages(
    stages: Sequence[Powered],
    ended: Callable[[], bool],
    after_s: float = 0.0,
    ready: Callable[[], bool] = lambda: True,
    power: Callable[[], float] | None = None,
) -> None:
    """All of them at once, until `ended` says so.

    Power comes so long after `ready` was true; `power`, asked then, may say a later moment by the monotonic clock.
    """
    try:
        wait_for(ready, ended)
        time.sleep(after_s)
        begin = last = time.monotonic() if power is None else power()
        wait_until(begin)
        while not ended():
            time.sleep(TICK_S)
            now = time.monotonic()
            for stage in stages:
                stage.work(now - last, now - begin)
            last = now
    finally:
        for stage in stages:
            stage.close()
