"""The times that the sentences of a batch give themselves, by the rules of `OwnTime`, while nothing unusual happens."""

from collections.abc import Sequence
from typing import Final, NamedTuple

import numpy as np

from pale_heron.core.clock.own_time import WITH_TIME
from pale_heron.core.nmea.columns import NONE, field_of, joined_dates
from pale_heron.core.nmea.raw import LATE_DATE_NS, midnight_of
from pale_heron.core.utc import DAY
from pale_heron.core.wire.sentence_batch import Flags, Places, SentenceBatch

_LONGEST: Final = 12
"""Bytes of a date that are looked at; none that can be read is as long."""


class BatchTimes(NamedTuple):
    """The time of each row, and the beginning of the day behind the last, nanoseconds.

    `gaps` are the last two intervals, `fixes` the rows that say last whether there is a fix.
    """

    times: Places
    midnight: int
    gaps: Sequence[int]
    fixes: Sequence[int]


def times_of(
    batch: SentenceBatch, told: Places, time: int, midnight: int, longest: int, *, dated: bool
) -> BatchTimes | None:
    """`time` and `midnight` are those of before the batch, `longest` is what may pass between two times.

    None where a row has to be looked at by itself.
    """
    timed = batch.of_types([name[-3:] in WITH_TIME and name[0] != "P" for name in batch.names])
    if (told[timed] == NONE).any():
        return None
    days = _days(batch, dated)
    if days is None:
        return None
    rows, midnights = days
    known = np.concatenate(([midnight], midnights))
    at = np.flatnonzero(timed)
    carried = known[np.searchsorted(rows, at, "right")]
    now = carried + told[at]
    # Where a date stands it counts; else a time that goes back by so much means that a day has begun.
    undated = np.ones(len(batch), np.bool_)
    undated[rows] = False
    before = np.concatenate(([time], now[:-1]))
    if (undated[at] & (before - now > DAY // 2)).any() or (np.abs(np.diff(known)) > DAY).any():
        return None
    passed = now - before
    if (passed < 0).any() or (passed > longest).any() or (now % DAY < LATE_DATE_NS).any():
        return None
    times = np.concatenate(([time], now))[np.searchsorted(at, np.arange(len(batch)), "right")]
    fixes = [_last(batch, formatter) for formatter in ("RMC", "GGA")]
    return BatchTimes(times, int(known[-1]), passed[passed > 0][-2:].tolist(), sorted(row for row in fixes if row >= 0))


def _last(batch: SentenceBatch, formatter: str) -> int:
    """The last row of a formatter; -1 where there is none."""
    rows = np.flatnonzero(batch.of_types([name[-3:] == formatter and name[0] != "P" for name in batch.names]))
    return int(rows[-1]) if len(rows) else -1


def _days(batch: SentenceBatch, dated: bool) -> tuple[Places, Places] | None:
    """The rows that carry a date, and midnight of each; None where one is missing, cannot be read, or is new."""
    rmc = batch.of_types([name[-3:] == "RMC" and name[0] != "P" for name in batch.names])
    zda = batch.of_types([name[-3:] == "ZDA" and name[0] != "P" for name in batch.names])
    found, midnights = [], []
    for rows, dates in (
        (rmc_rows := np.flatnonzero(rmc), field_of(batch.rows(rmc_rows), 9).texts(_LONGEST)),
        (zda_rows := np.flatnonzero(zda), joined_dates(batch.rows(zda_rows))[0]),
    ):
        if not dated:
            if (dates != b"").any():
                return None
            continue
        distinct, where = np.unique(dates, return_inverse=True)
        read = [midnight_of(each) if each else None for each in distinct.tolist()]
        if None in read or not _valid(batch, rmc):
            return None
        found.append(rows)
        midnights.append(np.array(read, np.int64)[where])
    if not dated:
        return np.empty(0, np.int64), np.empty(0, np.int64)
    every = np.concatenate(found)
    order = np.argsort(every)
    return every[order], np.concatenate(midnights)[order]


def _valid(batch: SentenceBatch, rmc: Flags) -> bool:
    """Whether RMC vouches for all of it."""
    return bool(field_of(batch.rows(np.flatnonzero(rmc)), 2).equals(b"A").all())
