"""What a batch of sentences adds to the counts of a line: of each type how many, how large, and which came last."""

from collections.abc import Sequence
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from pale_heron.core.frames import SECOND
from pale_heron.core.line.type_parts import part_label
from pale_heron.core.nmea.columns import field_of, last_field
from pale_heron.core.wire.sentence_batch import Flags, Places, SentenceBatch, steps

_SYSTEM_FIELD: Final = 18
_SHORT: Final = 2
"""Bytes of a field that tells parts apart; a longer one is looked at sentence by sentence."""


class Tally(NamedTuple):
    """Sentences that count together: how many, their bytes, the first of them and the last two as rows of the batch.

    `before` is -1 where there is only one.
    """

    name: str
    sentences: int
    bytes: int
    first: int
    before: int
    last: int


def tallies(batch: SentenceBatch) -> list[Tally]:
    """Of each type, in the order in which they first come."""
    found = _grouped(batch.type.astype(np.int16), batch.size, 0)
    return [each._replace(name=batch.names[int(batch.type[each.first])]) for each in found]


def turns_of(times: Sequence[int], second: int | None) -> list[int]:
    """The places at which a second begins that is later than all before; `second` is the last one before these."""
    seconds = np.array(times, np.int64) // SECOND
    latest = np.maximum.accumulate(np.concatenate(([int(seconds[0]) - 1 if second is None else second], seconds)))
    turns: list[int] = np.flatnonzero(steps(latest, int(latest[0]))[1:]).tolist()
    return turns


def by_pieces(batch: SentenceBatch, edges: Sequence[int]) -> list[list[tuple[int, int, int]]]:
    """Of each piece between two edges, which are rows of the batch: types by number, how many, their bytes."""
    kinds, pieces = len(batch.names), len(edges) - 1
    piece = np.repeat(np.arange(pieces), np.diff(edges))
    key = piece * kinds + batch.type
    counts = np.bincount(key, minlength=pieces * kinds).reshape(pieces, kinds)
    sizes = np.bincount(key, batch.size, pieces * kinds).astype(np.int64).reshape(pieces, kinds)
    there = [np.flatnonzero(row) for row in counts]
    return [
        list(zip(own.tolist(), row[own].tolist(), size[own].tolist(), strict=True))
        for own, row, size in zip(there, counts, sizes, strict=True)
    ]


def parts(batch: SentenceBatch, formatter: str) -> list[Tally]:
    """Of each type of a formatter those that tell the same, by their labels; in the order in which they first come."""
    rows = np.flatnonzero(batch.of_types([name[-3:] == formatter for name in batch.names]))
    own = batch.rows(rows)
    found = [_named(each, own, rows) for each in _grouped(_keys(own, formatter), own.size, 0)]
    if len({(int(batch.type[each.first]), each.name) for each in found}) == len(found):
        return found
    # The same may be written in two ways.
    return [_named(each, own, rows) for each in _grouped(np.arange(len(rows)), own.size, 0)]


def _named(tally: Tally, own: SentenceBatch, rows: Places) -> Tally:
    """With its label, and its rows as those of the whole batch."""
    before = int(rows[tally.before]) if tally.before >= 0 else -1
    label = part_label(own.frame(tally.first))
    return tally._replace(name=label, first=int(rows[tally.first]), before=before, last=int(rows[tally.last]))


def first_times(batch: SentenceBatch, kind: int, count: int) -> list[int]:
    """When the first `count` of one type came."""
    times: list[int] = batch.time[np.flatnonzero(batch.type == kind)[:count]].tolist()
    return times


def _keys(own: SentenceBatch, formatter: str) -> Places:
    """Equal for sentences of one type with equal labels, as far as their raw fields are equal, and short."""
    last = own.comma_count
    if formatter == "GSA":
        fields = [field_of(own, _SYSTEM_FIELD)]
        apart = last >= _SYSTEM_FIELD
    else:
        fields = [field_of(own, 1), field_of(own, 2), last_field(own)]
        apart = last % 4 == 0
    key = own.type.astype(np.int64)
    for place, field in enumerate(fields):
        size = field.size if place < len(fields) - 1 else np.where(apart, field.size, 0)
        if size.max(initial=0) > _SHORT:
            return np.arange(len(own))
        letters = field.matrix(_SHORT).astype(np.int64)
        key = key << 18 | np.where(size > 0, letters[0] << 8 | letters[1], 0) << 2 | size
    return key << 1 | apart


def _grouped(keys: "Places | NDArray[np.int16]", sizes: Places, begin: int) -> list[Tally]:
    """Rows of equal keys together, in the order of their first ones; rows count from `begin`."""
    if not len(keys):
        return []
    order = np.argsort(keys, kind="stable")
    ordered = keys[order]
    first: Flags = np.concatenate(([True], ordered[1:] != ordered[:-1]))
    starts = np.flatnonzero(first)
    ends = np.append(starts[1:], len(keys))
    totals = np.add.reduceat(sizes[order], starts)
    found = [
        Tally(
            "",
            end - start,
            total,
            begin + int(order[start]),
            begin + int(order[end - 2]) if end - start > 1 else -1,
            begin + int(order[end - 1]),
        )
        for start, end, total in zip(starts.tolist(), ends.tolist(), totals.tolist(), strict=True)
    ]
    return sorted(found, key=lambda each: each.first)
