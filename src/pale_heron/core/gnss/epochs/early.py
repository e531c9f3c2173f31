"""Sentences that tell the time of the next epoch before the rest of this one has come.

    GGA 12:00:01   RMC 12:00:00   GSA   GGA 12:00:02   RMC 12:00:01 …

Some receivers announce the coming second (ZDA before its pulse), or send one sentence of a newer solution. Such a
sentence would end the epoch that is arriving, and the rest of it would seem to go back in time: it is held back until
its own epoch has begun.
"""

from collections.abc import Mapping, Sequence
from typing import Final

from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.gnss.epochs.tracker import EpochTracker
from pale_heron.core.gnss.facts import LatestSentence
from pale_heron.core.gnss.saying import raw_time
from pale_heron.core.nmea.raw import time_of_day
from pale_heron.core.utc import turned

AHEAD_NS: Final = 2 * SECOND
"""Nobody tells a time that lies farther ahead; what goes back by more is another clock."""

MOST_HELD: Final = 2
"""Of one formatter: one for the epoch that is to begin, and one that came before that has."""


class EarlySentences:
    """Learns which formatters come early, and puts each of their sentences where it belongs."""

    def __init__(self) -> None:
        self._early: set[str] = set()
        self._held: list[tuple[str, Frame]] = []

    @property
    def any(self) -> bool:
        """Whether any formatter comes early."""
        return bool(self._early)

    def ordered(
        self, formatter: str, frame: Frame, epochs: EpochTracker, latest: Mapping[str, LatestSentence]
    ) -> Sequence[Frame]:
        """What is to be read now that a sentence with a time has come: it, and what waited for it; or nothing yet."""
        time = raw_time(formatter, frame)
        told, open_told = time_of_day(time), time_of_day(epochs.raw_time)
        if told is None or open_told is None or told == open_told:
            return (frame,)
        ahead = turned(told - open_told)
        if -AHEAD_NS <= ahead < 0:
            told_by = epochs.open.told_by
            if told_by and formatter not in told_by:
                # Whoever began the epoch that is open was early.
                self._early |= told_by
                frames = ((each, latest[each].frame) for each in told_by)
                self._held += [(each, said) for each, said in frames if isinstance(said, Frame)]
                epochs.take_back(time)
            return (frame,)
        if formatter in self._early:
            self._held.append((formatter, frame))
            waiting = [said for each, said in self._held if each == formatter]
            if len(waiting) <= MOST_HELD:
                return ()
            # Nobody has begun their epochs: those that came behind them have stopped.
            self._early.discard(formatter)
            self._held = [held for held in self._held if held[0] != formatter]
            return waiting
        due = [said for each, said in self._held if time_of_day(raw_time(each, said)) == told]
        self._held = [held for held in self._held if held[1] not in due]
        return (frame, *due)
