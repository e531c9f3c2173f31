"""The state of the fix in words, from the raw letters and digits of the sentences that decide it.

Three things are said by different sentences: whether there is a position at all, how it was made (the same quality or
mode letter), and whether it has a height (GSA fix mode). Who says it, in this order, and how long that holds:

    GGA quality    a word holds for two and a half of its own intervals, 2 to 20 s: who stops speaking is no evidence
    GNS modes      a sentence that comes every few epochs only (RMC at 10 Hz, GGA at 1 Hz) speaks of its own epoch: of
    RMC status     another it says how a position is made, not whether there is one
    GLL status
    a module
    GSA fix mode   2D or 3D as long as it holds; "no fix" in its own epoch alone

A receiver says them a few milliseconds apart, so at a change they contradict each other for a moment: a fix counts when
those that decide agree on it, and is gone as soon as they say so.
"""

from collections.abc import Collection, Mapping
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND

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

WITHOUT_SKY: Final = ("simulated", "manual", "estimated")
"""Positions that come from no satellites, so that they are no fix: each is a state of its own (status V, 8.3.69)."""

MADE: Final = ("", *sorted(set(KINDS.values())))
"""The kinds in a fixed order, none of them first."""

_QUALITIES: Final = frozenset("12345678")
"""The digits among them, those of GGA."""

_DIMENSIONS: Final = {"2": FIX_2D, "3": FIX_3D}


LEVELS: Final = (
    NO_FIX,
    TIME_ONLY,
    *WITHOUT_SKY,
    FIX_2D,
    "single",
    "differential",
    "RTK float",
    "RTK fixed",
)
"""State and kind in one scale, the least first; a fix whose dimension nobody gives counts as one with height."""

_LEAST_FIX: Final = LEVELS.index(FIX_2D)
_PLACE_OF_KIND: Final = {kind: index for index, kind in enumerate(MADE)}
_LEVEL_OF_KIND: Final = {"precise service": "differential", "precise": "differential"}


def is_fix(level: int) -> bool:
    """Whether a place in LEVELS is a position that satellites gave."""
    return level >= _LEAST_FIX


class FixState(NamedTuple):
    """`state` is one of no fix, time only, those WITHOUT_SKY, fix (2D or 3D unknown), 2D, 3D.

    `kind` says how the position was made, or is empty.
    """

    state: str
    kind: str = ""

    @property
    def has_position(self) -> bool:
        return self.state not in (NO_FIX, TIME_ONLY)

    @property
    def is_fix(self) -> bool:
        """Whether satellites gave the position."""
        return is_fix(self.level)

    @property
    def level(self) -> int:
        """Place in LEVELS."""
        return _LEVEL_OF_STATE[self]

    @property
    def made(self) -> int:
        """Place of its kind in MADE."""
        return _PLACE_OF_KIND[self.kind]


_LEVEL_OF_STATE: Final = {
    **{FixState(state): LEVELS.index(state) for state in (NO_FIX, TIME_ONLY)},
    **{FixState(kind, kind): LEVELS.index(kind) for kind in WITHOUT_SKY},
    **{
        FixState(state, kind): _LEAST_FIX if state == FIX_2D else LEVELS.index(_LEVEL_OF_KIND.get(kind, kind))
        for state in (FIX, FIX_2D, FIX_3D)
        for kind in MADE[1:]
        if kind not in WITHOUT_SKY
    },
}


Words = tuple[str, ...]
"""What one sentence says: GGA `(quality, time)`, GNS `(modes,)`, RMC `(status, mode, time)`, GLL `(status, mode)`, GSA
`(dimension,)`, a module `(A or V, time)`. A time is `known` or empty."""

HOLD_INTERVALS: Final = 2.5
HOLDS_NS: Final = (2 * SECOND, 20 * SECOND)
"""A word holds for so many of its sender's intervals, within these bounds."""

EACH_EPOCH: Final = 1.5
"""Who comes no more rarely than every so many epochs speaks of each of them."""

RANKS: Final = ("GGA", "GNS", "RMC", "GLL", "module")
"""Whose word decides whether there is a position, the first that holds."""


def held_ns(interval: int) -> int:
    """How long a word holds whose sender's interval is this, in nanoseconds; 0 where it is not known."""
    return min(max(HOLDS_NS[0], int(HOLD_INTERVALS * interval)), HOLDS_NS[1])


KNOWN: Final = "known"
NO_PLACE: Final = "-"
"""In place of the word of a sentence that claims a position and gives none that can be read."""

NO_DIMENSION: Final = "1"


def kind_by(formatter: str, words: Words) -> str:
    """How the position was made by what a sentence says; empty where that is that there is none."""
    if formatter == "GGA":
        return kind_of_quality(words[0])
    if formatter == "GNS":
        return kind_of_modes(words[0])
    if formatter in ("RMC", "GLL"):
        return kind_of_status(words[0], words[1])
    return KINDS["A"] if words[0] == "A" else ""


def judge(said: Mapping[str, Words], current: Collection[str]) -> FixState:
    """The state that the words which hold add up to; `current` are the sentences that speak of the newest epoch."""
    held = [formatter for formatter in RANKS if formatter in said]
    deciding = next((formatter for formatter in held if formatter in current), held[0] if held else "")
    known = any(said[formatter][-1] == KNOWN for formatter in held if formatter in WITH_TIME)
    without = FixState(TIME_ONLY if known else NO_FIX)
    if not deciding or not kind_by(deciding, said[deciding]):
        return without
    kind = next(kind for formatter in held if (kind := kind_by(formatter, said[formatter])))
    if kind in WITHOUT_SKY:
        # Satellites have no part in it, whatever GSA says of them.
        return FixState(kind, kind)
    dimension = said.get("GSA", ("",))[0]
    if dimension == NO_DIMENSION and "GSA" in current:
        return without
    return FixState(_DIMENSIONS.get(dimension, FIX), kind)


def agree(said: Mapping[str, Words]) -> bool:
    """Whether all words say the same: then it does not matter of which epoch they are."""
    kinds = {kind_by(formatter, words) for formatter, words in said.items() if formatter in RANKS}
    denied = said.get("GSA", ("",))[0] == NO_DIMENSION and not kinds <= {"", *WITHOUT_SKY}
    return not denied and ("" not in kinds or len(kinds) == 1)


WITH_TIME: Final = ("GGA", "RMC", "module")


class SourceVerdict(NamedTuple):
    """What one sentence says of the fix, and whether it has a part in the decision."""

    formatter: str
    words: str
    decides: bool


def witnesses(said: Mapping[str, Words]) -> tuple[SourceVerdict, ...]:
    """Who says something of the fix, in the order in which they decide; GSA adds the dimension."""
    heard = [formatter for formatter in RANKS if formatter in said]
    found = [
        SourceVerdict(formatter, _told(formatter, said[formatter]), index == 0) for index, formatter in enumerate(heard)
    ]
    if dimension := said.get("GSA", ("",))[0]:
        words = "no fix" if dimension == NO_DIMENSION else _DIMENSIONS.get(dimension, f"fix mode {dimension}")
        estimated = bool(heard) and kind_by(heard[0], said[heard[0]]) in WITHOUT_SKY
        found.append(SourceVerdict("GSA", words, not estimated))
    return tuple(found)


def _told(formatter: str, words: Words) -> str:
    """What a sentence says, in words."""
    if words[0] == NO_PLACE:
        return "a position, but its fields are empty"
    kind = kind_by(formatter, words) or "no position"
    if formatter == "GGA":
        return f"quality {words[0]}, {kind}"
    if formatter == "GNS":
        return f"modes {words[0]}, {kind}"
    if formatter == "module":
        return "a position" if words[0] == "A" else "no position"
    mode = f", mode {words[1]}, {KINDS.get(words[1], 'no position')}" if words[1] else ""
    return f"status {words[0]}{mode if words[0] == 'A' else ', warning' + mode}"


def kind_of_quality(quality: str) -> str:
    """How the position of a GGA was made, by its raw digit; empty where it says that there is none."""
    # As a number: `01` is a one too.
    digit = quality if quality in _QUALITIES else quality.removeprefix("+").lstrip("0")
    return KINDS.get(digit, "") if digit in _QUALITIES else ""


def kind_of_modes(modes: str) -> str:
    """The same of a GNS, by the letters of its systems: the best of them."""
    return next((KINDS[mode] for mode in "RFDPAEMS" if mode in modes), "")


def kind_of_status(status: str, mode: str) -> str:
    """The same of RMC and GLL: before NMEA 0183 2.3 they had no mode, since then status V for what is WITHOUT_SKY."""
    if not mode:
        return KINDS["A"] if status == "A" else ""
    kind = KINDS.get(mode, "") if mode not in _QUALITIES else ""
    return kind if status == "A" or (status == "V" and kind in WITHOUT_SKY) else ""
