"""What a bench shows: immutable values, live or on replay."""

from typing import TYPE_CHECKING, NamedTuple, Protocol, runtime_checkable

from pale_heron.core.clock.tracker import NOTHING_KNOWN, ClockSnapshot
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.proof.chronicle import NOTHING_HAPPENED, ChronicleSnapshot
from pale_heron.core.proof.marks import Mark

if TYPE_CHECKING:
    from pale_heron.core.link.trial_snapshot import TrialSnapshot


class CaptureState(NamedTuple):
    """What becomes of the record. `path` is empty without one; `failure` says why nothing can be written now."""

    path: str
    size: int
    failure: str
    lost: int = 0
    """Bytes of lanes that could not be written."""
    left: tuple[str, ...] = ()
    """Files that could not be gone on with, each with what became of it."""


class BenchSnapshot(NamedTuple):
    """Everything a view may show, as of `now`."""

    bench: str
    now: int
    began: int
    lanes: tuple[LaneSnapshot, ...]
    capture: CaptureState
    replay: "ReplayState | None"
    host_ahead_s: float
    marks: tuple[Mark, ...] = ()
    """What was noted, and when."""
    trials: "tuple[TrialSnapshot, ...]" = ()
    """Counted tests of links, the oldest first."""
    clock: ClockSnapshot = NOTHING_KNOWN
    """What is known of time besides how late sentences come."""
    chronicle: ChronicleSnapshot = NOTHING_HAPPENED
    """What happened over all of it."""
    behind_s: float = 0.0
    """How far it lies behind what was received, because decoding is too slow; the record is complete all the same."""
    fault: str = ""
    """A fault of this program that ended decoding or recording, in words. Empty while all is well."""
    dated: bool = True
    """Whether times are moments; else they are times of day, of a raw log that never gives a date."""

    def lane(self, index: int) -> LaneSnapshot | None:
        """The lane of that place; None where there is none."""
        return self.lanes[index] if 0 <= index < len(self.lanes) else None


class ReplayState(NamedTuple):
    """How a replay stands: `share` 0 to 1 of the file, `speed` times real time."""

    playing: bool
    speed: float
    share: float
    ended: bool
    torn: str
    seeking: bool
    begin: int
    """The first moment of the file."""
    end: int
    """The last one, as far as the file was looked through."""
    troubles: tuple[int, ...]
    """Moments of damage and trouble, one a second at most."""
    surveyed: bool
    """Whether the whole file was looked through."""


@runtime_checkable
class Player(Protocol):
    """What can be done with a replay, beside looking at it."""

    def toggle(self) -> None: ...

    def step(self) -> None: ...

    def faster(self, steps: int) -> None: ...

    def skip(self, seconds: float) -> None: ...

    def seek(self, moment: int) -> None: ...
