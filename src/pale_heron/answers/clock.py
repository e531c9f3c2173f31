"""What time is it, and how late does it reach us?"""

from typing import Final

from pale_heron.answers.answer import ViewAnswer, answered
from pale_heron.core.clock.clock_object import ClockPicture
from pale_heron.core.clock.clock_words import apart_lines
from pale_heron.core.clock.offset import OffsetToGive
from pale_heron.core.wire.visible import safe_label

MS: Final = 1000.0


def clock_answer(picture: ClockPicture) -> ViewAnswer:
    """How it stands, in a sentence."""
    role, words = _answer(picture)
    return answered(role, (words, f"*{role}"))


def _answer(picture: ClockPicture) -> tuple[str, str]:
    """The time by the best source, how late it comes, and what to give."""
    spoken = [(lane, lags) for lane, lags in picture.lanes if lags.types]
    if not spoken:
        return "amber", "Nobody has told a time yet: a lane with a receiver does, once its sentences hold one."
    offset = picture.offset
    if offset is not None:
        # A lag is only as good as the clock that it is measured with.
        sure = picture.host is not None and picture.host.synchronised
        return ("reed" if sure and offset.holds is not False else "amber"), _given(offset, sure=sure)
    apart = next((words[0] for lane, lags in spoken if (words := apart_lines(lane, lags))), "")
    if apart:
        return "coral", apart
    most = max(each.lag.samples for _, lags in spoken for each in lags.types)
    return "amber", f"Too few sentences to say how late they come: {most} of the steadiest so far."


def _given(offset: OffsetToGive, *, sure: bool) -> str:
    holds = {True: " It holds.", False: " It wanders: look at its history.", None: ""}[offset.holds]
    return (
        f"{offset.type} of {safe_label(offset.lane)} comes {MS * offset.seconds:.0f} ms after its second, nine of ten "
        f"within {MS * offset.spread_s:.1f} ms: give a time daemon {offset.seconds:.4f} s"
        f"{'' if sure else ', which holds the error of this computer as well'}.{holds}"
    )
