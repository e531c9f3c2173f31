"""Is anything arriving, and is it legible?"""

from typing import Final

from pale_heron.answers.answer import ViewAnswer, answered
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.frames import SECOND
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.diagnosis.stages import (
    ENOUGH_BYTES,
    LaneOpening,
    StageStatus,
    first_missing,
    is_silent,
    legible_lately,
)
from pale_heron.core.line.settings import is_too_fast
from pale_heron.core.wire.visible import safe_label

_HOW_MUCH: Final = ((0.99, "Yes: "), (0.9, "Nearly all of it: "), (0.5, "In part: "), (1e-9, "Hardly: "), (0.0, "No: "))
"""How the question is answered where so large a share is valid."""


def line_answer(snapshot: BenchSnapshot, lane: LaneSnapshot) -> ViewAnswer:
    """How it stands, in a sentence or two."""
    tracked = lane.line
    if lane.opening in (LaneOpening.LOST, LaneOpening.REFUSED):
        return answered("coral", ("No: ", "*coral"), f"{_lower(lane.open_error)}.", _kept(lane))
    if lane.opening is LaneOpening.LET_GO:
        words = f"its port is free for others; {figures.size(tracked.bytes_in)} came before."
        words += "" if snapshot.replay else " X opens it again."
        return answered("amber", ("Closed here: ", "*amber"), words)
    if lane.listening and not lane.client:
        words = f"give the far side {lane.listening[0]} to connect to."
        return answered("amber", ("Nobody is connected: ", "*amber"), words, _kept(lane))
    if not tracked.bytes_in:
        waited = figures.duration((snapshot.now - (lane.opened or snapshot.began)) / SECOND)
        return answered("amber", ("Nothing yet: ", "*amber"), f"0 bytes in {waited} since the lane was opened.")
    if tracked.only_blocks:
        passed = f"{figures.size(tracked.bulk_bytes)} so far; Link counts what became of them."
        return answered("reed", ("Blocks of a trial, and nothing else: ", "*reed"), passed)
    if lane.module is None and is_silent(tracked, snapshot.now) and snapshot.replay is None:
        age = figures.duration((snapshot.now - (tracked.last_byte or 0)) / SECOND)
        if lane.asked_only:
            return _asked(lane, age)
        return answered(
            "coral", ("Not any more: ", "*coral"), f"silent for {age}, after {figures.size(tracked.bytes_in)}."
        )
    if not tracked.framed_bytes:
        received = f"{figures.size(tracked.bytes_in)} so far."
        return answered("amber", ("Bytes arrive, but no line has ended yet: ", "*amber"), received)
    step = first_missing(lane.steps)
    if step is not None and step.step == "readable":
        share, count = legible_lately(tracked)
        legible = figures.share(share)
        role = "coral" if step.state is StageStatus.BROKEN else "amber"
        if tracked.recent_valid:
            valid = f"{figures.several(tracked.recent_valid, 'sentence')} among them valid"
            word = next(word for least, word in _HOW_MUCH if (share or 0.0) >= least)
            return answered(role, (word, f"*{role}"), (legible, "*text"), f" of the last bytes are legible, {valid}.")
        what = (
            "Bytes arrive, but they are not legible: "
            if role == "coral"
            else "Too few bytes to say whether they are legible: "
            if count < ENOUGH_BYTES
            else "Legible in part: "
        )
        return answered(
            role,
            (what, f"*{role}"),
            f"{legible} of the last {figures.count(count)} bytes are, at {lane.settings or '–'}.",
        )
    if tracked.protocol is not None and tracked.is_framed and not tracked.recent_valid:
        words = f"{tracked.protocol.frames} {tracked.protocol.name}, their checks right."
        return answered("reed", ("A binary protocol, and whole: ", "*reed"), words)
    checked = tracked.recent_valid + tracked.recent_damaged
    if not checked and tracked.recent_unchecked and tracked.never_checked:
        came = figures.several(tracked.recent_unchecked, "sentence")
        words = f"{came} in the last minute, none with a checksum: whether a byte is wrong nobody can tell."
        return answered("amber", ("Sentences, unchecked: ", "*amber"), words)
    if not checked:
        return answered(
            "amber",
            ("Legible, but no sentence: ", "*amber"),
            f"{figures.several(tracked.recent_lines, 'line')} in the last minute.",
        )
    good = tracked.recent_valid / checked
    role = "reed" if good > 0.99 else "amber" if good > 0.9 else "coral"
    word = next(word for least, word in _HOW_MUCH if good >= least)
    return answered(
        role,
        (word, f"*{role}"),
        (figures.share(good, 1), "*text"),
        f" of {figures.several(checked, 'sentence')} in the last minute {'is' if checked == 1 else 'are'} valid",
        f" at {lane.settings}." if lane.settings else ".",
        *_load_words(lane),
    )


def _asked(lane: LaneSnapshot, age: str) -> ViewAnswer:
    """It is silent, and nothing is wrong with that."""
    said = lane.dialogue
    if said.at_login:
        return answered("amber", ("A prompt waits to be answered: ", "*amber"), f"silent for {age}. : sends something.")
    what = f"{said.answered} of {figures.several(said.sent, 'line')} answered"
    what = what if said.answered else f"{figures.several(said.echoed, 'line')} came back as sent, nothing else"
    return answered("reed", ("It speaks when it is asked: ", "*reed"), f"{what}, silent for {age} since.")


def _kept(lane: LaneSnapshot) -> str:
    """What there was before, where a lane is lost."""
    if lane.opening is not LaneOpening.LOST:
        return ""
    return f" The {figures.size(lane.line.bytes_in)} from before are kept; it is opened again when it is back."


def _lower(text: str) -> str:
    text = safe_label(text)
    return text[:1].lower() + text[1:] if text[1:2].islower() else text


def update_rate(lane: LaneSnapshot) -> float | None:
    """Epochs a second: the rate of the sentence that carries the position."""
    rates = [each.hz for each in lane.line.types if each.type[-3:] in ("GGA", "RMC", "GNS", "GLL") and each.hz]
    return max(rates, default=None)


def load_of(lane: LaneSnapshot) -> float | None:
    """Share of the line's capacity in the last seconds; None where the rate governs nothing."""
    if lane.settings is None or lane.settings.decorative or lane.line.bytes_per_s is None:
        return None
    recent = lane.line.activity[-10:]
    mean = sum(recent) / len(recent) if recent else None
    # What had waited somewhere comes faster than a line carries it: that says nothing of how full it is.
    return None if mean is None or is_too_fast(mean, lane.settings) else mean / lane.settings.bytes_per_s


def _load_words(lane: LaneSnapshot) -> list[str | tuple[str, str]]:
    load = load_of(lane)
    return [] if load is None else [" The line is ", (figures.share(load), "*text"), " full."]
