"""How a trial stands, and by what it ended."""

from collections.abc import Mapping
from typing import Any, Final, NamedTuple

from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.exchange import ExchangeSnapshot
from pale_heron.core.link.fates import UNANSWERED, DeliverySnapshot
from pale_heron.core.link.reach import RangeSnapshot
from pale_heron.core.link.throughput import BulkSnapshot

DONE: Final = "done"
"""Why a trial ended that went on to its end."""

COUNT, TIME, INTERRUPTED, LANE_LOST, FAILED = "count", "time", "interrupted", "lane-lost", "failed"
RECORD_ENDED, REPLACED, WATCHED = "record-ended", "replaced", "watched"
ENDINGS: Final = {
    COUNT: "all that was asked for was sent",
    TIME: "its time was over",
    INTERRUPTED: "it was ended by hand",
    LANE_LOST: "a lane was gone for too long",
    FAILED: "it could not go on",
    RECORD_ENDED: "the record ends in the middle of it",
    REPLACED: "another one of the same number began",
    WATCHED: "a record was gone through to its end",
}
"""By what a trial ended."""


class TrialEnd(NamedTuple):
    """How a trial ended. `listened`: until all had come, or the limit was over."""

    why: str
    by: str
    listened: bool


def end_of(details: Mapping[str, Any]) -> TrialEnd:
    """As its event says; records of before said only why."""
    why = str(details.get("why", ""))
    by = str(details.get("by", COUNT if why == DONE else INTERRUPTED))
    return TrialEnd(why, by if by in ENDINGS else FAILED, details.get("listened", why == DONE) is True)


class AwayPeriod(NamedTuple):
    """A lane was gone from `begin` on; `end` is None while it is."""

    lane: str
    begin: int
    end: int | None


class HeldPeriod(NamedTuple):
    """A lane took nothing that was sent, from `begin` on; `end` is None while that lasts. `by` is CTS or untold."""

    lane: str
    begin: int
    end: int | None
    by: str


class TrialSnapshot(NamedTuple):
    """How a trial stands. `end` is None while it runs; `ended` says why it ended."""

    described: TrialDescription
    begin: int
    end: int | None
    ended: str
    directions: tuple[DeliverySnapshot, ...]
    exchange: ExchangeSnapshot | None
    trip: DeliverySnapshot | None
    """There and back, where the far end answers each probe."""
    own_bytes_back: bool
    """A lane received what it sent itself."""
    ended_by: str = ""
    """One of ENDINGS; empty while it runs."""
    bulk: tuple[BulkSnapshot, ...] = ()
    """Of a trial of throughput: how the bytes of each direction fared."""
    dropped: int = 0
    """Bytes that this machine received and could not keep up with: not the link lost them."""
    types: tuple[tuple[str, int, int], ...] = ()
    """Of sentences: each type, how many were said, and how many came."""
    clock_steps: int = 0
    """How often the clock behind the sentences was set: nothing is said of what was lost over that."""
    ranges: tuple[RangeSnapshot, ...] = ()
    """By distance, where that was asked for: one a direction, or one for there and back."""
    away: tuple[AwayPeriod, ...] = ()
    """When a lane was not there: nothing was sent meanwhile, and nothing is said of the link."""
    waited_s: float | None = None
    """How long the first sign of the far end took; None where none was waited for, or none came."""
    recent: tuple[int, int] | None = None
    """Of a beacon in the last minute: how many came, of how many."""
    left_out: tuple[tuple[str, int], ...] = ()
    """Of sentences: types that were said and not looked for, as the other lane did not carry them then."""

    @property
    def unanswered(self) -> int:
        """So many at the end were not answered by the far end: which way is broken is not known."""
        return sum(dict(each.not_known).get(UNANSWERED, 0) for each in self.directions)

    @property
    def wiring(self) -> str:
        """How it was wired, as a person said last; empty where nobody did."""
        return self.described.wiring
