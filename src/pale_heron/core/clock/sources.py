"""Sources of pulses as people name them: `pps:/dev/pps0`, `line:LANE:dcd`, `printed:LANE[:PATTERN]`, `sim:NAME`.

Behind each may stand how often it comes, `every 0.2s`; else that is found.
"""

import re
from fractions import Fraction
from typing import Final, NamedTuple

from pale_heron.core.clock.printed_pulse import PrintedPulse

KERNEL, LINE, PRINTED, SIMULATED = "pps", "line", "printed", "sim"
CONTROL_LINES: Final = ("dcd", "cts", "ri", "dsr")
FORMS: Final = "pps:/dev/pps0, line:LANE:dcd, printed:LANE or printed:LANE:PATTERN, sim:NAME; behind it: every 0.2s"
_EVERY: Final = re.compile(r"(.+?) every (\d{1,2}(?:\.\d{1,9})?) ?s")
SHORTEST, LONGEST_PERIOD = Fraction(1, 10), Fraction(60)
LONGEST: Final = 300
PULSE_FILE: Final = ".pulse"
"""Behind the link of a simulated device: its last pulse, `seconds.nanoseconds#sequence`, as the kernel writes it."""


class PulseSource(NamedTuple):
    """`kind` is one of the four; `lane` the lane that it belongs to, empty for one that stands alone.

    `what` is a device path, a control line, a pattern or a name, as the kind has it.
    """

    text: str
    kind: str
    lane: str
    what: str
    period: Fraction | None = None
    """Seconds, where it is stated."""


def source_typed(text: str) -> PulseSource:
    """Raises ValueError that says what is wrong."""
    if len(text) > LONGEST or not text.isprintable():
        raise ValueError(f"more than {LONGEST} letters, or some that cannot be shown")
    every = _EVERY.fullmatch(text)
    named, period = (every[1], Fraction(every[2])) if every else (text, None)
    if period is not None and not SHORTEST <= period <= LONGEST_PERIOD:
        raise ValueError(f"every {float(period):g} s is not between 0.1 and 60 s")
    kind, _, rest = named.partition(":")
    if kind in (KERNEL, SIMULATED) and rest:
        return PulseSource(text, kind, "", rest, period)
    lane, _, what = rest.partition(":")
    if kind == PRINTED and lane:
        PrintedPulse(what)
        return PulseSource(text, kind, lane, what, period)
    if kind == LINE and lane and what in CONTROL_LINES:
        return PulseSource(text, kind, lane, what, period)
    if kind == LINE and lane:
        raise ValueError(f"{what!r} is not one of the control lines {', '.join(CONTROL_LINES)}")
    raise ValueError(f"sources are {FORMS}")
