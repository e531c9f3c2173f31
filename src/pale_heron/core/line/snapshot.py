"""What arrives on a lane, in figures, as of one moment."""

from dataclasses import dataclass
from typing import Final, NamedTuple

from pale_heron.core.frames import Frame, Kind
from pale_heron.core.line.type_parts import TypePart
from pale_heron.core.strips import ColumnStrip
from pale_heron.core.wire.protocols import FramedProtocol

MOSTLY: Final = 0.5


@dataclass(frozen=True, slots=True)
class TypeCount:
    """One type of frame. Rates are None where the last minute holds too little of it to judge.

    `hz` and `bytes_per_s` are those of the last minute, the `mean` ones those of the whole time.
    """

    type: str
    kind: Kind
    count: int
    bad: int
    bytes: int
    first: int | None
    last: int | None
    latest: Frame | None
    """The last frame of this type."""
    before: Frame | None
    """The one before it."""
    hz: float | None
    bytes_per_s: float | None
    mean_hz: float | None
    mean_bytes_per_s: float | None
    parts: tuple[TypePart, ...] = ()
    """Lines of one type that tell different things: parts of a list, systems. Empty where all tell the same."""


class LineSnapshot(NamedTuple):
    """What arrived so far (received direction unless it says otherwise), and in the last minute (`recent`)."""

    bytes_in: int
    bytes_out: int
    bulk_bytes: int
    """Received as blocks of a trial, which are not cut into frames."""
    frames: int
    framed_bytes: int
    """Bytes received that stand in a frame; the rest waits for the end of its frame."""
    unreadable_bytes: int
    """Bytes in runs that are no text, and single ones that are not printable in lines that are."""
    recent_bytes: int
    recent_framed: int
    recent_unreadable: int
    valid: int
    """Sentences and messages with a good checksum."""
    valid_messages: int
    """Those of them that are RTCM 3."""
    bad_checksums: int
    damaged: int
    recent_valid: int
    recent_damaged: int
    """Sentences and messages of the last minute with a wrong checksum or a broken form."""
    recent_unchecked: int
    """Sentences of the last minute without a checksum."""
    recent_lines: int
    first_byte: int | None
    last_byte: int | None
    types: tuple[TypeCount, ...]
    sent_types: tuple[TypeCount, ...]
    """The same of what was sent, without rates."""
    last_valid: int | None
    """When the last valid sentence or message came."""
    framed_since: int
    unreadable_since: int
    """Bytes framed since then, and those of them that are not legible."""
    recent_opaque: int
    """Bytes in runs that are no text, in the window."""
    garbage: bytes
    """The last bytes of runs that are no text."""
    protocol: FramedProtocol | None
    """What the bytes that are no text are, where their frames check."""
    endless: int
    """Pieces of lines that are too long to be any."""
    troubles: tuple[Frame, ...]
    """The last damaged frames, oldest first."""
    damage: ColumnStrip
    """How often something came damaged, over the whole time."""
    activity: tuple[int, ...]
    """Bytes received in each whole second of the last minute, oldest first; the second under way is left out."""
    bytes_per_s: float | None

    @property
    def only_blocks(self) -> bool:
        """Nothing came but blocks of trials: there is nothing to read, and no device to speak or to be silent."""
        return self.bulk_bytes > 0 and not self.framed_bytes

    @property
    def never_checked(self) -> bool:
        """No sentence here has ever had a checksum: those without are believed (docs/decisions/missing-checksum.md)."""
        return not (self.valid or self.bad_checksums)

    @property
    def valid_sentences(self) -> int:
        """Sentences with a good checksum."""
        return self.valid - self.valid_messages

    @property
    def is_framed(self) -> bool:
        """Whether most of what is no text stands in frames that check."""
        return self.protocol is not None and self.protocol.share >= MOSTLY

    @property
    def readable_share(self) -> float | None:
        """0 to 1 over all framed bytes; None before the first."""
        return 1 - self.unreadable_bytes / self.framed_bytes if self.framed_bytes else None

    @property
    def recent_readable_share(self) -> float | None:
        """0 to 1 over the last minute; None where nothing came in it."""
        return 1 - self.recent_unreadable / self.recent_framed if self.recent_framed else None
