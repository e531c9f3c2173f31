"""Two trials side by side, with what of their difference is more than chance; and a matrix of the trials of a plan."""

import math
from collections.abc import Sequence
from typing import Final, NamedTuple

from pale_heron.core.link.certainty import percent
from pale_heron.core.link.fates import DeliverySnapshot
from pale_heron.core.link.figures import wilson
from pale_heron.core.link.judging import worst
from pale_heron.core.link.speed import speeds
from pale_heron.core.link.throughput_verdict import bit_rate
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.link.verdict import verdict
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label

NOTHING: Final = "–"
MS: Final = 1000.0


class ComparedFigure(NamedTuple):
    """One figure of both, and what to think of the difference."""

    name: str
    one: str
    other: str
    difference: str


def difference_95(bad: int, of: int, other_bad: int, other_of: int) -> tuple[float, float] | None:
    """The 95 % interval of how much larger the second share is (Newcombe 1998, method 10); None of nothing."""
    first, second = wilson(bad, of), wilson(other_bad, other_of)
    if first is None or second is None:
        return None
    one, other = bad / of, other_bad / other_of
    low = math.hypot(other - second[0], first[1] - one)
    high = math.hypot(second[1] - other, one - first[0])
    return max(-1.0, other - one - low), min(1.0, other - one + high)


def compare(one: TrialSnapshot, other: TrialSnapshot) -> tuple[ComparedFigure, ...]:
    """Figure by figure; directions pair in their order."""
    rows = [ComparedFigure("verdict", verdict(one).result, verdict(other).result, "")]
    pairs = list(zip(one.directions, other.directions, strict=False))
    one_speeds, other_speeds = speeds(one), speeds(other)
    for index, (here, there) in enumerate(pairs):
        way = f"{here.sender} ▸ {here.receiver}"
        if (there.sender, there.receiver) != (here.sender, here.receiver):
            way += f", {there.sender} ▸ {there.receiver}"
        rows.append(_shares(way, here.not_delivered, here.settled, there.not_delivered, there.settled))
        rows.append(_times(way, here, there))
        if index < len(one_speeds) and index < len(other_speeds):
            rows.append(_speeds(way, one_speeds[index].payload, other_speeds[index].payload))
    if one.exchange is not None and other.exchange is not None:
        first, second = one.exchange, other.exchange
        rows.append(_shares("rounds", first.bad, first.rounds, second.bad, second.rounds, "right"))
    return tuple(rows)


def _shares(way: str, bad: int, of: int, other_bad: int, other_of: int, noun: str = "delivered") -> ComparedFigure:
    interval = difference_95(bad, of, other_bad, other_of)
    if interval is None:
        words = "nothing to compare"
    elif interval[0] > 0:
        words = f"the second is worse by {percent(interval[0])} to {percent(interval[1])}"
    elif interval[1] < 0:
        words = f"the second is better by {percent(-interval[1])} to {percent(-interval[0])}"
    else:
        words = f"may be chance: between {percent(-interval[0])} better and {percent(interval[1])} worse"
    shown = [f"{count - wrong} of {count}" if count else NOTHING for wrong, count in ((bad, of), (other_bad, other_of))]
    return ComparedFigure(f"{way}: {noun}", shown[0], shown[1], words)


def _times(way: str, here: DeliverySnapshot, there: DeliverySnapshot) -> ComparedFigure:
    one, other = here.latency, there.latency
    shown = [f"{MS * each.median:.0f} ms" if each else NOTHING for each in (one, other)]
    if one is None or other is None:
        return ComparedFigure(f"{way}: median latency", shown[0], shown[1], "")
    apart = MS * (other.median - one.median)
    words = "the same" if abs(apart) < 1 else f"{abs(apart):.0f} ms {'longer' if apart > 0 else 'shorter'}"
    return ComparedFigure(f"{way}: median latency", shown[0], shown[1], words)


def _speeds(way: str, one: float | None, other: float | None) -> ComparedFigure:
    shown = [NOTHING if each is None else bit_rate(8 * each) for each in (one, other)]
    words = f"{100 * (other / one - 1):+.0f} %" if one and other is not None else ""
    return ComparedFigure(f"{way}: payload", shown[0], shown[1], words)


class MatrixCell(NamedTuple):
    """What one trial of a plan came to."""

    result: str
    figure: str


def matrix(trials: Sequence[TrialSnapshot]) -> tuple[tuple[str, ...], dict[str, dict[str, MatrixCell]]]:
    """The columns in their order, and by row what stands in each. A cell is as good as its worst way.

    Of two trials of one cell and one way the newer counts.
    """
    cells: dict[tuple[str, str], dict[tuple[str, ...], TrialSnapshot]] = {}
    for trial in trials:
        if trial.described.cell:
            row, column = trial.described.cell
            cells.setdefault((row, column), {})[trial.described.lanes] = trial
    rows: dict[str, dict[str, MatrixCell]] = {}
    for (row, column), ways in cells.items():
        result = worst({verdict(each).result for each in ways.values()})
        rows.setdefault(row, {})[column] = MatrixCell(result, ", ".join(map(cell_figure, ways.values())))
    return tuple(dict.fromkeys(column for _, column in cells)), rows


def cell_figure(trial: TrialSnapshot) -> str:
    """The one figure that says most of a trial: what came, of how many, or how fast."""
    if trial.exchange is not None:
        times = trial.exchange.round_trip
        took = f", {MS * times.median:.0f} ms" if times is not None else ""
        return f"{trial.exchange.right} of {trial.exchange.rounds}{took}"
    if trial.bulk:
        found = [each.payload for each in speeds(trial)]
        known = [each for each in found if each is not None]
        return bit_rate(8 * min(known)) if len(known) == len(found) else NOTHING
    # One of which nothing is known is worse than any that lost some.
    least = max(trial.directions, key=lambda each: 2.0 if each.share is None else each.share, default=None)
    if least is None or not least.sent:
        return NOTHING
    return f"{least.delivered} of {least.settled}" if least.settled else f"{least.sent} not known"


def matrix_lines(trials: Sequence[TrialSnapshot]) -> list[str]:
    """The matrix in lines of text."""
    columns, rows = matrix(trials)
    wide = max([len(row) for row in rows], default=0) + 2
    room = [max(26, len(column) + 2) for column in columns]
    lines = [" " * wide + "".join(f"{column:<{width}}" for column, width in zip(columns, room, strict=True)).rstrip()]
    for row, cells in rows.items():
        texts = (f"{cells[each].result} {cells[each].figure}" if each in cells else NOTHING for each in columns)
        figures = "".join(f"{text:<{width}}" for text, width in zip(texts, room, strict=True))
        lines.append(f"{row:<{wide}}{figures}".rstrip())
    return lines


def comparison_lines(one: TrialSnapshot, other: TrialSnapshot) -> list[str]:
    """Both side by side, in lines of text."""
    rows = [("", f"{clock(one.begin, 0)} UTC", f"{clock(other.begin, 0)} UTC", ""), *compare(one, other)]
    rooms = [max(len(row[column]) for row in rows) + 2 for column in range(3)]
    return [
        safe_label("".join(f"{text:<{room}}" for text, room in zip(row, rooms, strict=False)) + row[3]).rstrip()
        for row in rows
    ]
