"""Finds places in a capture from which its lines can be read back, while it is written or gone through.

A line gets its number only when no other can come before it, so where a record begins some lines before it have no
number yet. They need not be kept with the place: reading begins a little earlier, at a *mark* before which every line
has its number by now, and leaves out as many lines as were numbered between the two.
"""

from collections import deque
from typing import Final

from pale_heron.bench.model import Model, RestartPoint
from pale_heron.bench.scrollback.read_back import SPACING_BYTES, SPACING_LINES, Checkpoint
from pale_heron.core.frames import SECOND

MARK_BYTES: Final = 16_384
MARK_NS: Final = SECOND // 10
"""Marks are no closer in time: what comes fast is decoded many lines at a time, and each mark ends such a batch."""

MARKS_KEPT: Final = 64


class CheckpointPlacer:
    """For one model, asked before it is fed the record at a position."""

    def __init__(self, model: Model, mark_bytes: int = MARK_BYTES, spacing_bytes: int = SPACING_BYTES) -> None:
        self._model = model
        self._mark_bytes = mark_bytes
        self._spacing_bytes = spacing_bytes
        self._marks: deque[RestartPoint] = deque(maxlen=MARKS_KEPT)
        self._mark_due = 0
        self._marked_at: int | None = None
        self._place_due = 0
        self._number = 0
        self._first = True

    def is_due(self, position: int, moment: int) -> bool:
        """Whether a mark is to be taken before the record at a position: then the model stands before it."""
        soon = self._marked_at is not None and abs(moment - self._marked_at) < MARK_NS
        return position >= self._mark_due and not soon

    def before(self, position: int, moment: int) -> Checkpoint | None:
        """Take a mark where one is due; gives a place where that is due too."""
        if not self.is_due(position, moment):
            return None
        self._mark_due, self._marked_at = position + self._mark_bytes, moment
        self._marks.append(self._model.mark(position))
        settled = self._model.log.settled
        if not (self._first or position >= self._place_due or settled - self._number >= SPACING_LINES):
            return None
        mark = self._settled_mark()
        if mark is None:
            return None
        self._first = False
        self._place_due, self._number = position + self._spacing_bytes, settled
        return Checkpoint(settled, mark.position, moment, settled - mark.lines, mark.state)

    def end(self, position: int, moment: int) -> Checkpoint:
        """Behind the last line of all."""
        return Checkpoint(self._model.log.settled, position, moment, 0, b"")

    def _settled_mark(self) -> RestartPoint | None:
        """The latest mark before which every line has its number."""
        while len(self._marks) > 1 and self._marks[1].before <= self._model.numbered_until:
            self._marks.popleft()
        first = self._marks[0]
        return first if first.lines == 0 or first.before <= self._model.numbered_until else None
