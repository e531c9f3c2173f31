"""A position that a module reports in a line of its own, out of the fields that its dialect names.

Whatever order the fields have, their kinds say what they are. Angles are signed decimal degrees, or packed degrees and
minutes (NMEA 0183, 5.3.3) with a hemisphere beside them or a sign.
"""

import re
from collections.abc import Iterable, Mapping
from math import isfinite
from typing import Any, Final

from pale_heron.core.device.schema import fields as kinds
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.gnss.reported import ReportedPosition
from pale_heron.core.nmea.codecs import COUNT, DATE, NUMBER, TIME
from pale_heron.core.nmea.degrees import unpack

_PACKED: Final = re.compile(r"[+-]?\d{4,5}(\.\d*)?").fullmatch
"""No angle in degrees has so many digits before its point."""

_PLACE: Final = (kinds.LATITUDE, kinds.LONGITUDE, kinds.ALTITUDE, kinds.HDOP, kinds.COURSE)
_QUARTER, _HALF = 90.0, 180.0
_FIGURES: Final = {
    kinds.TIME: ("time", TIME),
    kinds.USED: ("satellites_used", COUNT),
    kinds.ALTITUDE: ("altitude_m", NUMBER),
    kinds.DATE: ("date", DATE),
    kinds.HDOP: ("hdop", NUMBER),
    kinds.COURSE: ("course_deg", NUMBER),
}


def position_of(
    dialect: Dialect, fields: Iterable[tuple[str, str]], time: int | None, line: bytes
) -> ReportedPosition | None:
    """The position that the named fields of a line give; None where there is none, or cannot be read."""
    found: dict[str, str] = {}
    seen, known, speed = False, True, None
    try:
        for name, raw in fields:
            field = dialect.field_of(name)
            seen = seen or field.kind == kinds.LATITUDE
            known = known and (field.kind != kinds.FIX_MODE or field.words.get(raw) != kinds.NONE)
            if raw and raw not in field.unknown:
                found.setdefault(field.kind, field.scaled(raw) if field.kind in _PLACE else raw)
                if field.kind == kinds.SPEED and isinstance(given := field.value(raw), int | float):
                    speed = given * kinds.KNOTS[field.unit]
        if not seen:
            return None
        values, digits = _read(found)
    except ValueError:
        return None
    if not known:
        # Many tell the place where they last were all the same.
        values |= {"latitude": None, "longitude": None}
    if isinstance(speed, int | float):
        values["speed_knots"] = speed
    if values["latitude"] == values["longitude"] == 0.0 and not values.get("satellites_used"):
        # Zeros of which no satellite knows are how many modules say that they have no position.
        values |= {"latitude": None, "longitude": None}
    return ReportedPosition(time, line, values, digits)


def _read(found: Mapping[str, str]) -> tuple[dict[str, Any], dict[str, str]]:
    """Values and raw digits by the keys of GGA. ValueError where one cannot be read."""
    values: dict[str, Any] = {"latitude": None, "longitude": None}
    raw: dict[str, str] = {}
    for kind, (key, codec) in _FIGURES.items():
        if kind in found:
            values[key], raw[key] = codec.read([found[kind]], 0), found[kind]
    if kinds.LATITUDE in found and kinds.LONGITUDE in found:
        values["latitude"], raw["latitude"] = _angle(found, kinds.LATITUDE, kinds.NORTH_SOUTH, _QUARTER)
        values["longitude"], raw["longitude"] = _angle(found, kinds.LONGITUDE, kinds.EAST_WEST, _HALF)
    return values, raw


def _angle(found: Mapping[str, str], kind: str, letter_kind: str, most: float) -> tuple[float, str]:
    """Signed degrees and the raw digits, with their letter where one stands beside them."""
    digits, letter = found[kind], found.get(letter_kind, "")
    if letter or _PACKED(digits):
        pair = "NS" if letter_kind == kinds.NORTH_SOUTH else "EW"
        side = letter or pair[digits.startswith("-")]
        packed = unpack(digits if letter else digits.lstrip("+-"), side, pair)
        assert packed is not None, "neither is empty"
        return packed, f"{digits},{letter}" if letter else digits
    angle = float(digits)
    if not isfinite(angle) or abs(angle) > most:
        raise ValueError("an angle out of its range")
    return angle, digits
