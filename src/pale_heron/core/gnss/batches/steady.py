"""Feeds a tracker of the fix with a batch: many epochs at once where no word of the fix changes, else row by row.

    rows ─▶ a stretch of epochs whose deciding words are those of before ─▶ columns, added to the log and the checks
        └─▶ all others, and the last few epochs ─▶ the tracker, sentence by sentence

The tracker stands behind a batch just as if it had been fed each sentence. What it keeps of the newest sentences comes
from the rows behind the stretch, so of the stretch only what is counted and logged has to be worked out. What stands
in this folder is a part of the tracker: it sees and sets what the tracker keeps for itself.
"""

from typing import Final

import numpy as np

from pale_heron.core.gnss.batches import columns as kinds
from pale_heron.core.gnss.batches.columns import FORMATTERS, FixColumns, RowRoute
from pale_heron.core.gnss.batches.comparing import StretchComparison
from pale_heron.core.gnss.batches.folds import usual_gaps
from pale_heron.core.gnss.batches.newest import NewestSentences
from pale_heron.core.gnss.batches.oddities import OddRows
from pale_heron.core.gnss.batches.sky import at_moments
from pale_heron.core.gnss.batches.stretch import EpochStretch, StretchRows, epoch_rows
from pale_heron.core.gnss.fix import FixTracker
from pale_heron.core.nmea.columns import NONE
from pale_heron.core.nmea.raw import time_of_day
from pale_heron.core.wire.sentence_batch import Flags, Places, SentenceBatch

LEAST_EPOCHS: Final = 16
TAIL_EPOCHS: Final = 3
AT_A_TIME: Final = 256
"""So many rows go one by one before it is looked again whether many can be taken."""


class SteadyFeeder:
    """One batch for one tracker. `told` is the time of day that each row tells."""

    def __init__(self, tracker: FixTracker, batch: SentenceBatch, told: Places) -> None:
        self._tracker = tracker
        self._batch = batch
        before = time_of_day(tracker._epochs.raw_time)
        combined = {
            FORMATTERS.index(name): said for name, said in tracker._talkers.combined.items() if name in FORMATTERS
        }
        paired = {FORMATTERS.index(name) for name in tracker._talkers.paired if name in FORMATTERS}
        routes = [self._route(name) for name in batch.names]
        self._step = AT_A_TIME
        self._unsteady = 0
        """How often in a row the epoch that is open was not as the one before."""
        self._columns = FixColumns(batch, routes, told, NONE if before is None else before, combined, paired)

    def _route(self, kind: str) -> RowRoute:
        found = self._tracker._talkers.route(kind)
        heard = found.read and found.formatter in self._tracker._readers
        place = FORMATTERS.index(found.formatter) if heard else kinds.UNROUTED
        return RowRoute(place, heard and found.combined, heard and found.shadowed)

    def run(self) -> None:
        """Take all of it."""
        at, end = 0, len(self._batch)
        while at < end:
            at = self._take_many(at, end)

    def _take_many(self, at: int, end: int) -> int:
        """Go on from a row; gives how far that went."""
        if self._tracker._course.waiting:
            return self._one_by_one(at, min(end, at + AT_A_TIME))
        if self._epochs_from(at) <= LEAST_EPOCHS + TAIL_EPOCHS:
            return self._one_by_one(at, end)
        if self._tracker._epochs.open.arrived is None:
            # Behind a stretch: with nothing open there is nothing to go by.
            begins = at + np.flatnonzero(self._columns.begins[at:end])
            return self._one_by_one(at, int(begins[0]) + 1)
        odd = np.append(np.flatnonzero(self._odd(at)), end)
        begin, until = self._next_stretch(at, odd)
        if begin > at or until == begin:
            # What is odd now may not be so once the tracker has seen what decides.
            self._step = 2 * self._step if until == begin else AT_A_TIME
            return self._one_by_one(at, begin if until > begin else min(end, at + self._step))
        self._step = AT_A_TIME
        return self._take_from(at, until)

    def _epochs_from(self, at: int) -> int:
        """How many epochs begin from a row on."""
        epoch = self._columns.epoch
        return int(epoch[-1] - (epoch[at - 1] if at else 0))

    def _next_stretch(self, at: int, odd: Places) -> tuple[int, int]:
        """Between which rows, of which none is odd, enough epochs begin; nothing where there are none."""
        edges = np.concatenate(([at], odd[odd >= at] + 1))
        count = np.concatenate((self._columns.epoch, self._columns.epoch[-1:]))
        begun = count[np.maximum(edges, 1) - 1] - self._columns.begins[0] * (edges == 0)
        enough = np.flatnonzero(np.diff(begun) > LEAST_EPOCHS + TAIL_EPOCHS)
        if not len(enough):
            return at, at
        return int(edges[enough[0]]), int(edges[enough[0] + 1]) - 1

    def _take_from(self, at: int, until: int) -> int:
        """Take the epochs that lie between two rows, of which none is odd; gives how far that went."""
        columns = self._columns
        begins = at + np.flatnonzero(columns.begins[at:until])
        between = begins[~columns.lists.open[begins]]
        between = between[between <= begins[-TAIL_EPOCHS]]
        if len(between) < LEAST_EPOCHS:
            return self._one_by_one(at, until)
        begin, last = int(between[0]), int(between[-1])
        self._one_by_one(at, begin)
        if not self._is_steady():
            # What suffered in the epoch that is open may be over with the next one.
            self._unsteady += 1
            return self._one_by_one(begin, int(between[min(2**self._unsteady, len(between)) - 1]))
        self._unsteady = 0
        inside = begins[(begins >= begin) & (begins < last)]
        self._take(EpochStretch(begin, last, inside, np.append(inside[1:], last)))
        return last

    def _one_by_one(self, begin: int, end: int) -> int:
        tracker, batch = self._tracker, self._batch
        for row in range(begin, end):
            frame = batch.frame(row)
            tracker._record.still_arriving(frame.time or 0)
            tracker.feed(frame)
        return end

    def _is_steady(self) -> bool:
        """Whether the epoch that is open ends as the one after it will, in front of a row that begins another."""
        tracker = self._tracker
        epoch = tracker._epochs.open
        return (
            not tracker._course.waiting
            and tracker._best in ("", tracker._dimension)
            and bool(epoch.time)
            and epoch.arrived is not None
            and tracker._sky.between_lists
        )

    def _odd(self, at: int) -> Flags:
        """Rows that the tracker must see for themselves, as things stand in front of a row."""
        return OddRows(self._tracker, self._batch, self._columns, at).rows()

    def _take(self, stretch: EpochStretch) -> None:
        """All rows of a stretch together."""
        tracker, columns = self._tracker, self._columns
        usual = tracker._record.cadence.usual
        tracker._close()
        gaps_before, last_arrived = tracker._record.cadence.gaps, tracker._record.cadence.last
        assert last_arrived is not None, "the epoch that was open is whole now"
        arrived = self._batch.time[stretch.begins]
        behind, gaps = usual_gaps(gaps_before, last_arrived, arrived)
        lists = columns.lists
        first, last = np.searchsorted(lists.rows, (stretch.begin, stretch.end)).tolist()
        received = tracker._sky.feed_lists(self._batch, lists, first, last)
        tracker._sky.miss_parts(self._batch, lists, stretch.begin, stretch.end)
        rows = StretchRows(self._batch, columns, stretch)
        epochs = epoch_rows(tracker, rows, *at_moments(received, stretch.whole, arrived))
        StretchComparison(tracker, rows).run(np.concatenate(([usual], behind)))
        tracker._record.extend(epochs, (gaps[0], gaps[1]))
        newest = NewestSentences(tracker, rows)
        newest.hear()
        newest.feed_used()
        newest.stand_behind(epochs.epoch(len(epochs) - 1))
