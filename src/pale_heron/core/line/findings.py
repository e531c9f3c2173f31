"""What is wrong with a lane, by what evidence, and what to try next.

Each rule looks at the evidence and gives a finding with a weight, or nothing. The heavier the evidence, the earlier the
finding stands: most likely cause first. A rule says only what its evidence carries.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.line.steps import ENOUGH_BYTES, ILLEGIBLE_SHARE, Opening, is_silent
from pale_heron.core.line.tracker import LineSnapshot

PATIENCE_S = 3
FULL_SHARE = 0.9
MANY_BAD = 0.05


class Finding(NamedTuple):
    """`weight` orders findings, 0 to 1; it is no probability."""

    id: str
    text: str
    evidence: str
    next: str
    weight: float


@dataclass(frozen=True, slots=True)
class Evidence:
    """What the rules look at. `now` is None for a raw file."""

    opening: Opening
    why_not_open: str
    way_out: str
    opened: int | None
    settings: LineSettings | None
    line: LineSnapshot
    empty_fix: bool
    """Valid position sentences came, and none of them holds a position."""
    now: int | None

    def since_s(self, time: int | None) -> float | None:
        """Seconds from `time` until now."""
        return None if self.now is None or time is None else (self.now - time) / SECOND


def findings(evidence: Evidence) -> tuple[Finding, ...]:
    """All that can be said, most likely cause first."""
    found = [finding for rule in RULES if (finding := rule(evidence)) is not None]
    return tuple(sorted(found, key=lambda finding: -finding.weight))


def _not_open(evidence: Evidence) -> Finding | None:
    if evidence.opening is Opening.LOST:
        return Finding(
            "lost",
            "The device has gone.",
            evidence.why_not_open,
            "Plug it in again: the lane is opened by itself as soon as it is back, and the record goes on.",
            1.0,
        )
    if evidence.opening is Opening.REFUSED:
        return Finding("refused", "The lane cannot be opened.", evidence.why_not_open, evidence.way_out, 1.0)
    return None


def _silent_since_opening(evidence: Evidence) -> Finding | None:
    waited = evidence.since_s(evidence.opened)
    if evidence.opening is not Opening.OPEN or evidence.line.bytes_in or waited is None or waited < PATIENCE_S:
        return None
    return Finding(
        "silent-since-opening",
        "Nothing has come since the lane was opened.",
        f"0 bytes in {waited:.0f} s",
        "Is the device powered, and is it this port? Then swap TX and RX, join the grounds, and set DTR and RTS: "
        "either can hold a board in reset.",
        0.9,
    )


def _silent_now(evidence: Evidence) -> Finding | None:
    age = evidence.since_s(evidence.line.last_byte)
    if evidence.opening is not Opening.OPEN or not is_silent(evidence.line, evidence.now) or age is None:
        return None
    return Finding(
        "silent",
        "The device spoke and has fallen silent.",
        f"{evidence.line.bytes_in} bytes, none for {age:.0f} s",
        "Look at its supply and its cable; it may also sleep, or have been told to send nothing.",
        0.85,
    )


def _garbage(evidence: Evidence) -> Finding | None:
    line, share = evidence.line, evidence.line.recent_readable_share
    if share is None or line.recent_framed < ENOUGH_BYTES or line.recent_valid or share >= ILLEGIBLE_SHARE:
        return None
    rate = f" at {evidence.settings}" if evidence.settings else ""
    return Finding(
        "rate-mismatch",
        "Bytes come, but they are not legible.",
        f"{100 * share:.0f} % of the last {line.recent_framed} bytes are legible{rate}, and no sentence is valid",
        "Try other rates: 9600, 38400 and 115200 are the commonest. If none is legible, look at the level of the "
        "signal, or the device may speak a binary protocol.",
        0.8,
    )


def _bad_checksums(evidence: Evidence) -> Finding | None:
    line = evidence.line
    checked = line.recent_valid + line.recent_damaged
    if not line.recent_damaged or not checked:
        return None
    share = line.recent_damaged / checked
    seen = f"{line.recent_damaged} of {checked} sentences in the last minute are damaged"
    if share < MANY_BAD:
        return Finding(
            "few-damaged",
            "Single sentences arrive damaged.",
            seen,
            "Look for noise: a long cable, a missing ground, a supply that switches.",
            0.3,
        )
    return Finding(
        "many-damaged",
        "Many sentences arrive damaged.",
        seen,
        "A rate slightly off, bytes lost on the way (overrun), or more sentences than the line carries.",
        0.7,
    )


def _line_full(evidence: Evidence) -> Finding | None:
    settings, rate = evidence.settings, evidence.line.bytes_per_s
    if settings is None or rate is None or settings.decorative or rate < FULL_SHARE * settings.bytes_per_s:
        return None
    return Finding(
        "line-full",
        "The line is full: sentences queue up, come late or are cut.",
        f"{rate:.0f} of {settings.bytes_per_s:.0f} bytes a second at {settings}",
        "Raise the rate on both sides, switch off sentences that nobody reads, or ask for fewer a second.",
        0.6,
    )


def _empty_sentences(evidence: Evidence) -> Finding | None:
    if not evidence.empty_fix or not evidence.line.recent_valid:
        return None
    return Finding(
        "no-sky",
        "The wiring is right, but the receiver has no fix yet.",
        f"{evidence.line.recent_valid} valid sentences in the last minute, their positions are empty",
        "Give the antenna a free sky and wait: time comes first, then satellites, then the position.",
        0.5,
    )


RULES: tuple[Callable[[Evidence], Finding | None], ...] = (
    _not_open,
    _silent_since_opening,
    _silent_now,
    _garbage,
    _bad_checksums,
    _line_full,
    _empty_sentences,
)
