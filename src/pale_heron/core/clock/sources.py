"""Sources of pulses as people name them: `pps:/dev/pps0`, `line:LANE:dcd`, `printed:LANE[:PATTERN]`, `sim:NAME`."""

from typing import Final, NamedTuple

from pale_heron.core.clock.printed_pulse import PrintedPulse

KERNEL, LINE, PRINTED, SIMULATED = "pps", "line", "printed", "sim"
CONTROL_LINES: Final = ("dcd", "cts", "ri", "dsr")
FORMS: Final = "pps:/dev/pps0, line:LANE:dcd, printed:LANE or printed:LANE:PATTERN, sim:NAME"
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


def source_typed(text: str) -> PulseSource:
    """Raises ValueError that says what is wrong."""
    kind, _, rest = text.partition(":")
    if len(text) > LONGEST or not text.isprintable():
        raise ValueError(f"more than {LONGEST} letters, or some that cannot be shown")
    if kind in (KERNEL, SIMULATED) and rest:
        return PulseSource(text, kind, "", rest)
    lane, _, what = rest.partition(":")
    if kind == PRINTED and lane:
        PrintedPulse(what)
        return PulseSource(text, kind, lane, what)
    if kind == LINE and lane and what in CONTROL_LINES:
        return PulseSource(text, kind, lane, what)
    if kind == LINE and lane:
        raise ValueError(f"{what!r} is not one of the control lines {', '.join(CONTROL_LINES)}")
    raise ValueError(f"sources are {FORMS}")
