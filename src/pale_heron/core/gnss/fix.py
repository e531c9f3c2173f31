"""The fix of one receiver: feed it the sentences that are believed, ask it where we are and how sure.

    sentence ─▶ reader of its kind ─▶ the open epoch ─▶ the record of whole ones; satellites, starts
                          └─▶ state of the fix, from the words that decide it

A sentence costs a look at the few raw fields that decide state and epoch; everything else is decoded from the newest
sentence of each kind when a snapshot is asked for.
"""

from typing import TYPE_CHECKING, Final

from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.gnss.course import BANNER, SILENCE, FixCourse
from pale_heron.core.gnss.epochs.agreement import OTHER_SOLUTION_M, Agreement
from pale_heron.core.gnss.epochs.early import EarlySentences
from pale_heron.core.gnss.epochs.log import Epochs
from pale_heron.core.gnss.epochs.plausibility import PlausibilityChecks
from pale_heron.core.gnss.epochs.record import EpochRecord
from pale_heron.core.gnss.epochs.tracker import EpochTracker, OpenEpoch
from pale_heron.core.gnss.facts import LatestSentence, Saying, facts
from pale_heron.core.gnss.reported import MODULE, ReportedPosition
from pale_heron.core.gnss.satellites.sky import SkyTracker
from pale_heron.core.gnss.saying import REPEATED_NS, Talkers
from pale_heron.core.gnss.snapshot import FixSnapshot, overdue_s
from pale_heron.core.gnss.states import (
    EACH_EPOCH,
    HOLDS_NS,
    KNOWN,
    NO_FIX,
    NO_PLACE,
    RANKS,
    WITH_TIME,
    FixState,
    Words,
    agree,
    held_ns,
    judge,
    kind_of_modes,
    kind_of_quality,
    kind_of_status,
    witnesses,
)
from pale_heron.core.nmea.raw import (
    LONG_DATE,
    TIME_FIELD,
    date_of,
    fields_of,
    gsa_words,
    number,
    short_date,
    time_of_day,
    unpacked,
)
from pale_heron.core.utc import DAY, moved
from pale_heron.core.wire.visible import safe_text

if TYPE_CHECKING:
    from pale_heron.core.wire.sentence_batch import Places, SentenceBatch

WGS_84: Final = (b"W84", b"WGS84")
EPOCHS_KEPT = 9_000
"""A quarter of an hour of 10 Hz, hours of 1 Hz; a replay keeps its lanes now and then, so it is no more."""

DECIDING: Final = ("GGA", "GNS", "RMC", "GLL")
"""Formatters that say whether there is a position."""


class FixTracker:
    """Feed it NMEA frames of the received direction that are whole and undamaged.

    `epochs_kept` limits how many epochs stay for path, scatter and comparison; None keeps all.
    """

    def __init__(self, epochs_kept: int | None = EPOCHS_KEPT) -> None:
        self._latest: dict[str, LatestSentence] = {}
        self._believed: dict[str, Saying] = {}
        self._talkers = Talkers()
        self._sky = SkyTracker()
        self._course = FixCourse()
        self._plausibility = PlausibilityChecks()
        self._epochs = EpochTracker()
        self._early = EarlySentences()
        self._record = EpochRecord(self._plausibility, epochs_kept)
        self._agreement = Agreement(self._plausibility)
        self._best = ""
        """The best fix mode of the GSAs of this epoch: one of a system without used satellites says 1 beside others."""
        self._gsa_last: Frame | None = None
        self._state = FixState(NO_FIX)
        self._since: int | None = None
        self._reading = self._changed_at = 0
        """Where in the lane the sentence stands that is read, and the one with which a fix came or went last."""
        self._words: dict[str, Words] = {}
        """What each sentence says of the fix, as long as that holds."""
        self._agreed = True
        """Whether all of these say the same."""
        self._last_formatter = ""
        self._said: int | None = None
        self._resumed = 0
        """When the first sentence came behind a silence of all."""
        self._deciding = ""
        self._readers = {
            "GGA": self._gga,
            "GNS": self._gns,
            "RMC": self._rmc,
            "GLL": self._gll,
            "GSA": self._gsa,
            "GSV": self._gsv,
            "ZDA": self._zda,
            "VTG": self._vtg,
            "HDT": self._other,
            "THS": self._other,
            "GST": self._gst,
            "DTM": self._dtm,
        }

    def begun_again(self) -> "FixTracker":
        """One that knows what was recorded, and nothing of what was said: this one could not take a sentence."""
        other = FixTracker()
        other._record, other._plausibility, other._course = self._record, self._plausibility, self._course
        other._agreement = Agreement(self._plausibility)
        return other

    @property
    def vouched(self) -> bool | None:
        """Whether satellites give the position, so that the time is theirs too; None where nobody has said."""
        return None if self._since is None else self._state.is_fix

    @property
    def vouched_from(self) -> int:
        """The byte of the lane with whose sentence that became so."""
        return self._changed_at

    @property
    def taken_until(self) -> int | None:
        """When the last epoch came that is whole."""
        return self._record.cadence.last

    def first_byte(self, time: int | None) -> None:
        """Tell it that something arrived, legible or not."""
        self._course.milestone("first byte", time)

    def arrived(self, time: int) -> None:
        """Tell it that bytes arrived, legible or not."""
        self._record.arrived(time)

    def damaged(self, time: int) -> None:
        """Tell it that bytes came that are no sentence, in a log that has no times of arrival."""
        self._record.damaged(time)

    def start(self, mode: str, cause: str, time: int | None) -> None:
        """Tell it that the receiver restarts."""
        self._course.begin_start(mode, cause, time)
        if cause in (BANNER, SILENCE):
            # What was said before the start says nothing of what is after it.
            self._words.clear()
            self._agreed = True

    def clock_stepped(self, seconds: float, time: int) -> None:
        """Tell it that the clock by which its times are counted stepped: what goes on began by that other clock."""
        by = round(seconds * SECOND)
        self._said, self._since = moved(self._said, by), moved(self._since, by)
        self._resumed = time
        self._epochs.open.arrived = moved(self._epochs.open.arrived, by)
        self._record.clock_stepped(by)
        self._course.clock_stepped(by)
        self._sky.clock_stepped(by)
        self._plausibility.clock_stepped(seconds)

    def feed(self, frame: Frame) -> None:
        """Take one sentence; those that say nothing of the fix pass."""
        kind, self._reading = frame.type, frame.offset
        route = self._talkers.route(kind)
        if route.formatter not in self._readers or not route.read:
            return
        if route.combined:
            self._talkers.hear_combined(route.formatter, frame)
        elif route.shadowed and self._talkers.is_shadowed(route.formatter, frame):
            if route.formatter == "GGA":
                self._compare_alone(frame)
            return
        if self._course.waiting:
            self._course.milestone("first byte", frame.time)
            self._course.milestone("sentence", frame.time)
        if route.formatter not in TIME_FIELD:
            self._read(route.formatter, frame)
            return
        for each in self._early.ordered(route.formatter, frame, self._epochs, self._latest):
            self._read(each.type[2:], each)

    def _read(self, formatter: str, frame: Frame) -> None:
        self._readers[formatter](frame)
        if formatter in DECIDING:
            self._said = frame.time
            self._note_untimed(frame.time)
        self._last_formatter = formatter

    def feed_batch(self, batch: "SentenceBatch", told: "Places") -> None:
        """Take many sentences, one after the other; `told` is the time of day that each tells, or NONE."""
        from pale_heron.core.gnss.batches.steady import SteadyFeeder

        SteadyFeeder(self, batch, told).run()

    def feed_position(self, position: ReportedPosition) -> None:
        """Take a position that no sentence carries."""
        if self._course.waiting:
            self._course.milestone("first byte", position.time)
        self._take_time(position, position.clock, MODULE)
        self._hear(position, MODULE, position.has_position)
        epoch = self._epochs.open
        epoch.used = position.raw.get("satellites_used", "").encode("latin-1", "replace")
        if position.has_position:
            self._epochs.place_at(
                (position.values["latitude"], position.values["longitude"]),
                position.where,
                position.raw.get("altitude_m", "").encode("latin-1", "replace"),
            )
        self._judge(position, MODULE, ("A" if position.has_position else "V", KNOWN if position.clock else ""))
        self._said = position.time
        self._note_untimed(position.time)
        self._last_formatter = MODULE

    def _note_untimed(self, time: int | None) -> None:
        """What was judged where no time is given, so that no epoch will hold it."""
        if not self._epochs.raw_time:
            self._record.untimed(time, self._state, self._sky.reception(time)[1])

    def finish(self) -> None:
        """The end of the stream: the epoch that is open is whole."""
        self._close()

    @property
    def track(self) -> Epochs:
        """The last whole epochs, oldest first."""
        return self._record.track()

    def snapshot(self, now: int | None) -> FixSnapshot:
        """The fix as of `now`."""
        epoch = self._epochs.open
        return FixSnapshot(
            state=self._state,
            since=self._since,
            said=self._said,
            overdue_s=overdue_s(now, self._said, self._record.cadence.usual),
            facts=facts(self._latest, self._believed, now),
            sky=self._sky.snapshot(now),
            history=self._course.snapshot(
                self._record.outages(epoch.arrived if epoch.time else None, self._state, now)
            ),
            epochs=self._record.count + bool(epoch.time),
            epochs_with_fix=self._record.with_fix + (epoch.latitude is not None and self._state.is_fix),
            positions=self._record.with_position + (epoch.latitude is not None),
            track=self.track,
            strip=self._record.strip(),
            deciding=self._deciding,
            testimonies=witnesses(self._words),
            remarks=tuple(self._plausibility.remarks()),
            datum=self._plausibility.datum,
        )

    def _close(self) -> None:
        """The epoch that is open is whole."""
        self._settle_dimension()
        whole = self._epochs.close()
        if whole is not None:
            self._take_whole(whole)

    def _take_whole(self, epoch: OpenEpoch) -> None:
        """An epoch is whole: a row of the record."""
        seen, cn0 = self._sky.reception(epoch.arrived)
        if not self._state.has_position and epoch.latitude is not None:
            # One says that there is none: it is believed, whatever others give.
            epoch.latitude = epoch.longitude = None
            self._plausibility.denied += 1
        self._record.add(self._epochs.row(epoch, self._state, seen, cn0))
        self._agreement.epoch(epoch)

    def _compare_alone(self, frame: Frame) -> None:
        """What one system gives of the epoch of which all together have spoken."""
        fields, epoch = frame.data.split(b",", 7), self._epochs.open
        same = len(fields) > 6 and bool(epoch.time) and time_of_day(fields[1]) == time_of_day(epoch.time)
        if same and epoch.fixed_by_gga and kind_of_quality(fields[6].decode("latin-1")):
            self._agreement.again(epoch.where, fields[2:6], OTHER_SOLUTION_M)

    def _hear(self, frame: Saying, formatter: str, says_fix: bool) -> None:
        heard = self._latest.get(formatter)
        if heard is None:
            self._latest[formatter] = LatestSentence(frame, self._epochs.begun)
        else:
            heard.hear(frame, self._epochs.begun)
        if says_fix:
            self._believed[formatter] = frame

    def _judge(self, frame: Saying, formatter: str, words: Words) -> None:
        """Take the deciding words of one sentence; judge again only where that may come to something else."""
        if (
            formatter in WITH_TIME
            and words[-1] != KNOWN
            and self._state.state != NO_FIX
            and self._was_silent(frame.time)
        ):
            # It was silent, and has lost its time: it was off, or it is another one.
            self.start("unknown", SILENCE, frame.time)
        lapsed = self._lapse(frame.time)
        if self._words.get(formatter) == words and not lapsed and self._agreed:
            if self._course.waiting:
                self._course.note_state(self._state, frame.time)
            return
        self._words[formatter] = words
        self._agreed = agree(self._words)
        if self._words.keys().isdisjoint(RANKS):
            # GSA alone says nothing of a position: before the first sentence that does, nothing is decided.
            return
        state = judge(self._words, self._current())
        if state != self._state or self._since is None:
            if state.is_fix != self._state.is_fix or self._since is None:
                self._changed_at = self._reading
            self._state = state
            self._since = frame.time
            self._deciding = frame.type
            self._course.change(state, frame.time)
        elif self._course.waiting:
            self._course.note_state(state, frame.time)

    def _was_silent(self, now: int | None) -> bool:
        """Whether nothing has been said until now for longer than usual."""
        return now is not None and self._said is not None and self._record.cadence.is_silence(now - self._said)

    def _lapse(self, now: int | None) -> bool:
        """Forget what no longer holds: its sender has stopped; whether there was any."""
        if now is None:
            return False
        usual = self._record.cadence.usual
        if self._said is not None and now - self._said > max(EACH_EPOCH * usual, HOLDS_NS[0]):
            # All were silent: that one of them has stopped is not seen before the others have gone on for a while.
            self._resumed = now
        over = [
            formatter
            for formatter in self._words
            if (heard := self._latest[formatter]).frame.time is not None
            and now - max(heard.frame.time, self._resumed) > held_ns(heard.interval)
        ]
        for formatter in over:
            del self._words[formatter]
        return bool(over)

    def _current(self) -> frozenset[str]:
        """Who speaks of the newest epoch: who did, and who comes with each."""
        usual = EACH_EPOCH * self._record.cadence.usual
        return frozenset(
            formatter
            for formatter in self._words
            if (heard := self._latest[formatter]).epoch == self._epochs.begun or not usual or heard.interval <= usual
        )

    @property
    def _dimension(self) -> str:
        return self._words.get("GSA", ("",))[0]

    def _take_time(self, frame: Saying, time: bytes, formatter: str, date: bytes = b"") -> None:
        """The time of a sentence: the epoch that it belongs to; and whether it only repeats itself."""
        if time and time_of_day(time) is None:
            # What is shown as none begins no epoch.
            time = b""
        ends = bool(time) and self._epochs.ends_with(time, date)
        if time and not ends and time == self._epochs.raw_time and frame.time is not None:
            before = self._latest.get(formatter)
            passed = frame.time - before.frame.time if before is not None and before.frame.time is not None else 0
            # After half a day it is the same time of another day.
            if before is not None and REPEATED_NS < passed < DAY // 2:
                repeated = before.frame.data.split(b",", 6)
                if time in repeated:
                    self._plausibility.still()
        if ends and self._best:
            self._settle_dimension()
        whole = self._epochs.begin(time, frame.time, date)
        if whole is not None:
            self._take_whole(whole)
        if time:
            self._epochs.open.told_by.add(formatter)
        if time and self._course.waiting:
            self._course.milestone("time", frame.time)

    def _take_date(self, frame: Frame, date: bytes) -> None:
        if date:
            known = self._epochs.open.date
            if len(known) != LONG_DATE or short_date(known) != short_date(date):
                # ZDA says the century, RMC does not.
                self._epochs.open.date = date
            if self._course.waiting:
                self._course.milestone("date", frame.time)

    def _claimed(self, word: str, kind: str, where: list[bytes]) -> tuple[str, bool]:
        """What a sentence says of the fix, and whether that is a position: one that gives no place has none."""
        placeless = bool(kind) and unpacked(tuple(where)) is None
        self._plausibility.placeless += placeless
        return NO_PLACE if placeless else word, bool(kind) and not placeless

    def _gga(self, frame: Frame) -> None:
        fields = frame.data.split(b",", 13)
        if len(fields) < 10:
            return
        quality = fields[6].decode("latin-1")
        quality, has_fix = self._claimed(quality, kind_of_quality(quality), fields[2:6])
        self._agreement.times("GGA", "RMC", time_of_day(fields[1]), frame.time, self._record.cadence.usual)
        self._take_time(frame, fields[1], "GGA")
        self._hear(frame, "GGA", has_fix)
        epoch = self._epochs.open
        if epoch.time and epoch.fixed_by_gga is not None:
            self._agreement.again(epoch.where if epoch.fixed_by_gga else (), fields[2:6] if has_fix else ())
        epoch.used, epoch.hdop, epoch.fixed_by_gga = fields[7], fields[8], has_fix
        if has_fix:
            if epoch.where:
                # RMC came first: its place is kept to be compared, that of GGA has the height.
                epoch.altitude, epoch.separation = _metres(fields, 9), _metres(fields, 11)
                epoch.where = tuple(fields[2:6])
            else:
                self._epochs.place(fields[2:6], _metres(fields, 9), _metres(fields, 11))
        else:
            # It decides for all: a place that RMC gave before is none.
            self._epochs.displace()
        self._judge(frame, "GGA", (quality or "0", KNOWN if time_of_day(fields[1]) is not None else ""))

    def _gns(self, frame: Frame) -> None:
        fields = frame.data.split(b",", 12)
        if len(fields) < 10:
            return
        modes = fields[6].decode("latin-1")
        modes, has_fix = self._claimed(modes, kind_of_modes(modes), fields[2:6])
        self._take_time(frame, fields[1], "GNS")
        self._hear(frame, "GNS", has_fix)
        epoch = self._epochs.open
        if epoch.fixed_by_gga is None:
            epoch.used, epoch.hdop = fields[7], fields[8]
        if has_fix:
            self._epochs.place(fields[2:6], fields[9], fields[10] if len(fields) > 10 else b"")
        self._judge(frame, "GNS", (modes or "N",))

    def _rmc(self, frame: Frame) -> None:
        fields = fields_of(frame.data)
        if len(fields) < 10:
            return
        status = fields[2].decode("latin-1")
        mode = fields[12].decode("latin-1") if len(fields) > 12 else ""
        status, has_fix = self._claimed(status, kind_of_status(status, mode), fields[3:7])
        self._agreement.times("RMC", "GGA", time_of_day(fields[1]), frame.time, self._record.cadence.usual)
        self._take_time(frame, fields[1], "RMC", fields[9])
        self._hear(frame, "RMC", has_fix)
        self._take_date(frame, fields[9])
        epoch = self._epochs.open
        if epoch.time and epoch.fixed_by_rmc is not None:
            self._agreement.again(epoch.where_by_rmc if epoch.fixed_by_rmc else (), fields[3:7] if has_fix else ())
        epoch.fixed_by_rmc = has_fix
        if has_fix:
            epoch.where_by_rmc, epoch.speed, epoch.course = tuple(fields[3:7]), fields[7], fields[8]
            if epoch.fixed_by_gga is not False:
                self._epochs.place(fields[3:7])
        self._judge(frame, "RMC", (status or "V", mode, KNOWN if time_of_day(fields[1]) is not None else ""))

    def _gll(self, frame: Frame) -> None:
        fields = fields_of(frame.data)
        if len(fields) < 7:
            return
        status, mode = fields[6].decode("latin-1"), fields[7].decode("latin-1") if len(fields) > 7 else ""
        status, has_fix = self._claimed(status, kind_of_status(status, mode), fields[1:5])
        if fields[5] or self._words.keys().isdisjoint(("GGA", "GNS", "RMC")):
            # Without a time it is of the epoch of which others speak.
            self._take_time(frame, fields[5], "GLL")
        self._hear(frame, "GLL", has_fix)
        self._lapse(frame.time)
        alone = self._words.keys().isdisjoint(("GGA", "GNS", "RMC"))
        if has_fix and (alone or self._epochs.open.fixed_by_gga is not False):
            self._epochs.open.where_by_gll = tuple(fields[1:5])
        if alone:
            self._judge(frame, "GLL", (status or "V", mode))
        elif self._words.pop("GLL", None) is not None:
            # What it said while it was alone is said by others now.
            self._agreed = agree(self._words)

    def _gsa(self, frame: Frame) -> None:
        gsa = gsa_words(frame.data)
        if gsa is None:
            return
        if self._last_formatter != "GSA" and self._epochs.is_ahead(frame.time, self._record.cadence.usual):
            self._close()
            self._epochs.open.arrived = frame.time
        dimension, first, system = gsa
        last = self._gsa_last
        if last is not None and frame.time is not None and frame.time - (last.time or 0) > REPEATED_NS:
            self._settle_dimension()
        self._hear(frame, "GSA", dimension in ("2", "3"))
        self._sky.feed_gsa(frame, first, system, again=self._best != "")
        if first and self._course.waiting:
            self._course.milestone("satellite used", frame.time)
        self._gsa_last = frame
        self._best = max(self._best, dimension)
        if self._best >= self._dimension:
            self._judge(frame, "GSA", (self._best,))

    def _settle_dimension(self) -> None:
        """All GSAs of an epoch were heard: what none of them says any more is over."""
        best, self._best = self._best, ""
        if best and self._gsa_last is not None and best != self._dimension:
            self._judge(self._gsa_last, "GSA", (best,))

    def _gsv(self, frame: Frame) -> None:
        if self._sky.feed_gsv(frame) and self._course.waiting:
            self._course.milestone("satellite seen", frame.time)

    def _zda(self, frame: Frame) -> None:
        fields = frame.data.split(b",", 5)
        if len(fields) > 4:
            self._take_time(frame, fields[1], "ZDA")
            self._take_date(frame, date_of(*fields[2:5]))
        self._hear(frame, "ZDA", True)

    def _gst(self, frame: Frame) -> None:
        fields = fields_of(frame.data)
        if len(fields) > 8:
            self._take_time(frame, fields[1], "GST")
            self._epochs.open.errors = fields[6], fields[7]
        self._other(frame)

    def _vtg(self, frame: Frame) -> None:
        fields, epoch = fields_of(frame.data), self._epochs.open
        if len(fields) > 5:
            self._agreement.speeds(number(epoch.speed), number(fields[5]))
        self._other(frame)

    def _dtm(self, frame: Frame) -> None:
        fields = fields_of(frame.data)
        if len(fields) > 8:
            shifts = [each for each in (fields[3], fields[5], fields[7]) if each.strip(b"0.-+")]
            name = safe_text(fields[1]) or "not named"
            shifted = f"{name} with an offset" if fields[1] in WGS_84 else name
            self._plausibility.datum = "" if fields[1] in WGS_84 and not shifts else shifted
        self._other(frame)

    def _other(self, frame: Frame) -> None:
        self._hear(frame, frame.type[2:], b",N*" not in frame.data)


def _metres(fields: list[bytes], at: int) -> bytes:
    """A height, where its unit is metres; one in feet is none (GGA has M always, 8.3.45)."""
    unit = fields[at + 1] if at + 1 < len(fields) else b""
    return fields[at] if at < len(fields) and unit in (b"M", b"") else b""
