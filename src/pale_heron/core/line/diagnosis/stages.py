"""The chain that a lane climbs. Each step only makes sense when the one before it is reached.

The first step that is not reached is the one to look at: it is *waiting* where it may still come by itself, *broken*
where something speaks against it. All behind it are *not yet*.
"""

from enum import StrEnum
from typing import NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.line.tracker import LineSnapshot

SILENT_NS = 5 * SECOND
"""Without a byte for so long a lane that had spoken is silent."""

GARBAGE_NS = 3 * SECOND
"""So long nothing but garbage, and what was legible before counts no more."""

LEGIBLE_SHARE = 0.9
ILLEGIBLE_SHARE = 0.6
ENOUGH_BYTES = 64
"""Below this many bytes no share is judged."""


class Stand(StrEnum):
    """How a step stands."""

    REACHED = "reached"
    WAITING = "waiting"
    NOT_YET = "not-yet"
    BROKEN = "broken"


class Opening(StrEnum):
    """Whether the lane is there."""

    OPENING = "opening"
    OPEN = "open"
    LOST = "lost"
    REFUSED = "refused"
    CLOSED = "closed"


class Step(NamedTuple):
    step: str
    state: Stand


def steps(
    opening: Opening,
    line: LineSnapshot,
    has_fix: bool,
    answers: int,
    now: int | None,
    module: Stand | None = None,
) -> tuple[Step, ...]:
    """open, bytes, readable, valid, then fix; or answering, where a lane without sentences answers what it is sent.

    With `now` None (a raw file) nothing grows silent. `module` is how it stands with answers on the lane of a module,
    which speaks when it is spoken to: its silence is no fault.
    """
    answering = module is Stand.REACHED or (answers > 0 and not line.valid_sentences)
    last = ("answering", Stand.REACHED) if answering else ("fix", Stand.REACHED if has_fix else Stand.WAITING)
    if module is not None:
        last = ("answering", module)
    stands = (
        ("open", _open(opening)),
        ("bytes", _bytes(line, None if module else now)),
        ("readable", _readable(line, answering or module is not None)),
        ("valid", Stand.REACHED if answering or module is not None else _valid(line)),
        last,
    )
    chain, blocked = [], False
    for name, stand in stands:
        chain.append(Step(name, Stand.NOT_YET if blocked else stand))
        blocked = blocked or stand is not Stand.REACHED
    return tuple(chain)


def first_missing(chain: tuple[Step, ...]) -> Step | None:
    """The step that needs attention; None where all are reached."""
    return next((step for step in chain if step.state is not Stand.REACHED), None)


def is_silent(line: LineSnapshot, now: int | None) -> bool:
    """Bytes came, but none for a while."""
    return line.last_byte is not None and now is not None and now - line.last_byte > SILENT_NS


def turned_illegible(line: LineSnapshot) -> bool:
    """Valid sentences came, but since the last one there was nothing but garbage, for a while."""
    if line.last_valid is None or line.last_byte is None or line.framed_since < 4 * ENOUGH_BYTES:
        return False
    garbage = line.unreadable_since > (1 - ILLEGIBLE_SHARE) * line.framed_since
    return garbage and line.last_byte - line.last_valid > GARBAGE_NS


def legible_lately(line: LineSnapshot) -> tuple[float | None, int]:
    """Legible share and number of the bytes that the judgement rests on: the last minute, or since it turned."""
    if turned_illegible(line):
        return 1 - line.unreadable_since / line.framed_since, line.framed_since
    return line.recent_readable_share, line.recent_framed


def _open(opening: Opening) -> Stand:
    if opening in (Opening.OPEN, Opening.CLOSED):
        return Stand.REACHED
    return Stand.WAITING if opening is Opening.OPENING else Stand.BROKEN


def _bytes(line: LineSnapshot, now: int | None) -> Stand:
    if not line.bytes_in:
        return Stand.WAITING
    return Stand.BROKEN if is_silent(line, now) else Stand.REACHED


def _readable(line: LineSnapshot, answering: bool) -> Stand:
    share = line.recent_readable_share
    if turned_illegible(line):
        return Stand.BROKEN
    if share is None or line.recent_framed < ENOUGH_BYTES:
        return Stand.REACHED if line.valid_sentences or answering else Stand.WAITING
    if line.recent_valid or share >= LEGIBLE_SHARE:
        return Stand.REACHED
    return Stand.BROKEN if share < ILLEGIBLE_SHARE else Stand.WAITING


def _valid(line: LineSnapshot) -> Stand:
    if line.recent_valid or (line.valid_sentences and not line.recent_bytes):
        return Stand.REACHED
    return Stand.BROKEN if line.recent_damaged else Stand.WAITING
