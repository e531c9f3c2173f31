"""Links whose truth is known: what is sent, what arrives when, who is there to see it, and when the record stops.

A model says what became of every number, for ever; a record shows a part of it. What a trial claims of the record is
compared with the model: of a number that was watched for its whole limit exactly what became of it, of any other
nothing.
"""

import random
from dataclasses import dataclass, field
from typing import Final

from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event
from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.fates import DAMAGED, DELIVERED, LATE, LOST
from pale_heron.core.link.tracker import BEGUN, ENDED, LinkTracker
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.wire.probe import probe_of

MS: Final = SECOND // 1000
EVERY: Final = 100 * MS
ENDINGS: Final = ("to its end", "ended and listened", "ended at once", "record cut off")
LINKS: Final = {
    "perfect": {},
    "loses": {"lost": 0.3},
    "loses all": {"lost": 1.0},
    "damages": {"damaged": 0.2, "lost": 0.1},
    "late now and then": {"late": 0.2},
    "jitters and reorders": {"jitter": 250, "lost": 0.1},
    "doubles": {"twice": 0.3, "lost": 0.1},
    "damaged, then sent again": {"mended": 0.3, "lost": 0.1},
    "dies half way": {"dies": 0.5},
    "dead in the first half": {"born": 0.5},
}
"""Chances of each fate, milliseconds of jitter, and the share of the trial at which a link dies, or begins to work."""


@dataclass
class Link:
    """One way of a trial of delivery, all of it drawn beforehand."""

    kind: str
    seed: int
    count: int = 60
    limit_ms: int = 500
    away: tuple[tuple[int, int], ...] = ()
    """When the receiving lane is gone, in nanoseconds."""
    sends: dict[int, int] = field(default_factory=dict)
    arrivals: list[tuple[int, int, str]] = field(default_factory=list)
    """When, of which number, and as what."""

    def __post_init__(self) -> None:
        chance, habits = random.Random(self.seed), LINKS[self.kind]
        for number in range(1, self.count + 1):
            sent = self.sends[number] = number * EVERY
            share = number / self.count
            came = sent + 20 * MS + chance.randrange(habits.get("jitter", 0) * MS + 1)
            fate, sum_of = chance.random(), 0.0
            drawn = DELIVERED
            for name in (LOST, DAMAGED, LATE, "twice", "mended"):
                sum_of += habits.get(name, 0.0)
                if fate < sum_of:
                    drawn = name
                    break
            if share > habits.get("dies", 1.0) or share <= habits.get("born", 0.0):
                drawn = LOST
            if drawn == LATE:
                came += 2 * self.limit_ms * MS
            if drawn != LOST:
                self.arrivals.append((came, number, DAMAGED if drawn in (DAMAGED, "mended") else DELIVERED))
            if drawn in ("twice", "mended"):
                self.arrivals.append((came + 30 * MS, number, DELIVERED))
        self.arrivals.sort()

    def gone(self, moment: int) -> bool:
        return any(begin <= moment < end for begin, end in self.away)

    def fate(self, number: int, end: int) -> str | None:
        """What a record that ends then can know of a number; None where that is nothing."""
        sent = self.sends[number]
        over = sent + self.limit_ms * MS
        if over >= end or any(begin <= over and sent < finish for begin, finish in self.away):
            return None
        mine = [(time, kind) for time, each, kind in self.arrivals if each == number and time < end]
        whole = [time for time, kind in mine if kind == DELIVERED and not self.gone(time)]
        if any(time <= over for time in whole):
            return DELIVERED
        if any(kind == DAMAGED and time <= over for time, kind in mine):
            return DAMAGED
        return LATE if whole else LOST

    @property
    def described(self) -> TrialDescription:
        return TrialDescription(
            "delivery", 7, ("hide", "buoy"), one_way=True, probes=self.count, size=40, limit_s=self.limit_ms / 1000
        )

    def end_of(self, ending: str, share: float) -> tuple[int, int]:
        """Until when is sent, and when the record, or the trial, ends."""
        last = self.count * EVERY
        stopped = last if ending == ENDINGS[0] else round(share * last)
        listened = ending in ENDINGS[:2]
        return stopped, stopped + (self.limit_ms * MS + 1 if listened else 0)

    def play(self, ending: str, share: float) -> tuple[TrialSnapshot, int, int]:
        """The trial as a record tells it, until when was sent, and when it ended."""
        stopped, end = self.end_of(ending, share)
        entries: list[tuple[int, int, Chunk | Event]] = []
        for number, sent in self.sends.items():
            if sent <= stopped:
                entries.append((sent, 0, Chunk("hide", OUT, sent, self._bytes(number) + b"\r\n")))
        for time, number, kind in self.arrivals:
            if self.sends[number] <= stopped and time < end and not self.gone(time):
                data = self._bytes(number)
                # A changed letter in the middle; a line end behind it, so that it stands by itself.
                data = data if kind == DELIVERED else data[:15] + b"~" + data[16:]
                entries.append((time, 1, Chunk("buoy", IN, time, data + b"\r\n")))
        for begin, finish in self.away:
            entries += [
                (begin, 2, Event(begin, "buoy", "lost", {})),
                (finish, 2, Event(finish, "buoy", "returned", {})),
            ]
        tracker = LinkTracker()
        tracker.heed(Event(0, "", BEGUN, self.described.details()))
        for time, _, entry in sorted(entries, key=lambda each: each[:2]):
            if time >= end:
                break
            if isinstance(entry, Event):
                tracker.heed(entry)
            else:
                tracker.feed(entry)
            tracker.advance(time)
        if ending == ENDINGS[3]:
            tracker.finish(end)
        else:
            by = "count" if ending == ENDINGS[0] else "interrupted"
            tracker.heed(Event(end, "", ENDED, {"trial": 7, "by": by, "listened": ending in ENDINGS[:2]}))
        (found,) = tracker.snapshot()
        return found, stopped, end

    def _bytes(self, number: int) -> bytes:
        return probe_of(7, "A", 40, number)
