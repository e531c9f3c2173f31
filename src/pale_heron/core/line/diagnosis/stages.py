"""The chain that a lane climbs. Each step only makes sense when the one before it is reached.

The first step that is not reached is the one to look at: it is *waiting* where it may still come by itself, *broken*
where something speaks against it. All behind it are *not yet*.
"""

from enum import StrEnum
from typing import NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.line.snapshot import LineSnapshot

SILENT_NS = 5 * SECOND
"""Without a byte for so long a lane that had spoken is silent."""

GARBAGE_NS = 3 * SECOND
"""So long nothing but garbage, and what was legible before counts no more."""

LEGIBLE_SHARE = 0.9
ILLEGIBLE_SHARE = 0.6
ENOUGH_BYTES = 64
"""Below this many bytes no share is judged."""


class StageStatus(StrEnum):
    """How a step stands."""

    REACHED = "reached"
    WAITING = "waiting"
    NOT_YET = "not-yet"
    BROKEN = "broken"


class LaneOpening(StrEnum):
    """Whether the lane is there."""

    OPENING = "opening"
    OPEN = "open"
    LOST = "lost"
    REFUSED = "refused"
    CLOSED = "closed"
    LET_GO = "let-go"
    """Closed by the user, for others to have the port; CLOSED is how every record ends."""


class LinkStage(NamedTuple):
    step: str
    state: StageStatus


def steps(
    opening: LaneOpening,
    line: LineSnapshot,
    has_fix: bool,
    answers: int,
    now: int | None,
    module: StageStatus | None = None,
    *,
    asked_only: bool = False,
) -> tuple[LinkStage, ...]:
    """open, bytes, readable, valid, then fix; or answering, where a lane without sentences answers what it is sent.

    A lane on which nothing but the blocks of a trial came need not be readable.

    With `now` None (a raw file) nothing grows silent. `module` is how it stands with answers on the lane of a module,
    which speaks when it is spoken to: its silence is no fault, nor is that of anything else that is `asked_only`.
    """
    answering = module is StageStatus.REACHED or (answers > 0 and not line.valid)
    last = (
        ("answering", StageStatus.REACHED)
        if answering
        else ("fix", StageStatus.REACHED if has_fix else StageStatus.WAITING)
    )
    if module is not None:
        last = ("answering", module)
    begin = (("open", _open(opening)), ("bytes", _bytes(line, None if module or asked_only else now)))
    stands = (
        (*begin, ("blocks", StageStatus.REACHED))
        if line.only_blocks
        else (
            *begin,
            ("readable", _readable(line, answering or module is not None)),
            ("valid", StageStatus.REACHED if answering or module is not None else _valid(line)),
            last,
        )
    )
    chain, blocked = [], False
    for name, stand in stands:
        chain.append(LinkStage(name, StageStatus.NOT_YET if blocked else stand))
        blocked = blocked or stand is not StageStatus.REACHED
    return tuple(chain)


def first_missing(chain: tuple[LinkStage, ...]) -> LinkStage | None:
    """The step that needs attention; None where all are reached."""
    return next((step for step in chain if step.state is not StageStatus.REACHED), None)


def is_silent(line: LineSnapshot, now: int | None) -> bool:
    """Bytes came, but none for a while."""
    if line.only_blocks:
        return False
    return line.last_byte is not None and now is not None and now - line.last_byte > SILENT_NS


def turned_illegible(line: LineSnapshot) -> bool:
    """Valid sentences came, but since the last one there was nothing but garbage, for a while."""
    if line.is_framed or line.last_valid is None or line.last_byte is None or line.framed_since < 4 * ENOUGH_BYTES:
        return False
    garbage = line.unreadable_since > (1 - ILLEGIBLE_SHARE) * line.framed_since
    return garbage and line.last_byte - line.last_valid > GARBAGE_NS


def legible_lately(line: LineSnapshot) -> tuple[float | None, int]:
    """Legible share and number of the bytes that the judgement rests on: the last minute, or since it turned."""
    if turned_illegible(line):
        return 1 - line.unreadable_since / line.framed_since, line.framed_since
    return line.recent_readable_share, line.recent_framed


def _open(opening: LaneOpening) -> StageStatus:
    if opening in (LaneOpening.OPEN, LaneOpening.CLOSED):
        return StageStatus.REACHED
    return StageStatus.WAITING if opening in (LaneOpening.OPENING, LaneOpening.LET_GO) else StageStatus.BROKEN


def _bytes(line: LineSnapshot, now: int | None) -> StageStatus:
    if not line.bytes_in:
        return StageStatus.WAITING
    return StageStatus.BROKEN if is_silent(line, now) else StageStatus.REACHED


def _readable(line: LineSnapshot, answering: bool) -> StageStatus:
    share = line.recent_readable_share
    if turned_illegible(line):
        return StageStatus.BROKEN
    if share is None or line.recent_framed < ENOUGH_BYTES:
        return StageStatus.REACHED if line.valid or answering else StageStatus.WAITING
    if line.is_framed or share >= LEGIBLE_SHARE:
        return StageStatus.REACHED
    if line.recent_valid and line.recent_damaged < line.recent_valid:
        # Sentences come whole, amid much that is none: it may be a protocol of its own.
        return StageStatus.WAITING
    return StageStatus.BROKEN if share < ILLEGIBLE_SHARE else StageStatus.WAITING


def _valid(line: LineSnapshot) -> StageStatus:
    if line.recent_valid or line.is_framed or (line.valid and not line.recent_bytes):
        return StageStatus.REACHED
    if line.never_checked and line.recent_unchecked:
        # Older receivers send none: what is believed of them counts as what can be had.
        return StageStatus.REACHED
    return StageStatus.BROKEN if line.recent_damaged else StageStatus.WAITING
