"""Both directions as known from one place: the far end answers each probe, and says in its answers what it got."""

from typing import Final

from pale_heron.core.link.delivery import refuses
from pale_heron.core.link.far_counts import FarCounts
from pale_heron.core.link.fates import AWAY, CUT, RESTARTED, UNANSWERED, DeliverySnapshot, HearResult, nothing_counted
from pale_heron.core.link.ledger import Ledger
from pale_heron.core.wire.probe import ANSWER, Probe

FAR_END: Final = "far end"


class FarEndCounter:
    """Takes the probes that go out and of what comes in.

    The ledger is that of the round trip: a probe is delivered where its answer comes within the limit. What went there
    is counted by the far end itself (`FarCounts`), so a lost answer does not make its probe lost. Of probes behind the
    last one that was answered nothing is known: the way there may be broken, or the way back. What came back is counted
    by the numbers of the answers. When each of the two was on its way nobody knows here: only the round trip has a
    time.
    """

    def __init__(self, lane: str, limit_ns: int, hear: HearResult | None = None) -> None:
        """`hear` is called with each probe that was answered, or not within the limit."""
        self._lane = lane
        self.ledger = Ledger(lane, FAR_END, limit_ns, hear)
        self._there = FarCounts()
        self._foreign = self._refusals = self._damaged_here = 0

    def send(self, number: int, time: int) -> None:
        """A probe went out."""
        self._there.send(number)
        self.ledger.send(number, time)

    def take(self, probe: Probe | None, data: bytes, time: int) -> None:
        """Something came in."""
        if probe is None:
            damaged = data.startswith(b"#a") or data[-9:-8] == b","
            self._damaged_here += damaged
            self._foreign += 0 if damaged else len(data)
            self._refusals += refuses(data)
        elif probe.kind == ANSWER:
            # It may answer what nobody asked, or say that it has answered more than can be.
            there = self._there
            twice, restarts = there.twice_back, there.restarts
            if not there.take(probe, time):
                self._foreign += len(data)
            elif there.twice_back == twice:
                if there.restarts != restarts:
                    self.ledger.excuse(*there.around, RESTARTED)
                self.ledger.deliver(probe.number, time)

    def leave(self, _: int) -> None:
        """Its lane is gone."""
        self.ledger.leave()
        self._there.interrupt(AWAY)

    def back(self) -> None:
        """Its lane is there again."""
        self.ledger.back()

    def advance(self, now: int) -> None:
        """Time passes."""
        self.ledger.advance(now)

    def finish(self, now: int, *, listened: bool) -> None:
        """The trial is over."""
        self.ledger.finish(now, listened=listened)
        self.ledger.early.clear()

    def snapshots(self) -> tuple[DeliverySnapshot, DeliverySnapshot]:
        """There, and back."""
        return ways(self._lane, self._there, self.ledger.snapshot(), self._damaged_here, self._foreign, self._refusals)


def ways(
    lane: str, there: FarCounts, trip: DeliverySnapshot, damaged_here: int = 0, foreign: int = 0, refusals: int = 0
) -> tuple[DeliverySnapshot, DeliverySnapshot]:
    """The two directions of a far end that counts; `trip` is the ledger of the round trip."""
    known, orders, got, damaged = there.sums
    # Of those behind the last answer some may be under way still, and of the others some would have been.
    behind = there.behind
    cut = min(behind, dict(trip.not_known).get(CUT, 0))
    watched = min(behind - cut, trip.under_way)
    reasons = {**there.not_known, CUT: cut, UNANSWERED: behind - cut - watched}
    out = nothing_counted(lane, FAR_END)._replace(
        sent=trip.sent,
        delivered=got,
        lost=known - got - damaged,
        damaged=damaged,
        twice=there.twice_there,
        under_way=watched,
        awaited=trip.awaited,
        not_known=tuple((reason, count) for reason, count in sorted(reasons.items()) if count),
        strip=trip.strip,
        restarts=tuple(there.restarts),
    )
    missing = max(0, orders - there.answers)
    broken = min(missing, damaged_here)
    back = nothing_counted(FAR_END, lane)._replace(
        sent=orders,
        delivered=min(orders, there.answers),
        lost=missing - broken,
        damaged=broken,
        twice=there.twice_back,
        out_of_order=there.out_of_order,
        foreign_bytes=foreign,
        refusals=refusals,
    )
    return out, back
