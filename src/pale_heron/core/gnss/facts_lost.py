"""Which facts would no longer be known if one sentence were switched off."""

from collections.abc import Iterable
from typing import Final

from pale_heron.core.gnss.facts import SOURCES

LABELS: Final = {
    "altitude_m": "altitude",
    "geoid_separation_m": "geoid separation",
    "quality": "fix quality (single, differential, RTK)",
    "satellites_used": "number of satellites used",
    "speed_knots": "speed",
    "course_deg": "course",
    "hdop": "HDOP",
    "pdop": "PDOP",
    "vdop": "VDOP",
    "latitude_error_m": "error of latitude",
    "longitude_error_m": "error of longitude",
    "altitude_error_m": "error of altitude",
    "fix_mode": "2D or 3D",
    "status": "valid or warning",
}
_ALSO: Final = {
    "GSV": ("satellites in view", "C/N0 of each", "elevations and azimuths"),
    "GSA": ("which satellites are used",),
}


TELLING: Final = frozenset(formatter for sources in SOURCES.values() for formatter, _ in sources) | set(_ALSO)
"""Formatters that carry any fact that is tracked."""


def facts_carried(kinds: Iterable[str]) -> list[str]:
    """The facts that sentences of these types, or formatters, carry, in words."""
    formatters = {kind[-3:] for kind in kinds if not (len(kind) > 3 and kind.startswith("P"))}
    tracked = [
        LABELS.get(name, name)
        for name, sources in SOURCES.items()
        if formatters & {formatter for formatter, _ in sources}
    ]
    return tracked + [fact for formatter, facts in _ALSO.items() if formatter in formatters for fact in facts]


def facts_lost(kind: str, heard: Iterable[str]) -> list[str]:
    """The facts that only sentences of type `kind` carry among the types that are `heard`, in words."""
    others = {each for each in heard if each != kind}
    left = facts_carried(others)
    return [fact for fact in facts_carried([kind]) if fact not in left]
