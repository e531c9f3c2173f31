"""What happens together: moments of several lanes that lie close, and what differs while something is sent.

Neither proves a cause. Both say what was counted, so that one is looked for in the right place.
"""

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import pairwise
from statistics import fmean
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.epochs.strip import Strip
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.link.tracker import BEGUN, ENDED
from pale_heron.core.proof.chronicle import SENT, Happening
from pale_heron.core.proof.picture import FIX_BACK, MILESTONE
from pale_heron.core.strips import ColumnStrip

CLOSE_NS: Final = 3 * SECOND
USUAL: Final = frozenset({"settings", BEGUN, ENDED, FIX_BACK, MILESTONE})
"""What is brought about on purpose, or follows from something else: by itself it begins no group."""

SETTLING_NS: Final = 5 * SECOND
"""What a lane does just after it was opened is its beginning, and stands together with nothing."""

MOST_GROUPS: Final = 40
NEAR: Final = 3
"""So many columns before and after a time of sending it is held against."""

LEAST_DB: Final = 1.0
LIKELY: Final = 0.01
"""What chance gives more often than that is nothing; so eight times of sending say something at the earliest."""


class HappenedTogether(NamedTuple):
    """What happened on more than one lane within `within_s` seconds of each other."""

    happenings: tuple[Happening, ...]

    @property
    def within_s(self) -> float:
        return (self.happenings[-1].moment - self.happenings[0].moment) / SECOND


class WhileSending(NamedTuple):
    """C/N0 of a receiver while a lane sends, against the rest of the time."""

    sender: str
    receiver: str
    sending_db: float
    quiet_db: float
    stretches: int
    """So many times of sending, with a pause between them."""
    alike: int
    """In so many of them it differed the same way."""

    @property
    def difference_db(self) -> float:
        return self.sending_db - self.quiet_db


def together(happenings: Iterable[Happening]) -> tuple[HappenedTogether, ...]:
    """Groups of happenings, each at most CLOSE_NS after the one before, on two lanes or of the bench and a lane."""
    groups: list[list[Happening]] = []
    last: Happening | None = None
    opened: dict[str, int] = {}
    for each in sorted(happenings, key=lambda each: each.moment):
        if each.kind == "opened":
            opened[each.lane] = each.moment
        if each.lane in opened and each.moment - opened[each.lane] <= SETTLING_NS:
            continue
        if last is not None and each.moment - last.moment <= CLOSE_NS:
            groups[-1].append(each)
        else:
            groups.append([each])
        last = each
    found = [group for group in groups if _is_of_several(group) and any(each.kind not in USUAL for each in group)]
    return tuple(HappenedTogether(tuple(group)) for group in found[:MOST_GROUPS])


def _is_of_several(group: Sequence[Happening]) -> bool:
    """Whether it is of two lanes, or of one and of what is outside of all (a mark, a step of the clock)."""
    return len({each.lane for each in group}) > 1


def while_sending(
    lanes: Sequence[LaneSnapshot], strips: Mapping[tuple[str, str], ColumnStrip]
) -> Iterator[WhileSending]:
    """Of each sender and each receiver where it makes a difference."""
    for lane in lanes:
        if not any(value is not None for value in lane.fix.strip.cn0):
            continue
        for (sender, kind), strip in strips.items():
            found = _difference(sender, lane.name, strip, lane.fix.strip) if kind == SENT else None
            if found is not None:
                yield found


def _difference(sender: str, receiver: str, sent: ColumnStrip, fix: Strip) -> WhileSending | None:
    """Each time of sending against what lies next to it, in steps of the wider of their columns; None for nothing.

    What changes slowly (satellites that rise, a walk under trees) is the same on both sides and drops out.
    """
    width = max(sent.width, fix.width)
    begin, end = max(sent.begin, fix.begin), min(sent.end, fix.end)
    count = (end - begin) // width
    sends = [sent.over(begin + place * width, begin + (place + 1) * width, end)[0] > 0 for place in range(count)]
    strengths = [_weakest(fix, begin + place * width, width) for place in range(count)]
    pairs = [pair for each in _beside(sends) if (pair := _pair(strengths, *each)) is not None]
    if not pairs:
        return None
    sending, quiet = (fmean(side) for side in zip(*pairs, strict=True))
    lower = sum(one < other for one, other in pairs)
    higher = sum(one > other for one, other in pairs)
    chance = sign_test(lower, higher)
    if abs(sending - quiet) < LEAST_DB or chance > LIKELY:
        return None
    return WhileSending(sender, receiver, sending, quiet, len(pairs), max(lower, higher))


def _stretches(sends: Sequence[bool]) -> Iterator[tuple[int, int]]:
    """From where to before where it sends."""
    first: int | None = None
    for place, now in enumerate([*sends, False]):
        if now and first is None:
            first = place
        elif not now and first is not None:
            yield first, place
            first = None


def _beside(sends: Sequence[bool]) -> Iterator[tuple[range, list[range]]]:
    """Each time of sending, and the quiet columns next to it: of a pause between two times each has its own half."""
    every = list(_stretches(sends))
    if not every:
        return
    edges = [0, *((last + first) // 2 for (_, last), (first, _) in pairwise(every)), len(sends)]
    for (first, last), low, high in zip(every, edges[:-1], edges[1:], strict=True):
        yield range(first, last), [range(max(low, first - NEAR), first), range(last, min(high, last + NEAR))]


def _pair(strengths: Sequence[float | None], sending: range, quiet: Sequence[range]) -> tuple[float, float] | None:
    """The mean of a time of sending, and of the quiet columns next to it; None where one of them is not known."""
    during = [value for place in sending if (value := strengths[place]) is not None]
    beside = [value for part in quiet for place in part if (value := strengths[place]) is not None]
    return (fmean(during), fmean(beside)) if during and beside else None


def sign_test(less: int, more: int) -> float:
    """How often chance alone gives so uneven a split, two-sided (sign test, exact binomial); equal ones left out."""
    count = less + more
    tail: float = sum(math.comb(count, each) for each in range(min(less, more) + 1)) / 2**count
    return min(1.0, 2 * tail)


def _weakest(fix: Strip, moment: int, width: int) -> float | None:
    first = max(0, fix.column(moment))
    known = [each for each in fix.cn0[first : max(first, fix.column(moment + width - 1)) + 1] if each is not None]
    return min(known, default=None)


def sending_words(found: WhileSending) -> str:
    """In a sentence, with its sample."""
    lower = "lower" if found.difference_db < 0 else "higher"
    return (
        f"While {found.sender} sends, C/N0 of {found.receiver} is {abs(found.difference_db):.1f} dB {lower}: "
        f"{found.sending_db:.1f} against {found.quiet_db:.1f} dB-Hz beside it, "
        f"in {found.alike} of {found.stretches} times of sending."
    )
