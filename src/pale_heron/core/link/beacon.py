"""What is there already: a line that somebody says again and again, counted without a word being sent.

A board left alone says the same line each second; another one counts in its lines. Both show what becomes of a link.
The line is known by a pattern; where the pattern has a group named `n`, and it holds a number, that number is the place
of each line, and else its place follows from when it comes: the last ones say how long an interval is, and when the
next one is due. Without a pattern the line is found: the first that comes eight times, its digits aside, at distances
that are even but for some that are whole multiples. A number in it that goes up with them is its place.

A constant stream, without lines, is there in each interval in which anything of it comes.
"""

import re
from collections import OrderedDict, deque
from itertools import pairwise
from statistics import median
from typing import Final

from pale_heron.core.frames import NMEA, SECOND, Frame
from pale_heron.core.link.fates import DELIVERED, NOT_KNOWN, DeliverySnapshot, HearResult, ProbeResult
from pale_heron.core.link.lines import as_text
from pale_heron.core.link.own_times import OwnTimes
from pale_heron.core.patterns import Pattern

FOUND_AFTER: Final = 8
SHORTEST_NS: Final = SECOND // 100
EVEN: Final = 0.25
"""A distance is a whole multiple of their median to this share of it."""

MOST_SHAPES: Final = 64
FITTED: Final = 64
"""So many of the last say how long an interval is."""

TRUSTED: Final = 4

MOST_AHEAD: Final = 10**6
"""A number that is so far ahead counts something else, or from another beginning."""

RECENT_NS: Final = 60 * SECOND
NUMBER: Final = "n"
STREAM: Final = "stream"
LONGEST_NAME: Final = 12
_DIGITS: Final = re.compile(r"\d+")


class _RepeatedLine:
    """The last lines of one shape: when they came, and the numbers in each."""

    def __init__(self) -> None:
        self.lines: deque[tuple[int, list[int], str]] = deque(maxlen=FOUND_AFTER)

    @property
    def steps(self) -> "tuple[float, list[int]] | None":
        """Their distance (nanoseconds), and how many of it lie between each two; None where they are uneven."""
        times = [time for time, _, _ in self.lines]
        if len(times) < FOUND_AFTER:
            return None
        apart = [later - before for before, later in pairwise(times)]
        usual = median(apart)
        if usual < SHORTEST_NS:
            return None
        steps = [round(each / usual) for each in apart]
        even = all(step and abs(each - step * usual) <= EVEN * usual for each, step in zip(apart, steps, strict=True))
        return ((times[-1] - times[0]) / sum(steps), steps) if even else None

    def place(self, steps: "list[int]") -> int | None:
        """Which of the numbers goes up with these steps; None where none does."""
        columns = list(zip(*(numbers for _, numbers, _ in self.lines), strict=False))
        rising = (
            index
            for index, column in enumerate(columns)
            if [later - before for before, later in pairwise(column)] == steps
        )
        return next(rising, None)


class BeaconCounter:
    """The lines of one lane. `pattern` and `every_ns` may be empty: then they are found.

    Of a `stream` whatever comes counts, once an interval.
    """

    def __init__(
        self,
        lane: str,
        limit_ns: int,
        pattern: str = "",
        every_ns: int = 0,
        hear: HearResult | None = None,
        *,
        stream: bool = False,
    ) -> None:
        self._lane, self._limit_ns, self._hear_result = lane, limit_ns, hear
        self._pattern = Pattern(pattern) if pattern else None
        # A record may say anything; what is told so is found.
        self._every = every_ns if every_ns >= SHORTEST_NS else 0
        self._stream = stream
        self._shapes: OrderedDict[str, _RepeatedLine] = OrderedDict()
        self._shape = ""
        self._place: int | None = None
        """Which number of a line that was found is its place."""
        self._own: OwnTimes | None = None
        self._last: int | None = None
        """The number of the last one, its own or by when it came."""
        self._usual = 0
        """The interval as it was asked for, or found."""
        self._began = 0
        self._missing = 0
        """How many are missing just before it."""
        self._fitted: deque[tuple[int, int]] = deque(maxlen=FITTED)
        """The last ones: number and time."""
        self._recent: deque[tuple[int, bool]] = deque()
        self._now = 0
        self.clock_steps = 0
        """How often the count began again."""

    @property
    def name(self) -> str:
        """The line that is counted, as it is shown."""
        if self._stream:
            return STREAM
        told = self._pattern.pattern if self._pattern is not None else self._shape
        return told if len(told) <= LONGEST_NAME else told[: LONGEST_NAME - 1] + "…"

    def feed(self, frame: Frame) -> None:
        """Take one line of the lane."""
        if frame.time is None or frame.bad or (self._pattern is None and frame.kind is NMEA):
            # Sentences have times of their own to be counted by.
            return
        text = as_text(frame.data.strip(b"\r\n"))
        if self._own is None:
            self._look(text, frame.time)
            return
        number = self._number(text)
        if number is not None:
            self._count(number, frame.time)

    def _look(self, text: str, time: int) -> None:
        """It is not known yet what is counted, or how often it comes."""
        if self._pattern is not None and self._pattern.search(text) is None:
            return
        shape = self._pattern.pattern if self._pattern is not None else _DIGITS.sub("#", text)
        seen = self._shapes.setdefault(shape, _RepeatedLine())
        self._shapes.move_to_end(shape)
        if len(self._shapes) > MOST_SHAPES:
            # What was said longest ago is said least often.
            self._shapes.popitem(last=False)
        seen.lines.append((time, [int(each) for each in _DIGITS.findall(text)], text))
        found = seen.steps
        if self._pattern is None or not self._every:
            if found is None or not text.strip():
                return
            self._every = round(found[0])
            self._place = seen.place(found[1]) if self._pattern is None else None
        self._shape, self._usual = shape, self._every
        self._own = OwnTimes(self.name, self._lane, self._limit_ns, self._hear)
        self._shapes.clear()
        for came, _, line in seen.lines:
            number = self._number(line)
            if number is not None:
                self._count(number, came)

    def flow(self, time: int) -> None:
        """Something came: the interval in which it did is one in which the stream was there."""
        if self._own is None:
            self._every = self._every or SECOND
            self._own = OwnTimes(self.name, self._lane, self._limit_ns, self._hear)
            self._began = time
        number = (time - self._began) // self._every
        if self._last is None or number > self._last:
            self._own.take_ahead(number - (self._last or 0), time, self._every)
            self._last = number

    def _number(self, text: str) -> int | None:
        """The place of a line; -1 where it has none of its own, None where it is another one."""
        if self._pattern is not None:
            match = self._pattern.search(text)
            if match is None:
                return None
            told = match.groupdict().get(NUMBER)
            return int(told) if told is not None and told.isdecimal() else -1
        if _DIGITS.sub("#", text) != self._shape:
            return None
        return int(_DIGITS.findall(text)[self._place]) if self._place is not None else -1

    def _count(self, number: int, time: int) -> None:
        assert self._own is not None, "it is known"
        own = number >= 0
        counts = own and self._place is not None and self._last is not None
        if counts and abs(number - (self._last or 0) - self._steps_since(time)) > 1:
            # A number that was found and leaves the pace of the lines is none that counts them: a time of day, say.
            self._place, own = None, False
        if self._last is None:
            self._last = number if own else 0
            self._own.take_ahead(0, time, self._every)
        else:
            ahead = number - self._last if own else self._steps_since(time)
            if not own:
                # One that comes late stands for the next, and then the next for it: it is none too many.
                ahead = -1 if ahead == 0 and self._missing else ahead
                self._missing = max(0, ahead - 1)
            if own and (ahead > MOST_AHEAD or (ahead < 0 and -ahead * self._every > self._limit_ns)):
                # It counts from its beginning again: how many it left out over that nobody knows.
                self.clock_steps += 1
                ahead = max(1, self._steps_since(time))
                self._fitted.clear()
                self._last = number - ahead
            self._own.take_ahead(ahead, time, self._every)
            self._last = max(self._last, self._last + ahead)
        if not self._fitted or self._last > self._fitted[-1][0]:
            self._fitted.append((self._last, time))
            self._fit()

    def _fit(self) -> None:
        """The interval, as the last ones have it."""
        (first, begin), (last, end) = self._fitted[0], self._fitted[-1]
        if last - first >= TRUSTED:
            every = round((end - begin) / (last - first))
            # Numbers that leave the pace of the lines say nothing of it.
            self._every = every if abs(every - self._usual) <= EVEN * self._usual else self._every

    def _steps_since(self, time: int) -> int:
        """How many intervals lie between the last one and a moment, by the line through the last ones."""
        if not self._fitted:
            return 1
        last = self._fitted[-1][0]
        due = sum(came + (last - number) * self._every for number, came in self._fitted) / len(self._fitted)
        return round((time - due) / self._every)

    def _hear(self, result: ProbeResult) -> None:
        if result.result != NOT_KNOWN:
            for each in range(min(result.in_a_row, RECENT_NS // max(1, self._every) + 1)):
                last = result.in_a_row - 1 - each
                self._recent.append((result.sent + last * self._every, result.result == DELIVERED))
        if self._hear_result is not None:
            self._hear_result(result)

    def stop(self, now: int) -> None:
        """What is said from now on is not asked about."""
        if self._own is not None:
            self._own.stop(now)

    def leave(self, now: int) -> None:
        """The lane is gone."""
        if self._own is not None:
            self._own.leave(now)

    def back(self) -> None:
        """It is there again; what comes next shows from when on."""

    def advance(self, now: int) -> None:
        """Time passes."""
        self._now = now
        while self._recent and self._recent[0][0] <= now - RECENT_NS:
            self._recent.popleft()
        if self._own is not None:
            self._own.advance(now)

    def finish(self, now: int, *, listened: bool) -> None:
        """It is over."""
        self.advance(now)
        if self._own is not None:
            self._own.finish(now, listened=listened)

    def snapshots(self) -> tuple[DeliverySnapshot, ...]:
        """How it stands; latencies are of no meaning here."""
        if self._own is None:
            return ()
        found = self._own.snapshot()._replace(sender=self.name, latency=None)
        # Lines without a number have no order of their own.
        numbered = self._place is not None or (self._pattern is not None and NUMBER in self._pattern.groupindex)
        return (found if numbered else found._replace(out_of_order=0),)

    def recent(self) -> tuple[int, int] | None:
        """Of the last minute: how many came, of how many of which that is known; None before anything is."""
        if self._own is None:
            return None
        silent = self._own.overdue(self._now)
        came = sum(came for time, came in self._recent if time > self._now - RECENT_NS)
        of = sum(time > self._now - RECENT_NS for time, _ in self._recent)
        return came, of + min(silent, RECENT_NS // self._every)
