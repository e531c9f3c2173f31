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
"""Formatters that tell any fact that is tracked."""


def vanishing(kind: str, heard: Iterable[str]) -> list[str]:
    """The facts that only sentences of type `kind` tell among the types that are `heard`, in words."""
    formatter = kind[-3:]
    others = {each[-3:] for each in heard if each != kind and not each.startswith("P")}
    only = [
        LABELS.get(name, name)
        for name, sources in SOURCES.items()
        if formatter in (told := {source for source, _ in sources}) and not told & others
    ]
    return only + [fact for fact in _ALSO.get(formatter, ()) if formatter not in others]
