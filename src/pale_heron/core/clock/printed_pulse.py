"""Which lines of a board are pulses, and what their own counter says."""

import re
from typing import TYPE_CHECKING, Final

from pale_heron.core.frames import SECOND

if TYPE_CHECKING:
    from pale_heron.core.patterns import Pattern

UNITS_NS: Final = {"ns": 1, "us": 1_000, "ms": 1_000_000, "s": SECOND}
USUAL: Final = re.compile(r"(?<![\w.])(?P<number>\d+(?:\.\d+)?)\s*(?P<unit>ns|us|ms|s)\b")
"""A number with its unit, anywhere in a line: the pulse's own time."""


class PrintedPulse:
    """Which lines of a board are pulses, and what their own counter says.

    Without a pattern each line is one, and a number with a unit in it is its own time. A pattern is a regular
    expression that a line must hold; a group of it named ns, us, ms or s is the own time.
    """

    def __init__(self, pattern: str = "") -> None:
        """Raises ValueError for a pattern that is none."""
        self._pattern: Pattern[str] | None = None
        if pattern:
            # Slow to load, and few sources have one.
            from pale_heron.core.patterns import Broken, limited

            try:
                self._pattern = limited(pattern)
            except Broken as problem:
                raise ValueError(str(problem)) from None

    def read(self, line: str) -> tuple[bool, int | None]:
        """Whether a line is a pulse, and its own time in nanoseconds where it tells one."""
        if not line.strip():
            return False, None
        if self._pattern is None:
            found = USUAL.search(line)
            return True, None if found is None else _own(found["number"], found["unit"])
        match = self._pattern.search(line)
        if match is None:
            return False, None
        named = next(((unit, text) for unit, text in match.groupdict().items() if unit in UNITS_NS and text), None)
        return True, None if named is None else _own(named[1], named[0])


def _own(number: str, unit: str) -> int | None:
    whole, _, part = number.partition(".")
    if not whole.isdecimal() or (part and not part.isdecimal()) or len(whole) > 20:
        return None
    scale = UNITS_NS[unit]
    return int(whole) * scale + (int(part[:9].ljust(9, "0")) * scale // SECOND if part else 0)
