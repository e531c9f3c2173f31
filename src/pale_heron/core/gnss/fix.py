"""The fix of one receiver: feed it the sentences that are believed, ask it where we are and how sure.

    sentence ─▶ reader of its kind ─▶ the open epoch ─▶ (its time changes) ─▶ epochs, strip, history, sanity
                          └─▶ state of the fix, from the words that decide it

A sentence costs a look at the few raw fields that decide state and epoch; everything else is decoded from the newest
sentence of each kind when a snapshot is asked for. Sentences are one epoch when they carry the same time; those that
carry none (GSA, GSV, VTG) belong to the epoch that is open, unless GSA comes so late that it must be the next one's.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from math import isfinite, nan
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.gnss.epochs import EpochLog, Epochs
from pale_heron.core.gnss.facts import Fact, Heard, facts
from pale_heron.core.gnss.history import BANNER, History, HistorySnapshot, Reception
from pale_heron.core.gnss.sanity import Moment, Remark, Sanity
from pale_heron.core.gnss.sky import Sky, SkyTracker
from pale_heron.core.gnss.states import NO_FIX, FixState, Says, Testimony, judge, witnesses
from pale_heron.core.gnss.strip import Strip, StripLog
from pale_heron.core.nmea.degrees import unpack
from pale_heron.core.utc import DAY, midnight

EPOCHS_KEPT = 36_000
"""An hour of 10 Hz."""

DIMENSION_FRESH_NS = 10 * SECOND
COMBINED_FRESH_NS = 10 * SECOND
MOST_ROUTES = 200
BURST_SHARE = 0.35
"""What comes within so much of the usual time between epochs is of one burst."""

SILENT_NS = 3 * SECOND
MOST: Final = 1e12
"""No figure of a receiver is as large."""

AHEAD_SHARE = 0.6
"""A GSA that comes after so much of the usual time between epochs precedes the time of its own epoch."""

REPEATED_NS = SECOND // 2
_PER_SYSTEM: Final = frozenset(("GSA", "GSV"))
"""Formatters of which each talker tells something else; of the others the combined one speaks for all."""

_DECIDING: Final = {
    "GGA": ("quality", "time"),
    "GNS": ("modes",),
    "RMC": ("status", "status_mode", "time"),
    "GLL": ("status", "status_mode"),
    "GSA": ("dimension",),
}
"""Which words of Says each sentence gives."""


@lru_cache(maxsize=64)
def _gsa_words(data: bytes) -> tuple[str, bytes, bytes] | None:
    """Fix mode, first satellite and system id; None of a sentence too short. GSA often repeats itself to the letter."""
    fields = data.partition(b"*")[0].split(b",")
    if len(fields) < 16:
        return None
    return fields[2].decode("latin-1"), fields[3], fields[18] if len(fields) > 18 else b""


@lru_cache(maxsize=8)
def _midnight_of(date: bytes) -> int | None:
    """Nanoseconds of the begin of a raw date, ddmmyy (or ddmmyyyy); None where there is no such day."""
    day, month, year = date[:2].decode("latin-1"), date[2:4].decode("latin-1"), date[4:].decode("latin-1")
    if not (year.isdecimal() and len(year) in (2, 4)):
        return None
    full = int(year) if len(year) == 4 else int(year) + (1900 if int(year) >= 80 else 2000)
    try:
        return midnight(f"{full:04d}-{month}-{day}")
    except ValueError:
        return None


def _time_of_day(raw: bytes) -> int | None:
    """Nanoseconds since midnight of a raw time, hhmmss with any decimals; None where it is none."""
    try:
        seconds = int(raw[:2]) * 3600 + int(raw[2:4]) * 60 + int(raw[4:6])
        return seconds * SECOND + int((raw[7:] + b"000000000")[:9])
    except ValueError:
        return None


def _number(raw: bytes) -> float | None:
    """A raw decimal number; None where it is none (or is called infinite)."""
    try:
        number = float(raw) if raw else nan
    except ValueError:
        return None
    return number if isfinite(number) and abs(number) < MOST else None


def _count(raw: bytes) -> int | None:
    return int(raw) if raw.isdigit() and len(raw) <= 3 else None


@dataclass(slots=True)
class _OpenEpoch:
    """What was heard of the moment that is being told."""

    time: bytes
    arrived: int | None
    date: bytes = b""
    where: tuple[bytes, ...] = ()
    latitude: float | None = None
    longitude: float | None = None
    altitude: bytes = b""
    separation: bytes = b""
    used: bytes = b""
    hdop: bytes = b""
    speed: bytes = b""
    course: bytes = b""
    errors: tuple[bytes, bytes] = (b"", b"")
    fixed_by_gga: bool | None = None
    fixed_by_rmc: bool | None = None
    where_by_rmc: tuple[bytes, ...] = ()


class _Route(NamedTuple):
    """Who reads a type of sentence (nobody: None), whether it speaks for all systems, or only where none does."""

    reader: Callable[[Frame], None] | None
    formatter: str
    combined: bool
    shadowed: bool


@dataclass(frozen=True, slots=True)
class FixSnapshot:
    """Everything that the Fix view and the summary say of one receiver."""

    state: FixState
    since: int | None
    facts: dict[str, Fact]
    sky: Sky
    history: HistorySnapshot
    epochs: int
    epochs_with_fix: int
    track: Epochs
    """The last whole epochs, oldest first."""
    strip: Strip
    """The whole session."""
    deciding: str
    """The type of the sentence that changed the state last; empty before one came."""
    testimonies: tuple[Testimony, ...]
    remarks: tuple[Remark, ...]

    def value(self, name: str) -> Fact | None:
        """One fact; None where no sentence that carries it was heard."""
        return self.facts.get(name)


class FixTracker:
    """Feed it NMEA frames of the received direction that are whole and undamaged.

    `epochs_kept` limits how many epochs stay for path, scatter and comparison; None keeps all.
    """

    def __init__(self, epochs_kept: int | None = EPOCHS_KEPT) -> None:
        self._latest: dict[str, Heard] = {}
        self._believed: dict[str, Frame] = {}
        self._combined: dict[str, int] = {}
        self._sky = SkyTracker()
        self._history = History()
        self._sanity = Sanity()
        self._strip = StripLog()
        self._log = EpochLog(epochs_kept)
        self._says = Says()
        self._dimension_time: int | None = None
        self._state = FixState(NO_FIX)
        self._since: int | None = None
        self._words: dict[str, tuple[str, ...]] = {}
        self._raw_time = self._epoch = b""
        self._open = _OpenEpoch(b"", None)
        self._last_formatter = ""
        self._midnight: int | None = None
        self._time_of_day = 0
        self._gaps = (0, 0)
        self._last_arrived: int | None = None
        self._told: dict[str, tuple[bytes, int | None]] = {}
        self._epochs = 0
        self._epochs_with_fix = 0
        self._deciding = ""
        self._routes: dict[str, _Route] = {}
        self._readers = {
            "GGA": self._gga,
            "GNS": self._gns,
            "RMC": self._rmc,
            "GLL": self._gll,
            "GSA": self._gsa,
            "GSV": self._gsv,
            "ZDA": self._zda,
            "VTG": self._other,
            "GST": self._gst,
        }

    def first_byte(self, time: int | None) -> None:
        """Tell it that something arrived, legible or not."""
        self._history.milestone("first byte", time)

    def start(self, mode: str, cause: str, time: int | None) -> None:
        """Tell it that the receiver starts anew."""
        self._history.begin_start(mode, cause, time)
        if cause == BANNER:
            # What was said before the start says nothing of what is after it.
            self._says, self._dimension_time = Says(), None
            self._words.clear()

    def feed(self, frame: Frame) -> None:
        """Take one sentence; those that say nothing of the fix pass."""
        kind = frame.type
        route = self._routes.get(kind) or self._route(kind)
        if route.reader is None:
            return
        if route.combined:
            self._combined[route.formatter] = frame.time or 0
        elif route.shadowed and self._is_shadowed(route.formatter, frame.time):
            return
        if self._history.waiting:
            self._history.milestone("first byte", frame.time)
            self._history.milestone("sentence", frame.time)
        route.reader(frame)
        self._last_formatter = route.formatter

    def _route(self, kind: str) -> "_Route":
        """What becomes of a type of sentence, found out once."""
        formatter = kind[2:]
        reader = self._readers.get(formatter) if len(kind) == 5 and kind[0] != "P" else None
        alone = formatter not in _PER_SYSTEM
        route = _Route(reader, formatter, alone and kind[:2] == "GN", alone and kind[:2] != "GN")
        if len(self._routes) < MOST_ROUTES:
            self._routes[kind] = route
        return route

    def finish(self) -> None:
        """The end of the stream: the epoch that is open is whole."""
        self._close_epoch()

    def snapshot(self, now: int | None) -> FixSnapshot:
        """The fix as of `now`."""
        return FixSnapshot(
            state=self._state,
            since=self._since,
            facts=facts(self._latest, self._believed, now),
            sky=self._sky.snapshot(now),
            history=self._history.snapshot(self._silent_since(now)),
            epochs=self._epochs,
            epochs_with_fix=self._epochs_with_fix,
            track=self._log.view(),
            strip=self._strip.strip(),
            deciding=self._deciding,
            testimonies=witnesses(self._says),
            remarks=tuple(self._sanity.remarks()),
        )

    def _is_shadowed(self, formatter: str, time: int | None) -> bool:
        """Whether the combined talker tells the same for all systems together."""
        combined = self._combined.get(formatter)
        return combined is not None and (time is None or time - combined < COMBINED_FRESH_NS)

    def _silent_since(self, now: int | None) -> int | None:
        """Since when nothing of the fix came, where that is longer than usual."""
        last = self._last_arrived
        return last if last is not None and now is not None and self._is_silence(now - last) else None

    def _is_silence(self, gap: int) -> bool:
        usual = min(self._gaps)
        return usual > 0 and gap > max(3 * usual, SILENT_NS)

    def _hear(self, frame: Frame, says_fix: bool) -> None:
        formatter = frame.type[2:]
        heard = self._latest.get(formatter)
        if heard is None:
            self._latest[formatter] = Heard(frame, self._epochs)
        else:
            heard.hear(frame, self._epochs)
        if says_fix:
            self._believed[formatter] = frame

    def _begin_epoch(self, time: bytes, arrived: int | None) -> None:
        if time == self._raw_time:
            if time:
                return
            self._untimed(arrived)
        self._raw_time = time
        if b"." in time:
            time = time.rstrip(b"0").rstrip(b".")
        if time == self._epoch:
            return
        self._close_epoch()
        self._epoch = time
        if time:
            self._open.time = time
            if self._open.arrived is None:
                self._open.arrived = arrived
            self._epochs += 1

    def _untimed(self, arrived: int | None) -> None:
        """A receiver that knows no time yet has no epochs; the strip shows that it was there."""
        if arrived is not None:
            self._note_gap(arrived)
            self._strip.add(arrived, self._state.level, None, self._sky.reception(arrived)[1])

    def _note_gap(self, arrived: int | None) -> bool:
        """Whether there was silence before this time."""
        last, self._last_arrived = self._last_arrived, arrived
        if last is None or arrived is None or arrived <= last:
            return False
        silent = self._is_silence(arrived - last)
        if silent:
            self._history.silence(last, arrived)
        self._gaps = self._gaps[1], arrived - last
        return silent

    def _close_epoch(self) -> None:
        """The epoch that was open is whole: into the log, the strip, the history and the checks."""
        epoch = self._open
        if not epoch.time:
            return
        self._open = _OpenEpoch(b"", None)
        arrived = epoch.arrived
        silent = self._note_gap(arrived)
        seen, cn0 = self._sky.reception(arrived)
        used = _count(epoch.used)
        altitude, separation, speed = _number(epoch.altitude), _number(epoch.separation), _number(epoch.speed)
        time = _time_of_day(epoch.time)
        utc = self._utc_of(epoch.date, time)
        level = self._state.level
        north, east = _number(epoch.errors[0]), _number(epoch.errors[1])
        error = None if north is None or east is None else (north * north + east * east) ** 0.5
        fixed = epoch.latitude is not None
        self._log.append(
            (
                arrived,
                utc,
                level,
                epoch.latitude,
                epoch.longitude,
                altitude if fixed else None,
                separation if fixed else None,
                used,
                seen,
                _number(epoch.hdop) if fixed else None,
                cn0,
                speed if fixed else None,
                _number(epoch.course) if fixed else None,
                error,
            )
        )
        if arrived is not None:
            self._strip.add(arrived, level, used, cn0, silent)
        self._history.epoch(self._state, Reception(used, cn0))
        where = b",".join(epoch.where)
        kind = self._state.kind
        moment = (arrived, utc, time, fixed, kind, epoch.latitude, epoch.longitude, altitude, separation, speed, where)
        self._sanity.epoch(Moment(*moment))
        self._compare(epoch)

    def _utc_of(self, date: bytes, time: int | None) -> int | None:
        """The moment of an epoch, with the date that it tells, or that of the one before."""
        if time is None:
            return None
        begin = _midnight_of(date) if date else None
        if begin is not None:
            self._midnight = begin
        elif self._midnight is not None and self._time_of_day - time > DAY // 2:
            self._midnight += DAY
        self._time_of_day = time
        return None if self._midnight is None else self._midnight + time

    def _compare(self, epoch: _OpenEpoch) -> None:
        """GGA and RMC of one epoch, where both came."""
        if epoch.fixed_by_gga is None or epoch.fixed_by_rmc is None:
            return
        self._sanity.compared("validity", epoch.fixed_by_gga == epoch.fixed_by_rmc)
        if epoch.where and epoch.where_by_rmc:
            self._sanity.compared(
                "position", epoch.where == epoch.where_by_rmc or _is_near(epoch.where, epoch.where_by_rmc)
            )

    def _place(self, where: list[bytes], altitude: bytes = b"", separation: bytes = b"") -> None:
        """One position an epoch, from whichever sentence has it first."""
        epoch = self._open
        if not self._epoch or epoch.latitude is not None or not epoch.time:
            return
        found = _unpacked(where)
        if found is None:
            return
        self._epochs_with_fix += 1
        epoch.where = tuple(where)
        epoch.latitude, epoch.longitude = found
        epoch.altitude, epoch.separation = altitude, separation

    def _judge(self, frame: Frame, words: tuple[str, ...]) -> None:
        """Take the deciding words of one sentence; judge anew only where they are others than before."""
        formatter = frame.type[2:]
        ended = self._dimension_ended(frame.time)
        if self._words.get(formatter) == words and not ended:
            if self._history.waiting:
                self._history.judged(self._state, frame.time)
            return
        self._words[formatter] = words
        says = self._says._replace(**dict(zip(_DECIDING[formatter], words, strict=True)))
        self._says = says._replace(dimension="") if ended else says
        if ended:
            self._dimension_time = None
            self._words.pop("GSA", None)
        if not (self._says.quality or self._says.modes or self._says.status):
            # GSA alone says nothing of a position: before the first sentence that does, nothing is decided.
            return
        state = judge(self._says)
        if state != self._state or self._since is None:
            self._state = state
            self._since = frame.time
            self._deciding = frame.type
            self._history.change(state, frame.time)
        elif self._history.waiting:
            self._history.judged(state, frame.time)

    def _dimension_ended(self, time: int | None) -> bool:
        """GSA came before and stopped coming, so its last word no longer counts."""
        heard = self._dimension_time
        return time is not None and heard is not None and time - heard > DIMENSION_FRESH_NS

    def _take_time(self, frame: Frame, time: bytes) -> None:
        """The time of a sentence: the epoch that it belongs to; and whether it only repeats itself."""
        if time and time == self._raw_time and frame.time is not None:
            before = self._latest.get(frame.type[2:])
            if before is not None and before.frame.time is not None and frame.time - before.frame.time > REPEATED_NS:
                repeated = before.frame.data.split(b",", 6)
                if time in repeated:
                    self._sanity.still()
        self._begin_epoch(time, frame.time)
        if time and self._history.waiting:
            self._history.milestone("time", frame.time)

    def _compare_times(self, frame: Frame, time: bytes, other: str) -> None:
        """GGA and RMC of one burst tell one time; a burst is short against the time between epochs."""
        self._told[frame.type[2:]] = time, frame.time
        told, before = self._told.get(other, (b"", None))
        if told and time and before is not None and frame.time is not None:
            near = BURST_SHARE * min(self._gaps)
            if 0 <= frame.time - before < near:
                self._sanity.compared("time", told == time)

    def _take_date(self, frame: Frame, date: bytes) -> None:
        if date:
            self._open.date = date
            if self._history.waiting:
                self._history.milestone("date", frame.time)

    def _gga(self, frame: Frame) -> None:
        fields = frame.data.split(b",", 12)
        if len(fields) < 10:
            return
        quality = fields[6].decode("latin-1")
        has_fix = quality not in ("", "0")
        self._compare_times(frame, fields[1], "RMC")
        self._take_time(frame, fields[1])
        self._hear(frame, has_fix)
        epoch = self._open
        epoch.used, epoch.hdop, epoch.fixed_by_gga = fields[7], fields[8], has_fix
        if has_fix:
            if epoch.where:
                # RMC came first: its place is kept to be compared, that of GGA has the height.
                epoch.altitude, epoch.separation = fields[9], fields[11] if len(fields) > 11 else b""
                epoch.where = tuple(fields[2:6])
            else:
                self._place(fields[2:6], fields[9], fields[11] if len(fields) > 11 else b"")
        self._judge(frame, (quality or "0", "known" if fields[1] else ""))

    def _gns(self, frame: Frame) -> None:
        fields = frame.data.split(b",", 12)
        if len(fields) < 10:
            return
        modes = fields[6].decode("latin-1")
        has_fix = bool(modes.strip("N"))
        self._take_time(frame, fields[1])
        self._hear(frame, has_fix)
        epoch = self._open
        if epoch.fixed_by_gga is None:
            epoch.used, epoch.hdop = fields[7], fields[8]
        if has_fix:
            self._place(fields[2:6], fields[9], fields[10] if len(fields) > 10 else b"")
        self._judge(frame, (modes or "N",))

    def _rmc(self, frame: Frame) -> None:
        fields = frame.data.partition(b"*")[0].split(b",")
        if len(fields) < 10:
            return
        status = fields[2].decode("latin-1")
        mode = fields[12].decode("latin-1") if len(fields) > 12 else ""
        has_fix = status == "A" and mode != "N"
        self._compare_times(frame, fields[1], "GGA")
        self._take_time(frame, fields[1])
        self._hear(frame, has_fix)
        self._take_date(frame, fields[9])
        epoch = self._open
        epoch.fixed_by_rmc = has_fix
        if has_fix:
            epoch.where_by_rmc, epoch.speed, epoch.course = tuple(fields[3:7]), fields[7], fields[8]
            self._place(fields[3:7])
        self._judge(frame, (status or "V", mode, "known" if fields[1] else ""))

    def _gll(self, frame: Frame) -> None:
        fields = frame.data.partition(b"*")[0].split(b",")
        if len(fields) < 7:
            return
        self._take_time(frame, fields[5])
        self._hear(frame, fields[6] == b"A")
        if self._latest.keys().isdisjoint(("GGA", "GNS", "RMC")):
            if fields[6] == b"A":
                self._place(fields[1:5])
            mode = fields[7].decode("latin-1") if len(fields) > 7 else ""
            self._judge(frame, (fields[6].decode("latin-1") or "V", mode))

    def _gsa(self, frame: Frame) -> None:
        told = _gsa_words(frame.data)
        if told is None:
            return
        if self._last_formatter != "GSA" and self._is_ahead(frame.time):
            self._close_epoch()
            self._open.arrived = frame.time
        dimension, first, system = told
        self._hear(frame, dimension in ("2", "3"))
        self._sky.feed_gsa(frame, first, system)
        if first and self._history.waiting:
            self._history.milestone("satellite used", frame.time)
        self._dimension_time = frame.time
        self._judge(frame, (dimension,))

    def _is_ahead(self, time: int | None) -> bool:
        """Whether the next epoch has begun before its time was told."""
        begun = self._open.arrived
        if not self._open.time or time is None or begun is None:
            return False
        ahead = AHEAD_SHARE * min(self._gaps)
        return 0 < ahead < time - begun

    def _gsv(self, frame: Frame) -> None:
        if self._sky.feed_gsv(frame) and self._history.waiting:
            self._history.milestone("satellite seen", frame.time)

    def _zda(self, frame: Frame) -> None:
        fields = frame.data.split(b",", 5)
        if len(fields) > 4:
            self._take_time(frame, fields[1])
            self._take_date(frame, b"".join(fields[2:5]))
        self._hear(frame, True)

    def _gst(self, frame: Frame) -> None:
        fields = frame.data.partition(b"*")[0].split(b",")
        if len(fields) > 8:
            self._take_time(frame, fields[1])
            self._open.errors = fields[6], fields[7]
        self._other(frame)

    def _other(self, frame: Frame) -> None:
        self._hear(frame, b",N*" not in frame.data)


def _unpacked(where: "list[bytes] | tuple[bytes, ...]") -> tuple[float, float] | None:
    """Latitude and longitude of four raw fields; None where they are unreadable or empty."""
    try:
        latitude = unpack(where[0].decode("ascii"), where[1].decode("ascii"))
        longitude = unpack(where[2].decode("ascii"), where[3].decode("ascii"))
    except (ValueError, IndexError):
        return None
    return None if latitude is None or longitude is None else (latitude, longitude)


def _is_near(one: tuple[bytes, ...], other: tuple[bytes, ...]) -> bool:
    """Whether two places are the same but for the last digit of the coarser one."""
    here, there = _unpacked(one), _unpacked(other)
    if here is None or there is None:
        return True
    digits = min(len(raw.partition(b".")[2]) for raw in (one[0], one[2], other[0], other[2]))
    step = 1.01 / 60 / 10**digits
    turn = abs(here[1] - there[1])
    return bool(abs(here[0] - there[0]) <= step and min(turn, 360 - turn) <= step)
