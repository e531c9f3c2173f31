"""Which rows of a batch a tracker of the fix must see for themselves, given what it was told before."""

from typing import Final

import numpy as np

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.batches import columns as kinds
from pale_heron.core.gnss.batches.columns import FORMATTERS, FixColumns
from pale_heron.core.gnss.batches.folds import usual_gaps
from pale_heron.core.gnss.epochs.tracker import AHEAD_SHARE, SHORTEST_NS
from pale_heron.core.gnss.fix import FixTracker
from pale_heron.core.gnss.saying import REPEATED_NS
from pale_heron.core.gnss.states import HOLD_INTERVALS, HOLDS_NS, NO_DIMENSION, kind_of_quality, kind_of_status
from pale_heron.core.nmea.columns import NONE, FieldColumn
from pale_heron.core.wire.sentence_batch import Flags, Places, SentenceBatch, steps

LONGEST_GAP_NS: Final = 3 * SECOND
TIMED: Final = (kinds.GGA, kinds.RMC, kinds.GLL, kinds.ZDA, kinds.GST)


def gga_fixed(tracker: FixTracker) -> bool:
    """Whether the last word of GGA is that there is a position."""
    return bool(kind_of_quality(tracker._words.get("GGA", ("",))[0]))


def rmc_fixed(tracker: FixTracker) -> bool:
    """Whether the last word of RMC is that there is a position."""
    return bool(kind_of_status(*tracker._words.get("RMC", ("", ""))[:2]))


class OddRows:
    """One batch as a tracker sees it that stands in front of the row `at`; of those behind, nothing is said."""

    def __init__(self, tracker: FixTracker, batch: SentenceBatch, columns: FixColumns, at: int) -> None:
        self._tracker = tracker
        self._batch = batch
        self._columns = columns
        self._at = at

    def rows(self) -> Flags:
        """Rows that the tracker must see for themselves, given what it was told before."""
        columns, tracker = self._columns, self._tracker
        odd = columns.odd.copy()
        words = tracker._words
        for place, name in enumerate(FORMATTERS):
            heard = tracker._latest.get(name)
            if place != kinds.GSV and heard is None:
                odd |= columns.formatter == place
            elif heard is not None and heard.begun is not None:
                # A clock that was set back: until it has caught up nothing is as it was.
                odd |= (columns.formatter == place) & (self._batch.time < heard.begun)
        gga, rmc = columns.kind(kinds.GGA), columns.kind(kinds.RMC)
        quality, status = words.get("GGA", ("", "")), words.get("RMC", ("", "", ""))
        odd[gga.rows] |= ~_says(gga.field(6), quality[0], "0") | (quality[1] == "")
        odd[rmc.rows] |= ~_says(rmc.field(2), status[0], "V") | ~_says(rmc.field(12), status[1]) | (status[2] == "")
        if not tracker._agreed or tracker._early.any:
            # Then it matters of which epoch each word is, or in which order they are read.
            odd[:] = True
        if gga_fixed(tracker):
            odd[gga.rows] |= np.isnan(columns.by_gga[0])
        if rmc_fixed(tracker):
            odd[rmc.rows] |= np.isnan(columns.by_rmc[0])
        if words.keys().isdisjoint(("GGA", "GNS", "RMC")):
            odd |= columns.formatter == kinds.GLL
        # Where neither GGA nor RMC comes, GLL may have the place.
        placed = np.zeros(int(columns.epoch[-1]) + 1, np.bool_)
        placed[columns.epoch[gga.rows]] = placed[columns.epoch[rmc.rows]] = True
        gll = columns.kind(kinds.GLL).rows
        odd[gll[~placed[columns.epoch[gll]]]] = True
        odd[columns.lists.rows[~tracker._sky.knows(columns.lists, self._batch.names)]] = True
        self._mark_dimensions(odd)
        self._mark_lapses(odd)
        self._mark_epochs(odd)
        return odd

    def _mark_dimensions(self, odd: Flags) -> None:
        """GSA: all of an epoch together say what those before said."""
        columns, tracker, time = self._columns, self._tracker, self._batch.time
        rows = columns.kind(kinds.GSA).rows
        word = tracker._words.get("GSA", ("",))[0]
        spoken = ord(word) if len(word) == 1 else 0
        if len(rows):
            epoch = columns.epoch[rows]
            starts = np.flatnonzero(steps(epoch, -1))
            best = np.maximum.reduceat(columns.dimension, starts)
            odd[rows[starts[best != spoken]]] = True
            odd[rows] |= columns.dimension > spoken
            late = (steps(time[rows], int(time[rows[0]])) > REPEATED_NS) & (steps(epoch, -1) == 0)
            odd[rows[late]] = True
            odd[rows[self._is_ahead(rows)]] = True
        if word == NO_DIMENSION and gga_fixed(tracker):
            odd[:] = True

    def _mark_lapses(self, odd: Flags) -> None:
        """Where somebody is judged while the word of another may no longer hold."""
        columns, tracker, time = self._columns, self._tracker, self._batch.time
        judged = columns.judged[np.searchsorted(columns.judged, self._at) :]
        # Behind a silence of all of them each may still come.
        silent = max(HOLDS_NS[0], int(1.2 * tracker._record.cadence.usual))
        first = int(time[judged[0]]) if len(judged) else 0
        before = first if tracker._said is None else tracker._said
        odd[judged[steps(time[judged], before) > silent]] = True
        for formatter in tracker._words:
            heard = tracker._latest[formatter]
            if heard.frame.time is None or not len(judged):
                continue
            place = FORMATTERS.index(formatter) if formatter in FORMATTERS else kinds.UNROUTED
            rows = columns.kind(place).rows if place != kinds.UNROUTED else np.empty(0, np.int64)
            rows = rows[np.searchsorted(rows, self._at) :]
            times = np.concatenate(([heard.frame.time], time[rows]))
            # No interval is shorter than the shortest time between two.
            apart = np.diff(times)
            least = min([heard.interval, *apart[apart > 0].tolist()])
            holds = min(max(HOLDS_NS[0], int(HOLD_INTERVALS * least)), HOLDS_NS[1])
            odd[judged[time[judged] - times[np.searchsorted(rows, judged)] > holds]] = True

    def _is_ahead(self, rows: Places) -> Flags:
        """Which GSA come so late, behind other sentences, that they are of the next epoch."""
        columns, time, tracker = self._columns, self._batch.time, self._tracker
        routed = np.flatnonzero(columns.formatter != kinds.UNROUTED)
        place = np.searchsorted(routed, rows)
        behind_other = (place == 0) | (columns.formatter[routed[place - 1]] != kinds.GSA)
        begun = int(columns.epoch[self._at - 1]) if self._at else 0
        arrived = np.concatenate(([tracker._epochs.open.arrived or 0], time[np.flatnonzero(columns.begins)][begun:]))
        epoch = np.maximum(columns.epoch[rows] - begun, 0)
        cadence = tracker._record.cadence
        if cadence.last is None or tracker._epochs.open.arrived is None:
            # Nothing to go by yet: whatever may be ahead.
            return np.asarray(behind_other)
        usual = usual_gaps(cadence.gaps, cadence.last, arrived)[0][epoch]
        found: Flags = behind_other & (usual >= SHORTEST_NS) & (time[rows] - arrived[epoch] > AHEAD_SHARE * usual)
        return found

    def _mark_epochs(self, odd: Flags) -> None:
        """Epochs that follow a silence, that have no date where others have, and sentences that repeat themselves."""
        columns, time = self._columns, self._batch.time
        begins = np.flatnonzero(columns.begins)
        last = self._tracker._record.cadence.last
        gaps = steps(time[begins], 0) if last is None else steps(time[begins], last)
        gaps[:1] = 0 if last is None else gaps[:1]
        odd[begins[(gaps < 0) | (gaps > LONGEST_GAP_NS)]] = True
        for place in TIMED:
            rows = columns.kind(place).rows
            repeated = steps(columns.told[rows], NONE) == 0
            odd[rows[repeated & (steps(time[rows], 0) > REPEATED_NS)]] = True


def _says(field: FieldColumn, word: str, empty: str = "") -> Flags:
    """Which rows have this word; an empty one stands for `empty`."""
    found = field.equals(word.encode("latin-1"))
    return found | (field.size == 0) if word == empty else found
