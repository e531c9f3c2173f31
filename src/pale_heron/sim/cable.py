"""A simulated cable between two ends, with faults of a known number: for practice, and to prove that counting is right.

Bytes go from end to end in lines; each fault falls on lines that are drawn from the seed, and is counted.
"""

import random
from collections import Counter, deque
from typing import Final, NamedTuple

LOST, CHANGED, ADDED, MISSING, DOUBLED = "lost", "changed", "added", "missing", "doubled"
FAULTS: Final = (LOST, CHANGED, ADDED, MISSING, DOUBLED)
"""A whole line that does not arrive; one byte of it changed, added or missing; a line that arrives twice."""

OTHER, ANOTHER = b"~", b"}"
_BYTES: Final = {LOST: MISSING, CHANGED: CHANGED, ADDED: ADDED, MISSING: MISSING, DOUBLED: ADDED}
LONGEST_PIECE: Final = 256
"""Bytes without a line end are taken in pieces of so many."""

GAP_S: Final = 0.05
"""A line without line end goes on after such a pause."""


class CableFaults(NamedTuple):
    """Shares of lines, 0 to 1, and times in seconds."""

    lost: float = 0.0
    changed: float = 0.0
    added: float = 0.0
    missing: float = 0.0
    doubled: float = 0.0
    delay_s: float = 0.0
    jitter_s: float = 0.0
    cut_from_s: float = 0.0
    cut_for_s: float = 0.0
    """Nothing passes for so long from that moment on; 0 for never."""
    stall_from_s: float = 0.0
    stall_for_s: float = 0.0
    """What is under way waits for so long from that moment on."""


class CableWay:
    """One way through the cable. `counts` says what was done to how many lines."""

    def __init__(self, faults: CableFaults, seed: int) -> None:
        self._faults = faults
        self._chance = random.Random(seed)
        self._held = b""
        self._held_since = 0.0
        self._under_way: deque[tuple[float, bytes]] = deque()
        self.cut = False
        """Somebody cut it: nothing passes until that is mended."""
        self.held = False
        """Somebody holds it: what is under way waits."""
        self.counts: Counter[str] = Counter()
        self.bytes: Counter[str] = Counter()
        """What that came to in bytes: missing, changed, added."""

    @property
    def waiting(self) -> int:
        """Bytes that are in it for no other reason than that they have not gone out yet."""
        if self._faults.delay_s or self._faults.jitter_s:
            return len(self._held)
        return len(self._held) + sum(len(line) for _, line in self._under_way)

    def put(self, data: bytes, seconds: float) -> None:
        """Bytes come in at one end."""
        self._held_since = seconds
        self._held += data
        while (length := self._held.find(b"\n", 0, LONGEST_PIECE) + 1) or len(self._held) >= LONGEST_PIECE:
            length = length or LONGEST_PIECE
            line, self._held = self._held[:length], self._held[length:]
            self._carry(line, seconds)

    def take(self, seconds: float) -> bytes:
        """What comes out at the other end by now."""
        if self._held and seconds - self._held_since >= GAP_S:
            line, self._held = self._held, b""
            self._carry(line, seconds)
        out = b""
        faults = self._faults
        if self.held or (faults.stall_for_s and 0 <= seconds - faults.stall_from_s < faults.stall_for_s):
            return out
        while self._under_way and self._under_way[0][0] <= seconds:
            out += self._under_way.popleft()[1]
        return out

    def _carry(self, line: bytes, seconds: float) -> None:
        faults = self._faults
        self.counts["lines"] += 1
        if self.cut or (faults.cut_for_s and 0 <= seconds - faults.cut_from_s < faults.cut_for_s):
            self.counts["cut"] += 1
            self.bytes[MISSING] += len(line)
            return
        fate = self._draw()
        body = line.rstrip(b"\r\n")
        end = line[len(body) :]
        if fate != "" and (len(body) > 2 or fate in (LOST, DOUBLED)):
            self.counts[fate] += 1
            self.bytes[_BYTES[fate]] += len(line) if fate in (LOST, DOUBLED) else 1
            if fate == LOST:
                return
            line = self._changed(fate, body) + end
        due = seconds + faults.delay_s + self._chance.uniform(0, faults.jitter_s)
        # A cable keeps the order: jitter delays what follows too.
        due = max(due, self._under_way[-1][0]) if self._under_way else due
        self._under_way.append((due, line))
        if fate == DOUBLED:
            self._under_way.append((due, line))

    def _draw(self) -> str:
        drawn = self._chance.random()
        for fault in FAULTS:
            share: float = getattr(self._faults, fault)
            if drawn < share:
                return fault
            drawn -= share
        return ""

    def _changed(self, fate: str, body: bytes) -> bytes:
        at = self._chance.randrange(1, max(2, len(body) - 1))
        if fate == CHANGED:
            return body[:at] + (OTHER if body[at : at + 1] != OTHER else ANOTHER) + body[at + 1 :]
        if fate == ADDED:
            return body[:at] + OTHER + body[at:]
        return body[:at] + body[at + 1 :] if fate == MISSING else body
