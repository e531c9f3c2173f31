"""What the sentences of a batch say of the fix, as columns; and which of them are not to be taken many at a time.

A row that is *odd* has something about it that the tracker must see sentence by sentence: a field that is missing or
cannot be read, a second sentence of a kind that an epoch has once, a list of satellites with a part missing.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Final, NamedTuple

import numpy as np

from pale_heron.core.gnss.batches.lists import SatelliteLists
from pale_heron.core.gnss.saying import REPEATED_NS, CombinedSaying
from pale_heron.core.gnss.states import HOLDS_NS
from pale_heron.core.nmea.columns import NONE, FieldColumn, Numbers, field_of, joined_dates
from pale_heron.core.nmea.raw import LATE_DATE_NS, midnight_of, short_date
from pale_heron.core.utc import DAY
from pale_heron.core.wire.sentence_batch import Flags, Places, SentenceBatch, present, steps

UNROUTED: Final = -1
FORMATTERS: Final = ("GGA", "RMC", "GLL", "ZDA", "GST", "GSA", "GSV", "VTG", "GNS", "DTM", "HDT", "THS")
"""Those that say something of the fix; a column holds their places."""

GGA, RMC, GLL, ZDA, GST, GSA, GSV, VTG, GNS, DTM, _, _ = range(len(FORMATTERS))
_LEAST_COMMAS: Final = {GGA: 13, RMC: 9, GLL: 6, ZDA: 5, GST: 8, GSA: 15, GSV: 3}
"""A sentence with fewer is too short to be read as one of many."""

_ONCE: Final = (GGA, RMC, GST)
"""Of these an epoch has one."""

NEAR_DEG: Final = 1e-4
"""So much north and east is less than OTHER_SOLUTION_M everywhere."""

NO_DAY: Final = -(2**63)
_LONG_AGO: Final = -(2**62)


class RowRoute(NamedTuple):
    """What becomes of a type of sentence: its place in FORMATTERS, or UNROUTED; who it speaks for."""

    formatter: int
    combined: bool
    shadowed: bool


@dataclass(frozen=True)
class FormatterRows:
    """All rows of one formatter: their places in the batch, and themselves."""

    rows: Places
    own: SentenceBatch

    def __len__(self) -> int:
        return len(self.rows)

    def field(self, number: int) -> FieldColumn:
        return field_of(self.own, number)

    def place(self, first: int) -> Numbers:
        """Latitude and longitude, from four fields; NaN both where one of them cannot be read."""
        fields = [self.field(first + step) for step in range(4)]
        found = np.array([fields[0].angles(fields[1], "NS"), fields[2].angles(fields[3], "EW")])
        found[:, np.isnan(found).any(axis=0)] = np.nan
        return found


class FixColumns:
    """The columns of one batch. `told` is the time of day that each row tells; `before` the one told before the batch.

    `combined` says when the combined talker spoke last, by formatter.
    """

    def __init__(
        self,
        batch: SentenceBatch,
        routes: Sequence[RowRoute],
        told: Places,
        before: int,
        combined: Mapping[int, CombinedSaying],
        paired: Collection[int],
    ) -> None:
        self.batch = batch
        self.told = told
        self._before = before
        by_type = np.array([route.formatter for route in routes], np.int64)
        self.formatter: Places = by_type[batch.type]
        self.combined = batch.of_types([route.combined for route in routes])
        self.odd: Flags = (self.formatter == GNS) | (self.formatter == DTM)
        self._leave_out_shadowed(batch.of_types([route.shadowed for route in routes]), combined, paired)
        for place, least in _LEAST_COMMAS.items():
            self.odd |= (self.formatter == place) & (batch.comma_count < least)
        timed = (self.formatter >= GGA) & (self.formatter <= GST)
        self.odd |= timed & (told == NONE)
        self.timed = timed & (told != NONE)
        self.begins = np.zeros(len(batch), np.bool_)
        self.begins[self._beginning_rows()] = True
        self.epoch: Places = np.cumsum(self.begins)
        """How many epochs have begun up to and with each row."""
        for place in _ONCE:
            rows = self.kind(place).rows
            self.odd[rows[1:][np.diff(self.epoch[rows]) == 0]] = True
        self._read_dates()
        self.lists = SatelliteLists(batch, self.kind(GSV).rows, self.odd)
        self._check_lists_of_used()

    def kind(self, formatter: int) -> FormatterRows:
        """All rows of one formatter."""
        found = self._kinds.get(formatter)
        if found is None:
            rows = np.flatnonzero(self.formatter == formatter)
            found = self._kinds[formatter] = FormatterRows(rows, self.batch.rows(rows))
        return found

    @cached_property
    def judged(self) -> Places:
        """The rows at which it may be judged whether there is a fix."""
        found: Places = np.flatnonzero(np.isin(self.formatter, (GGA, RMC, GLL, GSA)))
        return found

    @cached_property
    def by_gga(self) -> Numbers:
        """Latitude and longitude of every GGA, where there is one."""
        return self.kind(GGA).place(2)

    @cached_property
    def by_rmc(self) -> Numbers:
        """The same of every RMC."""
        return self.kind(RMC).place(3)

    @cached_property
    def _kinds(self) -> dict[int, FormatterRows]:
        return {}

    def _leave_out_shadowed(
        self, shadowed: Flags, combined: Mapping[int, CombinedSaying], paired: Collection[int]
    ) -> None:
        """Where the combined talker says the same for all systems together, the others are not heard.

        What it takes to know whether it does, or will, is for the tracker to see.
        """
        time, told = self.batch.time, self.told
        for place in present(self.formatter[shadowed]):
            rows = np.flatnonzero(self.combined & (self.formatter == place))
            own = np.flatnonzero(shadowed & (self.formatter == place))
            before = combined.get(place)
            # The combined one before each row: where there is none, one of long ago.
            first = (_LONG_AGO, NONE) if before is None else (before.time, NONE if before.told is None else before.told)
            at = np.searchsorted(rows, own)
            since = time[own] - np.concatenate((first[:1], time[rows]))[at]
            same = told[own] == np.concatenate((first[1:], told[rows]))[at]
            if place in paired:
                hidden = since <= HOLDS_NS[0]
                self.odd[own[~hidden & (since <= HOLDS_NS[1])]] = True
            else:
                hidden = np.where(told[own] == NONE, since < REPEATED_NS, same)
                single = np.concatenate(([NONE], told[own]))[np.searchsorted(own, rows)]
                self.odd[rows[(told[rows] != NONE) & (single == told[rows])]] = True
            self.formatter[own[hidden]] = UNROUTED
            if place == GGA:
                self._mark_other_places(own[hidden & same], rows, at[hidden & same])

    def _mark_other_places(self, alone: Places, together: Places, at: Places) -> None:
        """Where a talker that is not heard gives another place than the combined one before it, or may do so."""
        known = at > 0
        self.odd[alone[~known]] = True
        pairs = (alone[known], together[at[known] - 1])
        here, there = (FormatterRows(rows, self.batch.rows(rows)).place(2) for rows in pairs)
        self.odd[pairs[0]] = ~(np.abs(here - there) < NEAR_DEG).all(axis=0)

    def _beginning_rows(self) -> Places:
        rows = np.flatnonzero(self.timed)
        later = steps(self.told[rows], self._before)
        # Time that goes back: somebody may have come early.
        self.odd[rows[(later < 0) & (later > -DAY // 2)]] = True
        found: Places = rows[later != 0]
        return found

    def _read_dates(self) -> None:
        """`midnight` of each row that carries a date, NO_DAY for the others."""
        self.midnight: Places = np.full(len(self.batch), NO_DAY)
        days = np.zeros(len(self.batch), np.int64)
        rmc, zda = self.kind(RMC), self.kind(ZDA)
        for rows, texts, whole in (
            (rmc.rows, rmc.field(9).texts(8), rmc.field(9).size == 6),
            (zda.rows, *joined_dates(zda.own)),
        ):
            found, where = np.unique(texts, return_inverse=True)
            read = [midnight_of(each) if each else None for each in found.tolist()]
            values = np.array([NO_DAY if each is None else each for each in read], np.int64)
            self.midnight[rows] = values[where]
            number = np.array([int(each[:4] + each[-2:]) if each.isdigit() else 0 for each in found.tolist()], np.int64)
            days[rows] = number[where]
            self.odd[rows] |= (texts != b"") & (~whole | (self.midnight[rows] == NO_DAY))
            # Of another century than a date of six digits says; or so soon behind midnight that it may be late.
            same = [midnight_of(short_date(each)) == day for each, day in zip(found.tolist(), read, strict=True)]
            moved = ~np.array(same, np.bool_)
            self.odd[rows] |= moved[where] & (self.midnight[rows] != NO_DAY) | (self.told[rows] < LATE_DATE_NS)
        dated = np.flatnonzero(self.midnight != NO_DAY)
        another = (steps(days[dated], 0) != 0) & (steps(self.epoch[dated], -1) == 0)
        self.odd[dated[another]] = True

    def _check_lists_of_used(self) -> None:
        """GSA: the fix mode of each row, and who keeps its list apart."""
        gsa = self.kind(GSA)
        self.dimension = gsa.field(2).letter
        first, system = gsa.field(3), gsa.field(18)
        self.odd[gsa.rows] |= (self.dimension < ord("1")) | (self.dimension > ord("3"))
        self.odd[gsa.rows] |= (first.size > 3) | (system.size > 1)
        self.used_key: Places = gsa.own.type << 32 | system.letter.astype(np.int64) << 24
        # Where no system is named, the first satellite tells it; raw numbers keep more apart than need be.
        unnamed = system.size == 0
        digits = first.matrix(3).astype(np.int64)
        self.used_key |= np.where(unnamed, digits[0] << 16 | digits[1] << 8 | digits[2], 0)
