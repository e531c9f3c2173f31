"""Two captures side by side, and what of a difference is more than chance.

A difference is judged only where there is a known way to do so from what was counted; else it is shown and not judged.

    shares      of things that were counted one by one: interval of a difference of shares (Newcombe 1998, method 10);
                counts are divided by how much more they vary than independent ones (McCullagh and Nelder 1989, 4.5)
    events      so many in so much time: exact, by the binomial split of all of them (Przyborowski and Wilenski 1940)
    scatter     distances of so many positions as are worth independent ones: ratio of two deviations
    means       of what wanders slowly: of minutes, as many as are worth independent ones (`independent.py`)
"""

import math
from collections.abc import Callable, Iterator, Sequence
from statistics import fmean, variance
from typing import Final, NamedTuple

import numpy as np

from pale_heron.core.independent import independent_samples
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.snapshot import LineSnapshot
from pale_heron.core.link.comparison import difference_95
from pale_heron.core.proof.expectation import written
from pale_heron.core.proof.measured import Evident, Measured, Value
from pale_heron.core.proof.measures import cn0_by_minute
from pale_heron.core.proof.names import BEHIND, CLOCK, LANE, NAMES, RECORD, ExpectedName, measured

SURE, CHANCE, NOT_JUDGED = "more than chance", "may be chance", "not judged"
Z: Final = 1.96
LEAST_BLOCKS: Final = 8
LEAST_WORTH: Final = 2.5
HIDDEN: Final = 0.5
"""A record that is few times as long as its memory shows less of it than there is: so much of its worth is counted."""

MOST_COLUMNS: Final = 1 << 14
MANY_EVENTS: Final = 2000
"""From here on their split is as good as normal."""

LEAST_INDEPENDENT: Final = 8.0
LIKELY: Final = 0.05

Judge = Callable[[LaneSnapshot, LaneSnapshot, float, float], bool | None]
"""Of a lane in each capture and the seconds of each: whether they differ by more than chance; None if too little."""


class ComparedName(NamedTuple):
    """One name of the table, of a lane in each capture (empty for the record)."""

    lanes: tuple[str, str]
    name: str
    unit: str
    one: Measured
    other: Measured
    judged: str

    @property
    def difference(self) -> float | None:
        """How much larger the second is; None where they are no numbers."""
        one, other = (_number(each.value) for each in (self.one, self.other))
        return None if one is None or other is None else other - one


def _number(value: Value) -> float | None:
    """A value that is a number; the truth of something is none."""
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else None


def compare_captures(one: Evident, other: Evident, pairs: Sequence[tuple[str, str]]) -> tuple[ComparedName, ...]:
    """Every name that both have something to say of, for each pair of lanes, and for the record."""
    found = [row for pair in pairs for row in _lanes(one, other, pair)]
    for row in NAMES:
        if row.about == RECORD:
            found += _row(row, "", one, other, ("", ""), NOT_JUDGED)
    return tuple(found)


def _lanes(one: Evident, other: Evident, pair: tuple[str, str]) -> Iterator[ComparedName]:
    lanes = one.lane(pair[0]), other.lane(pair[1])
    if lanes[0] is None or lanes[1] is None:
        return
    seconds = one.record.duration_s or 0.0, other.record.duration_s or 0.0
    for row in NAMES:
        if row.about == LANE and not row.name.endswith(BEHIND):
            judge = JUDGES.get(row.name)
            said = judge(lanes[0], lanes[1], *seconds) if judge is not None else None
            judged = NOT_JUDGED if said is None else SURE if said else CHANCE
            yield from _row(row, "", one, other, pair, judged)
        elif row.about == CLOCK and row.name.endswith(BEHIND):
            types = {each.type for each in lanes[0].lag.types} & {each.type for each in lanes[1].lag.types}
            for kind in sorted(types):
                yield from _row(row, kind, one, other, pair, NOT_JUDGED)


def _row(
    row: ExpectedName, behind: str, one: Evident, other: Evident, pair: tuple[str, str], judged: str
) -> Iterator[ComparedName]:
    here, there = measured(row, behind, one, pair[0], 0), measured(row, behind, other, pair[1], 0)
    if here.value is None and there.value is None:
        return
    name = row.name.removesuffix(BEHIND) + behind
    known = here.value is not None and there.value is not None
    yield ComparedName(pair, name, row.unit, here, there, judged if known else NOT_JUDGED)


def _bad_share(one: LaneSnapshot, other: LaneSnapshot, _: float, __: float) -> bool | None:
    return bad_share_differs(one.line, other.line)


def bad_share_differs(one: LineSnapshot, other: LineSnapshot) -> bool | None:
    """Whether two lines damage different shares of what comes; None where nothing came that could be checked."""
    # Damage comes in bursts: what comes together counts as one. A record without a burst had luck, not another line.
    together = max(clustering(line) for line in (one, other))
    counts = [(line.damaged, line.valid + line.damaged) for line in (one, other)]
    between = difference_95(*(round(count / together) for pair in counts for count in pair))
    return None if between is None else not between[0] <= 0 <= between[1]


def clustering(line: LineSnapshot) -> float:
    """How many times as much the damage of a line varies from time to time as it would if it came one by one."""
    strip, first, last = line.damage, line.first_byte, line.last_byte
    if first is None or last is None or not any(strip.counts):
        return 1.0
    before = max(0, (strip.begin - first) // strip.width)
    every = before + max(len(strip.counts), (last - strip.begin) // strip.width + 1)
    # A record may claim to last for centuries.
    joined = -(-every // MOST_COLUMNS)
    places = (before + np.arange(len(strip.counts))) // joined
    counts = np.bincount(places, strip.counts, -(-every // joined))
    of_sum = float(counts.var()) * len(counts) ** 2 / independent_samples(counts)
    return max(1.0, of_sum / float(counts.sum()))


def _outages(one: LaneSnapshot, other: LaneSnapshot, seconds: float, others: float) -> bool | None:
    return rates_differ(len(one.fix.history.outages), seconds, len(other.fix.history.outages), others)


def rates_differ(one: int, seconds: float, other: int, others: float) -> bool | None:
    """Whether so many events in so much time each are of different rates; None where no time passed."""
    if seconds <= 0 or others <= 0:
        return None
    count, share = one + other, seconds / (seconds + others)
    if count > MANY_EVENTS:
        return abs(one - count * share) > Z * math.sqrt(count * share * (1 - share))
    each = [math.comb(count, k) * share**k * (1 - share) ** (count - k) for k in range(count + 1)]
    # Two-sided: all splits that are as unlikely as this one.
    return sum(chance for chance in each if chance <= each[one] * (1 + 1e-9)) < LIKELY


def _scatter(one: LaneSnapshot, other: LaneSnapshot, _: float, __: float) -> bool | None:
    from pale_heron.core.gnss.scatter import scatter

    found = [scatter(lane.fix.track) for lane in (one, other)]
    here, there = found
    if here is None or there is None or min(here.independent, there.independent) < LEAST_INDEPENDENT:
        return None
    if not here.drms_m or not there.drms_m:
        return None
    # The standard error of the logarithm of a deviation of n values is 1/√(2n); east and north are two each.
    error = math.sqrt(1 / (4 * here.independent) + 1 / (4 * there.independent))
    return abs(math.log(there.drms_m / here.drms_m)) > Z * error


def _strength(one: LaneSnapshot, other: LaneSnapshot, _: float, __: float) -> bool | None:
    return means_differ(cn0_by_minute(one), cn0_by_minute(other))


def means_differ(one: Sequence[float], other: Sequence[float]) -> bool | None:
    """Whether two means differ, of blocks one after the other; None of too few (Welch 1947, with wider bounds)."""
    if min(len(one), len(other)) < LEAST_BLOCKS:
        return None
    # Both are of one kind of process: the longer of the two memories that they show counts for both.
    memory = max(len(each) / independent_samples(np.array(each)) for each in (one, other)) / HIDDEN
    worth = [len(each) / memory for each in (one, other)]
    if min(worth) < LEAST_WORTH:
        return None
    error = math.sqrt(variance(one) / worth[0] + variance(other) / worth[1])
    fewest = min(worth) - 1
    # Of few blocks the deviation itself is unsure: close to Student's 97.5 % point for so many degrees of freedom.
    wide = Z + 2.4 / fewest + 3.0 / fewest**2
    return abs(fmean(other) - fmean(one)) > wide * error


JUDGES: Final[dict[str, Judge]] = {
    "line.bad_share": _bad_share,
    "fix.outages": _outages,
    "fix.cep50_m": _scatter,
    "fix.cep95_m": _scatter,
    "fix.cn0_dbhz": _strength,
}
"""Names for which there is a way to tell a difference from chance."""


def compared_object(row: ComparedName) -> dict[str, object]:
    """As `compare --json` prints it."""
    return {
        "lanes": list(row.lanes) if any(row.lanes) else None,
        "name": row.name,
        "unit": row.unit,
        "values": [row.one.value, row.other.value],
        "samples": [row.one.samples, row.other.samples],
        "difference": row.difference,
        "judged": row.judged,
    }


def compared_words(row: ComparedName) -> tuple[str, str, str, str]:
    """Name, both values, and what to think of the difference."""
    unit = f" {row.unit}" if row.unit and row.unit != "0 to 1" else ""
    one, other = ("–" if each.value is None else f"{written(each.value)}{unit}" for each in (row.one, row.other))
    difference = row.difference
    if difference is None:
        same = row.one.value == row.other.value
        return row.name, one, other, "the same" if same else "another"
    if not difference:
        return row.name, one, other, "the same"
    judged = "" if row.judged == NOT_JUDGED else f", {row.judged}"
    return row.name, one, other, f"{'+' if difference > 0 else ''}{written(float(f'{difference:.4g}'))}{unit}{judged}"
