"""Figures as people read them: a unit always, one space before it, a size that reads well; – for no value."""

import math
from typing import Final

NONE = "–"
BOUND_UNITS: Final = ((1.0, "s"), (1e-3, "ms"), (1e-6, "µs"), (1e-9, "ns"))
_THIN = "\u202f"


def count(number: int) -> str:
    """`1 204`."""
    return f"{number:,}".replace(",", " ")


def several(number: int, word: str) -> str:
    """`1 satellite`, `1 204 satellites`."""
    return f"{count(number)} {word}{'' if number == 1 else 's'}"


def size(number: float) -> str:
    """`612 B`, `1.9 MB`."""
    for unit, scale in (("GB", 1e9), ("MB", 1e6), ("kB", 1e3)):
        if number >= scale:
            return f"{number / scale:.1f} {unit}"
    return f"{number:.0f} B"


def rate(per_second: float | None) -> str:
    """`612 B/s`."""
    return NONE if per_second is None else f"{size(per_second)}/s"


def share(part: float | None, decimals: int = 0) -> str:
    """`98.7 %` of a share 0 to 1. What is not quite all is never rounded up to it."""
    if part is None:
        return NONE
    text = f"{100 * part:.{decimals}f}"
    if part < 1 and float(text) >= 100:
        text = f"{100 - 10**-decimals:.{decimals}f}"
    return f"{text} %"


def hertz(number: float | None) -> str:
    """`1.0 Hz`; tenths of a hertz count here, so two decimals below one."""
    return NONE if number is None else f"{number:.2f}" if number < 0.995 else f"{number:.1f}"


def duration(seconds: float | None) -> str:
    """`0.4 s`, `41 s`, `4 min 12 s`, `3 h 07 min`."""
    if seconds is None:
        return NONE
    if seconds < 9.95:
        return f"{max(0.0, seconds):.1f} s"
    whole = round(seconds)
    if whole < 60:
        return f"{whole} s"
    if whole < 3600:
        return f"{whole // 60} min {whole % 60:02d} s"
    return f"{whole // 3600} h {whole % 3600 // 60:02d} min"


def bound(seconds: float) -> str:
    """A bound in the unit that suits its size, with two figures, never rounded down: `1.3 ms` of 0.00121."""
    scale, unit = next((each for each in BOUND_UNITS if seconds >= each[0]), BOUND_UNITS[-1])
    value = seconds / scale
    step = 10.0 ** (math.floor(math.log10(value)) - 1) if value > 0 else 1.0
    return f"{math.ceil(value / step - 1e-9) * step:.6g} {unit}"


def bounded(seconds: float, unsure: float) -> str:
    """A value no finer than its bound: `7.01 s ± 12 ms`."""
    decimals = min(9, max(0, 1 - math.floor(math.log10(unsure)))) if unsure > 0 else 9
    return f"{seconds:.{decimals}f} s ± {bound(unsure)}"


def brief(seconds: float | None) -> str:
    """`0.4 s`, `41 s`, `4 min`, `3 h`: whole units that have passed, for a narrow column."""
    if seconds is None or seconds < 60:
        return duration(None if seconds is None else min(seconds, 59.4))
    return f"{int(seconds // 60)} min" if seconds < 3600 else f"{int(seconds // 3600)} h"


def age(seconds: float | None) -> str:
    """`0.4 s ago`."""
    return NONE if seconds is None else f"{duration(seconds)} ago"


def metres(number: float | None, decimals: int = 1) -> str:
    """`3.4 m`."""
    return NONE if number is None else f"{number:.{decimals}f} m"


def distance(number: float) -> str:
    """`1.1 m`, `4 cm`, `3 mm`, `1.2 km`."""
    for unit, scale, decimals in (("km", 1000.0, 1), ("m", 1.0, 1), ("cm", 0.01, 0)):
        if number >= 0.995 * scale:
            return f"{number / scale:.{decimals}f} {unit}"
    return f"{1000 * number:.0f} mm"


def since(seconds: float) -> str:
    """Time since a moment: `+0.041250 s` is written `+0.041`, longer ones as `+4:12.041` and `+1:04:12.041`."""
    sign, whole = ("-" if seconds < 0 else "+"), abs(seconds)
    minutes, rest = divmod(whole, 60)
    if not minutes:
        return f"{sign}{rest:.3f}"
    hours, minutes = divmod(int(minutes), 60)
    return f"{sign}{hours}:{minutes:02d}:{rest:06.3f}" if hours else f"{sign}{minutes}:{rest:06.3f}"


def difference(nanoseconds: int | None) -> str:
    """Time since the line before: `+0.041`, `+12.3`, `+4 min`; seconds unless it says otherwise."""
    if nanoseconds is None:
        return ""
    seconds = nanoseconds / 1e9
    if abs(seconds) < 9.9995:
        return f"{seconds:+.3f}"
    if abs(seconds) < 600:
        return f"{seconds:+.1f}"
    return f"{seconds / 60:+.0f} min"
