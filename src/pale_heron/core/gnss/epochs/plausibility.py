"""Does what the receiver says make sense? A few sums over every epoch, and what they give away at the end.

a date that is off by 1024 weeks    GPS counts weeks in ten bits (IS-GPS-200): a receiver that does not know which
                                    round it is in gives a date 1024 weeks, or a multiple, too early or too late
a default date before the first fix it is the receiver's own beginning of time, and jumps when the sky gives it
a jump                              farther than its own speed allows
time that stands still or goes back sentences repeat, or a buffer is being played
separation out of range             the geoid lies between 107 m below and 86 m above WGS 84 (EGM96)
"""

from dataclasses import dataclass, field
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.earth.geodesy import offset_m
from pale_heron.core.gnss.epochs.log import Epoch

DAY_NS: Final = 86_400 * SECOND
ROLLOVER_NS: Final = 1024 * 7 * DAY_NS
GEOID_LEAST_M, GEOID_MOST_M = -107.0, 86.0
EQUAL_NS: Final = 120 * SECOND
LEAST_JUMP_M: Final = 50.0
UNKNOWN_SPEED_M_S: Final = 350.0
"""Faster than this nothing that carries such a receiver moves, where it reports no speed."""

NEAR_DEG: Final = 0.0003
"""So small a step, north and east, is less than LEAST_JUMP_M, as that of nearly every epoch."""

UNHELD: Final = ("manual", "simulated")
"""States in which a position that stays the same is no wonder."""

KNOT_M_S: Final = 1852 / 3600
FLAT_EPOCHS: Final = 60
MOST_STEPS: Final = 1000
SPLIT_EPOCHS: Final = 3
"""So many epochs in a row in which two sentences disagree are no accident of a change."""

CONTRADICTED: Final = frozenset(("fix-denied", "two-receivers"))
"""Findings with which positions are claimed and taken back: no word that there are none is all that is said."""


class PlausibilityFinding(NamedTuple):
    """A finding about what is said; `weight` orders findings, 0 to 1."""

    id: str
    text: str
    evidence: str
    next: str
    weight: float


@dataclass
class PlausibilityChecks:
    """Feed it every epoch once, and what concerns single sentences as it is noticed."""

    _last: Epoch | None = None
    _jumps: int = 0
    _longest: tuple[float, float] = (0.0, 0.0)
    _back: int = 0
    _still: int = 0
    _first_date: int | None = None
    _date_jump: tuple[int, int] | None = None
    _flat: int = 0
    _bad_separation: float | None = None
    denied: int = 0
    """Epochs with a position of which another sentence says that there is no fix."""
    contradicted: int = 0
    """Times that two sentences of one kind gave a position of one epoch, and none."""
    _apart: int = 0
    _farthest_m: float = 0.0
    placeless: int = 0
    """Sentences that say that there is a position and give none."""
    datum: str = ""
    """In which datum positions are given now; empty for WGS 84."""
    _steps: list[float] = field(default_factory=list)
    """How many seconds the clock of its times stepped, each time."""
    _equal_since: int | None = None
    _equal_for: int = 0
    _origin: int = 0
    _splits: dict[str, list[int]] = field(default_factory=dict)
    """By what two sentences disagree on: how often in a row, the most in a row, and in all."""

    def still(self) -> None:
        """The same sentence came again, later, with the same time."""
        self._still += 1

    def compared(self, what: str, agree: bool) -> None:
        """GGA and RMC of one epoch agree on a thing, or not."""
        counts = self._splits.get(what)
        if counts is None:
            if agree:
                return
            counts = self._splits[what] = [0, 0, 0]
        counts[0] = 0 if agree else counts[0] + 1
        counts[1] = max(counts[1], counts[0])
        counts[2] += not agree

    def clock_stepped(self, seconds: float) -> None:
        """The receiver's clock stepped, where times are its own."""
        if len(self._steps) < MOST_STEPS:
            self._steps.append(seconds)
        self._last = None

    def apart(self, metres: float) -> None:
        """Two sentences of one kind gave places of one epoch that lie so far apart."""
        self._apart += 1
        self._farthest_m = max(self._farthest_m, metres)

    def epoch(self, now: Epoch) -> None:
        """Take one whole epoch."""
        before, self._last = self._last, now
        if now.separation_m is not None and not GEOID_LEAST_M <= now.separation_m <= GEOID_MOST_M:
            self._bad_separation = now.separation_m
        if now.has_position:
            self._flat = self._flat + 1 if now.separation_m == 0 and now.altitude_m is not None else 0
            self._origin += now.latitude == 0 and now.longitude == 0
        if before is None:
            return
        if now.of_day is not None and before.of_day is not None:
            self._back += -DAY_NS // 2 < now.of_day - before.of_day < 0
        if now.utc is not None and before.utc is not None:
            passed = now.arrived - before.arrived if now.arrived is not None and before.arrived is not None else 0
            # Where days passed without a word, the date has a right to them.
            if abs(now.utc - before.utc - passed) > DAY_NS:
                self._date_jump = self._date_jump or (before.utc, now.utc)
        self._take_place(before, now)

    def _take_place(self, before: Epoch, now: Epoch) -> None:
        if not (now.has_position and before.has_position):
            self._equal_since = None
            return
        if (now.latitude, now.longitude) == (before.latitude, before.longitude):
            if self._equal_since is None:
                self._equal_since = before.arrived
            if self._equal_since is not None and now.arrived is not None and now.state not in UNHELD:
                self._equal_for = max(self._equal_for, now.arrived - self._equal_since)
            return
        self._equal_since = None
        if now.latitude is None or now.longitude is None or before.latitude is None or before.longitude is None:
            return
        if abs(now.latitude - before.latitude) < NEAR_DEG and abs(now.longitude - before.longitude) < NEAR_DEG:
            return
        self.take_jump(before, now)

    def take_jump(self, before: Epoch, now: Epoch) -> None:
        """Two epochs, one after the other, of which each has a place that is not near to that of the other."""
        if now.latitude is not None and now.longitude is not None:
            assert before.latitude is not None and before.longitude is not None
            away = offset_m(now.latitude, now.longitude, before.latitude, before.longitude)
            self._take_distance(before, now, away)

    def _take_distance(self, before: Epoch, now: Epoch, away: tuple[float, float]) -> None:
        distance = (away[0] ** 2 + away[1] ** 2) ** 0.5
        begin, end = (before.utc, now.utc) if before.utc and now.utc else (before.arrived, now.arrived)
        seconds = max(0.0, (end - begin) / SECOND) if begin is not None and end is not None else 1.0
        speeds = [speed for speed in (before.speed_knots, now.speed_knots) if speed is not None]
        allowed = (1.5 * max(speeds) * KNOT_M_S + 10.0 if speeds else UNKNOWN_SPEED_M_S) * seconds + LEAST_JUMP_M
        if distance > allowed:
            self._jumps += 1
            self._longest = max(self._longest, (distance, seconds))

    @property
    def last(self) -> Epoch | None:
        """The newest epoch."""
        return self._last

    def skip_to(self, last: Epoch) -> None:
        """The epochs up to this one were checked together (`batches.folds`)."""
        self._last = last

    def heights(self, wild: float | None, flat_at_end: int, positioned: int, origin: int) -> None:
        """Of many epochs: the last impossible separation; how many at the end are flat of those with a position."""
        self._bad_separation = self._bad_separation if wild is None else wild
        self._flat = self._flat + flat_at_end if flat_at_end == positioned else flat_at_end
        self._origin += origin

    def went_back(self, times: int) -> None:
        """So many times an epoch had an earlier time than the one before."""
        self._back += times

    def date_jumped(self, before: int, after: int) -> None:
        """The date jumped by more than the time that passed."""
        self._date_jump = self._date_jump or (before, after)

    @property
    def held_since(self) -> int | None:
        """Since when the position has been the same."""
        return self._equal_since

    def held(self, since: int | None, longest: int) -> None:
        """Since when it is the same now, and for how long at most it was."""
        self._equal_since = since
        self._equal_for = max(self._equal_for, longest)

    def in_a_row(self, what: str) -> int:
        """How often in a row GGA and RMC have disagreed on a thing by now."""
        return self._splits.get(what, (0,))[0]

    def compared_often(self, what: str, last: int, most: int, disagreements: int) -> None:
        """Many comparisons: how many in a row disagree at their end, at most, and in all."""
        if disagreements or what in self._splits:
            counts = self._splits.setdefault(what, [0, 0, 0])
            counts[0], counts[1], counts[2] = last, max(counts[1], most), counts[2] + disagreements

    def remarks(self) -> list[PlausibilityFinding]:
        """What does not make sense, the weightiest first."""
        found = [*self._about_dates(), *self._about_places(), *self._about_sentences()]
        return sorted(found, key=lambda remark: -remark.weight)

    def _about_dates(self) -> list[PlausibilityFinding]:
        found, last = [], self._last
        rounds, rest = _rollovers(last)
        if rounds and last is not None and last.utc is not None:
            side = "behind" if rounds < 0 else "ahead of"
            found.append(
                PlausibilityFinding(
                    "week-rollover",
                    f"The date is wrong by {abs(rounds)} × 1024 weeks.",
                    f"It is {abs(rounds) * 1024} weeks {side} this computer's date, to within {rest:.1f} days",
                    "GPS counts weeks in ten bits: the receiver is in the wrong cycle. Trust its time of day, not its "
                    "date; look for newer firmware, or let it know the date.",
                    0.8,
                )
            )
        elif last is not None and last.utc is not None and last.arrived is not None and abs(rest) > 2:
            found.append(
                PlausibilityFinding(
                    "date-differs",
                    "The receiver's date is not this computer's.",
                    f"They are {abs(rest):.0f} days apart, which is no multiple of 1024 weeks",
                    "One of the two is wrong: look at the computer's clock; a simulator may play another day.",
                    0.16,
                )
            )
        if self._date_jump is not None:
            days = (self._date_jump[1] - self._date_jump[0]) / DAY_NS
            found.append(
                PlausibilityFinding(
                    "default-date",
                    "The date jumped while the receiver ran.",
                    f"By {days:+.0f} days: what it gave before was no date of the sky",
                    "Believe no date before the first fix; what it stored before then has a wrong date.",
                    0.45,
                )
            )
        if self._steps:
            largest = max(self._steps, key=abs)
            found.append(
                PlausibilityFinding(
                    "own-clock-step",
                    "The receiver's clock stepped, or the log has pauses.",
                    f"{len(self._steps)} times, by up to {largest:+.0f} s; how long that took cannot be known",
                    "Durations count its epochs there, and are the least they can be. Record with pale-heron record: "
                    "then each byte has its time of arrival.",
                    0.3,
                )
            )
        if self._back:
            found.append(
                PlausibilityFinding(
                    "time-back",
                    "Time goes back.",
                    f"{self._back} times an epoch had an earlier time than the one before",
                    "Two receivers on one line, or a recording played: look at the talkers in Traffic.",
                    0.5,
                )
            )
        if self._still >= SPLIT_EPOCHS:
            found.append(
                PlausibilityFinding(
                    "time-still",
                    "Time stands still.",
                    f"{self._still} times a sentence came again with the time that it had before",
                    "The receiver repeats itself: it has no time yet, or its output is faster than its solution.",
                    0.5,
                )
            )
        return found

    def _about_places(self) -> list[PlausibilityFinding]:
        found = []
        if self._jumps:
            distance, seconds = self._longest
            found.append(
                PlausibilityFinding(
                    "position-jump",
                    "The position jumped farther than the speed allows.",
                    f"{self._jumps} times, the farthest {distance:.0f} m within {seconds:.1f} s",
                    "Reflected signals, or spoofing: look at C/N0 and satellites at that time.",
                    0.55,
                )
            )
        if self._equal_for >= EQUAL_NS:
            minutes = self._equal_for / SECOND / 60
            found.append(
                PlausibilityFinding(
                    "position-held",
                    "The position does not change by a single digit.",
                    f"For {minutes:.0f} min every position was the same to the last digit",
                    "The receiver holds its position at rest, or repeats an old one: move it and look again.",
                    0.35,
                )
            )
        if self.datum:
            found.append(
                PlausibilityFinding(
                    "datum",
                    "Positions are not in WGS 84.",
                    f"The receiver says that its datum is {self.datum}",
                    "They may lie hundreds of metres from those of other receivers: set it to WGS 84, or convert them.",
                    0.5,
                )
            )
        if self._origin:
            found.append(
                PlausibilityFinding(
                    "origin",
                    "A fix is claimed at 0° N, 0° E.",
                    f"{self._origin} epochs with a fix, all digits of the position zero",
                    "No receiver is there: take it as no position.",
                    0.6,
                )
            )
        if self._bad_separation is not None:
            found.append(
                PlausibilityFinding(
                    "geoid",
                    "The geoid separation is impossible.",
                    f"It reports {self._bad_separation:.1f} m; everywhere it lies between {GEOID_LEAST_M:.0f} m "
                    f"and {GEOID_MOST_M:.0f} m",
                    "Do not use the altitude above the ellipsoid; look whether a field is shifted.",
                    0.4,
                )
            )
        elif self._flat >= FLAT_EPOCHS:
            found.append(
                PlausibilityFinding(
                    "no-geoid",
                    "The altitude may be above the ellipsoid, not above sea level.",
                    f"The geoid separation was exactly 0 in {self._flat} epochs in a row",
                    "The receiver has no model of the geoid: compare with a height that is known.",
                    0.3,
                )
            )
        return found

    def _how_far_apart(self) -> str:
        apart = f"{self._apart} times up to {self._farthest_m:.1f} m apart" if self._apart else ""
        one = f"{self.contradicted} times one with a position, one without" if self.contradicted else ""
        return "Sentences of one kind with the same time: " + "; ".join(each for each in (apart, one) if each)

    def _about_sentences(self) -> list[PlausibilityFinding]:
        counted = (
            PlausibilityFinding(
                "fix-denied",
                "Positions come beside the word that there is no fix.",
                f"In {self.denied} epochs; they are not taken for positions",
                "Look at what each sentence says (Fix, WHO SAYS IT): one of them is wrong, mostly a fix mode that is "
                "never set.",
                0.5,
            ),
            PlausibilityFinding(
                "fix-without-place",
                "A fix is claimed, and its position is empty.",
                f"In {self.placeless} sentences; they are not taken for a fix",
                "Look at these sentences in Traffic: something between the receiver and this lane leaves fields out.",
                0.5,
            ),
            PlausibilityFinding(
                "two-receivers",
                "Two places are given of one moment.",
                self._how_far_apart(),
                "Two receivers speak on this line, or one gives two solutions: look at the talkers in Traffic, and let "
                "one of them speak alone. Until then no figure here is that of one receiver.",
                0.6,
            ),
        )
        times = (self.denied, self.placeless, self._apart + self.contradicted)
        return [each for each, count in zip(counted, times, strict=True) if count >= SPLIT_EPOCHS] + [
            PlausibilityFinding(
                f"disagree-{what}",
                f"{'VTG' if what == 'speed' else 'GGA'} and RMC disagree on the {what}.",
                f"In {counts[2]} epochs, up to {counts[1]} in a row",
                "Two receivers on one line, or one whose sentences are of two solutions: choose one to believe.",
                0.5,
            )
            for what, counts in self._splits.items()
            if counts[1] >= SPLIT_EPOCHS
        ]


def _rollovers(last: Epoch | None) -> tuple[int, float]:
    """Rounds of 1024 weeks by which the date is off, and the days that remain; (0, days) where it is something else."""
    if last is None or last.utc is None or last.arrived is None or last.arrived == last.utc:
        return 0, 0.0
    off = last.utc - last.arrived
    rounds = round(off / ROLLOVER_NS)
    rest = (off - rounds * ROLLOVER_NS) / DAY_NS
    return (rounds, abs(rest)) if rounds and abs(rest) < 8 else (0, off / DAY_NS)
