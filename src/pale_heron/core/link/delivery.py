"""One direction of probes: what was sent on one side, what came on the other, entered in the ledger.

What is sent has numbers: probes their own, sentences those that somebody gives them.
"""

from collections.abc import Callable
from itertools import islice
from typing import Final

from pale_heron.core.link.fates import DeliverySnapshot, HearResult
from pale_heron.core.link.ledger import AHEAD, Ledger

MOST_COMPARED: Final = 256
"""A damaged piece is held against so many of the newest probes at most, whatever a record says of its limit."""

REFUSALS: Final = (b"ERROR", b"+CME ERROR", b"+CMS ERROR")
"""How a module in command mode begins to refuse what is no command (ITU-T V.250, 5.7.1; 3GPP 27.007, 9.2)."""

ALIKE: Final = 0.5
"""A piece that has at least this share of a probe's bytes at its beginning and its end is that probe, damaged."""

LEAST_PIECE: Final = 4
"""A shorter piece may be anybody's."""


class DeliveryCounter:
    """`expected` gives the bytes of a number as they were sent; `limit_ns` is when one counts as lost."""

    def __init__(
        self,
        sender: str,
        receiver: str,
        expected: Callable[[int], bytes],
        limit_ns: int,
        hear: HearResult | None = None,
        ahead: int = AHEAD,
    ) -> None:
        """`hear` is called with each result as soon as it is known; one that comes late was lost before."""
        self.ledger = Ledger(sender, receiver, limit_ns, hear, ahead=ahead)
        self._ahead = ahead
        self.expected = expected
        self.foreign_bytes = self.refusals = 0

    def send(self, number: int, time: int) -> None:
        """A probe went out."""
        self.ledger.send(number, time)

    def take(self, number: int, time: int) -> None:
        """A whole probe came in."""
        if not self.ledger.deliver(number, time):
            self.foreign_bytes += len(self.expected(number))

    def take_piece(self, data: bytes) -> None:
        """Something else came in: a probe that suffered on the way, or nothing of ours."""
        if not self.take_damaged(data):
            self.foreign_bytes += len(data)
            self.refusals += refuses(data)

    def take_damaged(self, data: bytes) -> bool:
        """Whether a piece is a probe that suffered on the way, or a part of one; that then counts as damaged."""
        number = self._damaged_probe(data)
        if number is None:
            return False
        self.ledger.spoil(number)
        return True

    def _damaged_probe(self, data: bytes) -> int | None:
        """The probe that may still come and that a piece resembles most; None where it resembles none enough."""
        best, likeness, parts = None, ALIKE, []
        ledger = self.ledger
        newest = islice(ledger.awaited, MOST_COMPARED)
        for number in (*newest, *range(ledger.last_sent + 1, ledger.last_sent + 1 + self._ahead)):
            expected = self.expected(number)
            # One that is spoilt already has come; only a part of it may come behind.
            found = 0.0 if ledger.is_spoilt(number) else alike(data, expected)
            if found >= likeness and (best is None or found > likeness):
                best, likeness = number, found
            if expected.startswith(data) or expected.endswith(data):
                parts.append(number)
        # However short it is: a part that only one of them has is of that one.
        return parts[0] if best is None and len(parts) == 1 and len(data) >= LEAST_PIECE else best

    def leave(self, _: int) -> None:
        """A lane is gone."""
        self.ledger.leave()

    def back(self) -> None:
        """All are there again."""
        self.ledger.back()

    def advance(self, now: int) -> None:
        """Time passes."""
        self.ledger.advance(now)

    def finish(self, now: int, *, listened: bool) -> None:
        """The trial is over."""
        self.ledger.finish(now, listened=listened)
        self.foreign_bytes += sum(len(self.expected(number)) for number in self.ledger.early)
        self.ledger.early.clear()

    def snapshot(self) -> DeliverySnapshot:
        """How it stands."""
        return self.ledger.snapshot()._replace(foreign_bytes=self.foreign_bytes, refusals=self.refusals)


def refuses(data: bytes) -> bool:
    """Whether a line is how a module in command mode says no."""
    return data.strip().startswith(REFUSALS)


def alike(data: bytes, expected: bytes) -> float:
    """What share of the longer one both have in common at their beginnings and their ends, 0 to 1."""
    shorter, longer = sorted((len(data), len(expected)))
    if not longer:
        return 1.0
    front = next((at for at in range(shorter) if data[at] != expected[at]), shorter)
    back = next((at for at in range(shorter - front) if data[-1 - at] != expected[-1 - at]), shorter - front)
    return (front + back) / longer
