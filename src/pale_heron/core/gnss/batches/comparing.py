"""Whether GGA and RMC say the same, over a stretch of epochs: as `Agreement` does, epoch by epoch."""

from typing import Final

import numpy as np

from pale_heron.core.gnss.batches import columns as kinds
from pale_heron.core.gnss.batches.columns import FORMATTERS, FormatterRows
from pale_heron.core.gnss.batches.folds import first_disagreement, runs_of_disagreement
from pale_heron.core.gnss.batches.oddities import gga_fixed, rmc_fixed
from pale_heron.core.gnss.batches.stretch import StretchRows
from pale_heron.core.gnss.epochs.agreement import BURST_SHARE, SPEED_KNOTS, SPEED_SHARE
from pale_heron.core.gnss.fix import FixTracker
from pale_heron.core.nmea.columns import NONE, FieldColumn
from pale_heron.core.nmea.raw import is_near
from pale_heron.core.wire.sentence_batch import Flags, Places

_WHERE_BYTES: Final = 48
"""Four fields of a place with the commas between them."""


class StretchComparison:
    """Compares, and reports to the checks of the tracker."""

    def __init__(self, tracker: FixTracker, rows: StretchRows) -> None:
        self._tracker = tracker
        self._rows = rows

    def run(self, usual: Places) -> None:
        """`usual[i]` is the usual gap as known when epoch i of the stretch began; the one behind it holds within it."""
        tracker = self._tracker
        compared = [("time", *self._times(usual))]
        gga, rmc = self._rows.of(kinds.GGA), self._rows.of(kinds.RMC)
        _, in_gga, in_rmc = np.intersect1d(
            self._rows.epochs(gga.rows), self._rows.epochs(rmc.rows), return_indices=True
        )
        whole = self._rows.stretch.whole[self._rows.epochs(gga.rows[in_gga])]
        compared.append(("validity", whole, np.ones(len(whole), np.bool_)))
        if gga_fixed(tracker) and rmc_fixed(tracker):
            near = _near(
                FormatterRows(gga.rows[in_gga], gga.own.rows(in_gga)),
                FormatterRows(rmc.rows[in_rmc], rmc.own.rows(in_rmc)),
            )
            compared.append(("position", whole, near))
        if rmc_fixed(tracker):
            compared.append(("speed", *self._speeds()))
        checks = tracker._plausibility
        for what, rows, agree in sorted(compared, key=lambda each: first_disagreement(each[1], each[2])):
            if len(rows):
                checks.compared_often(what, *runs_of_disagreement(agree, checks.in_a_row(what)))

    def _speeds(self) -> tuple[Places, Flags]:
        """Where a VTG follows the RMC of its epoch and both say how fast: the rows, and whether they agree."""
        rmc, vtg = self._rows.of(kinds.RMC), self._rows.of(kinds.VTG)
        before = np.searchsorted(rmc.rows, vtg.rows) - 1
        follows = np.flatnonzero(before >= 0)
        follows = follows[self._rows.epochs(rmc.rows[before[follows]]) == self._rows.epochs(vtg.rows[follows])]
        here, there = rmc.field(7).numbers()[before[follows]], vtg.field(5).numbers()[follows]
        known = ~np.isnan(here) & ~np.isnan(there)
        here, there = here[known], there[known]
        agree = np.abs(here - there) <= np.maximum(SPEED_KNOTS, SPEED_SHARE * np.maximum(here, there))
        return vtg.rows[follows[known]], agree

    def _times(self, usual: Places) -> tuple[Places, Flags]:
        """Where each GGA or RMC comes in one burst with the other: the rows, and whether they tell the same time."""
        columns, agreement = self._rows.columns, self._tracker._agreement
        known = dict(agreement.last)
        found_rows, found = [], []
        for kind, other in ((kinds.GGA, kinds.RMC), (kinds.RMC, kinds.GGA)):
            own, others = self._rows.of(kind), self._rows.of(other)
            told_before, before_arrived = known.get(FORMATTERS[other], (NONE, NONE))
            rows = own.rows
            place = np.searchsorted(others.rows, rows) - 1
            told_by_others = np.append(columns.told[others.rows], told_before)
            arrived = np.append(others.own.time, before_arrived)
            away = own.own.time - arrived[place]
            epoch = self._rows.epochs(rows)
            # An epoch is whole only behind the look at the sentence with which the next begins.
            known_gap = usual[np.where(columns.begins[rows], epoch, epoch + 1)]
            compared = (away >= 0) & (away < BURST_SHARE * known_gap) & (told_by_others[place] != NONE)
            agree = columns.told[rows] == told_by_others[place]
            found_rows.append(rows[compared])
            found.append(agree[compared])
            if len(rows):
                agreement.last[FORMATTERS[kind]] = int(columns.told[rows[-1]]), int(own.own.time[-1])
        rows, agree = np.concatenate(found_rows), np.concatenate(found)
        order = np.argsort(rows)
        return rows[order], agree[order]


def _near(gga: FormatterRows, rmc: FormatterRows) -> Flags:
    """Whether both give one place, but for the last digit."""
    ends = [(kind.field(first), kind.field(first + 3)) for kind, first in ((gga, 2), (rmc, 3))]
    data = gga.own.data
    whole = [FieldColumn(data, begin.begin, end.begin + end.size) for begin, end in ends]
    alike: Flags = (whole[0].size == whole[1].size) & (whole[0].size <= _WHERE_BYTES)
    alike &= (whole[0].matrix(_WHERE_BYTES) == whole[1].matrix(_WHERE_BYTES)).all(axis=0)
    for row in np.flatnonzero(~alike).tolist():
        here, there = (tuple(each.text(row).split(b",")) for each in whole)
        alike[row] = here == there or is_near(here, there)
    return alike
