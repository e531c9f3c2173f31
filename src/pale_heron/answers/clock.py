"""What time is it, and how late does it reach us?"""

from collections.abc import Sequence
from typing import Final

from pale_heron.answers.answer import ViewAnswer, answered
from pale_heron.core.clock.clock_object import ClockPicture
from pale_heron.core.clock.clock_words import came_words
from pale_heron.core.clock.offset import why_no_offset
from pale_heron.core.clock.pulse import PulseSnapshot
from pale_heron.core.clock.pulse_words import EDGE_ERRORS, pulse_state, with_error
from pale_heron.core.wire.visible import safe_label

ROLES: Final = ("reed", "amber", "coral")
"""From well to badly."""

SMALL_PPM: Final = 1.0
"""A clock that runs off by less is as good as most are."""


def clock_answer(picture: ClockPicture, now: int | None = None) -> ViewAnswer:
    """How it stands, in a sentence or two. `now` is None where nobody waits for pulses any more."""
    said = [_lags(picture)] if any(lags.types for _, lags in picture.lanes) else []
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


def _lags(picture: ClockPicture) -> tuple[str, str]:
    """How late sentences come by the best of them, and what to give."""
    spoken = [(lane, lags) for lane, lags in picture.lanes if lags.types]
    offset = picture.offset
    if offset is not None:
        # A lag is only as good as the clock that it is measured with.
        sure = bool(offset.by) or (picture.host is not None and picture.host.synchronised)
        true = next((each for each in picture.pulses if each.source == offset.by), None)
        error = "" if sure else ", which holds the error of this computer as well"
        holds = {True: " It holds.", False: " It wanders: look at its history.", None: ""}[offset.holds]
        words = f"{came_words(picture, offset)}: give a time daemon {offset.seconds:+.4f} s{error}.{holds}{_runs(true)}"
        return ("reed" if sure and offset.holds is not False else "amber"), words
    why = why_no_offset(spoken)
    return ("amber" if why.startswith("too few") else "coral"), f"{why[:1].upper()}{why[1:]}"


def _runs(true: PulseSnapshot | None) -> str:
    """Where pulses show that this computer's clock runs off."""
    drift = true.drift if true is not None else None
    if drift is None or abs(drift.ppm) < max(SMALL_PPM, EDGE_ERRORS * drift.error_ppm):
        return ""
    runs = "fast" if drift.ppm > 0 else "slow"
    return f" This computer's clock runs {with_error(abs(drift.ppm), drift.error_ppm)} ppm {runs}."
