"""What time is it, and how late does it reach us?"""

from collections.abc import Sequence
from typing import Final

from pale_heron.answers.answer import ViewAnswer, answered
from pale_heron.core.clock.clock_object import ClockPicture
from pale_heron.core.clock.clock_words import apart_lines, group_lines
from pale_heron.core.clock.offset import OffsetToGive
from pale_heron.core.clock.pulse import PulseSnapshot
from pale_heron.core.clock.pulse_words import EDGE_ERRORS, duration, pulse_state, with_error
from pale_heron.core.clock.straight_line import FEW
from pale_heron.core.frames import SECOND
from pale_heron.core.wire.visible import safe_label

MS: Final = 1000.0
ROLES: Final = ("reed", "amber", "coral")
"""From well to badly."""

SMALL_PPM: Final = 1.0
"""A clock that runs off by less is as good as most are."""

SMALL_NS: Final = 1_000_000
"""By so little pulses may show this computer to be off without a lag being corrected for it."""


def clock_answer(picture: ClockPicture, now: int | None = None) -> ViewAnswer:
    """How it stands, in a sentence or two. `now` is None where nobody waits for pulses any more."""
    said = [_lags(picture, now)] if any(lags.types for _, lags in picture.lanes) else []
    said += _pulses(picture.pulses, now)
    if not said:
        return answered("amber", (NOBODY, "*amber"))
    worst = max((role for role, _ in said), key=ROLES.index)
    parts = [part for role, words in said for part in ((_ended(words), f"*{role}"), " ")]
    return answered(worst, *parts[:-1])


def _pulses(pulses: Sequence[PulseSnapshot], now: int | None) -> list[tuple[str, str]]:
    """How the sources stand; those that are well in one sentence."""
    states = [(each, pulse_state(each, now)) for each in pulses if not each.left]
    well = [each for each, (role, _) in states if role == "reed"]
    said = [state for _, state in states if state[0] != "reed"]
    if well:
        names = " and ".join(safe_label(each.source) for each in well)
        said.insert(0, ("reed", f"Pulses of {names}: {sum(each.pulses for each in well)}, none missed, none doubled"))
    return said


NOBODY: Final = "Nobody has told a time yet: a lane with a receiver does, once its sentences hold one."


def _ended(words: str) -> str:
    return words if words.endswith(".") else f"{words}."


def _lags(picture: ClockPicture, now: int | None) -> tuple[str, str]:
    """How late sentences come by the best of them, and what to give."""
    spoken = [(lane, lags) for lane, lags in picture.lanes if lags.types]
    offset = picture.offset
    if offset is not None:
        # A lag is only as good as the clock that it is measured with.
        true = _pulsed(picture.pulses, now)
        sure = true is not None or (picture.host is not None and picture.host.synchronised)
        return ("reed" if sure and offset.holds is not False else "amber"), _given(offset, true, sure=sure)
    apart = next((words[0] for lane, lags in spoken if (words := [*apart_lines(lane, lags), *group_lines(lags)])), "")
    if apart:
        return "coral", apart
    most = max(each.lag.samples for _, lags in spoken for each in lags.types)
    return "amber", f"Too few sentences to say how late they come: {most} of the steadiest so far."


def _pulsed(pulses: Sequence[PulseSnapshot], now: int | None) -> PulseSnapshot | None:
    """A source whose pulses can be trusted to say where seconds begin, the steadiest of several."""
    trusted = [
        (each.interval.deviation, each)
        for each in pulses
        if each.interval is not None and each.pulses >= FEW and pulse_state(each, now)[0] == "reed"
    ]
    # A clock that runs off moves the offset, and spoils no interval.
    exact = [pair for pair in trusted if pair[0] * SECOND < SMALL_NS]
    return min(exact, key=lambda pair: pair[0])[1] if exact else None


def _given(offset: OffsetToGive, true: PulseSnapshot | None, *, sure: bool) -> str:
    holds = {True: " It holds.", False: " It wanders: look at its history.", None: ""}[offset.holds]
    comes = (
        f"{offset.type} of {safe_label(offset.lane)} comes {MS * offset.seconds:.0f} ms after its second, nine of ten "
        f"within {MS * offset.spread_s:.1f} ms"
    )
    ahead_ns = true.host_offset.median if true is not None and true.host_offset is not None else 0.0
    if true is not None and abs(ahead_ns) >= SMALL_NS:
        where = "ahead" if ahead_ns > 0 else "behind"
        return (
            f"{comes} by this computer's clock, which by {safe_label(true.source)} was "
            f"{duration(abs(ahead_ns) / SECOND)} {where} meanwhile: give a time daemon "
            f"{offset.seconds - ahead_ns / SECOND:.4f} s.{holds}{_runs(true)}"
        )
    error = "" if sure else ", which holds the error of this computer as well"
    return f"{comes}: give a time daemon {offset.seconds:.4f} s{error}.{holds}{_runs(true)}"


def _runs(true: PulseSnapshot | None) -> str:
    """Where pulses show that this computer's clock runs off."""
    drift = true.drift if true is not None else None
    if drift is None or abs(drift.ppm) < max(SMALL_PPM, EDGE_ERRORS * drift.error_ppm):
        return ""
    runs = "fast" if drift.ppm > 0 else "slow"
    return f" This computer's clock runs {with_error(abs(drift.ppm), drift.error_ppm)} ppm {runs}."
