"""A position that a module tells in a line of its own, as the sentence that a receiver would say for it.

Whatever order the fields have, their kinds say what they are. Angles are signed decimal degrees, or packed degrees and
minutes where a hemisphere stands beside them (NMEA 0183, 5.3.3). The sentence is a GGA of the talker `MO`, which the
standard gives to nobody: so Fix can name where it comes from.
"""

from collections.abc import Iterable
from typing import Any, Final

from pale_heron.core.frames import NMEA, OK, Direction, Frame
from pale_heron.core.module import fields as kinds
from pale_heron.core.module.dialect import Dialect
from pale_heron.core.nmea.degrees import pack
from pale_heron.core.nmea.sentence import encode

TALKER: Final = "MO"
DECIMALS: Final = 6


def as_frame(dialect: Dialect, lane: str, told: Iterable[tuple[str, str]], time: int | None) -> Frame | None:
    """A frame as of a GGA for the named fields of a line; None where they are no position."""
    found: dict[str, str] = {}
    seen = False
    for name, raw in told:
        kind = dialect.field_of(name).kind
        seen = seen or kind == kinds.LATITUDE
        if raw:
            found.setdefault(kind, raw)
    if not seen:
        return None
    values: dict[str, Any] = {"quality": 0}
    try:
        values |= _solved(found)
    except ValueError:
        return None
    # Raw fields throughout: what the module said is not rounded once more.
    sentence = encode(TALKER, "GGA", values)
    return Frame(lane, Direction.IN, time, 0, sentence, NMEA, OK, None, TALKER + "GGA")


def _solved(found: dict[str, str]) -> dict[str, Any]:
    """Values of a GGA. ValueError where a number is none."""
    values: dict[str, Any] = {}
    if kinds.TIME in found:
        values["time"] = (found[kinds.TIME],)
    if kinds.LATITUDE in found and kinds.LONGITUDE in found:
        values["quality"] = 1
        values["latitude"] = _angle(found[kinds.LATITUDE], found.get(kinds.NORTH_SOUTH, ""), "NS")
        values["longitude"] = _angle(found[kinds.LONGITUDE], found.get(kinds.EAST_WEST, ""), "EW")
    if kinds.USED in found:
        values["satellites_used"] = int(found[kinds.USED])
    if kinds.ALTITUDE in found:
        values["altitude_m"] = float(found[kinds.ALTITUDE])
    return values


def _angle(raw: str, letter: str, letters: str) -> tuple[str, ...]:
    """The packed digits and the letter."""
    return (raw, letter) if letter else tuple(pack(float(raw), letters, DECIMALS))
