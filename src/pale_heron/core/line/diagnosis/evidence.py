"""What can be seen of a lane, as the causes look at it: counts, shares, and yes-or-no statements on them."""

import statistics
from dataclasses import dataclass, field
from typing import NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.line.diagnosis.stages import ENOUGH_BYTES, ILLEGIBLE_SHARE, LaneOpening, turned_illegible
from pale_heron.core.line.dialogue_stats import DialogueSnapshot
from pale_heron.core.line.rates import BaudResult, Likeness, likeness, recommended
from pale_heron.core.line.settings import LineSettings, is_too_fast
from pale_heron.core.line.snapshot import LineSnapshot

PATIENCE_S = 3
FULL_SHARE = 0.9
MANY_BAD = 0.05
ENOUGH_LINES = 4
BACKLOG_S = 15
"""What had waited before opening has come by then."""

UNENDED_BYTES = 160
"""So much without a line end is more than a sentence or an answer."""


class DriverErrors(NamedTuple):
    """What the system's driver counted since opening."""

    framing: int = 0
    overrun: int = 0
    parity: int = 0
    breaks: int = 0
    buffer: int = 0
    """Bytes lost because nobody took them in time."""


@dataclass(frozen=True, slots=True)
class Evidence:
    """What the causes look at. `now` is None for a raw file."""

    opening: LaneOpening
    refusal: str
    """One of REFUSALS, or empty."""
    open_error: str
    hint: str
    opened: int | None
    settings: LineSettings | None
    line: LineSnapshot
    dialogue: DialogueSnapshot
    errors: DriverErrors | None
    tried: tuple[BaudResult, ...]
    empty_fix: bool
    """Valid position sentences came, and none of them holds a position."""
    time_known: bool
    satellites_seen: int | None
    """None where no list of satellites came."""
    now: int | None
    networked: bool = False
    """It is reached over a network: no cable of ours, no rate, no modem lines."""
    waits_at: tuple[str, ...] = ()
    """Where a lane waits for a client that is not there; else empty."""
    asked_only: bool = False
    """The lane of a module that answers: it speaks when it is spoken to."""
    garbage: Likeness | None = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "garbage", likeness(self.line.garbage))

    def since_s(self, time: int | None) -> float | None:
        """Seconds from `time` until now."""
        return None if self.now is None or time is None else (self.now - time) / SECOND

    @property
    def was_open(self) -> bool:
        """Open, or closed by ourselves at the end: what is said then still holds."""
        return self.opening in (LaneOpening.OPEN, LaneOpening.CLOSED)

    @property
    def mute(self) -> bool:
        """Nothing has come since opening, and there was time enough."""
        waited = self.since_s(self.opened)
        patient = waited is not None and waited >= PATIENCE_S and not self.waits_at
        return self.was_open and not self.line.bytes_in and patient

    @property
    def wire_mute(self) -> bool:
        """The same on a line of ours, where a cable or a supply may be the reason."""
        return self.mute and not self.networked

    @property
    def illegible(self) -> bool:
        share = self.line.recent_readable_share
        if self.line.is_framed:
            return False
        enough = self.line.recent_framed >= ENOUGH_BYTES and not self.line.recent_valid
        return (share is not None and enough and share < ILLEGIBLE_SHARE) or turned_illegible(self.line)

    @property
    def rate_governs(self) -> bool:
        """Whether the rate of this port has to do with what comes."""
        return self.settings is None or not self.settings.decorative

    @property
    def checked(self) -> int:
        return self.line.recent_valid + self.line.recent_damaged

    @property
    def damaged_share(self) -> float:
        return self.line.recent_damaged / self.checked if self.checked else 0.0

    @property
    def load(self) -> float | None:
        """Share of the line's capacity, in the last seconds; None where the rate governs nothing."""
        settings, rate = self.settings, self.line.bytes_per_s
        if settings is None or settings.decorative or rate is None or self.too_fast:
            return None
        return rate / settings.bytes_per_s

    @property
    def too_fast(self) -> bool:
        """More came in the last seconds than this line carries: it had waited somewhere, or no rate governs it."""
        return self.settings is not None and is_too_fast(self.line.bytes_per_s, self.settings)

    @property
    def ungoverned(self) -> bool:
        """The same for a while, and long after opening, so that nothing can have waited."""
        open_for = self.since_s(self.opened)
        return self.too_fast and self.networked is False and open_for is not None and open_for > BACKLOG_S

    @property
    def text_lines(self) -> int:
        return sum(self.dialogue.endings)

    @property
    def binary_bytes(self) -> int:
        return self.line.recent_opaque

    @property
    def round_pause(self) -> float | None:
        """The multiple of half a second that the answers cluster at; None where they do not."""
        delays = self.dialogue.delays_s
        if not delays:
            return None
        nearest = round(2 * statistics.median(delays)) / 2
        near = sum(abs(delay - nearest) <= 0.12 for delay in delays)
        return nearest if nearest >= 0.5 and near >= max(3, 0.6 * len(delays)) else None

    @property
    def signal_seen(self) -> bool:
        return self.errors is not None and bool(self.errors.framing or self.errors.breaks)

    @property
    def like_noise(self) -> bool:
        return self.garbage is not None and self.garbage.kind == "nothing"

    @property
    def like_text(self) -> bool:
        return self.garbage is not None and self.garbage.kind != "nothing"

    @property
    def is_full(self) -> bool:
        """The line is full of what is said on it; a trial of throughput fills it on purpose."""
        spoken = 2 * self.line.recent_framed >= self.line.recent_bytes
        return self.load is not None and self.load >= FULL_SHARE and spoken

    @property
    def unanswered(self) -> bool:
        dialogue = self.dialogue
        return dialogue.unanswered >= 2 and self.line.bytes_in > 0 and not self.only_own_bytes

    @property
    def only_own_bytes(self) -> bool:
        """Everything received so far is what was sent."""
        dialogue, lines = self.dialogue, sum(each.count for each in self.line.types)
        return dialogue.echoed > 0 and dialogue.echoed >= lines - 1 and not dialogue.answered

    @property
    def few_damaged(self) -> bool:
        return self.line.recent_damaged > 0 and self.damaged_share < MANY_BAD

    @property
    def many_damaged(self) -> bool:
        return self.line.recent_damaged > 0 and self.damaged_share >= MANY_BAD

    @property
    def no_line_ends(self) -> bool:
        paused = self.text_lines >= ENOUGH_LINES and self.dialogue.endings[3] > 0.8 * self.text_lines
        return paused or (self.line.endless > 0 and not self.illegible)

    @property
    def other_line_ends(self) -> bool:
        waiting = self.line.bytes_in - self.line.framed_bytes
        fixed = self.settings is not None and self.settings.ending_in != "auto"
        return fixed and (self.dialogue.other_ends >= 3 or waiting >= UNENDED_BYTES)

    @property
    def single_line_ends(self) -> bool:
        _, lf, cr, _ = self.dialogue.endings
        auto = self.settings is None or self.settings.ending_in == "auto"
        return auto and self.text_lines >= ENOUGH_LINES and max(lf, cr) > 0.9 * self.text_lines

    @property
    def binary_beside_text(self) -> bool:
        line = self.line
        legible = line.valid + self.text_lines
        rtcm = any(each.kind == "rtcm3" for each in line.types) and len(line.types) > 1
        return legible >= ENOUGH_LINES and (rtcm or line.is_framed) and not self.rubbish_beside_text

    @property
    def rubbish_beside_text(self) -> bool:
        """Much stands between the lines that is neither text nor frames of anything known."""
        line = self.line
        legible = line.valid + self.text_lines >= ENOUGH_LINES and not self.illegible
        return legible and self.binary_bytes >= ENOUGH_BYTES and not line.is_framed

    @property
    def best_rate(self) -> BaudResult | None:
        """What fits best among the rates that were tried."""
        return recommended(self.tried)
