"""A trial in lines of text, for people."""

from typing import Final

from pale_heron.core.figures import several
from pale_heron.core.link.certainty import percent
from pale_heron.core.link.description import WIRINGS
from pale_heron.core.link.exchange import ExchangeSnapshot
from pale_heron.core.link.fates import DeliverySnapshot
from pale_heron.core.link.reach import RangeSnapshot
from pale_heron.core.link.reach_words import bin_words, strength_words
from pale_heron.core.link.speed import line_time_s
from pale_heron.core.link.throughput import BulkSnapshot, Location
from pale_heron.core.link.trial_snapshot import DONE, INTERRUPTED, TrialSnapshot
from pale_heron.core.link.verdict import verdict
from pale_heron.core.samples import Times
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label

WRONG_SHOWN: Final = 5
LOCATED_SHOWN: Final = 5
SECONDS_FROM: Final = 10.0
WAITED_TOLD_S: Final = 1.0
_VERDICTS: Final = {"holds": "It holds.", "fails": "It does not hold.", "inconclusive": "That is not shown."}


def trial_lines(trial: TrialSnapshot) -> list[str]:
    """What it was, the verdict, the figures of each direction or of the rounds, and what to know beside."""
    found, described = verdict(trial), trial.described
    lanes = " and ".join(safe_label(lane) for lane in described.lanes)
    ended = "" if trial.ended in ("", DONE) else f", {safe_label(ended_words(trial))}"
    verdict_words = _VERDICTS[found.result] if trial.end is not None else "It is under way."
    rows = [
        f"{described.kind} on {lanes}, {clock(trial.begin)} UTC{ended}",
        f"{verdict_words} {safe_label(found.why)}",
    ]
    if trial.waited_s is not None and trial.waited_s >= WAITED_TOLD_S:
        rows.append(
            f"The first sign of the far end took {trial.waited_s:.1f} s; what was sent until then is not counted."
        )
    left = [f"{count} on {safe_label(lane)}" for lane, count in described.left_before.items() if count]
    rows += [f"Bytes that were waiting, taken out first: {', '.join(left)}."] if left else []
    if trial.directions:
        rows += ["", _HEAD]
        rows += [_direction(each) for each in trial.directions]
        rows += _line_times(trial)
    for blocks, bulk in zip(trial.directions, trial.bulk, strict=False):
        rows += ["", *_bytes(f"{safe_label(blocks.sender)} ▸ {safe_label(blocks.receiver)}", bulk)]
    if trial.trip is not None:
        trip = trial.trip
        counts = f"answered {trip.delivered}, unanswered {trip.lost}, late {trip.late}, not known {trip.unknown}"
        rows.append(f"round trips {trip.sent}: {counts}; {_times(trip.latency)}")
    if trial.exchange is not None:
        rows += ["", *_exchange(trial.exchange)]
    if trial.types:
        rows += ["", f"{'type':<24}{'said':>6}{'came':>11}"]
        rows += [f"{safe_label(name):<24}{said:>6}{came:>11}" for name, said, came in trial.types]
    rows += [f"left out: {safe_label(name):<14}{said:>6}" for name, said in trial.left_out]
    for ranged in trial.ranges:
        rows += ["", *range_lines(ranged)]
    if described.wiring:
        rows += ["", f"wired {WIRINGS.get(described.wiring, safe_label(described.wiring))}"]
    for finding in found.findings:
        rows += ["", safe_label(finding.text), f"  {safe_label(finding.evidence)}. {safe_label(finding.next)}"]
    return rows


COLUMNS: Final = {
    "sent": 6,
    "delivered": 11,
    "lost": 6,
    "damaged": 9,
    "late": 6,
    "not known": 11,
    "twice": 7,
    "out of order": 14,
}
"""The same columns, in the same order, wherever a trial is told."""


_HEAD: Final = f"{'':24}{''.join(f'{name:>{width}}' for name, width in COLUMNS.items())}   latency"


def range_lines(found: RangeSnapshot) -> list[str]:
    """One way by distance: each bin with its count, its interval, and the strength."""
    rows = [f"{safe_label(found.way) + ', by distance':<28}{'delivered':>12}   {'not delivered, 95 %':<22}strength"]
    for each in found.bins:
        low_high = "–" if each.bad_95 is None else f"{percent(each.bad_95[0])} to {percent(each.bad_95[1])}"
        count = f"{each.delivered} of {each.settled}"
        rows.append(f"  {bin_words(each):<26}{count:>12}   {low_high:<22}{strength_words(each.strength)}")
    return rows


def ended_words(trial: TrialSnapshot) -> str:
    """By what a trial ended that did not go on to its end."""
    return "ended by hand" if trial.ended_by == INTERRUPTED else trial.ended


def latency_words(times: Times | None) -> str:
    """Median, nearly all, least and most."""
    return _times(times)


def counts_of(each: DeliverySnapshot) -> tuple[int, ...]:
    """What stands in the columns of one direction."""
    fates = (each.sent, each.delivered, each.lost, each.damaged, each.late, each.unknown)
    return (*fates, each.twice, each.out_of_order)


def _line_times(trial: TrialSnapshot) -> list[str]:
    """What of the latency is the line's own."""
    rows = []
    for each in trial.directions:
        line = line_time_s(trial, each)
        if line is not None and each.latency is not None:
            way = f"{safe_label(each.sender)} ▸ {safe_label(each.receiver)}"
            left = max(0.0, each.latency.median - line)
            own = f"of the median the line itself takes {1000 * line:.1f} ms by its rate"
            rows.append(f"{way:<24}{own}; {1000 * left:.1f} ms are left for the link")
    return rows


def _direction(each: DeliverySnapshot) -> str:
    way = f"{safe_label(each.sender)} ▸ {safe_label(each.receiver)}"
    figures = "".join(f"{count:>{width}}" for count, width in zip(counts_of(each), COLUMNS.values(), strict=True))
    return f"{way:<24}{figures}   {_times(each.latency)}"


def _bytes(way: str, bulk: BulkSnapshot) -> list[str]:
    counts = f"{bulk.changed} changed, {bulk.missing} missing, {bulk.added} added"
    rows = [
        f"{way}: {several(bulk.payload_bytes, 'byte')} in blocks that came as they were sent; of all bytes {counts}"
    ]
    rows += [
        f"  block {each.block}, byte {each.offset}: {location_words(each)}" for each in bulk.located[:LOCATED_SHOWN]
    ]
    more = bulk.changed + bulk.missing + bulk.added - LOCATED_SHOWN
    return [*rows, *([f"  and {more} more"] if bulk.located and more > 0 else [])]


def location_words(each: Location) -> str:
    """What became of one byte."""
    if each.expected is None:
        return f"0x{each.got:02X} added"
    return f"0x{each.expected:02X} " + ("missing" if each.got is None else f"came as 0x{each.got:02X}")


def _exchange(exchange: ExchangeSnapshot) -> list[str]:
    unknown = sum(count for _, count in exchange.not_known)
    counts = f"rounds {exchange.rounds}, right {exchange.right}, wrong {exchange.wrong}, "
    counts += f"unanswered {exchange.unanswered}, late {exchange.late}, not known {unknown}"
    rows = [f"{counts}; round trip {_times(exchange.round_trip)}"]
    for each in exchange.wrongs[:WRONG_SHOWN]:
        asked, wanted, came = (safe_label(text) for text in (each.message, each.wanted, each.came))
        late = " when it was over" * each.late
        rows.append(f"  round {each.round}: asked {asked!r}, expected {wanted!r}, came {came!r}{late}")
    return rows


def _times(times: Times | None) -> str:
    if times is None:
        return "–"
    scale, unit = (1000, "ms") if times.most < SECONDS_FROM else (1, "s")
    least, median, p95, most = (
        f"{scale * value:.{0 if scale > 1 else 1}f}" for value in (times.least, times.median, times.p95, times.most)
    )
    return f"median {median} {unit}, 95 % within {p95} {unit}, {least} to {most} {unit}"
