"""Devices in trouble: what each says as time passes, and what it answers. Pure: given the time, they hand out bytes."""

import random
from collections.abc import Callable
from typing import Protocol

from pale_heron.core.wire import rtcm3
from pale_heron.sim.curlew import Curlew
from pale_heron.sim.scenes import Scene


class Actor(Protocol):
    """`seconds` count from when power came; the device is asked a hundred times a second."""

    def say(self, seconds: float) -> bytes:
        """What it sends unasked, since it was asked last."""
        ...

    def hear(self, data: bytes, seconds: float) -> bytes:
        """What it answers at once to bytes received."""
        ...

    def plugged(self, seconds: float) -> bool:
        """Whether its plug is in."""
        ...


class Mute:
    """Says nothing and hears nothing; the ground for the others."""

    def say(self, _seconds: float) -> bytes:
        return b""

    def hear(self, _data: bytes, _seconds: float) -> bytes:
        return b""

    def plugged(self, _seconds: float) -> bool:
        return True


class Loop(Mute):
    """Nothing but a wire from our TX to our RX."""

    def hear(self, data: bytes, _seconds: float) -> bytes:
        return data


class Receiver(Mute):
    """A Curlew that falls silent after `silent_after` seconds, if ever."""

    def __init__(self, scene: Scene, seed: int, every_ms: int = 1000, silent_after: float = float("inf")) -> None:
        self._curlew = Curlew(scene, seed)
        self._curlew.configure(every_ms=every_ms)
        self._every = every_ms / 1000
        self._next = 0.0
        self._silent_after = silent_after

    def say(self, seconds: float) -> bytes:
        if seconds < self._next or seconds >= self._silent_after:
            return b""
        self._next += self._every
        return self._curlew.epoch(self._next - self._every)


class Unplugged(Receiver):
    """A Curlew whose plug is pulled for a while, every `every` seconds."""

    def __init__(self, scene: Scene, seed: int, every: float = 14.0, away: float = 5.0) -> None:
        super().__init__(scene, seed)
        self._cycle, self._away = every, away

    def plugged(self, seconds: float) -> bool:
        return seconds % self._cycle < self._cycle - self._away


class Chatter(Mute):
    """Says one thing every so many seconds; `words` gets the number of the saying."""

    def __init__(self, every: float, words: Callable[[int], bytes]) -> None:
        self._every = every
        self._words = words
        self._said = 0

    def say(self, seconds: float) -> bytes:
        out = b""
        while self._said * self._every <= seconds:
            out += self._words(self._said)
            self._said += 1
        return out


class Late(Mute):
    """Waits for an end that never comes, and answers when its time-out is over."""

    def __init__(self, after: float) -> None:
        self._after = after
        self._due: float | None = None

    def hear(self, _data: bytes, seconds: float) -> bytes:
        self._due = seconds + self._after
        return b""

    def say(self, seconds: float) -> bytes:
        if self._due is None or seconds < self._due:
            return b""
        self._due = None
        return b"\r\nOK\r\n"


class Console(Chatter):
    """A computer that wants a name and a password."""

    PROMPT = b"\r\nsaltmarsh-gate login: "

    def __init__(self) -> None:
        super().__init__(20.0, lambda _: self.PROMPT)

    def hear(self, data: bytes, _seconds: float) -> bytes:
        return b"\r\nPassword: " if data.endswith((b"\r", b"\n")) else data


def noise(seed: int) -> Actor:
    """Bytes of pure chance."""
    chance = random.Random(f"noise {seed}")
    return Chatter(0.1, lambda _: chance.randbytes(40))


def notices() -> Actor:
    """A module whose receiving side is dead: it reports the tide, and answers nothing."""
    return Chatter(1.5, lambda count: b"+TIDE: %d\r\n" % (count % 7))


def endless() -> Actor:
    """One line that never ends."""
    return Chatter(0.01, lambda count: b"%06d " % count * 120)


def level_without_ends() -> Actor:
    """Readings with a pause between them and no line ends."""
    return Chatter(0.7, lambda count: b"level %.2f m" % (2 + count % 9 / 10))


def log_with_lf() -> Actor:
    """A log whose lines end with LF alone."""
    return Chatter(0.4, lambda count: b"[%5d] gate %d closed\n" % (count * 400, count % 3))


def brown_out() -> Actor:
    """A node that starts again every six seconds, and needs one of them for it."""

    def says(count: int) -> bytes:
        if count % 12 == 0:
            return b"\r\nreed node 7, firmware 0.9: boot\r\n"
        return b"salinity %d\r\n" % (30 + count % 4) if count % 12 < 10 else b""

    return Chatter(0.5, says)


def _frame(chance: random.Random) -> bytes:
    """A frame of a binary protocol: a mark, its length, and a sum at its end."""
    body = chance.randbytes(chance.randrange(20, 40))
    frame = b"\xa7\x31" + bytes([len(body)]) + body
    return frame + bytes([sum(frame[2:]) & 0xFF])


def framed(seed: int) -> Actor:
    """A binary protocol, and nothing else."""
    chance = random.Random(f"framed {seed}")
    return Chatter(0.2, lambda _: _frame(chance) + _frame(chance))


class Mixed(Receiver):
    """Sentences, RTCM 3 messages and an opaque protocol on one line; or in its place bytes of pure chance."""

    def __init__(self, scene: Scene, seed: int, *, rubbish: bool = False) -> None:
        super().__init__(scene, seed)
        self._rubbish = rubbish
        self._chance = random.Random(f"mixed {seed}")

    def say(self, seconds: float) -> bytes:
        said = super().say(seconds)
        if not said:
            return b""
        if self._rubbish:
            return said + self._chance.randbytes(180)
        opaque = _frame(self._chance) + _frame(self._chance)
        message = rtcm3.encode(bytes.fromhex("43d0") + self._chance.randbytes(60))
        return said + message + opaque
