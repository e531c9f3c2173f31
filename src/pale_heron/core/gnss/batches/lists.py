"""Lists of satellites in a batch: which sentences make up each, what they name, and how strong each is received.

A list comes in parts, one set for each talker; only whole ones count. What belongs to none, since a part is missing, is
counted and left out; a row that cannot be read as a part is marked as odd.
"""

from bisect import bisect_left
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import lru_cache
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from pale_heron.core.nmea.columns import FieldColumn, field_of, last_field
from pale_heron.core.wire.sentence_batch import Flags, Places, SentenceBatch, present, steps

GROUPS: Final = 4
"""So many satellites stand in one sentence (NMEA 0183 4.11, 8.3.40)."""

BEST: Final = 4


class SatelliteLists:
    """The whole lists of a batch, in the order in which they become whole."""

    def __init__(self, batch: SentenceBatch, rows: Places, odd: Flags) -> None:
        own = batch.rows(rows)
        total, part = (field_of(own, number).letter.astype(np.int64) - ord("0") for number in (1, 2))
        commas = own.comma_count
        groups = (commas - 3) // 4
        bad = (total < 1) | (total > 9) | (part < 1) | (part > total)
        bad |= (commas % 4 != 3) & (commas % 4 != 0) | (groups > GROUPS)
        last = part == total
        open_at = np.zeros(len(batch) + 1, np.int64)
        self._rows = rows
        finals, missed = [], np.zeros(len(own), np.bool_)
        for kind in present(own.type):
            mine = np.flatnonzero(own.type == kind)
            first, follows, places = part[mine] == 1, np.zeros(len(mine), np.bool_), np.arange(len(mine))
            follows[1:] = (part[mine][1:] == part[mine][:-1] + 1) & ~last[mine][:-1]
            # A part belongs to a list where all follow each other since the first one.
            begun = np.maximum.accumulate(np.where(first, places, -1))
            sound = begun > np.maximum.accumulate(np.where(first | follows, -1, places))
            unfinished = sound & ~last[mine]
            missed[mine] = ~sound
            missed[mine[1:]] |= first[1:] & unfinished[:-1]
            np.add.at(open_at, rows[mine[unfinished]] + 1, 1)
            np.add.at(open_at, np.append(rows[mine], len(batch) - 1)[1:][unfinished] + 1, -1)
            finals.append(mine[last[mine] & sound])
        self._missed: Places = rows[missed]
        self.open: Flags = np.cumsum(open_at)[:-1] > 0
        """Whether a list is under way in front of each row of the batch."""
        self._final = np.sort(np.concatenate(finals)) if finals else np.empty(0, np.int64)
        self._own = own
        self._total = total
        # Rows of other types may stand between the parts of a list.
        self._same = _places_of_type(own.type)
        self.rows: Places = rows[self._final]
        """The row with which each becomes whole."""
        self.time: Places = batch.time[self.rows]
        self.type: Places = batch.type[self.rows]
        signal = last_field(own)
        apart = commas % 4 == 0
        bad |= apart & (signal.size > 1)
        letters = np.where(apart & (signal.size == 1), signal.letter, 0).astype(np.int64)
        self.key: Places = self.type << 8 | letters[self._final]
        """Its type and its signal, 0 for none."""
        self._read_satellites(own, groups, bad)
        odd[rows[bad]] = True
        self._every = self._all_satellites()
        odd[self.rows[self._every.repeats]] = True

    def __len__(self) -> int:
        return len(self.rows)

    def _read_satellites(self, own: SentenceBatch, groups: Places, bad: Flags) -> None:
        """Raw number and C/N0 of every satellite of every row, `GROUPS` columns; -1 where there is none."""
        self._numbers = np.full((GROUPS, len(own)), -1, np.int64)
        self._strengths = np.zeros((GROUPS, len(own)), np.int64)
        for group in range(GROUPS):
            here = np.flatnonzero((groups > group) & ~bad)
            part = own.rows(here)
            number, strength = field_of(part, 4 + 4 * group), field_of(part, 7 + 4 * group)
            bad[here[number.size > 3]] = True
            self._numbers[group, here] = _packed(number)
            counted = strength.counts()
            self._strengths[group, here] = np.where((strength.size <= 2) & (counted > 0), counted, 0)

    def missed(self, batch: SentenceBatch, begin: int, end: int) -> Places:
        """The types of the rows between two that show that a part is missing, in their order."""
        first, last = np.searchsorted(self._missed, (begin, end)).tolist()
        found: Places = batch.type[self._missed[first:last]]
        return found

    def last_missed(self, batch: SentenceBatch, begin: int, end: int, kind: int) -> bool:
        """Whether the last that is known of a type between two rows is that a part is missing."""
        missed, whole = (
            rows[np.searchsorted(rows, begin) : np.searchsorted(rows, end)] for rows in (self._missed, self.rows)
        )
        missed, whole = missed[batch.type[missed] == kind], whole[batch.type[whole] == kind]
        return len(missed) > 0 and (not len(whole) or int(missed[-1]) >= int(whole[-1]))

    def keys(self, names: Sequence[str], begin: int, end: int) -> Iterator[tuple[tuple[str, bytes], int]]:
        """Of the lists from one to before another: type and signal as the tracker keeps them apart, and the time."""
        keys = self.key[begin:end].tolist()
        apart = {key: (names[key >> 8], bytes([key & 0xFF]) if key & 0xFF else b"") for key in set(keys)}
        return zip(map(apart.__getitem__, keys), self.time[begin:end].tolist(), strict=True)

    def of_keys(self, names: Sequence[str], begin: int, end: int) -> dict[tuple[str, bytes], Places]:
        """The lists from one to before another by their keys: places in the order in which they became whole."""
        key = self.key[begin:end]
        return {
            (names[each >> 8], bytes([each & 0xFF]) if each & 0xFF else b""): begin + np.flatnonzero(key == each)
            for each in set(key.tolist())
        }

    def parts_of(self, place: int) -> list[int]:
        """The rows of the batch that make up a list."""
        final = int(self._final[place])
        behind = int(self._same.place[final]) + 1
        rows: list[int] = self._rows[self._same.ordered[behind - int(self._total[final]) : behind]].tolist()
        return rows

    def satellites(self, begin: int, end: int) -> "Satellites":
        """Of the lists from one to before another, in order."""
        every = self._every
        first, last = np.searchsorted(every.owner, (begin, end)).tolist()
        stretch = slice(first, last)
        return Satellites(every.owner[stretch] - begin, every.number[stretch], every.strength[stretch], end - begin)

    def _all_satellites(self) -> "Satellites":
        """Of all lists; of those that are odd in any way, too."""
        finals = self._final
        counts = np.maximum(self._total[finals], 0)
        lists = np.repeat(np.arange(len(finals)), counts)
        place = np.arange(len(lists)) - np.repeat(np.cumsum(counts) - counts, counts)
        rows = self._same.earlier(finals[lists], counts[lists] - 1 - place)
        numbers = self._numbers[:, rows].T.ravel()
        strengths = self._strengths[:, rows].T.ravel()
        owner = np.repeat(lists, GROUPS)
        there = numbers >= 0
        return Satellites(owner[there], numbers[there], strengths[there], len(finals))


def due(times: Places, last: int | None, spacing: int) -> Places:
    """Which of these are taken, where each is taken that is so far behind the one taken before; `last` was before."""
    gaps = steps(times, int(times[0]) - spacing if last is None else last)
    if (gaps >= spacing).all():
        return np.arange(len(times))
    told, found, at, ordered = times.tolist(), [], 0, bool((gaps[1:] >= 0).all())
    while at < len(told):
        if last is None or told[at] - last >= spacing:
            found.append(at)
            last = told[at]
        at = max(at + 1, bisect_left(told, last + spacing)) if ordered else at + 1
    return np.array(found, np.int64)


class _TypePlaces(NamedTuple):
    """For each row its place among those of its type, and the rows of each type one after the other."""

    ordered: Places
    place: Places

    def earlier(self, rows: Places, steps: Places) -> Places:
        """The rows of the same type so many before."""
        found: Places = self.ordered[self.place[rows] - steps]
        return found


def _places_of_type(types: Places) -> _TypePlaces:
    # Numbers of two bytes are sorted without comparing them.
    ordered = np.argsort(types.astype(np.int16), kind="stable")
    place = np.empty(len(types), np.int64)
    place[ordered] = np.arange(len(types))
    return _TypePlaces(ordered, place)


def _packed(number: FieldColumn) -> Places:
    """A raw number of up to three bytes as one integer, different for different texts."""
    letters = number.matrix(3).astype(np.int64)
    found: Places = letters[0] << 16 | letters[1] << 8 | letters[2]
    return found


@lru_cache(maxsize=1024)
def unpacked_number(packed: int) -> bytes:
    """The raw number again."""
    return packed.to_bytes(3, "big").rstrip(b"\0")


def packed_number(number: bytes) -> int:
    """The other way; of a longer one it keeps enough, which no list of a batch has."""
    return int.from_bytes(number[:3].ljust(3, b"\0"), "big")


class Satellites(NamedTuple):
    """Satellites of `lists` lists: of which list each is, its raw number in one integer, and its C/N0."""

    owner: Places
    number: Places
    strength: Places
    lists: int

    @property
    def repeats(self) -> Places:
        """Lists that name a satellite twice."""
        key = np.sort(self.owner << 24 | self.number)
        twice = key[1:][key[1:] == key[:-1]]
        found: Places = np.unique(twice >> 24)
        return found

    def each(self) -> Callable[[int], Iterator[tuple[bytes, int]]]:
        """What gives raw numbers and C/N0 of one list."""
        begins = np.searchsorted(self.owner, np.arange(self.lists + 1)).tolist()
        numbers, strengths = self.number.tolist(), self.strength.tolist()

        def of(owner: int) -> Iterator[tuple[bytes, int]]:
            stretch = slice(begins[owner], begins[owner + 1])
            return zip(map(unpacked_number, numbers[stretch]), strengths[stretch], strict=True)

        return of


def merged(lists: Iterable[Satellites]) -> Satellites:
    """Lists of the same places together: of a satellite that stands in several, the strongest counts."""
    every = list(lists)
    key = np.concatenate([each.owner << 24 | each.number for each in every])
    strength = np.concatenate([each.strength for each in every])
    order = np.argsort(key, kind="stable")
    key = key[order]
    starts = np.flatnonzero(steps(key, -1))
    best = np.maximum.reduceat(strength[order], starts) if len(starts) else strength
    return Satellites(key[starts] >> 24, key[starts] & 0xFFFFFF, best, max(each.lists for each in every))


class ListReception(NamedTuple):
    """Of each list how many satellites, and the C/N0 of the best, strongest first, 0 where there are no more."""

    seen: Places
    best: NDArray[np.int64]


def reception(found: Satellites) -> ListReception:
    """What is received, list by list."""
    count = np.bincount(found.owner, minlength=found.lists)
    begins = np.cumsum(count) - count
    strengths = np.zeros((found.lists, max(BEST, int(count.max(initial=0)))), np.int64)
    strengths[found.owner, np.arange(len(found.owner)) - begins[found.owner]] = found.strength
    strengths.sort(axis=1)
    return ListReception(count, strengths[:, : -BEST - 1 : -1])
