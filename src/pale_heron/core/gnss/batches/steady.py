"""Feeds a tracker of the fix with a batch: many epochs at once where no word of the fix changes, else row by row.

    rows ─▶ a stretch of epochs whose deciding words are those of before ─▶ columns, added to the log and the checks
        └─▶ all others, and the last few epochs ─▶ the tracker, sentence by sentence

The tracker stands behind a batch just as if it had been fed each sentence. What it keeps of the newest sentences comes
from the rows behind the stretch, so of the stretch only what is counted and logged has to be worked out.
"""

from collections.abc import Iterator
from typing import Final, NamedTuple

import numpy as np

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.batches import columns as kinds
from pale_heron.core.gnss.batches.columns import FORMATTERS, FixColumns, FormatterRows, RowRoute
from pale_heron.core.gnss.batches.folds import first_disagreement, runs_of_disagreement, usual_gaps
from pale_heron.core.gnss.batches.rows import EpochRows
from pale_heron.core.gnss.batches.sky import at_moments
from pale_heron.core.gnss.epochs.agreement import BURST_SHARE
from pale_heron.core.gnss.epochs.log import UNKNOWN_COUNT, UNKNOWN_TIME
from pale_heron.core.gnss.epochs.tracker import AHEAD_SHARE
from pale_heron.core.gnss.fix import COMBINED_FRESH_NS, DIMENSION_FRESH_NS, REPEATED_NS, FixTracker
from pale_heron.core.gnss.states import kind_of_quality, kind_of_status
from pale_heron.core.nmea.columns import NONE, FieldColumn, Numbers, field_of
from pale_heron.core.nmea.raw import TIME_FIELD, gsa_words, is_near, time_of_day
from pale_heron.core.wire.sentence_batch import Flags, Places, SentenceBatch, steps

LEAST_EPOCHS: Final = 16
TAIL_EPOCHS: Final = 3
AT_A_TIME: Final = 256
"""So many rows go one by one before it is looked again whether many can be taken."""

LONGEST_GAP_NS: Final = 3 * SECOND
TIMED: Final = (kinds.GGA, kinds.RMC, kinds.GLL, kinds.ZDA, kinds.GST)
_WHERE_BYTES: Final = 48
"""Four fields of a place with the commas between them."""


class EpochStretch(NamedTuple):
    """Rows from one, with which an epoch begins, to before another; with which rows its epochs begin, and are whole."""

    begin: int
    end: int
    begins: Places
    whole: Places


class SteadyFeeder:
    """One batch for one tracker, of whose state it is a part. `told` is the time of day that each row tells."""

    def __init__(self, tracker: FixTracker, batch: SentenceBatch, told: Places) -> None:
        self._tracker = tracker
        self._batch = batch
        before = time_of_day(tracker._epochs.raw_time)
        combined = {FORMATTERS.index(name): time for name, time in tracker._combined.items() if name in FORMATTERS}
        routes = [self._route(name) for name in batch.names]
        self._step = AT_A_TIME
        self._columns = FixColumns(batch, routes, told, NONE if before is None else before, combined, COMBINED_FRESH_NS)

    def _route(self, kind: str) -> RowRoute:
        found = self._tracker._routes.get(kind) or self._tracker._route(kind)
        heard = found.reader is not None
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
        odd = np.append(np.flatnonzero(self._odd()), end)
        begin, until = self._next_stretch(at, odd)
        if begin > at or until == begin:
            # What is odd now may not be so once the tracker has seen what decides.
            self._step = 2 * self._step if until == begin else AT_A_TIME
            return self._one_by_one(at, begin if until > begin else min(end, at + self._step))
        self._step = AT_A_TIME
        return self._take_from(at, until, end)

    def _next_stretch(self, at: int, odd: Places) -> tuple[int, int]:
        """Between which rows, of which none is odd, enough epochs begin; nothing where there are none."""
        edges = np.concatenate(([at], odd[odd >= at] + 1))
        count = np.concatenate((self._columns.epoch, self._columns.epoch[-1:]))
        begun = count[np.maximum(edges, 1) - 1] - self._columns.begins[0] * (edges == 0)
        enough = np.flatnonzero(np.diff(begun) > LEAST_EPOCHS + TAIL_EPOCHS)
        if not len(enough):
            return at, at
        return int(edges[enough[0]]), int(edges[enough[0] + 1]) - 1

    def _take_from(self, at: int, until: int, end: int) -> int:
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
            return self._one_by_one(begin, min(end, begin + AT_A_TIME))
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
            and tracker._best in ("", tracker._indicators.dimension)
            and bool(epoch.time)
            and epoch.arrived is not None
            and tracker._sky.between_lists
            and (tracker._epochs.knows_date or not (self._columns.midnight != kinds.NO_DAY).any())
        )

    # Which rows are odd as things stand

    def _odd(self) -> Flags:
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
        quality, status = words.get("GGA", ("", "")), words.get("RMC", ("", "", "", ""))
        odd[gga.rows] |= ~_says(gga.field(6), quality[0], "0") | (quality[1] == "")
        odd[rmc.rows] |= ~_says(rmc.field(2), status[0], "V") | ~_says(rmc.field(12), status[1]) | (status[3] == "")
        if self._gga_fixed != self._rmc_fixed and len(gga) and len(rmc):
            odd[:] = True
        if self._gga_fixed:
            odd[gga.rows] |= np.isnan(columns.by_gga[0])
        if self._rmc_fixed:
            odd[rmc.rows] |= np.isnan(columns.by_rmc[0])
        if tracker._latest.keys().isdisjoint(("GGA", "GNS", "RMC")):
            odd |= columns.formatter == kinds.GLL
        odd[columns.lists.rows[~tracker._sky.knows(columns.lists, self._batch.names)]] = True
        self._mark_dimensions(odd)
        self._mark_epochs(odd)
        return odd

    @property
    def _gga_fixed(self) -> bool:
        return bool(kind_of_quality(self._tracker._words.get("GGA", ("",))[0]))

    @property
    def _rmc_fixed(self) -> bool:
        return bool(kind_of_status(*self._tracker._words.get("RMC", ("", ""))[:2]))

    def _mark_dimensions(self, odd: Flags) -> None:
        """GSA: all of an epoch together say what those before said; and none stopped coming."""
        columns, tracker, time = self._columns, self._tracker, self._batch.time
        rows = columns.kind(kinds.GSA).rows
        word = tracker._words.get("GSA", ("",))[0]
        spoken = ord(word) if len(word) == 1 and word == tracker._indicators.dimension else 0
        if len(rows):
            epoch = columns.epoch[rows]
            starts = np.flatnonzero(steps(epoch, -1))
            best = np.maximum.reduceat(columns.dimension, starts)
            odd[rows[starts[best != spoken]]] = True
            odd[rows] |= columns.dimension > spoken
            late = (steps(time[rows], int(time[rows[0]])) > REPEATED_NS) & (steps(epoch, -1) == 0)
            odd[rows[late]] = True
            odd[rows[self._is_ahead(rows)]] = True
        if tracker._dimension_time is not None:
            judged = np.flatnonzero((columns.formatter == kinds.GGA) | (columns.formatter == kinds.RMC))
            heard = np.concatenate(([tracker._dimension_time], time[rows]))[np.searchsorted(rows, judged)]
            odd[judged[time[judged] - heard > DIMENSION_FRESH_NS]] = True

    def _is_ahead(self, rows: Places) -> Flags:
        """Which GSA come so late, behind other sentences, that they may be of the next epoch."""
        columns, time = self._columns, self._batch.time
        routed = np.flatnonzero(columns.formatter != kinds.UNROUTED)
        place = np.searchsorted(routed, rows)
        behind_other = (place == 0) | (columns.formatter[routed[place - 1]] != kinds.GSA)
        arrived = time[np.flatnonzero(columns.begins)]
        gaps = np.concatenate((self._tracker._record.cadence.gaps, np.diff(arrived)))
        least = gaps[gaps > 0].min(initial=LONGEST_GAP_NS)
        opened = np.concatenate(([self._tracker._epochs.open.arrived or 0], arrived))[columns.epoch[rows]]
        found: Flags = behind_other & (time[rows] - opened > AHEAD_SHARE * least)
        return found

    def _mark_epochs(self, odd: Flags) -> None:
        """Epochs that follow a silence, that have no date where others have, and sentences that repeat themselves."""
        columns, time = self._columns, self._batch.time
        begins = np.flatnonzero(columns.begins)
        last = self._tracker._record.cadence.last
        gaps = steps(time[begins], 0) if last is None else steps(time[begins], last)
        gaps[:1] = 0 if last is None else gaps[:1]
        odd[begins[(gaps < 0) | (gaps > LONGEST_GAP_NS)]] = True
        dated = np.zeros(len(begins) + 1, np.bool_)
        dated[columns.epoch[columns.midnight != kinds.NO_DAY]] = True
        if dated.any() or self._tracker._epochs.knows_date:
            odd[begins[~dated[1:]]] = True
        for place in TIMED:
            rows = columns.kind(place).rows
            repeated = steps(columns.told[rows], NONE) == 0
            odd[rows[repeated & (steps(time[rows], 0) > REPEATED_NS)]] = True

    # A stretch

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
        rows = self._epoch_rows(stretch, *at_moments(received, stretch.whole, arrived))
        self._compare(stretch, np.concatenate(([usual], behind)))
        tracker._record.extend(rows, (gaps[0], gaps[1]))
        self._hear(stretch)
        self._feed_used(stretch)
        self._stand_behind(stretch, rows)

    def _inside(self, kind: int, stretch: EpochStretch) -> FormatterRows:
        """The rows of one formatter in a stretch."""
        whole, span = self._columns.kind(kind), self._span(kind, stretch)
        return FormatterRows(whole.rows[span], whole.own.rows(span))

    def _span(self, kind: int, stretch: EpochStretch) -> slice:
        """Where these stand among all rows of their formatter."""
        first, last = np.searchsorted(self._columns.kind(kind).rows, (stretch.begin, stretch.end)).tolist()
        return slice(first, last)

    def _epoch_rows(self, stretch: EpochStretch, seen: Places, cn0: Numbers) -> EpochRows:
        columns, count = self._columns, len(stretch.begins)
        gga, rmc, gst = (self._inside(kind, stretch) for kind in (kinds.GGA, kinds.RMC, kinds.GST))
        by_gga, by_rmc, by_gst = (self._epochs_of(kind.rows, stretch) for kind in (gga, rmc, gst))
        column = _EpochColumn(count)
        places = (
            column.of(by_rmc, columns.by_rmc[:, self._span(kinds.RMC, stretch)]) if self._rmc_fixed else column.empty(2)
        )
        if self._gga_fixed:
            own = column.of(by_gga, columns.by_gga[:, self._span(kinds.GGA, stretch)])
            rmc_first = column.rows(by_rmc, rmc.rows) < column.rows(by_gga, gga.rows)
            places = np.where(rmc_first & ~np.isnan(places[0]) | np.isnan(own[0]), places, own)
        fixed = ~np.isnan(places[0])
        error = column.of(by_gst, np.sqrt(gst.field(6).numbers() ** 2 + gst.field(7).numbers() ** 2))
        height = (_metres(gga, 9), _metres(gga, 11)) if self._gga_fixed else ()
        altitude, separation = (column.of(by_gga, each) for each in height) if height else column.empty(2)
        motion = (rmc.field(7).numbers(), rmc.field(8).numbers()) if self._rmc_fixed else ()
        speed, course = (column.of(by_rmc, each) for each in motion) if motion else column.empty(2)
        used = np.full(count, UNKNOWN_COUNT)
        used[by_gga] = gga.field(7).counts()
        hdop = column.of(by_gga, gga.field(8).numbers())
        of_day = columns.told[stretch.begins]
        midnight = self._midnights(stretch)
        state = self._tracker._state
        altitude, separation, hdop, speed, course = (
            np.where(fixed, each, np.nan) for each in (altitude, separation, hdop, speed, course)
        )
        return EpochRows(
            arrived=self._batch.time[stretch.begins],
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

    def _epochs_of(self, rows: Places, stretch: EpochStretch) -> Places:
        """Of which epoch of a stretch each row is."""
        found: Places = self._columns.epoch[rows] - self._columns.epoch[stretch.begin]
        return found

    def _midnights(self, stretch: EpochStretch) -> Places:
        """When the day of each epoch began, by the last of its sentences that carries a date."""
        columns = self._columns
        found = np.full(len(stretch.begins), kinds.NO_DAY)
        dated = stretch.begin + np.flatnonzero(columns.midnight[stretch.begin : stretch.end] != kinds.NO_DAY)
        found[self._epochs_of(dated, stretch)] = columns.midnight[dated]
        return found

    # Comparing GGA and RMC

    def _compare(self, stretch: EpochStretch, usual: Places) -> None:
        """`usual[i]` is the usual gap as known when epoch i of the stretch began; the one behind it holds within it."""
        compared = [("time", *self._compare_times(stretch, usual))]
        gga, rmc = self._inside(kinds.GGA, stretch), self._inside(kinds.RMC, stretch)
        _, in_gga, in_rmc = np.intersect1d(
            self._epochs_of(gga.rows, stretch), self._epochs_of(rmc.rows, stretch), return_indices=True
        )
        whole = stretch.whole[self._epochs_of(gga.rows[in_gga], stretch)]
        compared.append(("validity", whole, np.ones(len(whole), np.bool_)))
        if self._gga_fixed and self._rmc_fixed:
            near = _near(
                FormatterRows(gga.rows[in_gga], gga.own.rows(in_gga)),
                FormatterRows(rmc.rows[in_rmc], rmc.own.rows(in_rmc)),
            )
            compared.append(("position", whole, near))
        checks = self._tracker._plausibility
        for what, rows, agree in sorted(compared, key=lambda each: first_disagreement(each[1], each[2])):
            if len(rows):
                checks.compared_often(what, *runs_of_disagreement(agree, checks.in_a_row(what)))

    def _compare_times(self, stretch: EpochStretch, usual: Places) -> tuple[Places, Flags]:
        """Where each GGA or RMC comes in one burst with the other: the rows, and whether they tell the same time."""
        columns, agreement = self._columns, self._tracker._agreement
        known = agreement.last_times()
        found_rows, found = [], []
        for kind, other in ((kinds.GGA, kinds.RMC), (kinds.RMC, kinds.GGA)):
            own, others = self._inside(kind, stretch), self._inside(other, stretch)
            before, before_arrived = known.get(FORMATTERS[other], (b"", None))
            rows = own.rows
            place = np.searchsorted(others.rows, rows) - 1
            told, told_by_others = columns.told[rows], np.append(columns.told[others.rows], time_of_day(before) or NONE)
            size = np.append(others.field(1).size, len(before))
            arrived = np.append(others.own.time, NONE if before_arrived is None else before_arrived)
            away = own.own.time - arrived[place]
            epoch = self._epochs_of(rows, stretch)
            # An epoch is whole only behind the look at the sentence with which the next begins.
            known_gap = usual[np.where(columns.begins[rows], epoch, epoch + 1)]
            compared = (away >= 0) & (away < BURST_SHARE * known_gap) & (arrived[place] != NONE) & (size[place] > 0)
            agree = (told == told_by_others[place]) & (own.field(1).size == size[place])
            found_rows.append(rows[compared])
            found.append(agree[compared])
            if len(rows):
                agreement.leap(FORMATTERS[kind], own.field(1).text(len(own) - 1), int(own.own.time[-1]))
        rows, agree = np.concatenate(found_rows), np.concatenate(found)
        order = np.argsort(rows)
        return rows[order], agree[order]

    # What is kept of the newest sentences

    def _hear(self, stretch: EpochStretch) -> None:
        tracker, batch = self._tracker, self._batch
        begun = tracker._epochs.begun + 1
        for place, name in enumerate(FORMATTERS):
            kind = self._inside(place, stretch)
            if place == kinds.GSV or not len(kind):
                continue
            heard = tracker._latest[name]
            epochs = begun + self._epochs_of(kind.rows, stretch)
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
            says = np.full(len(kind), self._gga_fixed if place == kinds.GGA else self._rmc_fixed)
        elif place == kinds.GSA:
            says = kind.field(2).letter >= ord("2")
        elif place == kinds.GLL:
            return next((row for row, words in _statuses(kind) if kind_of_status(*words)), None)
        else:
            data, star = self._batch.data, kind.own.star
            says = (data[star - 1] != ord("N")) | (data[star - 2] != ord(","))
        rows = kind.rows[says]
        return int(rows[-1]) if len(rows) else None

    def _feed_used(self, stretch: EpochStretch) -> None:
        """The lists of used satellites: of each key those of the last two epochs that have one."""
        gsa = self._inside(kinds.GSA, stretch)
        if not len(gsa):
            return
        key = self._columns.used_key[self._span(kinds.GSA, stretch)]
        epoch = self._epochs_of(gsa.rows, stretch)
        wanted: set[int] = set()
        for each in np.unique(key).tolist():
            wanted.update(np.unique(epoch[key == each])[-2:].tolist())
        seen = -1
        for place in np.flatnonzero(np.isin(epoch, list(wanted))).tolist():
            frame = self._batch.frame(int(gsa.rows[place]))
            words = gsa_words(frame.data)
            assert words is not None, "it is long enough"
            self._tracker._sky.feed_gsa(frame, words[1], words[2], again=int(epoch[place]) == seen)
            seen = int(epoch[place])

    def _stand_behind(self, stretch: EpochStretch, rows: EpochRows) -> None:
        """What else the tracker knows behind the last row."""
        tracker, columns, batch = self._tracker, self._columns, self._batch
        inside = slice(stretch.begin, stretch.end)
        timed = stretch.begin + np.flatnonzero(columns.timed[inside])
        midnight = int(self._midnights(stretch)[-1])
        tracker._epochs.leap(
            self._raw_time(int(timed[-1])),
            len(rows),
            None if midnight == kinds.NO_DAY else midnight,
            int(rows.of_day[-1]),
        )
        for place in np.unique(columns.formatter[inside][columns.combined[inside]]).tolist():
            own = self._inside(place, stretch)
            spoken = own.rows[columns.combined[own.rows]]
            if len(spoken):
                tracker._combined[FORMATTERS[place]] = int(batch.time[spoken[-1]])
        gsa = self._inside(kinds.GSA, stretch)
        tracker._best = ""
        if len(gsa):
            last = int(gsa.rows[-1])
            tracker._gsa_last, tracker._dimension_time = batch.frame(last), int(batch.time[last])
            if columns.epoch[last] == columns.epoch[stretch.end - 1]:
                tracker._best = tracker._indicators.dimension
        routed = stretch.begin + np.flatnonzero(columns.formatter[inside] != kinds.UNROUTED)
        tracker._last_formatter = FORMATTERS[int(columns.formatter[routed[-1]])]
        tells = routed[np.isin(columns.formatter[routed], (kinds.GGA, kinds.RMC, kinds.GLL))]
        if len(tells):
            tracker._said = int(batch.time[tells[-1]])

    def _raw_time(self, row: int) -> bytes:
        """The time of a row as it stands there."""
        one = self._batch.part(row, row + 1)
        return field_of(one, TIME_FIELD[FORMATTERS[int(self._columns.formatter[row])]]).text(0)


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


def _says(field: FieldColumn, word: str, empty: str = "") -> Flags:
    """Which rows have this word; an empty one stands for `empty`."""
    found = field.equals(word.encode("latin-1"))
    return found | (field.size == 0) if word == empty else found


def _metres(gga: FormatterRows, number: int) -> Numbers:
    """A height, where its unit is metres."""
    unit = gga.field(number + 1)
    return np.where((unit.size == 0) | (unit.letter == ord("M")), gga.field(number).numbers(), np.nan)


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
