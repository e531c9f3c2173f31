"""What a tracker of the fix keeps of the newest sentences, behind a stretch that it did not see one by one."""

from collections.abc import Iterator

import numpy as np

from pale_heron.core.gnss.batches import columns as kinds
from pale_heron.core.gnss.batches.columns import FORMATTERS, FormatterRows
from pale_heron.core.gnss.batches.oddities import gga_fixed, rmc_fixed
from pale_heron.core.gnss.batches.stretch import StretchRows
from pale_heron.core.gnss.epochs.log import Epoch
from pale_heron.core.gnss.fix import FixTracker
from pale_heron.core.gnss.states import kind_of_status
from pale_heron.core.nmea.columns import field_of
from pale_heron.core.nmea.raw import TIME_FIELD, gsa_words
from pale_heron.core.wire.sentence_batch import Flags, Places, present, steps


class NewestSentences:
    """Brings a tracker to where it stands behind the last row of a stretch."""

    def __init__(self, tracker: FixTracker, rows: StretchRows) -> None:
        self._tracker = tracker
        self._rows = rows

    def hear(self) -> None:
        """Of each formatter the newest sentence, its interval, and the newest that said that there is a fix."""
        tracker, batch = self._tracker, self._rows.batch
        begun = tracker._epochs.begun + 1
        for place, name in enumerate(FORMATTERS):
            kind = self._rows.of(place)
            if place == kinds.GSV or not len(kind):
                continue
            heard = tracker._latest[name]
            epochs = begun + self._rows.epochs(kind.rows)
            for time, epoch in _deciding(kind.own.time, epochs):
                heard.note(time, epoch)
            heard.frame = batch.frame(int(kind.rows[-1]))
            believed = self._last_believed(place, kind)
            if believed is not None:
                tracker._believed[name] = batch.frame(believed)

    def _last_believed(self, place: int, kind: FormatterRows) -> int | None:
        """The last row that says that there is a fix."""
        if place == kinds.ZDA:
            says: Flags = np.ones(len(kind), np.bool_)
        elif place in (kinds.GGA, kinds.RMC):
            says = np.full(len(kind), gga_fixed(self._tracker) if place == kinds.GGA else rmc_fixed(self._tracker))
        elif place == kinds.GSA:
            says = kind.field(2).letter >= ord("2")
        elif place == kinds.GLL:
            return next((row for row, words in _statuses(kind) if kind_of_status(*words)), None)
        else:
            data, star = self._rows.batch.data, kind.own.star
            says = (data[star - 1] != ord("N")) | (data[star - 2] != ord(","))
        rows = kind.rows[says]
        return int(rows[-1]) if len(rows) else None

    def feed_used(self) -> None:
        """The lists of used satellites: of each key those of the last two epochs that have one."""
        gsa = self._rows.of(kinds.GSA)
        if not len(gsa):
            return
        key = self._rows.columns.used_key[self._rows.span(kinds.GSA)]
        epoch = self._rows.epochs(gsa.rows)
        wanted: set[int] = set()
        for each in set(key.tolist()):
            own = epoch[key == each]
            wanted.update(own[steps(own, -1) != 0][-2:].tolist())
        seen = -1
        for place in np.flatnonzero(np.isin(epoch, list(wanted))).tolist():
            frame = self._rows.batch.frame(int(gsa.rows[place]))
            words = gsa_words(frame.data)
            assert words is not None, "it is long enough"
            self._tracker._sky.feed_gsa(frame, words[1], words[2], again=int(epoch[place]) == seen)
            seen = int(epoch[place])

    def stand_behind(self, last: Epoch) -> None:
        """What else the tracker knows behind the last row."""
        tracker, columns, batch, stretch = self._tracker, self._rows.columns, self._rows.batch, self._rows.stretch
        inside = slice(stretch.begin, stretch.end)
        timed = stretch.begin + np.flatnonzero(columns.timed[inside])
        midnight = int(self._rows.midnights(*tracker._epochs.day)[-1])
        tracker._epochs.leap(
            self._raw_time(int(timed[-1])),
            len(stretch.begins),
            None if midnight == kinds.NO_DAY else midnight,
            last.of_day or 0,
        )
        for place in present(columns.formatter[inside][columns.combined[inside]]):
            own = self._rows.of(place)
            spoken = own.rows[columns.combined[own.rows]]
            for row in spoken[-2:].tolist():
                tracker._talkers.hear_combined(FORMATTERS[place], batch.frame(row))
        gsa = self._rows.of(kinds.GSA)
        tracker._best = ""
        if len(gsa):
            row = int(gsa.rows[-1])
            tracker._gsa_last = batch.frame(row)
            if columns.epoch[row] == columns.epoch[stretch.end - 1]:
                tracker._best = tracker._dimension
        routed = stretch.begin + np.flatnonzero(columns.formatter[inside] != kinds.UNROUTED)
        tracker._last_formatter = FORMATTERS[int(columns.formatter[routed[-1]])]
        tells = routed[np.isin(columns.formatter[routed], (kinds.GGA, kinds.RMC, kinds.GLL))]
        if len(tells):
            tracker._said = int(batch.time[tells[-1]])

    def _raw_time(self, row: int) -> bytes:
        """The time of a row as it stands there."""
        one = self._rows.batch.part(row, row + 1)
        return field_of(one, TIME_FIELD[FORMATTERS[int(self._rows.columns.formatter[row])]]).text(0)


def _statuses(gll: FormatterRows) -> Iterator[tuple[int, tuple[str, str]]]:
    """Status and mode of each row, the last first."""
    status, mode = gll.field(6), gll.field(7)
    for place in reversed(range(len(gll))):
        yield int(gll.rows[place]), (status.text(place).decode("latin-1"), mode.text(place).decode("latin-1"))


def _deciding(times: Places, epochs: Places) -> list[tuple[int, int]]:
    """The last of many sayings, from which follows all that a `LatestSentence` knows behind them.

    One that comes later than the one before, in a later epoch, is another saying whatever was noted earlier; from the
    last but one of these on everything is known.
    """
    certain = 1 + np.flatnonzero((np.diff(times) > 0) & (np.diff(epochs) > 0))
    first = int(certain[-2]) if len(certain) > 1 else 0
    return list(zip(times[first:].tolist(), epochs[first:].tolist(), strict=True))
