"""Whether this computer's clock is right: what the system says, and what pulses, sentences and servers say of it."""

from typing import Final

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.clock.clock_object import ClockPicture
from pale_heron.core.clock.clock_words import host_lines, server_words
from pale_heron.core.clock.host import host_words
from pale_heron.core.clock.pulse import PulseSnapshot
from pale_heron.core.clock.pulse_words import drift_words, duration, offset_words, signed
from pale_heron.core.clock.tracker import ServerHistory
from pale_heron.core.frames import SECOND
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.paint import BLANK, Line, Span, cut, labelled, line, titled, wrapped
from pale_heron.tui.painting.shell import bars

NAME: Final = 22
LEAST_HISTORY: Final = 3
"""So many answers make a history."""


def paint(_snapshot: BenchSnapshot, picture: ClockPicture, width: int) -> list[Line]:
    """One block for each that it is held against."""
    rows = titled("WHAT THE SYSTEM SAYS", _system(picture, width))
    against = [each for each in picture.pulses if each.pulses]
    if against:
        rows += [BLANK, *titled("AGAINST PULSES", [row for each in against for row in _pulses(each, width)])]
    servers = [
        row
        for each in picture.network
        for row in wrapped(line((server_words(each), "text" if each.best else "amber")), width)
    ]
    servers += [row for each in picture.asked for row in _history(each, width)]
    rows += [BLANK, *titled("AGAINST SERVERS", servers or [line(("none was asked: n asks one", "quiet"))])]
    others = host_lines(picture)
    if others:
        told = [row for words in others for row in wrapped(line((f"{words}.", "text")), width)]
        rows += [BLANK, *titled("TOGETHER", told)]
    return rows


def _system(picture: ClockPicture, width: int) -> list[Line]:
    host = picture.host
    rows = wrapped(line((f"{host_words(host)}.", "text")), width)
    if host is not None:
        figures = (
            f"estimated error {duration(host.estimated_error_s)}, at most {duration(host.maximum_error_s)}, "
            f"rate corrected by {host.frequency_ppm:+.3f} ppm"
        )
        rows.append(cut(line((figures, "quiet")), width))
    return rows


def _history(asked: ServerHistory, width: int) -> list[Line]:
    """How far this computer was ahead by the last answers of a server, the newest at the right."""
    ahead = [-each.offset_ns / SECOND for each in asked.answers][-(width - NAME) :]
    if len(ahead) < LEAST_HISTORY:
        return []
    low, high = min(ahead), max(ahead)
    drawn = bars([1 + (each - low) / (high - low) * 7 if high > low else 1.0 for each in ahead], 8.0)
    passed = duration((asked.answers[-1].time - asked.answers[-len(ahead)].time) / SECOND)
    words = f"this computer's offset by {len(ahead)} answers in {passed}: {signed(low)} to {signed(high)}"
    rows = labelled(Span(safe_label(asked.server), "heron"), line((words, "quiet")), width, NAME)
    return [*rows, line((" " * NAME, "quiet"), (drawn, "tide"))]


def _pulses(each: PulseSnapshot, width: int) -> list[Line]:
    rows = labelled(Span(safe_label(each.source), "heron"), line((offset_words(each), "text")), width, NAME)
    if each.drift is not None:
        words = drift_words(each.drift, "this computer's clock")
        rows += labelled(Span(""), line((words, "text")), width, NAME)
    if each.allan:
        steady = "   ".join(f"{found.span_s} s: {found.deviation:.1e}" for found in each.allan)
        rows += labelled(Span(""), line(("steady to, over ", "quiet"), (steady, "text")), width, NAME)
    return rows
