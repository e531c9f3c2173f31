"""The speed of a trial of throughput against what its lines carry, and what became of its bytes."""

from typing import Final

from pale_heron.core import figures
from pale_heron.core.frames import SECOND
from pale_heron.core.link.certainty import percent
from pale_heron.core.link.fates import DeliverySnapshot
from pale_heron.core.link.progress import HELD_WORDS, rates
from pale_heron.core.link.speed import Speed, speeds
from pale_heron.core.link.throughput import BulkSnapshot
from pale_heron.core.link.throughput_verdict import bit_rate
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.link.words import location_words
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.paint import BLANK, Line, Span, cut, line, titled

LABEL: Final = 18
SCALE: Final = 16
CHART_ROWS: Final = 3
BURST: Final = 1.15
LOCATED_SHOWN: Final = 4
STALLS_SHOWN: Final = 3
_BARS: Final = " ▁▂▃▄▅▆▇█"


def paint(trial: TrialSnapshot, width: int) -> list[Line]:
    """Speed and bytes of each direction; nothing for other trials."""
    rows: list[Line] = []
    for blocks, bulk, speed in zip(trial.directions, trial.bulk, speeds(trial), strict=False):
        rows += [
            *titled(f"{_way(blocks)}: PAYLOAD OVER TIME", [*_chart(bulk, speed, width), _words(bulk, speed, width)])
        ]
        rows += [_bytes(bulk, width), *_located(bulk, width), *_stalls(bulk, width), BLANK]
    return rows


def _way(each: DeliverySnapshot) -> str:
    return f"{safe_label(each.sender)} ▸ {safe_label(each.receiver)}"


def _chart(bulk: BulkSnapshot, speed: Speed, width: int) -> list[Line]:
    """Bars from zero; the top is the ceiling where there is one, else the highest of them."""
    room = max(1, width - SCALE - 2)
    span_s = (bulk.points[-1][0] - bulk.points[0][0]) / SECOND if bulk.points else 0.0
    # A column is no shorter than what one sees of a block that arrives: shorter ones would show gaps that are none.
    values = rates(bulk.points, min(room, max(1, int(4 * span_s))))
    if not values:
        return [line(("nothing came yet" if not bulk.payload_bytes else "too short to draw", "quiet"))]
    highest = max(values)
    # What comes in short bursts may lie a little above what the line carries: the top stays that.
    held = speed.ceiling is not None and highest <= BURST * speed.ceiling
    top = (speed.ceiling if held else highest) or 1.0
    columns = _spread(values, room)
    rows = []
    for row in range(CHART_ROWS, 0, -1):
        text = "".join(_BARS[max(0, min(8, round(8 * (CHART_ROWS * value / top - row + 1))))] for value in columns)
        label = bit_rate(top) if row == CHART_ROWS else "0" if row == 1 else ""
        rows.append(cut(line((f"{label:>{SCALE}} ▏", "faint"), (text, "heron")), width))
    ends = f"0 s{figures.duration(span_s):>{max(1, room - 3)}}"
    return [*rows, cut(line((" " * (SCALE + 2) + ends, "faint")), width)]


def _spread(values: list[float], room: int) -> list[float]:
    """As wide as there is room: each value in as many columns as fall to it."""
    return [values[column * len(values) // room] for column in range(room)]


def _words(bulk: BulkSnapshot, speed: Speed, width: int) -> Line:
    if speed.payload is None or bulk.steady is None:
        return cut(line((f"{'steady part':<{LABEL}}", "quiet"), ("too short to say how fast", "amber")), width)
    took = figures.duration((bulk.steady.end - bulk.steady.begin) / SECOND)
    spans: list[Span] = [Span(f"{'steady part':<{LABEL}}", "quiet"), Span(bit_rate(speed.payload), "*text")]
    spans += [Span(f" over {took}, warm-up and tail left out", "quiet")]
    if speed.share is not None and speed.ceiling is not None:
        spans += [Span("   "), Span(percent(speed.share), "*text")]
        spans += [Span(f" of the line's {bit_rate(speed.ceiling)}", "quiet")]
    return cut(tuple(spans), width)


def _bytes(bulk: BulkSnapshot, width: int) -> Line:
    counts = (("changed", bulk.changed), ("missing", bulk.missing), ("added", bulk.added))
    spans = [Span(f"{'bytes':<{LABEL}}", "quiet"), Span(f"{figures.count(bulk.payload_bytes)} in whole blocks   ")]
    for name, count in counts:
        spans += [Span(f"{figures.count(count)} ", "*coral" if count else "reed"), Span(f"{name}   ", "quiet")]
    return cut(tuple(spans), width)


def _located(bulk: BulkSnapshot, width: int) -> list[Line]:
    rows = []
    for index, each in enumerate(bulk.located[:LOCATED_SHOWN]):
        label = "the first of them" if index == 0 else ""
        where = f"block {each.block}, byte {each.offset}: "
        rows.append(cut(line((f"{label:<{LABEL}}", "quiet"), (where, "quiet"), (location_words(each), "coral")), width))
    return rows


def _stalls(bulk: BulkSnapshot, width: int) -> list[Line]:
    rows = []
    for index, each in enumerate(bulk.stalls[-STALLS_SHOWN:]):
        label = figures.several(len(bulk.stalls), "stall") if index == 0 else ""
        by = f": {HELD_WORDS[each.held_by]}" if each.held_by else ""
        words = f"{clock(each.begin, 1)}, nothing for {figures.duration(each.seconds)}{by}"
        rows.append(cut(line((f"{label:<{LABEL}}", "quiet"), (words, "amber")), width))
    return rows
