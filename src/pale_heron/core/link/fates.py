"""What becomes of a number, and how one direction stands."""

from collections.abc import Callable
from typing import Final, NamedTuple

from pale_heron.core.link.figures import wilson
from pale_heron.core.samples import Times

STRIP: Final = 600

DELIVERED, LOST, DAMAGED, LATE = "delivered", "lost", "damaged", "late"
NOT_KNOWN, UNDER_WAY = "not-known", "under-way"
BAD: Final = (LOST, DAMAGED, LATE)
"""What is not delivered."""

CUT: Final = "under way when it ended"
AWAY: Final = "lane away"
UNANSWERED: Final = "not answered: the way there or back"
RESTARTED: Final = "far end restarted"
COUNTED_BEFORE: Final = "the far end had begun to count before"
"""Why a fate is not known."""


class ProbeResult(NamedTuple):
    """What became of one probe, or of one round of an exchange; `came` is None where nothing whole came."""

    sender: str
    receiver: str
    number: int
    sent: int
    result: str
    came: int | None
    in_a_row: int = 1
    """So many in a row of which the same is true, from this number on."""


HearResult = Callable[[ProbeResult], None]


class LinkOutage(NamedTuple):
    """Several in a row were not delivered. From when the first was sent to when the next one was that counts otherwise.

    `end` is None while it lasts.
    """

    begin: int
    end: int | None
    lost: int


class DeliverySnapshot(NamedTuple):
    """One direction as it stands. Latencies in seconds."""

    sender: str
    receiver: str
    sent: int
    delivered: int
    lost: int
    twice: int
    out_of_order: int
    damaged: int
    late: int
    foreign_bytes: int
    latency: Times | None
    outages: tuple[LinkOutage, ...]
    """Runs that chance explains worse than that it was away (`figures.more_than_chance`)."""
    longest_run: int
    """The most that were not delivered in a row."""
    strip: tuple[str, ...]
    """The fate of each of the last, in the order of their numbers; of those that are not settled as it stands."""
    not_known: tuple[tuple[str, int], ...] = ()
    """How many of what was sent count neither way, by reason."""
    under_way: int = 0
    """How many are still watched."""
    awaited: int = 0
    """How many of these have not come whole."""
    refusals: int = 0
    """Foreign lines with which a module in command mode refuses."""
    restarts: tuple[int, ...] = ()
    """When a far end was seen to have begun to count again."""

    @property
    def not_delivered(self) -> int:
        """Lost, damaged and late together."""
        return self.lost + self.damaged + self.late

    @property
    def settled(self) -> int:
        """Of how many it is known what became of them."""
        return self.delivered + self.not_delivered

    @property
    def unknown(self) -> int:
        """Of how many it will never be known."""
        return sum(count for _, count in self.not_known)

    @property
    def share(self) -> float | None:
        """What was not delivered of what is known, 0 to 1; None of nothing."""
        return self.not_delivered / self.settled if self.settled else None

    @property
    def share_95(self) -> tuple[float, float] | None:
        """The two-sided 95 % interval of that share (Wilson)."""
        return wilson(self.not_delivered, self.settled)


def nothing_counted(sender: str, receiver: str) -> DeliverySnapshot:
    """A direction before anything was sent."""
    return DeliverySnapshot(sender, receiver, 0, 0, 0, 0, 0, 0, 0, 0, None, (), 0, ())
