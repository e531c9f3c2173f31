"""A position as people type it: every usual notation, and what is wrong where it is not one.

    -46.1173 -67.3066667            46.1173 S, 67.3066667 W         46.1173°S 67.3066667°W
    46 07.038 S 67 18.4 W           46°07.038′S, 67°18.400′W        S 46 07.038 W 67 18.4
    46 07 02.28 S 67 18 24 W        46°07'02.28"S 67°18'24"W        4607.03800,S,06718.40000,W

A height in metres above mean sea level may follow, with its unit: `..., 3.4 m`. Where no letter names the side, the
first angle is the latitude and minus is south or west.
"""

import re
from typing import Final, NamedTuple

from pale_heron.core.gnss.earth.geodesy import offset_m
from pale_heron.core.gnss.earth.points import Point

EXAMPLES: Final = "46.1173 S 67.3067 W, or 46 07.038 S 67 18.4 W, or -46.1173 -67.3067 3.4 m"
_SIGNS: Final = {"N": 1, "S": -1, "E": 1, "W": -1}
_HEIGHT = re.compile(r"[,;\s]+([+-]?\d+(?:\.\d+)?)\s*m\s*$")
_PACKED = re.compile(r"^\s*(\d{4}(?:\.\d+)?)\s*,\s*([NS])\s*,\s*(\d{5}(?:\.\d+)?)\s*,\s*([EW])\s*$")
_TOKEN = re.compile(r"[NSEW]|[+-]?\d+(?:\.\d+)?|[+-]?\.\d+|,|;")
_COMMAS = re.compile(r"[NS]?\s*[+-]?\d+,\d+\s*[NS]?[\s;]+[EW]?\s*[+-]?\d+,\d+\s*[EW]?")
"""Two numbers with a comma in each."""

_MARKS = str.maketrans(dict.fromkeys("°º'′\"″˚’”", " "))
MISREAD_M: Final = 1000.0


class _Angle(NamedTuple):
    parts: list[str]
    letter: str


def position_typed(text: str) -> Point:
    """The point. Raises ValueError that says what is wrong, in words for whoever typed it."""
    text = text.strip().upper().replace("−", "-")
    height: float | None = None
    found = _HEIGHT.search(text.replace("M", "m"))
    if found:
        height, text = float(found[1]), text[: found.start()]
    packed = _PACKED.match(text)
    if packed:
        latitude = _Angle([packed[1][:2], packed[1][2:]], packed[2])
        longitude = _Angle([packed[3][:3], packed[3][3:]], packed[4])
    else:
        latitude, longitude = _two_angles(text)
    return Point(_degrees(latitude, 90, "latitude"), _degrees(longitude, 180, "longitude"), height)


def _two_angles(text: str) -> tuple[_Angle, _Angle]:
    """Latitude and longitude, in this order, however they stand in the text."""
    spoken = text.translate(_MARKS)
    left = _TOKEN.sub("", spoken).strip()
    if left:
        raise ValueError(f"{left[0]!r} belongs to no position: write {EXAMPLES}")
    tokens = _TOKEN.findall(spoken)
    if "." not in spoken and _COMMAS.fullmatch(spoken.strip()):
        point, parted = spoken.strip().replace(",", "."), spoken.strip().replace(",", " ")
        raise ValueError(f"its commas may be decimal points or part degrees from minutes: write {point} or {parted}")
    letters = [token for token in tokens if token in _SIGNS]
    numbers = [token for token in tokens if token not in _SIGNS and token not in ",;"]
    if letters:
        first, second = _split_by_letters(tokens, letters)
    elif len(numbers) in (2, 4, 6):
        half = len(numbers) // 2
        first, second = _Angle(numbers[:half], ""), _Angle(numbers[half:], "")
    else:
        raise ValueError(f"two angles are wanted, with one to three numbers each: write {EXAMPLES}")
    if first.letter in ("E", "W"):
        first, second = second, first
    if first.letter in ("E", "W") or second.letter in ("N", "S"):
        raise ValueError("one angle is wanted with N or S, the other with E or W")
    return first, second


def _split_by_letters(tokens: list[str], letters: list[str]) -> tuple[_Angle, _Angle]:
    """Letters stand before both angles, or behind both."""
    if len(letters) != 2:
        raise ValueError(f"one letter for each angle is wanted, N or S and E or W; there is {' and '.join(letters)}")
    plain = [token for token in tokens if token not in ",;"]
    at, other = (index for index, token in enumerate(plain) if token in _SIGNS)
    if at == 0:
        first, second = plain[1:other], plain[other + 1 :]
    elif other == len(plain) - 1:
        first, second = plain[:at], plain[at + 1 : other]
    else:
        raise ValueError("the letters stand before both angles, or behind both")
    return _Angle(first, letters[0]), _Angle(second, letters[1])


def _degrees(angle: _Angle, most: int, what: str) -> float:
    """Signed decimal degrees of one to three numbers: degrees, minutes, seconds."""
    parts = angle.parts
    if not 1 <= len(parts) <= 3:
        raise ValueError(f"the {what} has {len(parts)} numbers: degrees, then minutes, then seconds are wanted")
    negative = parts[0].startswith("-")
    if angle.letter and (negative or parts[0].startswith("+")):
        raise ValueError(f"the {what} has a sign and the letter {angle.letter}: one of them is enough")
    values = [abs(float(part)) for part in parts]
    if any("." in part for part in parts[:-1]) or any(part[0] in "+-" for part in parts[1:]):
        raise ValueError(f"in the {what} only the last number may have decimals, and only the first a sign")
    for value, name in zip(values[1:], ("minutes", "seconds"), strict=False):
        if value >= 60:
            raise ValueError(f"the {what} has {value:g} {name}: less than 60 are wanted")
    degrees: float = sum(value / float(60**index) for index, value in enumerate(values))
    if degrees > most:
        hint = "; packed degrees and minutes are typed with commas: 4607.038,S,06718.4,W" if len(values) == 1 else ""
        raise ValueError(f"the {what} is {degrees:g}°: at most {most}° are wanted{hint}")
    return degrees * (_SIGNS[angle.letter] if angle.letter else -1 if negative else 1)


def misread(typed: Point, latitude: float, longitude: float) -> Point | None:
    """Where `typed` would lie if its decimals were packed minutes, as in 46.07038 for 46°07.038′.

    None unless that lies near the given position and `typed` does not: then somebody took one notation for the other.
    """
    if _is_near(typed, latitude, longitude):
        return None
    meant = Point(_repacked(typed.latitude), _repacked(typed.longitude), typed.altitude_m)
    return meant if _is_near(meant, latitude, longitude) else None


def _is_near(point: Point, latitude: float, longitude: float) -> bool:
    east, north = offset_m(point.latitude, point.longitude, latitude, longitude)
    return east * east + north * north < MISREAD_M**2


def _repacked(degrees: float) -> float:
    """Degrees of which the decimals are minutes."""
    whole = int(degrees)
    return whole + (degrees - whole) * 100 / 60
