"""Angles as NMEA 0183 packs them, and the notations people read.

`4607.03800,S` is 46 degrees and 7.038 minutes south: the last two digits before the point are minutes. Taking it for
46.07038 degrees is the classic error, which is why the notations are always shown together.
"""

import re

_PACKED = re.compile(r"(\d{1,3}?)(\d{2}(?:\.\d*)?)").fullmatch
_SIGNS = {"N": 1, "S": -1, "E": 1, "W": -1}
DECIMALS = 10
"""Decimals kept of a degree: 0.00001 m, beyond the seven decimals of a minute that an RTK receiver sends."""


def unpack(digits: str, letter: str, pair: str) -> float | None:
    """Signed decimal degrees (south and west negative) of packed degrees-minutes; None where both are empty.

    `pair` is NS or EW, the letters that there may be. Raises ValueError where the digits are no number, minutes reach
    60, the letter is not one of the pair, or the angle is larger than a quarter turn (N, S) or a half turn (E, W).
    """
    if not digits and not letter:
        return None
    parts = _PACKED(digits)
    if parts is None or len(letter) != 1 or letter not in pair:
        raise ValueError(f"not degrees and minutes with a letter {pair[0]} or {pair[1]}")
    sign = _SIGNS[letter]
    minutes = float(parts[2])
    if minutes >= 60.0:
        raise ValueError("minutes of 60 and more")
    angle = int(parts[1]) + minutes / 60.0
    if angle > (90.0 if letter in "NS" else 180.0):
        raise ValueError("an angle out of its range")
    return round(sign * angle, DECIMALS)


def pack(angle: float, letters: str, decimals: int = 5) -> list[str]:
    """Packed digits and letter of a signed angle; `letters` is "NS" or "EW", `decimals` those of the minutes."""
    width = 2 if letters == "NS" else 3
    units = round(abs(angle) * 60 * 10**decimals)
    degrees, rest = divmod(units, 60 * 10**decimals)
    minutes, fraction = divmod(rest, 10**decimals)
    point = f".{fraction:0{decimals}d}" if decimals else ""
    return [f"{degrees:0{width}d}{minutes:02d}{point}", letters[angle < 0]]


def decimal(angle: float, decimals: int = 7) -> str:
    """`-46.1173000°`."""
    return f"{angle:.{decimals}f}°"


def degrees_minutes(angle: float, letters: str, decimals: int = 5) -> str:
    """`46°07.03800′ S`."""
    digits, letter = pack(angle, letters, decimals)
    width = 2 if letters == "NS" else 3
    return f"{digits[:width]}°{digits[width:]}′ {letter}"


def degrees_minutes_seconds(angle: float, letters: str, decimals: int = 3) -> str:
    """`46°07′02.280″ S`."""
    units = round(abs(angle) * 3600 * 10**decimals)
    seconds, fraction = divmod(units, 10**decimals)
    width = 2 if letters == "NS" else 3
    clock = f"{seconds // 3600:0{width}d}°{seconds // 60 % 60:02d}′{seconds % 60:02d}.{fraction:0{decimals}d}″"
    return f"{clock} {letters[angle < 0]}"
