"""Which lines of a board are pulses, and what their own counter says."""

import re
from typing import TYPE_CHECKING, Final, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.utc import DAY

if TYPE_CHECKING:
    from pale_heron.core.patterns import Pattern

UNITS_NS: Final = {"ns": 1, "us": 1_000, "ms": 1_000_000, "s": SECOND}
WITH_UNIT: Final = re.compile(r"(?<![\w.])(?P<number>\d+(?:\.\d+)?)\s*(?P<unit>ns|us|ms|s)\b")
"""A number with its unit, anywhere in a line: the pulse's own time."""

TIME_STAMP: Final = re.compile(r"(?<!\d)([01]\d|2[0-3]):([0-5]\d):([0-5]\d)(?:[.,](\d{1,9}))?(?!\d)")
"""A time of day, with a date before it or not."""

PLAIN_COUNT: Final = re.compile(r"(?<![\w.:-])\d{4,19}(?![\w.:-])")
"""A number of four digits or more without a unit: a counter, where it is the only one of its line."""

ALIKE: Final = 0.2
"""A counter is one where it goes on as time does, to so much."""


class PrintedTime(NamedTuple):
    """What a line says of time: a number, and how many nanoseconds one of it is; 0 where nothing says that."""

    number: int
    unit_ns: int


class PrintedPulse:
    """Which lines of a board are pulses, and what their own counter says.

    Without a pattern each line is one, and its own time is a number with a unit, a time of day, or the only long number
    in it. A pattern is a regular expression that a line must hold; a group of it named ns, us, ms or s is the own time.
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

    def read(self, line: str) -> tuple[bool, PrintedTime | None]:
        """Whether a line is a pulse, and its own time where it tells one."""
        if not line.strip():
            return False, None
        if self._pattern is None:
            return True, _plain(line)
        match = self._pattern.search(line)
        if match is None:
            return False, None
        named = next(((unit, text) for unit, text in match.groupdict().items() if unit in UNITS_NS and text), None)
        return True, None if named is None else _with_unit(named[1], named[0])


def _plain(line: str) -> PrintedTime | None:
    found = WITH_UNIT.search(line)
    if found is not None:
        return _with_unit(found["number"], found["unit"])
    stamp = TIME_STAMP.search(line)
    if stamp is not None:
        hours, minutes, seconds = (int(each) for each in stamp.groups()[:3])
        whole = (hours * 3600 + minutes * 60 + seconds) * SECOND
        return PrintedTime(whole + int((stamp[4] or "").ljust(9, "0")), 1)
    counts = PLAIN_COUNT.findall(line)
    return PrintedTime(int(counts[0]), 0) if len(counts) == 1 else None


def _with_unit(number: str, unit: str) -> PrintedTime | None:
    whole, _, part = number.partition(".")
    if not whole.isdecimal() or (part and not part.isdecimal()) or len(whole) > 20:
        return None
    scale = UNITS_NS[unit]
    return PrintedTime(int(whole) * scale + (int(part[:9].ljust(9, "0")) * scale // SECOND if part else 0), 1)


class OwnCounter:
    """Makes one clock of what lines say: a counter that goes on, or the time since the pulse before, each in its unit.

    Which of these it is follows from two lines and the time between them.
    """

    def __init__(self) -> None:
        self._before: tuple[int, PrintedTime] | None = None
        self._total = 0
        self._meaning: tuple[bool, int] | None = None
        """Whether each number is an interval, and its unit."""

    def take(self, moment: int, said: PrintedTime | None) -> int | None:
        """The own time at a moment, nanoseconds since anything; None while it is not known what the number means."""
        if said is None:
            return None
        before, self._before = self._before, (moment, said)
        if before is None:
            return None
        passed, steps = moment - before[0], said.number - before[1].number
        if said.unit_ns and steps < -DAY // 2:
            steps += DAY
        for interval, unit in (self._meaning,) if self._meaning else _meanings(said):
            own = (said.number if interval else steps) * unit
            if abs(own - passed) <= ALIKE * passed:
                self._meaning = interval, unit
                self._total += own
                return self._total
        # It began again, or it is something else.
        self._meaning, self._total = None, 0
        return None


def _meanings(said: PrintedTime) -> list[tuple[bool, int]]:
    # In seconds a number without a unit is how many pulses there were, and no clock.
    units = [said.unit_ns] if said.unit_ns else [UNITS_NS["ns"], UNITS_NS["us"], UNITS_NS["ms"]]
    return [(interval, unit) for interval in (False, True) for unit in units]
