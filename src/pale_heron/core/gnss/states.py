"""The state of the fix in words, from the raw letters and digits of the sentences that decide it.

Three things are said by different sentences: whether there is a position at all (GGA quality, else GNS modes, else the
status of RMC or GLL), how it was made (the same quality or mode letter), and whether it has a height (GSA fix mode). A
receiver says them a few milliseconds apart, so at a change they contradict each other for a moment: a fix counts when
all that were heard agree on it, and is gone as soon as one says so.
"""

from typing import Final, NamedTuple

NO_FIX: Final = "no fix"
TIME_ONLY: Final = "time only"
FIX: Final = "fix"
FIX_2D: Final = "2D"
FIX_3D: Final = "3D"

KINDS: Final = {
    "1": "single",
    "2": "differential",
    "3": "precise service",
    "4": "RTK fixed",
    "5": "RTK float",
    "6": "estimated",
    "7": "manual",
    "8": "simulated",
    "A": "single",
    "D": "differential",
    "E": "estimated",
    "F": "RTK float",
    "M": "manual",
    "P": "precise",
    "R": "RTK fixed",
    "S": "simulated",
}
"""How the position was made, by the digit of GGA or the mode letter of GNS and RMC."""

_DIMENSIONS: Final = {"2": FIX_2D, "3": FIX_3D}


class FixState(NamedTuple):
    """`state` is one of no fix, time only, fix (2D or 3D unknown), 2D, 3D; `kind` says how it was made, or is empty."""

    state: str
    kind: str = ""

    @property
    def has_position(self) -> bool:
        return self.state not in (NO_FIX, TIME_ONLY)


class Says(NamedTuple):
    """The latest raw word of each deciding field; empty where none was heard or it was heard too long ago."""

    quality: str = ""
    modes: str = ""
    status: str = ""
    status_mode: str = ""
    dimension: str = ""
    time: str = ""


def judge(says: Says) -> FixState:
    """The state that these words add up to."""
    kind = _kind(says)
    without = FixState(TIME_ONLY if says.time else NO_FIX)
    if not kind or says.dimension == "1":
        return without
    return FixState(_DIMENSIONS.get(says.dimension, FIX), kind)


def _kind(says: Says) -> str:
    """How the position was made; empty where the deciding sentence says there is none."""
    if says.quality:
        return KINDS.get(says.quality, "")
    if says.modes:
        return next((KINDS[mode] for mode in "RFDPAEMS" if mode in says.modes), "")
    if says.status == "A":
        return KINDS.get(says.status_mode, "single" if not says.status_mode else "")
    return ""
