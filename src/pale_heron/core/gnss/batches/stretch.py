"""A stretch of epochs within a batch, of which none changes what the fix is: its rows, and what its epochs say."""

from typing import NamedTuple

import numpy as np

from pale_heron.core.gnss.batches import columns as kinds
from pale_heron.core.gnss.batches.columns import FixColumns, FormatterRows
from pale_heron.core.gnss.batches.oddities import gga_fixed, rmc_fixed
from pale_heron.core.gnss.batches.rows import EpochRows
from pale_heron.core.gnss.epochs.log import UNKNOWN_COUNT, UNKNOWN_TIME
from pale_heron.core.gnss.fix import FixTracker
from pale_heron.core.nmea.columns import Numbers
from pale_heron.core.utc import DAY
from pale_heron.core.wire.sentence_batch import Places, SentenceBatch


class EpochStretch(NamedTuple):
    """Rows from one, with which an epoch begins, to before another; with which rows its epochs begin, and are whole."""

    begin: int
    end: int
    begins: Places
    whole: Places


class StretchRows:
    """The rows of a stretch, by their formatters and by their epochs."""

    def __init__(self, batch: SentenceBatch, columns: FixColumns, stretch: EpochStretch) -> None:
        self.batch = batch
        self.columns = columns
        self.stretch = stretch

    def of(self, kind: int) -> FormatterRows:
        """The rows of one formatter in a stretch."""
        whole, span = self.columns.kind(kind), self.span(kind)
        return FormatterRows(whole.rows[span], whole.own.rows(span))

    def span(self, kind: int) -> slice:
        """Where these stand among all rows of their formatter."""
        first, last = np.searchsorted(self.columns.kind(kind).rows, (self.stretch.begin, self.stretch.end)).tolist()
        return slice(first, last)

    def epochs(self, rows: Places) -> Places:
        """Of which epoch of a stretch each row is."""
        found: Places = self.columns.epoch[rows] - self.columns.epoch[self.stretch.begin]
        return found

    def midnights(self, before: int, of_day_before: int) -> Places:
        """When the day of each epoch began, by the last of its sentences that carries a date, else as the one before.

        `before` and `of_day_before` are those of the epoch before the first; NO_DAY where no day is known.
        """
        columns, stretch = self.columns, self.stretch
        said = np.full(len(stretch.begins) + 1, kinds.NO_DAY)
        said[0] = before
        dated = stretch.begin + np.flatnonzero(columns.midnight[stretch.begin : stretch.end] != kinds.NO_DAY)
        said[1 + self.epochs(dated)] = columns.midnight[dated]
        of_day = np.concatenate(([of_day_before], columns.told[stretch.begins]))
        days = np.concatenate(([0], np.cumsum(-np.diff(of_day) > DAY // 2)))
        last = np.maximum.accumulate(np.where(said != kinds.NO_DAY, np.arange(len(said)), 0))
        found: Places = np.where(said[last] == kinds.NO_DAY, kinds.NO_DAY, said[last] + DAY * (days - days[last]))
        return found[1:]


def epoch_rows(tracker: FixTracker, rows: StretchRows, seen: Places, cn0: Numbers) -> EpochRows:
    """What the epochs of a stretch say; `seen` and `cn0` are of the satellites as each became whole."""
    columns, stretch, count = rows.columns, rows.stretch, len(rows.stretch.begins)
    gga, rmc, gst = (rows.of(kind) for kind in (kinds.GGA, kinds.RMC, kinds.GST))
    by_gga, by_rmc, by_gst = (rows.epochs(kind.rows) for kind in (gga, rmc, gst))
    column = _EpochColumn(count)
    places = column.of(by_rmc, columns.by_rmc[:, rows.span(kinds.RMC)]) if rmc_fixed(tracker) else column.empty(2)
    if gga_fixed(tracker):
        own = column.of(by_gga, columns.by_gga[:, rows.span(kinds.GGA)])
        rmc_first = column.rows(by_rmc, rmc.rows) < column.rows(by_gga, gga.rows)
        places = np.where(rmc_first & ~np.isnan(places[0]) | np.isnan(own[0]), places, own)
    fixed = ~np.isnan(places[0])
    error = column.of(by_gst, np.sqrt(gst.field(6).numbers() ** 2 + gst.field(7).numbers() ** 2))
    height = (_metres(gga, 9), _metres(gga, 11)) if gga_fixed(tracker) else ()
    altitude, separation = (column.of(by_gga, each) for each in height) if height else column.empty(2)
    motion = (rmc.field(7).numbers(), rmc.field(8).numbers()) if rmc_fixed(tracker) else ()
    speed, course = (column.of(by_rmc, each) for each in motion) if motion else column.empty(2)
    used = np.full(count, UNKNOWN_COUNT)
    used[by_gga] = gga.field(7).counts()
    hdop = column.of(by_gga, gga.field(8).numbers())
    of_day = columns.told[stretch.begins]
    midnight = rows.midnights(*tracker._epochs.day)
    state = tracker._state
    altitude, separation, hdop, speed, course = (
        np.where(fixed, each, np.nan) for each in (altitude, separation, hdop, speed, course)
    )
    return EpochRows(
        arrived=rows.batch.time[stretch.begins],
        utc=np.where(midnight == kinds.NO_DAY, UNKNOWN_TIME, midnight + of_day),
        of_day=of_day,
        level=state.level,
        made=state.made,
        latitude=places[0],
        longitude=places[1],
        altitude_m=altitude,
        separation_m=separation,
        used=used,
        seen=seen,
        hdop=hdop,
        cn0=cn0,
        speed_knots=speed,
        course_deg=course,
        error_m=error,
    )


class _EpochColumn:
    """Columns with a row an epoch, from values of some of them."""

    def __init__(self, count: int) -> None:
        self._count = count

    def empty(self, columns: int) -> Numbers:
        return np.full((columns, self._count), np.nan)

    def of(self, epochs: Places, values: Numbers) -> Numbers:
        found = np.full((*values.shape[:-1], self._count), np.nan)
        found[..., epochs] = values
        return found

    def rows(self, epochs: Places, rows: Places) -> Places:
        """The row of each; beyond all where there is none."""
        found = np.full(self._count, 2**62)
        found[epochs] = rows
        return found


def _metres(gga: FormatterRows, number: int) -> Numbers:
    """A height, where its unit is metres."""
    unit = gga.field(number + 1)
    return np.where((unit.size == 0) | (unit.letter == ord("M")), gga.field(number).numbers(), np.nan)
