"""The time that a stream gives itself, for a raw file that carries no arrival times.

Each frame gets the UTC of the latest sentence that said one. A date is believed where its sentence vouches for it (RMC
with status A; ZDA, unless RMC says that nothing is valid): what a receiver says before its first fix may be the default
of its maker. Until the first such date times count from the day that was said, else from 1970-01-01, and move to the
true day with it; `anchor` finds it ahead, so that nothing has to move. Where no date ever comes, times of day remain.

A receiver without a fix has a time of its own, and steps to the true one: from one time to the next passes the usual
interval, or what is told where there was a fix before and behind; anything else is a step of its clock (or a pause of
the log that nobody vouches for), and no time that passed.
"""

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, Final

from pale_heron.core import utc
from pale_heron.core.frames import SECOND, Frame, Kind, Status
from pale_heron.core.nmea.raw import (
    LONG_DATE,
    TIME_FIELD,
    believed_day,
    date_of,
    fields_of,
    midnight_of,
    short_date,
    time_of_day,
)

if TYPE_CHECKING:
    from pale_heron.core.wire.sentence_batch import Places, SentenceBatch

WITH_TIME: Final = ("GGA", "GNS", "RMC", "ZDA", "GLL", "GST")
CONTINUOUS_NS: Final = 3 * SECOND
"""What passes between two times is no longer than this, or than three usual intervals; back it is no farther either."""

_MISSING: Final = (b"",) * 10


class OwnTime:
    """Reads times and dates off the sentences of one lane."""

    def __init__(self) -> None:
        self._midnight = 0
        self._time: int | None = None
        self._checksums = False
        self._valid = True
        """What RMC said last of all that it says."""
        self.begin: int | None = None
        self.dated = False
        self.believed = False
        """The date is one that its sentence vouches for."""
        self.step = 0
        """By how many nanoseconds the clock stepped with the sentence that was read last."""
        self._stepped = 0
        """And by how many in all, since `begin`."""
        self._gaps = (0, 0)
        """The last two intervals."""
        self._long = b""
        """The date that ZDA said last."""
        self._fixed = self._was_fixed = False
        """Whether a position stands by the time now, and whether one did by the time before."""

    def anchor(self, frames: Iterable[Frame]) -> None:
        """Begin with the day that follows from these frames, which will be read next; no more are taken than it needs.

        A date for which its sentence vouches says when everything began, and nothing behind it changes that.
        """
        scout = OwnTime()
        for frame in frames:
            scout.read(frame)
            if scout.believed and scout.begin is not None:
                break
        if scout.begin is not None and scout.dated:
            self._midnight = scout.begin - scout.begin % utc.DAY
            self.dated, self.believed = True, scout.believed

    @property
    def vouched(self) -> bool:
        """Whether the time is one that its sentences vouch for now."""
        return self.believed and self._valid

    @property
    def time(self) -> int | None:
        """The latest time; None before the first."""
        return self._time

    @property
    def span_s(self) -> float | None:
        """Seconds that passed from the first to the latest time, as far as that is known; None before the first."""
        if self._time is None or self.begin is None:
            return None
        return (self._time - self.begin - self._stepped) / SECOND

    def read(self, frame: Frame) -> int | None:
        """The time as of `frame`: of this sentence where it gives one, else the latest.

        A sentence without checksum counts where no sentence has one (NMEA 0183 2.x: the checksum is optional).
        """
        self.step = 0
        if frame.kind is not Kind.NMEA:
            return self._time
        self._checksums = self._checksums or frame.status is Status.OK
        counts = frame.status is Status.OK or (frame.status is Status.NO_CHECKSUM and not self._checksums)
        formatter = frame.type[-3:]
        if counts and formatter in WITH_TIME and frame.type[0] != "P":
            fields = [*fields_of(frame.data), *_MISSING]
            self._note_validity(formatter, fields)
            self._take(time_of_day(fields[TIME_FIELD[formatter]]), self._day(formatter, fields))
        return self._time

    def read_batch(self, batch: "SentenceBatch", told: "Places") -> "Places | None":
        """The same for each row of a batch; `told` is the time of day that each tells.

        None where something among them is not as usual (a day begins, a date moves or is missing, nothing is valid):
        then nothing is read, and they are to be read one by one.
        """
        from pale_heron.core.clock.own_time_batch import times_of

        if self._time is None or not min(self._gaps) or (self.dated and not self.vouched):
            return None
        read = times_of(batch, told, self._time, self._midnight, self._longest, dated=self.dated)
        if read is None:
            return None
        self._checksums = True
        self.step = 0
        self._midnight, self._time = read.midnight, int(read.times[-1])
        self._gaps = (*self._gaps, *read.gaps)[-2], (*self._gaps, *read.gaps)[-1]
        for row in read.fixes:
            self._note_validity(batch.names[int(batch.type[row])][-3:], [*fields_of(batch.frame(row).data), *_MISSING])
        self._was_fixed = self._fixed
        return read.times

    def _note_validity(self, formatter: str, fields: Sequence[bytes]) -> None:
        if formatter == "RMC":
            self._valid = self._fixed = fields[2] == b"A"
        elif formatter == "GGA":
            self._fixed = fields[6].strip(b"0") != b""

    def _take(self, time: int | None, midnight: int | None) -> None:
        before = self._time
        if midnight is not None and time is not None and before is not None:
            today = before - before % utc.DAY
            midnight = believed_day(midnight, today + utc.DAY * (before - today - time > utc.DAY // 2), time)
        turned = midnight is not None and self._take_date(midnight)
        if time is None:
            return
        now = self._midnight + time
        if not turned and self._time is not None and self._time - now > utc.DAY // 2:
            self._midnight += utc.DAY
            now += utc.DAY
        if self.begin is None:
            self.begin = now
        if before is not None and self._time is not None:
            step = self._step_of(now - self._time)
            self._stepped += step
            # What was said until now has times of before a date moved.
            self.step = step + self._time - before
        if now != self._time:
            self._was_fixed = self._fixed
        self._time = now

    @property
    def _longest(self) -> int:
        """The longest time that usually passes from one time to the next."""
        return max(CONTINUOUS_NS, 3 * min(self._gaps))

    def _step_of(self, passed: int) -> int:
        """How much of what lies between two times is a step of the clock."""
        usual = min(self._gaps)
        if passed > 0:
            self._gaps = self._gaps[1], passed
        of_day = passed % utc.DAY
        vouched = self._was_fixed and self._fixed and of_day > self._longest
        if not usual or abs(passed) <= max(CONTINUOUS_NS, 3 * usual) or (passed > 0 and vouched):
            return 0
        # A date that jumps, with the time of day as it would be, says how much passed.
        return passed - (of_day if 0 < of_day <= self._longest else usual)

    def _take_date(self, midnight: int) -> bool:
        """Whether the date counts."""
        near = abs(midnight - self._midnight) <= utc.DAY
        if not self.dated or (self._valid and not self.believed):
            moved = midnight - self._midnight
            # From one day to the next there is nothing to move: midnight has passed.
            if not (self.dated and near):
                self.begin = None if self.begin is None else self.begin + moved
                self._time = None if self._time is None else self._time + moved
        elif not self._valid and not near:
            return False
        self.dated, self.believed = True, self.believed or self._valid
        self._midnight = midnight
        return True

    def _day(self, formatter: str, fields: Sequence[bytes]) -> int | None:
        """Midnight of the date that a sentence carries; None where it carries none."""
        date = fields[9] if formatter == "RMC" else date_of(*fields[2:5]) if formatter == "ZDA" else b""
        if len(date) == LONG_DATE:
            self._long = date
        elif short_date(self._long) == date:
            # RMC does not say the century, ZDA did.
            date = self._long
        return midnight_of(date) if date else None
