"""A trial in lines of text, for people."""

from pale_heron.core.link.delivery import DeliverySnapshot
from pale_heron.core.link.figures import Times
from pale_heron.core.link.trial import TrialSnapshot
from pale_heron.core.link.verdict import verdict
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label

_VERDICTS = {"holds": "It holds.", "fails": "It does not hold.", "inconclusive": "That is not known yet."}


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
        rows += [
            "",
            f"{'':24}{'sent':>6}{'delivered':>11}{'lost':>6}{'damaged':>9}{'twice':>7}{'order':>7}{'late':>6}   latency",
        ]
        rows += [_direction(each) for each in trial.directions]
    if trial.round_trip is not None:
        rows.append(f"round trip {_times(trial.round_trip)}")
    if trial.exchange is not None:
        rows += [
            "",
            f"rounds {trial.exchange.rounds}, right {trial.exchange.right}, wrong {trial.exchange.wrong}, "
            f"unanswered {trial.exchange.unanswered}; round trip {_times(trial.exchange.round_trip)}",
        ]
        rows += [
            f"  round {each.round}: {safe_label(each.message)!r}, expected {safe_label(each.wanted)!r}, came {safe_label(each.came)!r}"
            for each in trial.exchange.wrongs[:5]
        ]
    for each in found.findings:
        rows += ["", safe_label(each.text), f"  {safe_label(each.evidence)}. {safe_label(each.next)}"]
    return rows


def _direction(each: DeliverySnapshot) -> str:
    way = f"{safe_label(each.sender)} ▸ {safe_label(each.receiver)}"
    counts = f"{each.sent:>6}{each.delivered:>11}{each.lost:>6}{each.damaged:>9}{each.twice:>7}{each.out_of_order:>7}{each.late:>6}"
    return f"{way:<24}{counts}   {_times(each.latency)}"


def _times(times: Times | None) -> str:
    if times is None:
        return "–"
    least, median, p95, most = (f"{1000 * value:.0f}" for value in times[1:])
    return f"median {median} ms, 95 % within {p95} ms, {least} to {most} ms"
