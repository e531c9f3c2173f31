"""Positions in the messages of vessels and their stations (ITU-R M.1371-5, annex 8), six bits a character."""

from collections.abc import Mapping
from typing import Final, NamedTuple

from pale_heron.core.sharing.offset import UNITS, PlaceOffset


class _PositionBits(NamedTuple):
    """Where longitude and latitude stand, from bit 0, and what a minute is divided into."""

    longitude: int
    longitude_bits: int
    latitude: int
    latitude_bits: int
    per_minute: int


def _fine(longitude: int) -> _PositionBits:
    return _PositionBits(longitude, 28, longitude + 28, 27, 10_000)


def _rough(longitude: int) -> _PositionBits:
    return _PositionBits(longitude, 18, longitude + 18, 17, 10)


POSITIONS: Final[Mapping[int, _PositionBits]] = {
    **dict.fromkeys((1, 2, 3, 9), _fine(61)),
    **dict.fromkeys((4, 11), _fine(79)),
    **dict.fromkeys((18, 19), _fine(57)),
    21: _fine(164),
    17: _rough(40),
    27: _rough(44),
}
"""By the number of a message; each stands whole in the first sentence of one."""

_NO_LONGITUDE, _NO_LATITUDE = 181, 91
"""Degrees that stand for none."""


def moved_report(payload: bytes, offset: PlaceOffset | None) -> bytes | None:
    """The characters with the position moved, or taken out where there is no offset; None where there is none."""
    where = POSITIONS.get(_value(payload[0]))
    size = 6 * len(payload)
    if where is None or where.latitude + where.latitude_bits > size:
        return None
    bits = 0
    for letter in payload:
        bits = bits << 6 | _value(letter)
    longitude = _signed(bits, size, where.longitude, where.longitude_bits)
    latitude = _signed(bits, size, where.latitude, where.latitude_bits)
    degree = 60 * where.per_minute
    if abs(longitude) > 180 * degree or abs(latitude) > 90 * degree:
        return None
    if offset is None:
        longitude, latitude = _NO_LONGITUDE * degree, _NO_LATITUDE * degree
    else:
        longitude += round(offset.longitude * where.per_minute / UNITS)
        longitude = (longitude + 180 * degree) % (360 * degree) - 180 * degree
        latitude += round(offset.latitude * where.per_minute / UNITS)
        latitude = max(-90 * degree, min(90 * degree, latitude))
    bits = _with(bits, size, where.longitude, where.longitude_bits, longitude)
    bits = _with(bits, size, where.latitude, where.latitude_bits, latitude)
    return bytes(_letter(bits >> 6 * (len(payload) - 1 - place) & 63) for place in range(len(payload)))


def _value(letter: int) -> int:
    return letter - 48 if letter < 96 else letter - 56


def _letter(value: int) -> int:
    return value + 48 if value < 40 else value + 56


def _signed(bits: int, size: int, begin: int, count: int) -> int:
    value = bits >> (size - begin - count) & ((1 << count) - 1)
    return value - (1 << count) if value >> (count - 1) else value


def _with(bits: int, size: int, begin: int, count: int, value: int) -> int:
    shift, mask = size - begin - count, (1 << count) - 1
    return bits & ~(mask << shift) | (value & mask) << shift
