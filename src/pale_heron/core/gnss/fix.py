"""The fix of one receiver: feed it the sentences that are believed, ask it where we are and how sure.

A sentence costs a look at the few raw fields that decide state and epoch; everything else is decoded from the newest
sentence of each kind when a snapshot is asked for.
"""

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.gnss.facts import Fact, Heard, facts, position_of
from pale_heron.core.gnss.history import History, HistorySnapshot
from pale_heron.core.gnss.scatter import Position
from pale_heron.core.gnss.sky import Sky, SkyTracker
from pale_heron.core.gnss.states import NO_FIX, FixState, Says, judge

POSITIONS_KEPT = 5_000
DIMENSION_FRESH_NS = 10 * SECOND

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
    positions: Sequence[Position]
    """The last positions with a fix, one an epoch, oldest first."""
    deciding: str
    """The type of the sentence that decides the state; empty before one came."""

    def value(self, name: str) -> Fact | None:
        """One fact; None where no sentence that carries it was heard."""
        return self.facts.get(name)


class FixTracker:
    """Feed it NMEA frames of the received direction that are whole and undamaged.

    `positions_kept` limits how many positions stay for path and scatter; None keeps all.
    """

    def __init__(self, positions_kept: int | None = POSITIONS_KEPT) -> None:
        self._latest: dict[str, Heard] = {}
        self._believed: dict[str, Frame] = {}
        self._sky = SkyTracker()
        self._history = History()
        self._says = Says()
        self._dimension_time: int | None = None
        self._state = FixState(NO_FIX)
        self._since: int | None = None
        self._words: dict[str, tuple[str, ...]] = {}
        self._raw_time = self._epoch = b""
        self._dated = False
        self._epochs = 0
        self._epochs_with_fix = 0
        self._counted_epoch = b""
        self._positions: deque[Position] = deque(maxlen=positions_kept)
        self._deciding = ""
        self._readers = {
            "GGA": self._gga,
            "GNS": self._gns,
            "RMC": self._rmc,
            "GLL": self._gll,
            "GSA": self._gsa,
            "GSV": self._gsv,
            "ZDA": self._zda,
            "VTG": self._other,
            "GST": self._other,
        }

    def first_byte(self, time: int | None) -> None:
        """Tell it that something arrived, legible or not."""
        self._history.milestone("first byte", time)

    def feed(self, frame: Frame) -> None:
        """Take one sentence; those that say nothing of the fix pass."""
        reader = self._readers.get(frame.type[2:]) if len(frame.type) == 5 else None
        if reader is not None and frame.type[0] != "P":
            reader(frame)

    def snapshot(self, now: int | None) -> FixSnapshot:
        """The fix as of `now`."""
        known = facts(self._latest, self._believed, now)
        return FixSnapshot(
            state=self._state,
            since=self._since,
            facts=known,
            sky=self._sky.snapshot(now),
            history=self._history.snapshot(),
            epochs=self._epochs,
            epochs_with_fix=self._epochs_with_fix,
            positions=tuple(self._positions),
            deciding=self._deciding,
        )

    def _hear(self, frame: Frame, says_fix: bool) -> None:
        formatter = frame.type[2:]
        heard = self._latest.get(formatter)
        if heard is None:
            self._latest[formatter] = Heard(frame)
            self._history.milestone("sentence", frame.time)
        else:
            heard.hear(frame)
        if says_fix:
            self._believed[formatter] = frame

    def _begin_epoch(self, time: bytes, arrived: int | None) -> None:
        if time == self._raw_time:
            return
        self._raw_time = time
        if b"." in time:
            time = time.rstrip(b"0").rstrip(b".")
        if time and time != self._epoch:
            if not self._epoch:
                self._history.milestone("time", arrived)
            self._epoch = time
            self._epochs += 1

    def _date_known(self, arrived: int | None) -> None:
        if not self._dated:
            self._dated = True
            self._history.milestone("date", arrived)

    def _count_fix(self, frame: Frame, at: int, altitude: bytes) -> None:
        """One position an epoch, from whichever sentence has it first."""
        if not self._epoch or self._counted_epoch == self._epoch:
            return
        where = position_of(frame.data, at)
        if where is None:
            return
        self._counted_epoch = self._epoch
        self._epochs_with_fix += 1
        try:
            height = float(altitude) if altitude else None
        except ValueError:
            height = None
        self._positions.append(Position(frame.time, *where, height))

    def _judge(self, frame: Frame, words: tuple[str, ...]) -> None:
        """Take the deciding words of one sentence; judge anew only where they are others than before."""
        formatter = frame.type[2:]
        ended = self._dimension_ended(frame.time)
        if self._words.get(formatter) == words and not ended:
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

    def _dimension_ended(self, time: int | None) -> bool:
        """GSA came before and stopped coming, so its last word no longer counts."""
        heard = self._dimension_time
        return time is not None and heard is not None and time - heard > DIMENSION_FRESH_NS

    def _gga(self, frame: Frame) -> None:
        fields = frame.data.split(b",", 10)
        if len(fields) < 10:
            return
        quality = fields[6].decode("latin-1")
        has_fix = quality not in ("", "0")
        self._hear(frame, has_fix)
        self._begin_epoch(fields[1], frame.time)
        if has_fix:
            self._count_fix(frame, 2, fields[9])
        self._judge(frame, (quality or "0", "known" if fields[1] else ""))

    def _gns(self, frame: Frame) -> None:
        fields = frame.data.split(b",", 10)
        if len(fields) < 10:
            return
        modes = fields[6].decode("latin-1")
        has_fix = bool(modes.strip("N"))
        self._hear(frame, has_fix)
        self._begin_epoch(fields[1], frame.time)
        if has_fix:
            self._count_fix(frame, 2, fields[9])
        self._judge(frame, (modes or "N",))

    def _rmc(self, frame: Frame) -> None:
        fields = frame.data.partition(b"*")[0].split(b",")
        if len(fields) < 10:
            return
        status = fields[2].decode("latin-1")
        mode = fields[12].decode("latin-1") if len(fields) > 12 else ""
        has_fix = status == "A" and mode != "N"
        self._hear(frame, has_fix)
        self._begin_epoch(fields[1], frame.time)
        if fields[9]:
            self._date_known(frame.time)
        if has_fix and "GGA" not in self._latest and "GNS" not in self._latest:
            self._count_fix(frame, 3, b"")
        self._judge(frame, (status or "V", mode, "known" if fields[1] else ""))

    def _gll(self, frame: Frame) -> None:
        fields = frame.data.partition(b"*")[0].split(b",")
        if len(fields) < 7:
            return
        self._hear(frame, fields[6] == b"A")
        self._begin_epoch(fields[5], frame.time)
        if self._latest.keys().isdisjoint(("GGA", "GNS", "RMC")):
            if fields[6] == b"A":
                self._count_fix(frame, 1, b"")
            mode = fields[7].decode("latin-1") if len(fields) > 7 else ""
            self._judge(frame, (fields[6].decode("latin-1") or "V", mode))

    def _gsa(self, frame: Frame) -> None:
        told = _gsa_words(frame.data)
        if told is None:
            return
        dimension, first, system = told
        self._hear(frame, dimension in ("2", "3"))
        self._sky.feed_gsa(frame, first, system)
        if first:
            self._history.milestone("satellite used", frame.time)
        self._dimension_time = frame.time
        self._judge(frame, (dimension,))

    def _gsv(self, frame: Frame) -> None:
        if self._sky.feed_gsv(frame):
            self._history.milestone("satellite seen", frame.time)

    def _zda(self, frame: Frame) -> None:
        self._hear(frame, True)
        fields = frame.data.split(b",", 5)
        if len(fields) > 4:
            self._begin_epoch(fields[1], frame.time)
            if fields[4]:
                self._date_known(frame.time)

    def _other(self, frame: Frame) -> None:
        self._hear(frame, b",N*" not in frame.data)
