"""What lists of satellites, many at a time, say of reception: how many are seen, and how strong the best are."""

from collections.abc import Mapping, Sequence
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from pale_heron.core.gnss.batches.lists import (
    BEST,
    ListReception,
    SatelliteLists,
    Satellites,
    merged,
    packed_number,
    reception,
)
from pale_heron.core.wire.sentence_batch import Flags, Places, steps

LONG_AGO: Final = -(2**62)


class KnownList(NamedTuple):
    """A list of before the batch: type and signal as in `SatelliteLists.key`, when it came, until when it counts."""

    key: int
    time: int
    ends: int
    satellites: Satellites


class Strongest(NamedTuple):
    """What one talker's lists add to reception, each time one of them becomes whole: with which row, until when."""

    rows: Places
    until: Places
    received: ListReception

    def last(self) -> tuple[int, int, list[int]]:
        """What holds behind the last: until when, how many satellites, the strongest of them."""
        best = [each for each in self.received.best[-1].tolist() if each]
        return int(self.until[-1]), int(self.received.seen[-1]), best


def no_lists() -> Strongest:
    """Nothing was heard of a talker."""
    none = np.empty(0, np.int64)
    return Strongest(none, none, ListReception(none, np.empty((0, BEST), np.int64)))


def satellites_of(strengths: Mapping[bytes, int]) -> Satellites:
    """One list, of raw numbers and their C/N0."""
    numbers = np.array([packed_number(each) for each in strengths], np.int64)
    return Satellites(np.zeros(len(numbers), np.int64), numbers, np.array(list(strengths.values()), np.int64), 1)


def strongest(
    lists: SatelliteLists, begin: int, end: int, kind: int, known: Sequence[KnownList], fresh_ns: int
) -> Strongest:
    """Of the lists of one type between two; `known` are its keys, in the order in which they were first heard."""
    events = begin + np.flatnonzero(lists.type[begin:end] == kind)
    received = lists.satellites(begin, end)
    if len(known) == 1:
        until = _ends(lists.time[events], known[0].time, fresh_ns)
        return Strongest(lists.rows[events], until, _chosen(reception(received), events - begin))
    times, ends, current = [], [], []
    for each in known:
        own = events[lists.key[events] == each.key]
        own_times = np.concatenate(([each.time], lists.time[own]))
        own_ends = np.concatenate(([each.ends], _ends(lists.time[own], each.time, fresh_ns)))
        place = np.searchsorted(own, events, "right")
        times.append(own_times[place])
        ends.append(own_ends[place])
        current.append(np.concatenate(([-1], own))[place])
    time, until = np.array(times), np.array(ends)
    newest = np.argmax(time, axis=0)
    columns = np.arange(len(events))
    fresh: Flags = time[newest, columns] <= until
    fresh[newest, columns] = True
    together = [
        _taken(received, current[place] - begin, fresh[place], each.satellites) for place, each in enumerate(known)
    ]
    return Strongest(lists.rows[events], until[newest, columns], reception(merged(together)))


def _ends(times: Places, before: int, fresh_ns: int) -> Places:
    """Until when each of the lists of one key counts: so long, or three of its own intervals."""
    found: Places = times + np.maximum(fresh_ns, 3 * steps(times, before))
    return found


def _chosen(received: ListReception, places: Places) -> ListReception:
    return ListReception(received.seen[places], received.best[places])


def _taken(received: Satellites, places: Places, wanted: Flags, before: Satellites) -> Satellites:
    """The list at each of these places, where it is wanted; the one from before the batch where a place is negative."""
    count = np.bincount(received.owner, minlength=received.lists)
    begins = np.concatenate(([0], np.cumsum(count)))
    inside, outside = np.flatnonzero(wanted & (places >= 0)), np.flatnonzero(wanted & (places < 0))
    sizes = count[places[inside]]
    steps = np.arange(int(sizes.sum())) - np.repeat(np.cumsum(sizes) - sizes, sizes)
    at = np.repeat(begins[places[inside]], sizes) + steps
    owner = np.concatenate((np.repeat(inside, sizes), np.repeat(outside, len(before.number))))
    number = np.concatenate((received.number[at], np.tile(before.number, len(outside))))
    strength = np.concatenate((received.strength[at], np.tile(before.strength, len(outside))))
    return Satellites(owner, number, strength, len(places))


class KnownStrongest(NamedTuple):
    """What one talker's lists added to reception before the batch."""

    until: int
    seen: int
    best: Sequence[int]


def at_moments(
    kinds: Sequence[tuple[Strongest, KnownStrongest | None]], rows: Places, moments: Places
) -> tuple[Places, NDArray[np.float64]]:
    """Satellites seen, or -1, and the mean of the best, or NaN: as of each moment, in front of a row."""
    seen = np.zeros(len(rows), np.int64)
    heard = np.zeros(len(rows), np.bool_)
    best = np.zeros((len(rows), BEST * max(1, len(kinds))), np.int64)
    for place, (found, before) in enumerate(kinds):
        known = before or KnownStrongest(LONG_AGO, 0, ())
        event = np.searchsorted(found.rows, rows)
        until = np.concatenate(([known.until], found.until))[event]
        fresh = moments <= until
        heard |= fresh
        seen += np.where(fresh, np.concatenate(([known.seen], found.received.seen))[event], 0)
        first = np.zeros((1, BEST), np.int64)
        first[0, : len(known.best)] = known.best
        own = np.concatenate((first, found.received.best))[event]
        best[:, place * BEST : (place + 1) * BEST] = np.where(fresh[:, None], own, 0)
    four = -np.sort(-best, axis=1)[:, :BEST]
    count = (four > 0).sum(axis=1)
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = np.where(count > 0, four.sum(axis=1) / count, np.nan)
    return np.where(heard, seen, -1), mean
