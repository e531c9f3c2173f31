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

MADE: Final = ("", *sorted(set(KINDS.values())))
"""The kinds in a fixed order, none of them first."""

_QUALITIES: Final = frozenset("12345678")
"""The digits among them, those of GGA."""

_DIMENSIONS: Final = {"2": FIX_2D, "3": FIX_3D}


LEVELS: Final = (
    NO_FIX,
    TIME_ONLY,
    "simulated",
    "manual",
    "estimated",
    FIX_2D,
    "single",
    "differential",
    "RTK float",
    "RTK fixed",
)
"""State and kind in one scale, the least first; a fix whose dimension nobody gives counts as one with height."""

_TIME_ONLY_LEVEL: Final = LEVELS.index(TIME_ONLY)
_PLACE_OF_KIND: Final = {kind: index for index, kind in enumerate(MADE)}
_LEVEL_OF_KIND: Final = {"precise service": "differential", "precise": "differential"}


def has_position(level: int) -> bool:
    """Whether a place in LEVELS is one with a position."""
    return level > _TIME_ONLY_LEVEL


class FixState(NamedTuple):
    """`state` is one of no fix, time only, fix (2D or 3D unknown), 2D, 3D; `kind` says how it was made, or is empty."""

    state: str
    kind: str = ""

    @property
    def has_position(self) -> bool:
        return self.state not in (NO_FIX, TIME_ONLY)

    @property
    def level(self) -> int:
        """Place in LEVELS."""
        return _LEVEL_OF_STATE[self]

    @property
    def made(self) -> int:
        """Place of its kind in MADE."""
        return _PLACE_OF_KIND[self.kind]


def _level(state: str, kind: str) -> int:
    name = _LEVEL_OF_KIND.get(kind, kind)
    if state in (NO_FIX, TIME_ONLY):
        return LEVELS.index(state)
    return min(LEVELS.index(name), LEVELS.index(FIX_2D) if state == FIX_2D else len(LEVELS))


_LEVEL_OF_STATE: Final = {
    FixState(state, kind): _level(state, kind)
    for state in (NO_FIX, TIME_ONLY, FIX, FIX_2D, FIX_3D)
    for kind in (MADE[:1] if state in (NO_FIX, TIME_ONLY) else MADE[1:])
}


class FixIndicators(NamedTuple):
    """The latest raw word of each deciding field; empty where none was heard or it was heard too long ago."""

    quality: str = ""
    modes: str = ""
    status: str = ""
    status_mode: str = ""
    status_by: str = ""
    """Who said it: RMC or GLL."""
    dimension: str = ""
    module: str = ""
    """What a module says in a line of its own: A where it has a position, V where not."""
    time: str = ""


DECIDING: Final = {
    "GGA": ("quality", "time"),
    "GNS": ("modes",),
    "RMC": ("status", "status_mode", "status_by", "time"),
    "GLL": ("status", "status_mode", "status_by"),
    "GSA": ("dimension",),
    "module": ("module", "time"),
}
"""Which indicators each sentence gives."""


def judge(indicators: FixIndicators) -> FixState:
    """The state that these words add up to."""
    kind = _kind(indicators)
    without = FixState(TIME_ONLY if indicators.time else NO_FIX)
    if not kind or indicators.dimension == "1":
        return without
    return FixState(_DIMENSIONS.get(indicators.dimension, FIX), kind)


class SourceVerdict(NamedTuple):
    """What one sentence says of the fix, and whether it has a part in the decision."""

    formatter: str
    words: str
    decides: bool


def witnesses(indicators: FixIndicators) -> tuple[SourceVerdict, ...]:
    """Who says something of the fix: GGA, else GNS, else RMC or GLL, else a module decides; GSA adds the dimension."""
    reports = (
        ("GGA", indicators.quality, f"quality {indicators.quality}, {KINDS.get(indicators.quality, 'no position')}"),
        (
            "GNS",
            indicators.modes,
            f"modes {indicators.modes}, {_kind(FixIndicators(modes=indicators.modes)) or 'no position'}",
        ),
        (indicators.status_by or "RMC", indicators.status, f"status {indicators.status}{_mode_words(indicators)}"),
        ("module", indicators.module, "a position" if indicators.module == "A" else "no position"),
    )
    heard = [(formatter, words) for formatter, word, words in reports if word]
    found = [SourceVerdict(formatter, words, index == 0) for index, (formatter, words) in enumerate(heard)]
    if indicators.dimension:
        words = (
            "no fix"
            if indicators.dimension == "1"
            else _DIMENSIONS.get(indicators.dimension, f"fix mode {indicators.dimension}")
        )
        found.append(SourceVerdict("GSA", words, True))
    return tuple(found)


def _mode_words(indicators: FixIndicators) -> str:
    mode = (
        f", mode {indicators.status_mode}, {KINDS.get(indicators.status_mode, 'no position')}"
        if indicators.status_mode
        else ""
    )
    return mode if indicators.status == "A" else ", warning" + mode


def kind_of_quality(quality: str) -> str:
    """How the position of a GGA was made, by its raw digit; empty where it says that there is none."""
    # As a number: `01` is a one too.
    digit = quality if quality in _QUALITIES else quality.removeprefix("+").lstrip("0")
    return KINDS.get(digit, "") if digit in _QUALITIES else ""


def kind_of_modes(modes: str) -> str:
    """The same of a GNS, by the letters of its systems: the best of them."""
    return next((KINDS[mode] for mode in "RFDPAEMS" if mode in modes), "")


def kind_of_status(status: str, mode: str) -> str:
    """The same of RMC and GLL; before NMEA 0183 2.3 they had no mode."""
    if status != "A":
        return ""
    return (KINDS.get(mode, "") if mode not in _QUALITIES else "") if mode else KINDS["A"]


def _kind(indicators: FixIndicators) -> str:
    """How the position was made; empty where the deciding sentence says there is none."""
    if indicators.quality:
        return kind_of_quality(indicators.quality)
    if indicators.modes:
        return kind_of_modes(indicators.modes)
    if indicators.status:
        return kind_of_status(indicators.status, indicators.status_mode)
    return KINDS["A"] if indicators.module == "A" else ""
