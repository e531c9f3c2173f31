"""A trial in lines of text, for people."""

from typing import Final

from pale_heron.core.link.certainty import certainty
from pale_heron.core.link.delivery import DeliverySnapshot
from pale_heron.core.link.exchange import ExchangeSnapshot
from pale_heron.core.link.figures import Times
from pale_heron.core.link.sentences import SentencesSnapshot
from pale_heron.core.link.trial import TrialSnapshot
from pale_heron.core.link.verdict import verdict
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label

WRONG_SHOWN: Final = 5
_VERDICTS: Final = {"holds": "It holds.", "fails": "It does not hold.", "inconclusive": "That is not known yet."}


def trial_lines(trial: TrialSnapshot) -> list[str]:
    """What it was, the verdict, the figures of each direction or of the rounds, and what to know beside."""
    found, described = verdict(trial), trial.described
    lanes = " and ".join(safe_label(lane) for lane in described.lanes)
    ended = "" if trial.ended in ("", "done") else f", {safe_label(trial.ended)}"
    rows = [
        f"{described.kind} on {lanes}, {clock(trial.begin)} UTC{ended}",
        f"{_VERDICTS[found.result]} {safe_label(found.why)}",
    ]
    left = [f"{count} on {safe_label(lane)}" for lane, count in described.left_before.items() if count]
    rows += [f"Bytes that were waiting, taken out first: {', '.join(left)}."] if left else []
    if trial.directions:
        rows += ["", _HEAD]
        rows += [_direction(each) for each in trial.directions]
    if trial.round_trip is not None:
        rows.append(f"round trip {_times(trial.round_trip)}")
    if trial.exchange is not None:
        rows += ["", *_exchange(trial.exchange)]
    for finding in found.findings:
        rows += ["", safe_label(finding.text), f"  {safe_label(finding.evidence)}. {safe_label(finding.next)}"]
    return rows


_COLUMNS: Final = {"sent": 6, "delivered": 11, "lost": 6, "damaged": 9, "twice": 7, "out of order": 14, "late": 6}


_HEAD: Final = f"{'':24}{''.join(f'{name:>{width}}' for name, width in _COLUMNS.items())}   latency"


def sentence_lines(found: SentencesSnapshot) -> list[str]:
    """Sentences of one lane that were looked for on another."""
    both = found.all
    bad = both.lost + both.damaged
    words = f"{both.delivered} of {both.settled} delivered: not delivered is {certainty(bad, both.settled)}"
    rows = [f"{safe_label(both.sender)} ▸ {safe_label(both.receiver)}: {words}.", "", _HEAD, _direction(both), ""]
    rows += [f"{safe_label(name):<24}{said:>6}{came:>11}" for name, said, came in found.types]
    strangers = f"{both.foreign_bytes} bytes of sentences that {safe_label(both.sender)} did not say"
    return [*rows, *([strangers] if both.foreign_bytes else [])]


def _direction(each: DeliverySnapshot) -> str:
    way = f"{safe_label(each.sender)} ▸ {safe_label(each.receiver)}"
    counts = (each.sent, each.delivered, each.lost, each.damaged, each.twice, each.out_of_order, each.late)
    figures = "".join(f"{count:>{width}}" for count, width in zip(counts, _COLUMNS.values(), strict=True))
    return f"{way:<24}{figures}   {_times(each.latency)}"


def _exchange(exchange: ExchangeSnapshot) -> list[str]:
    counts = (
        f"rounds {exchange.rounds}, right {exchange.right}, wrong {exchange.wrong}, unanswered {exchange.unanswered}"
    )
    rows = [f"{counts}; round trip {_times(exchange.round_trip)}"]
    for each in exchange.wrongs[:WRONG_SHOWN]:
        asked, wanted, came = (safe_label(text) for text in (each.message, each.wanted, each.came))
        rows.append(f"  round {each.round}: asked {asked!r}, expected {wanted!r}, came {came!r}")
    return rows


def _times(times: Times | None) -> str:
    if times is None:
        return "–"
    least, median, p95, most = (f"{1000 * value:.0f}" for value in times[1:])
    return f"median {median} ms, 95 % within {p95} ms, {least} to {most} ms"
